"""Whether a hand moves a view now: what is computed meanwhile gives way.

Window and workers take turns at the interpreter, a hundred times for each picture. Beside two
workers a spectrum with its spectrogram is drawn five times a second, while they wait forty times.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from typing import TypeVar

from tonecomb.core.base.progress import Progress

T = TypeVar("T")
_STILL_S = 0.12  # after which a hand rests
_NAP_S, _LONGEST_S = 0.02, 2.0  # between two looks, and that work waits in one go
_last_move = -math.inf


def moves() -> None:
    """A hand moved a view."""
    global _last_move
    _last_move = time.monotonic()


def rests() -> bool:
    """Whether no hand moves a view."""
    return time.monotonic() - _last_move > _STILL_S


def giving_way(work: Callable[[Progress], T]) -> Callable[[Progress], T]:
    """The same work, which waits where it tells how far it is while a hand moves a view; it can be
    stopped then, too."""

    def run(progress: Progress) -> T:
        def told(fraction: float) -> None:
            progress(fraction)
            since = time.monotonic()
            while not rests() and time.monotonic() - since < _LONGEST_S:
                time.sleep(_NAP_S)
                progress(fraction)

        told(0.0)
        return work(told)

    return run
