"""Painting many views takes several turns of the event loop, so that keys are heard between them.

Qt paints all that is to be painted of a window at once. A view that asks :func:`late` first is put
off to the next turn where the views before it took long; until then it looks as it did.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6 import sip
from PyQt6.QtWidgets import QWidget

from tonecomb.desktop.kit import turns

_SLICE_S = 0.04  # of the thread's own time, after which the next view waits


class _Turns:
    def __init__(self) -> None:
        self.began: float | None = None
        self.waiting: list[QWidget] = []


_TURNS = _Turns()


@contextmanager
def turn() -> Iterator[None]:
    """Around the painting of a window that was asked for by Qt itself: what is drawn into a picture
    is drawn whole."""
    _TURNS.began = time.thread_time()
    try:
        yield
    finally:
        _TURNS.began = None
        if _TURNS.waiting:
            turns.later(_go_on)


def late(view: QWidget) -> bool:
    """Whether ``view`` is to leave its painting to the next turn, which is then asked for. Only for
    views that are opaque: what they showed is still there."""
    if _TURNS.began is None or time.thread_time() - _TURNS.began < _SLICE_S:
        return False
    if view not in _TURNS.waiting:
        _TURNS.waiting.append(view)
    return True


def _go_on() -> None:
    waiting, _TURNS.waiting = _TURNS.waiting, []
    for view in waiting:
        if not sip.isdeleted(view):
            view.update()
