"""Lines that are as sharp as a long frame shows, and how coherent a line is over frames.

Sharpness of a whole spectrum is the mean logarithm of its power: the sharper the lines, the lower
it is (spectral flatness). It has no parameter, and guards what is done to a record's time.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.estimate.spectrum import averaged_spectrum
from tonecomb.core.find.line_tracks import running_floor
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window

Complex = NDArray[np.complexfloating]

_AROUND_HZ = 25.0  # of the floor, to either side
_OVER, _CHANCE = 4.0, 9.6  # times the floor that a line has more: as few as that, or by chance
_LOWEST_HZ = 4.0  # of a line
_MAIN_LOBE = 4  # bins to either side of a maximum, that are its own
_REFINED = 3  # parabolas to the maximum of the coherent sum


@dataclass(frozen=True, eq=False)
class SharpLines:
    """Lines of a long frame's spectrum by rising frequency: ``frequency`` (Hz), mean square
    ``power`` (unit²) and that over the floor, shape (lines,) each. ``sharpness`` is the mean
    logarithm of the whole spectrum's power, the lower the sharper."""

    frequency: Array
    power: Array
    snr: Array
    sharpness: float


def sharp_lines(read: Read, length: int, fs: float, seconds: float) -> SharpLines:
    """The lines in frames of so many seconds under a Blackman-Harris window."""
    frame = 2 * int(seconds * fs / 2)
    plan = make_framing(length, frame, 50.0, fs)
    spectrum = averaged_spectrum(read, plan, fs, window("blackman-harris"))
    power = np.maximum(spectrum.mean_square, 1e-300)
    floor = running_floor(power, max(40, round(_AROUND_HZ * frame / fs)))
    ratio = power / floor
    least = 1 + max(_OVER, _CHANCE / np.sqrt(plan.count))
    inner = power[2:-2]
    top = (inner > power[1:-3]) & (inner >= power[3:-1]) & (ratio[2:-2] > least)
    places = np.flatnonzero(top) + 2
    places = places[places * spectrum.bin_hz > _LOWEST_HZ]
    taken, kept = np.zeros(len(power), bool), []
    for k in places[np.argsort(-power[places])].tolist():
        if not taken[k]:
            kept.append(k)
            taken[max(0, k - _MAIN_LOBE) : k + _MAIN_LOBE + 1] = True
    k = np.sort(np.array(kept, dtype=int))
    left, here, right = (np.log(power[k + i]) for i in (-1, 0, 1))
    frequency = (k + 0.5 * (left - right) / (left - 2 * here + right)) * spectrum.bin_hz
    return SharpLines(frequency, power[k], ratio[k], float(np.log(power[4:]).mean()))


def coherence(phasors: Complex) -> tuple[float, float]:
    """The share of a line's power that keeps one phase and frequency over frames, from its
    phasors (frames,), and that frequency off theirs, in radians a frame. At the exact maximum:
    zero padding alone scallops by one percent."""
    from scipy.fft import fft

    count = len(phasors)
    size = 2 * count
    power = float((phasors.real**2 + phasors.imag**2).sum())
    top = int(np.abs(fft(phasors, size)).argmax())
    omega = 2 * np.pi * (top - size if top > size // 2 else top) / size
    at, step = np.arange(count) - (count - 1) / 2, np.pi / size
    for _ in range(_REFINED):
        tried = np.exp(-1j * np.outer([omega - step, omega, omega + step], at)) @ phasors
        left, here, right = (np.abs(tried) ** 2).tolist()
        curve = left - 2 * here + right
        if curve < 0:
            omega += step * float(np.clip(0.5 * (left - right) / curve, -1, 1))
        step *= 0.25
    coherent = abs(complex(np.exp(-1j * omega * at) @ phasors)) ** 2
    return (coherent / (count * power) if power > 0 else 0.0), omega
