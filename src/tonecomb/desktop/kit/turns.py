"""One thing in a turn of the event loop: several that come together would hold the window."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from PyQt6.QtCore import QTimer

_TURN_MS = 1  # what is asked for after 0 is an event, and all events are one turn
_WAITING: deque[Callable[[], object]] = deque()


def later(do: Callable[[], object]) -> None:
    """Do this in a turn of its own, after what waits already."""
    _WAITING.append(do)
    if len(_WAITING) == 1:
        QTimer.singleShot(_TURN_MS, _next)


def _next() -> None:
    do = _WAITING.popleft()
    if _WAITING:  # asked for before: what is done may ask something, and the others go on meanwhile
        QTimer.singleShot(_TURN_MS, _next)
    do()
