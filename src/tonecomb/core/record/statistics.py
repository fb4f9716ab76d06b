"""Plain figures of a channel, streamed."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.base.units import PLAIN
from tonecomb.core.record.parallel import Read, Tell, spread
from tonecomb.core.record.recording import Array, Channel, Problem, Sampled

_BLOCK = 1 << 20  # samples read at once: 8 MB
_NEAR = 1 << 15  # samples that stay near while they are added up


@dataclass(frozen=True)
class ChannelFigures:
    """Least, greatest, mean and rms of a channel's finite samples, in its unit.

    ``missing`` counts samples that are not numbers, ``infinite`` those that are infinite. All
    figures are nan when no sample is finite.
    """

    min: float
    max: float
    mean: float
    rms: float
    missing: int
    infinite: int


class SampleMoments:
    """Of one channel, block by block; about ``shift``, one of its samples, so that a large offset
    does not eat the digits."""

    def __init__(self, shift: float) -> None:
        self.low, self.high, self.shift = math.inf, -math.inf, shift
        self.count = self.missing = self.infinite = 0
        self.total = self.squares = 0.0

    def take(self, block: Array) -> None:
        """More samples."""
        near = np.empty(min(_NEAR, len(block)))
        for first in range(0, len(block), _NEAR):
            self._take(block[first : first + _NEAR], near)

    def _take(self, block: Array, near: Array) -> None:
        low, high = float(block.min()), float(block.max())
        # What is no number is its block's least and greatest.
        if not (math.isfinite(low) and math.isfinite(high)):
            self.missing += int(np.isnan(block).sum())
            self.infinite += int(np.isinf(block).sum())
            block = block[np.isfinite(block)]
            if not len(block):
                return
            low, high = float(block.min()), float(block.max())
        self.low, self.high = min(self.low, low), max(self.high, high)
        shifted = np.subtract(block, self.shift, out=near[: len(block)])
        self.total += float(shifted.sum())
        self.squares += float(shifted @ shifted)
        self.count += len(block)

    def add(self, later: SampleMoments) -> None:
        """Those of later samples, about the same shift, as well."""
        self.low, self.high = min(self.low, later.low), max(self.high, later.high)
        self.missing += later.missing
        self.infinite += later.infinite
        self.count += later.count
        self.total += later.total
        self.squares += later.squares

    def figures(self) -> ChannelFigures:
        """Of all that were taken."""
        if self.count == 0:
            nan = math.nan
            return ChannelFigures(nan, nan, nan, nan, self.missing, self.infinite)
        mean, shift = self.total / self.count, self.shift
        # Mean square about zero from the moments about the shift.
        mean_square = self.squares / self.count + 2 * shift * mean + shift * shift
        rms = math.sqrt(max(mean_square, 0.0))
        return ChannelFigures(self.low, self.high, mean + shift, rms, self.missing, self.infinite)


def channel_figures(
    recorded: Sampled, channels: Sequence[int], progress: Progress = silent
) -> tuple[ChannelFigures, ...]:
    """Read these channels once, in blocks."""
    first = recorded.samples.read_many(channels, 0, min(_NEAR, recorded.length))
    shifts = []
    for block in first:
        finite = block[np.isfinite(block)]
        shifts.append(float(finite[0]) if len(finite) else 0.0)
    work = _Figures(recorded, tuple(channels), tuple(shifts))
    moments = spread(_unread, work, recorded.length, max(len(channels), 1), progress)
    return tuple(one.figures() for one in moments)


def _unread(start: int, stop: int) -> Array:
    """In place of the one channel that others read."""
    raise NotImplementedError


@dataclass(frozen=True)
class _Figures:
    """Moments of several channels, each about a shift of its own."""

    recorded: Sampled
    channels: tuple[int, ...]
    shifts: tuple[float, ...]

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> list[SampleMoments]:
        moments = [SampleMoments(shift) for shift in self.shifts]
        blocks = self.recorded.samples.read_many(self.channels, first, last)
        for one, samples in zip(moments, blocks, strict=True):
            one.take(samples)
        tell(last - first)
        return moments

    def join(self, parts: Iterable[list[SampleMoments]]) -> list[SampleMoments]:
        total = [SampleMoments(shift) for shift in self.shifts]
        for every in parts:
            for one, later in zip(total, every, strict=True):
                one.add(later)
        return total


@dataclass(frozen=True)
class StretchFigures:
    """A stretch of one channel, in its unit.

    ``rms`` includes the mean; ``peak`` is the largest distance from the mean; ``crest_factor``
    is the peak over the rms about the mean; ``kurtosis`` the fourth central moment over the
    square of the second (3 for Gaussian noise, 1.5 for a tone).
    """

    mean: float
    rms: float
    peak: float
    peak_to_peak: float
    crest_factor: float
    kurtosis: float


def stretch_figures(
    recorded: Sampled, channel: int, start: int, stop: int, progress: Progress = silent
) -> StretchFigures | None:
    """Figures of the finite samples from ``start`` to ``stop``; None when there is none.

    Two passes, in blocks: the mean, then the moments about it.
    """
    blocks = [(i, min(stop, i + _BLOCK)) for i in range(start, stop, _BLOCK)]
    total, count, low, high = 0.0, 0, math.inf, -math.inf
    for i, (first, last) in enumerate(blocks):
        x = recorded.samples.read(channel, first, last)
        x = x[np.isfinite(x)]
        if len(x):
            total, count = total + float(x.sum()), count + len(x)
            low, high = min(low, float(x.min())), max(high, float(x.max()))
        progress(0.5 * (i + 1) / len(blocks))
    if not count:
        return None
    mean, second, fourth = total / count, 0.0, 0.0
    for i, (first, last) in enumerate(blocks):
        x = recorded.samples.read(channel, first, last)
        squares = (x[np.isfinite(x)] - mean) ** 2
        second, fourth = second + float(squares.sum()), fourth + float(squares @ squares)
        progress(0.5 + 0.5 * (i + 1) / len(blocks))
    variance, peak = second / count, max(high - mean, mean - low)
    still = variance <= 0
    return StretchFigures(
        mean=mean,
        rms=math.sqrt(variance + mean * mean),
        peak=peak,
        peak_to_peak=high - low,
        crest_factor=math.nan if still else peak / math.sqrt(variance),
        kurtosis=math.nan if still else fourth / count / variance**2,
    )


def uncalibrated(channel: Channel) -> Problem | None:
    """What there is to say about a channel without a unit of its own."""
    if channel.unit not in PLAIN:
        return None
    _, figures = PLAIN[channel.unit]
    return Problem("uncalibrated", f"{channel.name} is not calibrated: its figures are {figures}.")


def sample_problem(channel: Channel, missing: int, infinite: int) -> Problem | None:
    """What there is to say about so many missing and infinite samples, if anything."""
    bad = missing + infinite
    if not bad:
        return None
    kinds = [
        f"{count} {kind}" for count, kind in ((missing, "missing"), (infinite, "infinite")) if count
    ]
    samples = "sample" if bad == 1 else "samples"
    return Problem(
        "nan",
        f"{channel.name} has {' and '.join(kinds)} {samples}; "
        f"choose a stretch without them, or have them interpolated or cut.",
    )
