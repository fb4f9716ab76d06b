"""Tones from the lines of the frames: for the many weak ones, each by itself.

The complex amplitude of a frame is the projection of five bins about the tone on the Hann
window's transform. A joint fit on the samples (:mod:`tones`) parts close neighbours as well, but
costs for each tone what this costs for a hundred.
"""

from __future__ import annotations

import numpy as np

from tonecomb.core.estimate.frame_statistics import ENBW, Courses
from tonecomb.core.find.tone import Amplitude, Complex, Course, Information, Tone, tone_of
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window

_ABOUT = np.arange(-2, 3)
_ROUNDS = 3  # of fitting, after which nothing moves any more


def _response(offset: Array) -> Array:
    """The Hann window's transform at these offsets in bins, 1 at zero."""
    near = np.where(np.abs(np.abs(offset) - 1) < 1e-6, offset * (1 + 1e-5), offset)
    return np.asarray(np.sinc(near) / (1 - near**2))


def tones_by_lines(
    courses: Courses, fs: float, frequencies: Array, floor: Array
) -> list[Tone | None]:
    """Tones near these ``frequencies`` (Hz); None where their bins were not kept. ``floor`` is the
    noise's mean square per bin of a Hann window at each, in unit²."""
    framing, taper = courses.framing, window("hann")
    information = Information(framing, taper)
    tones: list[Tone | None] = []
    for frequency, noise in zip(frequencies, floor, strict=True):
        place = frequency / courses.bin_hz
        c, place = _amplitudes(courses, place)
        if c is None:
            tones.append(None)
            continue
        omega = 2 * np.pi * place / framing.frame
        course = Course.of(c, omega, float(noise) / ENBW, framing, information)
        level = Amplitude.of(c, course.density * ENBW, framing, taper)
        tones.append(tone_of(course, level, framing, fs, information))
    return tones


def _amplitudes(courses: Courses, place: float) -> tuple[Complex | None, float]:
    """Complex peak amplitudes about the frames' centres, and the place in bins that fits all."""
    for _ in range(_ROUNDS):
        middle = round(place)
        a, b = courses.around(middle - 2, middle + 2)
        if b - a != len(_ABOUT) or middle < 3:
            return None, place
        x = courses.lines[:, a:b].astype(np.complex128)
        left, top, right = x[:, 1], x[:, 2], x[:, 3]
        # The offset of all frames together: their sums weighted with the line itself.
        total = 2 * top + left + right
        below = float(np.sum(np.abs(total) ** 2))
        if below == 0:
            return None, place
        shift = float(np.sum((2 * (right - left) * np.conj(total)).real)) / below
        place = middle + float(np.clip(shift, -1.0, 1.0))
        if abs(shift) <= 0.55:
            break
    shape = _response(np.asarray(middle - place + _ABOUT, dtype=np.float64))
    return np.sqrt(2) * (x @ shape) / float(shape @ shape), place
