"""Counting the periods of a waveform between two times."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.record.recording import Array

_BAND = 0.2  # of the range about its middle: what does not cross it does not count as a swing


@dataclass(frozen=True)
class Periods:
    """``count`` whole periods with a mean of ``period`` s and ``frequency`` in Hz; ``spread`` is
    the standard deviation of single periods in s, nan for fewer than two."""

    count: int
    period: float
    frequency: float
    spread: float


def count_periods(samples: Array, fs: float) -> Periods | None:
    """Whole periods in ``samples``, shape (n,), taken at ``fs`` in Hz; None where there is none.

    A period lasts from one rising crossing of the middle of the range to the next, or from one
    falling crossing to the next where there are more of these. A crossing counts once the
    waveform has been on one side of a band about the middle and goes to the other, so that noise
    within the band is not counted; its time is found by a straight line through the samples on
    either side of the middle.
    """
    finite = samples[np.isfinite(samples)]
    if len(finite) < 4:
        return None
    low, high = float(finite.min()), float(finite.max())
    middle, band = (low + high) / 2, _BAND * (high - low) / 2
    if band == 0:
        return None
    # -1 below the band, 1 above it, and within it what it was before.
    side = np.where(samples > middle + band, 1, np.where(samples < middle - band, -1, 0))
    outside = np.flatnonzero(side)
    states = side[outside]
    rises = np.flatnonzero((states[:-1] < 0) & (states[1:] > 0))
    falls = np.flatnonzero((states[:-1] > 0) & (states[1:] < 0))
    turned, values = (samples, rises) if len(rises) >= len(falls) else (2 * middle - samples, falls)
    times = [_crossing(turned, int(outside[i]), int(outside[i + 1]), middle) for i in values]
    if len(times) < 2:
        return None
    steps = np.diff(times) / fs
    period = float(steps.mean())
    spread = float(steps.std(ddof=1)) if len(steps) > 1 else math.nan
    return Periods(len(steps), period, 1 / period, spread)


def _crossing(samples: Array, below: int, above: int, middle: float) -> float:
    """Where, in samples, the waveform last rises through ``middle`` between the two."""
    part = samples[below : above + 1]
    at = below + int(np.flatnonzero((part[:-1] <= middle) & (part[1:] > middle))[-1])
    one, other = samples[at], samples[at + 1]
    return at + float((middle - one) / (other - one))
