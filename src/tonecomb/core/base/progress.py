"""How long work tells how far it is, and learns that it should stop."""

from __future__ import annotations

from collections.abc import Callable

Progress = Callable[[float], None]
"""Called with the fraction done, 0 to 1; raises :class:`~tonecomb.core.base.errors.Cancelled`
when the work is no longer wanted."""


def silent(fraction: float) -> None:
    """Nobody listens and nobody cancels."""


def part(progress: Progress, start: float, end: float) -> Progress:
    """The share of ``progress`` from ``start`` to ``end``, for one step of a longer work."""

    def report(fraction: float) -> None:
        progress(start + (end - start) * min(max(fraction, 0.0), 1.0))

    return report
