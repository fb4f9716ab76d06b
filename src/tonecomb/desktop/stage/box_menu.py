"""What is to become of a box that was drawn over time and frequency."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from PyQt6.QtWidgets import QMenu, QWidget

from tonecomb.desktop.edits.stretch import set_stretch
from tonecomb.desktop.state.store import Store


@dataclass(frozen=True)
class Box:
    """From ``start`` to ``end`` in s, from ``low`` to ``high`` in Hz."""

    start: float
    end: float
    low: float
    high: float


def ask(parent: QWidget, store: Store, box: Box, zoom: Callable[[], None]) -> None:
    """Ask by a menu under the mouse; ``zoom`` shows the box in every view."""
    method = store.method
    if method is None:
        return
    peaks = replace(method.search.peaks, low=box.low, high=box.high)
    menu = QMenu(parent)
    for text, act in (
        (f"Analyse {box.start:.4g}–{box.end:.4g} s",
         lambda: set_stretch(store, box.start, box.end)),
        (f"Look for peaks in {box.low:.4g}–{box.high:.4g} Hz",
         lambda: store.edit_method("Choose peak range", peaks=peaks)),
        ("Zoom to both", zoom),
    ):  # fmt: skip
        action = menu.addAction(text)
        assert action is not None
        action.triggered.connect(lambda _, act=act: act())
    menu.exec(parent.cursor().pos())
