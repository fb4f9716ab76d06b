"""Finding where a recorder ran into its limits.

A limit is a value that the record keeps coming back to: its extreme value is far more frequent
than the next ones below it. A coarse record has equal samples at its top by chance; a limit in
noise need not hold three samples in a row. Where a made signal repeats itself all its values come
back, but for rounding; and what a channel mostly stands at is its rest.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tonecomb.core.base.runs import spans_of
from tonecomb.core.record.pyramid import BASE, Pyramid
from tonecomb.core.record.recording import Array

_OFTEN = 5.0  # times as frequent as the next values
_NEXT = 5  # values that it is held against
_RUN = 3  # equal samples in a row that are a limit where no other value comes twice
_SAME = 1e-9  # of the largest value, within which two are one
_REST = 0.7  # of the samples, from which a value is where a channel rests
_MOST = 1000  # places that are told apart
_CELLS = 1 << 13  # that are read for it
_AT_ONCE = 1 << 16  # cells whose tops are looked at


def clipped(read: Callable[[int, int], Array], built: Pyramid) -> tuple[tuple[int, int], ...]:
    """First sample and the one after the last of each run that stands at a limit; the first
    thousand. Only the parts in which the pyramid has such high or low values are read."""
    low, high = built.levels[0]
    if not len(low) or not np.isfinite(low).any():
        return ()
    least, most = float(np.nanmin(low)), float(np.nanmax(high))
    if least == most:
        return ()
    grain = max(_SAME * max(abs(least), abs(most)), float(np.finfo(float).tiny))

    def rounded(start: int, stop: int) -> Array:
        return np.asarray(np.round(read(start, stop) / grain))

    runs: list[tuple[int, int]] = []
    for sign, tops in ((1.0, high), (-1.0, low)):
        runs += _at_limit(rounded, built.length, np.round(tops / grain), sign)
    return tuple(sorted(set(runs))[:_MOST])


def _at_limit(
    read: Callable[[int, int], Array], length: int, tops: Array, sign: float
) -> list[tuple[int, int]]:
    """Runs at the highest value of ``sign`` times the samples; none where it is no limit.
    ``tops`` are the extremes of each cell on that side."""
    several = np.zeros(0)
    for first in range(0, len(tops), _AT_ONCE):  # of a long record all are large
        some = tops[first : first + _AT_ONCE]
        own = np.unique(sign * some[np.isfinite(some)])[-_NEXT - 1 :]
        several = np.union1d(several, own)[-_NEXT - 1 :]
    # Where the tops of the cells hold too few values, all samples of some cells are counted.
    extreme, least = several[-1], several[0] if len(several) > _NEXT else -np.inf
    # A sample as high as the sixth highest cell lies in a cell that is as high.
    cells = np.flatnonzero(tops >= least if sign > 0 else tops <= -least)
    counts: dict[float, int] = {}
    looked = 0
    runs: list[tuple[int, int]] = []
    for first, stop in _stretches(cells[:_CELLS]):
        # A run may begin before its cell or end after it.
        start, end = max(0, first * BASE - _RUN), min(length, stop * BASE + _RUN)
        samples = sign * read(start, end)
        inside = samples[first * BASE - start : min(stop * BASE, length) - start]
        looked += len(inside)
        values, times = np.unique(inside[inside >= least], return_counts=True)
        for value, count in zip(values.tolist(), times.tolist(), strict=True):
            counts[value] = counts.get(value, 0) + count
        runs += [(start + a, start + b) for a, b in spans_of(samples == extreme)]
    often = counts.get(float(extreme), 0)
    others = [counts[value] for value in sorted(counts, reverse=True)[1 : 1 + _NEXT]]
    usual = float(np.mean(others)) if others else 0.0
    longest = max((b - a for a, b in runs), default=0)
    fine = usual <= 1.0  # no other value comes twice
    limit = often > _OFTEN * usual + fine or (fine and longest >= _RUN)
    limit = limit and often < _REST * looked
    return runs[:_MOST] if limit else []


def _stretches(cells: np.ndarray) -> list[tuple[int, int]]:
    """Neighbouring numbers as ranges, at most a few thousand cells long."""
    if not len(cells):
        return []
    breaks = np.flatnonzero(np.diff(cells) > 1) + 1
    ranges = [(int(part[0]), int(part[-1]) + 1) for part in np.split(cells, breaks)]
    step = 4096
    return [(a, min(b, a + step)) for first, b in ranges for a in range(first, b, step)]
