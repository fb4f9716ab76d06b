"""Plain figures of a channel, streamed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.progress import Progress, silent
from tonecomb.core.recording import Problem, Recording

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
        f"choose a stretch without them.",
    )
