"""Plain figures of a channel, streamed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.progress import Progress, silent
from tonecomb.core.record.recording import Channel, Problem, Recording
from tonecomb.core.units import COUNTS, FULL_SCALE

_BLOCK = 1 << 20


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


def channel_figures(
    recording: Recording, channel: int, progress: Progress = silent
) -> ChannelFigures:
    """Read one channel in blocks; the moments are taken about the first finite sample, so that
    a large offset does not eat the digits."""
    low, high, shift = math.inf, -math.inf, math.nan
    count = missing = infinite = 0
    total = squares = 0.0
    for start in range(0, recording.length, _BLOCK):
        block = recording.samples.read(channel, start, min(recording.length, start + _BLOCK))
        finite = np.isfinite(block)
        if not finite.all():
            missing += int(np.isnan(block).sum())
            infinite += int(np.isinf(block).sum())
            block = block[finite]
        if len(block):
            if math.isnan(shift):
                shift = float(block[0])
            low, high = min(low, float(block.min())), max(high, float(block.max()))
            shifted = block - shift
            total += float(shifted.sum())
            squares += float(shifted @ shifted)
            count += len(block)
        progress(min(1.0, (start + _BLOCK) / recording.length))
    if count == 0:
        nan = math.nan
        return ChannelFigures(nan, nan, nan, nan, missing, infinite)
    mean = total / count
    # Mean square about zero from the moments about the shift.
    mean_square = squares / count + 2 * shift * mean + shift * shift
    return ChannelFigures(
        low, high, mean + shift, math.sqrt(max(mean_square, 0.0)), missing, infinite
    )


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
    recording: Recording, channel: int, start: int, stop: int, progress: Progress = silent
) -> StretchFigures | None:
    """Figures of the finite samples from ``start`` to ``stop``; None when there is none.

    Two passes, in blocks: the mean, then the moments about it.
    """
    blocks = [(i, min(stop, i + _BLOCK)) for i in range(start, stop, _BLOCK)]
    total, count, low, high = 0.0, 0, math.inf, -math.inf
    for i, (first, last) in enumerate(blocks):
        x = recording.samples.read(channel, first, last)
        x = x[np.isfinite(x)]
        if len(x):
            total, count = total + float(x.sum()), count + len(x)
            low, high = min(low, float(x.min())), max(high, float(x.max()))
        progress(0.5 * (i + 1) / len(blocks))
    if not count:
        return None
    mean, second, fourth = total / count, 0.0, 0.0
    for i, (first, last) in enumerate(blocks):
        x = recording.samples.read(channel, first, last)
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
    if channel.unit not in (FULL_SCALE, COUNTS):
        return None
    share = "shares of full scale" if channel.unit == FULL_SCALE else "counts of its converter"
    return Problem(
        "uncalibrated", f"{channel.name} is not calibrated: its figures are {share}, of no unit."
    )


def sample_problem(
    recording: Recording, channel: int, missing: int, infinite: int
) -> Problem | None:
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
        f"{recording.channels[channel].name} has {' and '.join(kinds)} {samples}; "
        f"choose a stretch without them, or have them interpolated or cut.",
    )
