"""The model of tones on the lines that were kept of the frames, in place of their samples.

What a windowed frame x holds at any frequency follows from its bins,

    Σ w(n) x(n) e^(−iωt) = 1/N Σ Y(ωₖ) D(ωₖ − ω),    D(ν) = Σ e^(iνt),

and so does its derivative. Of the bins only those about a tone are taken, of what the model would
give there as of what there is: nothing is lost but what noise lies beyond them, and no pass over
the samples is needed.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.frame_statistics import Courses
from tonecomb.core.find.tone import Complex
from tonecomb.core.find.tone_model import Stepped, transforms
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window

ENOUGH = 1024
"""Frames from which on it is worth it."""
REACH = 3
"""Bins to each side of a tone that are taken."""
_LOWEST = 2  # bin below which the mean that was taken off would be seen
_AT_ONCE = 1 << 11  # frames
_TOLD = 1e-12  # of the largest, below which what is not told apart counts nothing


def line_model(courses: Courses | None, omega: Array) -> LineModel | None:
    """The model of tones at these angular frequencies (radians per sample); None where nothing is
    known of the frames, or bins were not kept."""
    if courses is None:
        return None
    length = courses.framing.frame
    middles = np.round(omega * length / (2 * np.pi)).astype(int)
    near = middles[:, None] + np.arange(-REACH, REACH + 1)
    inside = near.min() >= _LOWEST and near.max() < length // 2
    # A tone may have moved by a bin from the one about which they were kept.
    if not inside or not np.isin(near[:, 1:-1], courses.bins).all():
        return None
    return LineModel(courses, omega, near)


class LineModel(Stepped):
    """Of tones about which the bins ``near`` are taken, shape (tones, bins)."""

    def __init__(self, courses: Courses, omega: Array, near: NDArray[np.integer[Any]]) -> None:
        taper, length = window("hann"), courses.framing.frame
        columns = np.flatnonzero(np.isin(courses.bins, near))
        bins = courses.bins[columns]
        places = 2 * np.pi / length * bins
        taken = (bins[:, None, None] == near).any(axis=2)  # (bins, tones)
        self._tests = np.concatenate(
            [
                np.where(taken, one, 0) / length
                for one in transforms((1.0,), length, places[:, None] - omega)[:2]
            ],
            axis=1,
        )
        self._lines = courses.lines[:, columns]
        self._scale = float(taper.samples(length).sum()) / math.sqrt(2.0)
        above = transforms(taper.terms, length, omega[:, None] - places)[:2]
        below = transforms(taper.terms, length, -omega[:, None] - places)[:2]
        signals = [
            turn * (up + sign * down)
            for up, down in zip(above, below, strict=True)
            for turn, sign in ((0.5, 1), (-0.5j, -1))
        ]
        response = self._real(np.concatenate(signals) @ self._tests)
        base = 2 * len(omega)
        super().__init__(
            first=0,
            inverse=np.asarray(np.linalg.pinv(response[:base, :base], rcond=_TOLD), dtype=float),
            cross=response[:base, base:],
            back=response[base:, :base],
            second=response[base:, base:],
        )

    def products(self) -> Array:
        """Of each frame with cosines and sines, and with time × those, shape (frames, columns)."""
        found = [
            self._lines[first : first + _AT_ONCE].astype(np.complex128) @ self._tests
            for first in range(0, len(self._lines), _AT_ONCE)
        ]
        return self._real(np.concatenate(found)) * self._scale

    def _real(self, found: Complex) -> Array:
        """Σ w·x·e^(−iωt) and Σ w·x·t·e^(−iωt) as the products with cosines and sines."""
        tones = found.shape[1] // 2
        zero, one = found[:, :tones], found[:, tones:]
        return np.concatenate([zero.real, -zero.imag, one.real, -one.imag], axis=1)
