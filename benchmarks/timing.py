"""Timing that noise on the machine disturbs as little as it can."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable, Mapping


def medians(works: Mapping[str, Callable[[], object]], rounds: int = 7) -> dict[str, float]:
    """Median seconds of each work. The works take turns, so that a slow spell hits all alike;
    one round beforehand warms caches and is not counted."""
    taken: dict[str, list[float]] = {name: [] for name in works}
    for turn in range(rounds + 1):
        for name, work in works.items():
            begin = time.perf_counter()
            work()
            if turn:
                taken[name].append(time.perf_counter() - begin)
    return {name: statistics.median(times) for name, times in taken.items()}
