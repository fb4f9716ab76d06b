"""How long work tells how far it is, and learns that it should stop."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from tonecomb.core.errors import Cancelled

Made = TypeVar("Made")
Progress = Callable[[float], None]
"""Called with the fraction done, 0 to 1; raises :class:`~tonecomb.core.errors.Cancelled`
when the work is no longer wanted."""


def silent(fraction: float) -> None:
    """Nobody listens and nobody cancels."""


def part(progress: Progress, start: float, end: float) -> Progress:
    """The share of ``progress`` from ``start`` to ``end``, for one step of a longer work."""

    def report(fraction: float) -> None:
        progress(start + (end - start) * min(max(fraction, 0.0), 1.0))

    return report


def in_threads(
    work: Callable[[int, int, Progress], Made], edges: Sequence[int], progress: Progress
) -> list[Made]:
    """What ``work`` makes of each part between two edges, each in a thread of its own; one part
    in this one. Where one is stopped, or this thread is interrupted, the others stop at their next
    report."""
    if len(edges) == 2:
        return [work(edges[0], edges[1], progress)]
    stopped = threading.Event()

    def report(fraction: float) -> None:
        if stopped.is_set():
            raise Cancelled
        progress(fraction)

    with ThreadPoolExecutor(len(edges) - 1, thread_name_prefix="part") as pool:
        try:
            made = pool.map(lambda a, b: work(a, b, report), edges[:-1], edges[1:])
            return list(made)
        except BaseException:
            stopped.set()
            raise
