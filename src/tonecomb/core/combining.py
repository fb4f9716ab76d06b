"""Other ways than the mean to make one spectrum of many frames.

The median is corrected for its bias: of n independent values that are exponentially distributed
it is Σ (−1)ˡ⁺¹/l, l = 1 … n (n odd), of their mean (Allen et al., Phys. Rev. D 85 (2012) 122006,
appendix B).
"""

from __future__ import annotations

from typing import Literal

import numpy as np

from tonecomb.core.errors import UserError
from tonecomb.core.framing import Framing
from tonecomb.core.progress import Progress, part
from tonecomb.core.recording import Array
from tonecomb.core.spectrum import READ_SAMPLES, Detrend, Read, frames_of, read_frames

Average = Literal["mean", "median", "max", "min", "exponential", "single"]

_HELD_BYTES = 192 << 20  # of squared magnitudes that are held at once for the median
_NEWEST = 1 / 8  # weight of the newest frame in the exponential average
MEDIAN_WORTH = float(np.log(2) ** 2)  # of an average: its variance is 1/(ln 2)² times as large


def median_bias(count: int) -> float:
    """What the median of ``count`` exponential values is of their mean."""
    odd = max(1, count - (count + 1) % 2)
    signs = np.where(np.arange(odd) % 2 == 0, 1.0, -1.0)
    return float(np.sum(signs / np.arange(1, odd + 1)))


def worth(average: Average, averages: float) -> float:
    """How many independent frames would average as well, when ``averages`` are averaged."""
    if average == "mean":
        return averages
    if average == "median":
        return max(1.0, averages * MEDIAN_WORTH)
    if average == "exponential":
        return min(averages, (2 - _NEWEST) / _NEWEST)
    return 1.0


def combined_squares(
    read: Read,
    framing: Framing,
    fs: float,
    weights: Array,
    nfft: int,
    detrend: Detrend,
    average: Average,
    averages: float,
    progress: Progress,
) -> Array:
    """|X|² of all frames made one, shape (bins,). ``averages`` is the effective number.

    The median holds the frames' squares for some of the bins at a time and passes over the
    stretch as often as that takes.
    """
    bins = nfft // 2 + 1
    if average != "median":
        return _running(read, framing, fs, weights, nfft, detrend, average, progress)
    at_once = max(1, min(bins, _HELD_BYTES // (8 * framing.count)))
    out = np.empty(bins)
    starts = range(0, bins, at_once)
    for turn, first in enumerate(starts):
        last = min(bins, first + at_once)
        held = np.empty((framing.count, last - first))
        share = part(progress, turn / len(starts), (turn + 1) / len(starts))
        for numbers in framing.blocks(READ_SAMPLES):
            squares = _squares(read, framing, numbers, fs, weights, nfft, detrend)
            held[numbers.start : numbers.stop] = squares[:, first:last]
            share((numbers[-1] + 1) / framing.count)
        out[first:last] = np.median(held, axis=0)
    return out / median_bias(max(1, round(averages)))


def _running(
    read: Read,
    framing: Framing,
    fs: float,
    weights: Array,
    nfft: int,
    detrend: Detrend,
    average: Average,
    progress: Progress,
) -> Array:
    total: Array | None = None
    for numbers in framing.blocks(READ_SAMPLES):
        squares = _squares(read, framing, numbers, fs, weights, nfft, detrend)
        if average == "exponential":
            for frame in squares:
                total = frame.copy() if total is None else total + _NEWEST * (frame - total)
        else:
            reduce = np.max if average == "max" else np.min
            found = reduce(squares, axis=0)
            pair = np.maximum if average == "max" else np.minimum
            total = found if total is None else pair(total, found)
        progress((numbers[-1] + 1) / framing.count)
    if total is None:
        raise UserError("No frame fits", remedy="choose a shorter frame")
    return total


def _squares(
    read: Read,
    framing: Framing,
    numbers: range,
    fs: float,
    weights: Array,
    nfft: int,
    detrend: Detrend,
) -> Array:
    """|X|² of some frames, shape (frames, bins)."""
    from scipy.fft import rfft

    frames = frames_of(read_frames(read, framing, numbers, fs), framing)
    if detrend == "none":
        tapered = frames * weights
    else:
        tapered = frames - frames.mean(axis=1, keepdims=True)
        if detrend == "line":
            ramp = np.arange(framing.frame) - (framing.frame - 1) / 2
            tapered -= (tapered @ ramp / (ramp @ ramp))[:, None] * ramp
        tapered *= weights
    found = rfft(tapered, n=nfft, axis=1)
    return np.asarray(found.real**2 + found.imag**2)
