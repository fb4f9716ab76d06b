"""Other ways than the mean to make one spectrum of many frames.

The median is corrected for its bias: of n independent values that are exponentially distributed
it is Σ (−1)ˡ⁺¹/l, l = 1 … n (n odd), of their mean (Allen et al., Phys. Rev. D 85 (2012) 122006,
appendix B).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tonecomb.core.errors import UserError
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import (
    READ_SAMPLES,
    Detrend,
    Read,
    detrended,
    frames_of,
    read_frames,
)
from tonecomb.core.progress import Progress, part
from tonecomb.core.record.recording import Array

Average = Literal["mean", "median", "max", "min", "exponential", "single", "synchronous"]

_HELD_BYTES = 192 << 20  # of squared magnitudes that are held at once for the median
_GROUP = 1 << 20  # samples of frames that are transformed at once
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


@dataclass(frozen=True, eq=False)
class FrameSquares:
    """|X|² of every frame of a stretch, a few at a time; ``nfft`` is the transform's length."""

    read: Read
    framing: Framing
    fs: float
    weights: Array
    nfft: int
    detrend: Detrend

    def groups(self) -> Iterator[tuple[int, Array]]:
        """How many frames came before and the squares, shape (frames, bins), group by group."""
        rows, passed = max(1, _GROUP // self.nfft), 0
        for numbers in self.framing.blocks(READ_SAMPLES):
            samples = read_frames(self.read, self.framing, numbers, self.fs)
            frames = frames_of(samples, self.framing)
            for first in range(0, len(numbers), rows):
                yield passed + first, self._squares(frames[first : first + rows])
            passed += len(numbers)

    def _squares(self, frames: Array) -> Array:
        from scipy.fft import rfft

        found = rfft(detrended(frames, self.detrend) * self.weights, n=self.nfft, axis=1)
        return np.asarray(found.real**2 + found.imag**2)


def combined_squares(
    frames: FrameSquares, average: Average, averages: float, progress: Progress
) -> Array:
    """|X|² of all frames made one, shape (bins,). ``averages`` is their effective number.

    The median holds the frames' squares for some of the bins at a time and passes over the
    stretch as often as that takes.
    """
    if average != "median":
        return _running(frames, average, progress)
    bins, count = frames.nfft // 2 + 1, frames.framing.count
    at_once = max(1, min(bins, _HELD_BYTES // (8 * count)))
    out = np.empty(bins)
    starts = range(0, bins, at_once)
    for turn, first in enumerate(starts):
        last = min(bins, first + at_once)
        held = np.empty((count, last - first))
        share = part(progress, turn / len(starts), (turn + 1) / len(starts))
        for number, squares in frames.groups():
            held[number : number + len(squares)] = squares[:, first:last]
            share((number + len(squares)) / count)
        out[first:last] = np.median(held, axis=0)
    return out / median_bias(max(1, round(averages)))


def _running(frames: FrameSquares, average: Average, progress: Progress) -> Array:
    total: Array | None = None
    for number, squares in frames.groups():
        if average == "exponential":
            for frame in squares:
                total = frame.copy() if total is None else total + _NEWEST * (frame - total)
        elif average == "max":
            total = np.max(squares if total is None else [total, *squares], axis=0)
        else:
            total = np.min(squares if total is None else [total, *squares], axis=0)
        progress((number + len(squares)) / frames.framing.count)
    if total is None:
        raise UserError("No frame fits", remedy="choose a shorter frame")
    return total
