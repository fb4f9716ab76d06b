"""One look over a stretch: its level as it goes, its offset, and where it is clipped."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.progress import Progress, silent
from tonecomb.core.record import pyramid
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.held import Held, HeldSamples
from tonecomb.core.record.recording import Array
from tonecomb.core.record.signal import Signal

_PARTS = 16


@dataclass(frozen=True, eq=False)
class Survey:
    """``levels`` holds the rms about its mean of each sixteenth of the stretch, ``mean`` and
    ``rms`` (about the mean) are those of all; ``clipped`` counts samples at the limits, and
    ``first_clipped`` is the time in s of the first, None where there is none; ``held`` what is
    known of equal samples."""

    levels: Array
    mean: float
    rms: float
    clipped: int
    first_clipped: float | None
    held: Held


def survey(
    signal: Signal, channel: int, start: int, stop: int, progress: Progress = silent
) -> Survey:
    """Read the samples from ``start`` to ``stop`` once, and again where they may be clipped."""
    length = stop - start
    edges = np.linspace(0, length, _PARTS + 1).astype(int)
    sums, squares = np.zeros(_PARTS), np.zeros(_PARTS)
    shift = math.nan

    equal = HeldSamples()

    def read(first: int, last: int) -> Array:
        return signal.samples.read(channel, start + first, start + last)

    def read_and_add(first: int, last: int) -> Array:
        nonlocal shift
        samples = read(first, last)
        equal.take(first, samples)
        finite = np.where(np.isfinite(samples), samples, 0.0)
        if math.isnan(shift):
            shift = float(finite[0])
        for k in range(_PARTS):
            a, b = max(edges[k], first), min(edges[k + 1], last)
            if b > a:
                x = finite[a - first : b - first] - shift
                sums[k] += x.sum()
                squares[k] += x @ x
        return samples

    built = pyramid.build(read_and_add, length, progress)
    runs = clipped(read, built)
    sizes = np.maximum(np.diff(edges), 1)
    levels = np.sqrt(np.maximum(squares / sizes - (sums / sizes) ** 2, 0.0))
    mean = float(sums.sum()) / length
    rms = math.sqrt(max(float(squares.sum()) / length - mean * mean, 0.0))
    return Survey(
        levels=levels,
        mean=mean + (0.0 if math.isnan(shift) else shift),
        rms=rms,
        clipped=sum(b - a for a, b in runs),
        first_clipped=runs[0][0] / signal.rate if runs else None,
        held=equal.found(),
    )
