"""The spectrum of what is no line: each bin is the mean over frames in which no line comes near.

A machine whose speed breathes sweeps its lines over the bins, but in short frames each line is in
few of them at a time. What is left is noise, and the modes that it excites.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.averages import FrameSquares
from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.estimate.spectrum import Spectrum, averaged_spectrum
from tonecomb.core.find.damping import Data
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window

FRAME_S = 0.5  # so short that lines leave room between each other
_NEAR = 1.6  # bins about a line at least; what its skirt reaches otherwise
_SKIRT = 0.05  # of the floor, to which a line's skirt is left out
_WIDEST = 64  # bins to either side, at most
_THIRD = 1 / 3  # of a frame from its middle, at which lines are looked up as well
_LEAST, _LEAST_SHARE = 4.0, 0.15  # frames, and of the most that a bin has, that it takes
_WORTH = 0.95  # independent averages, that each of half overlapping frames is worth


@dataclass(frozen=True, eq=False)
class MovingLines:
    """Lines at ``frequency`` (Hz) on average, of peak ``amplitude`` (unit), shape (lines,) each;
    ``swing(time)`` is by what share they are off at times (s), times each one's ``slope`` (one for
    None): what sampling folds moves otherwise."""

    frequency: Array
    amplitude: Array
    swing: Callable[[Array], Array]
    slope: Array | None = None


def resting(
    read: Read,
    length: int,
    fs: float,
    lines: Sequence[MovingLines],
    density: Callable[[Array], Array],
) -> Data | None:
    """The spectrum between the lines, with what its bins are worth and those that have no frames
    left out; ``density`` is the noise's (unit²/Hz) at frequencies (Hz). None where it is too short.
    """
    frame = 2 * round(FRAME_S * fs / 2)
    if length < 8 * frame:
        return None
    framing, taper = make_framing(length, frame, 50.0, fs), window("hann")
    bins = frame // 2 + 1
    total, count = np.zeros(bins), np.zeros(bins)
    hz = fs / frame
    reaches = [_reach(one, taper.transform, density, hz) for one in lines]

    def combine(weights: Array, nfft: int) -> Array:
        squares = FrameSquares(read, framing, fs, weights, nfft, "mean")
        for before, some in squares.groups():
            numbers = before + np.arange(len(some))
            time = np.asarray((numbers * framing.hop + frame / 2) / fs, dtype=np.float64)
            free = np.ones(some.shape, bool)
            for one, reach in zip(lines, reaches, strict=True):
                free &= ~_near(one, reach, time, hz, bins)
            total[:] += (some * free).sum(axis=0)
            count[:] += free.sum(axis=0)
        return total / np.maximum(count, 1)

    spectrum = averaged_spectrum(read, framing, fs, taper, combine=combine)
    left_out = count < max(_LEAST, _LEAST_SHARE * float(count.max()))
    if left_out.all():
        return None
    spectrum = _bridged(spectrum, left_out)
    return Data(spectrum, taper, fs, None, np.maximum(_WORTH * count, 1.0), left_out)


def _reach(
    lines: MovingLines,
    transform: Callable[[Array], Array],
    density: Callable[[Array], Array],
    hz: float,
) -> Array:
    """Bins to either side that belong to each line, shape (lines,)."""
    away = np.arange(1, _WIDEST + 1)
    at: Array = np.asarray(away + 0.5, dtype=np.float64)
    skirt = np.maximum.accumulate(transform(at)[::-1])[::-1] ** 2
    floor = np.maximum(np.asarray(density(lines.frequency) * 1.5 * hz), 1e-300)
    over = np.asarray(lines.amplitude**2 / 2 / floor)[:, None] * skirt > _SKIRT
    return np.asarray(np.maximum(over.sum(axis=1) + 1.0, _NEAR))


def _near(lines: MovingLines, reach: Array, time: Array, hz: float, bins: int) -> NDArray[np.bool_]:
    """Which bins a line comes near in each frame, shape (frames, bins)."""
    third = _THIRD / hz
    times = [np.asarray(time + shift, dtype=np.float64) for shift in (-third, 0.0, third)]
    swings = np.stack([lines.swing(one) for one in times])
    slope = np.ones(len(lines.frequency)) if lines.slope is None else lines.slope
    ends = [lines.frequency * (1 + one[:, None] * slope) for one in (swings.min(0), swings.max(0))]
    low, high = np.minimum(*ends) / hz - reach, np.maximum(*ends) / hz + reach
    first = np.clip(np.floor(low).astype(int), 0, bins)
    stop = np.clip(np.ceil(high).astype(int) + 1, 0, bins)
    edges = np.zeros((len(time), bins + 1), int)
    rows = np.arange(len(time))[:, None]
    np.add.at(edges, (rows, first), 1)
    np.add.at(edges, (rows, stop), -1)
    return np.asarray(edges.cumsum(axis=1)[:, :bins] > 0)


def _bridged(spectrum: Spectrum, out: NDArray[np.bool_]) -> Spectrum:
    """With straight lines in the logarithm across the bins that are out."""
    kept = np.flatnonzero(~out)
    logs = np.log(np.maximum(spectrum.mean_square, 1e-300))
    bridged = np.exp(np.interp(np.arange(len(out)), kept, logs[kept]))
    return replace(spectrum, mean_square=np.where(out, bridged, spectrum.mean_square))
