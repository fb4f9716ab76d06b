"""Finding where a recorder ran into its limits."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tonecomb.core.record.pyramid import BASE, Pyramid
from tonecomb.core.record.recording import Array

_RUN = 3  # samples at the very same extreme from which it is a limit and no chance
_MOST = 1000  # places that are told apart


def clipped(read: Callable[[int, int], Array], built: Pyramid) -> tuple[tuple[int, int], ...]:
    """First sample and the one after the last of each run that stands at the record's highest or
    lowest value, three samples or more; the first thousand.

    Only the parts in which the pyramid has such a value are read.
    """
    low, high = built.levels[0]
    if not len(low) or not np.isfinite(low).any():
        return ()
    least, most = float(np.nanmin(low)), float(np.nanmax(high))
    if least == most:
        return ()
    runs: list[tuple[int, int]] = []
    for extreme, cells in ((most, high == most), (least, low == least)):
        for first, stop in _stretches(np.flatnonzero(cells)):
            # A run may begin before its cell or end after it.
            start = max(0, first * BASE - _RUN)
            end = min(built.length, stop * BASE + _RUN)
            for a, b in _runs(read(start, end) == extreme):
                runs.append((start + a, start + b))
                if len(runs) >= 2 * _MOST:
                    break
    return tuple(sorted(set(runs))[:_MOST])


def _stretches(cells: np.ndarray) -> list[tuple[int, int]]:
    """Neighbouring numbers as ranges, at most a few thousand cells long."""
    if not len(cells):
        return []
    breaks = np.flatnonzero(np.diff(cells) > 1) + 1
    ranges = [(int(part[0]), int(part[-1]) + 1) for part in np.split(cells, breaks)]
    step = 4096
    return [(a, min(b, a + step)) for first, b in ranges for a in range(first, b, step)]


def _runs(at: np.ndarray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], at, [False]]).astype(np.int8)))
    return [(int(a), int(b)) for a, b in edges.reshape(-1, 2) if b - a >= _RUN]
