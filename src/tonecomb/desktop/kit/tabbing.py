"""The way of Tab through a window: as it is read, region by region, each from the upper left. What
is made anew while the bench runs would otherwise come last, wherever it stands. What has the focus
by Tab shows it; what was clicked need not."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QFrame, QGraphicsView, QWidget

_ROW = 14  # pixels within which widgets stand in one row


def step(window: QWidget, regions: Sequence[QWidget], forward: bool) -> bool:
    """Move the focus on by one, or back; False where nothing can take it."""
    stops = [one for region in regions for one in _stops(region)]
    if not stops:
        return False
    now = QApplication.focusWidget()
    while now is not None and now not in stops and now is not window:
        now = now.parentWidget()
    by = 1 if forward else -1
    at = stops.index(now) + by if now in stops else (0 if forward else -1)
    there = stops[at % len(stops)]
    reason = Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason
    there.setFocus(reason)
    mark(there, True)
    return True


def mark(widget: QWidget, tabbed: bool) -> None:
    """Let a widget show that it has the focus, or no more."""
    if bool(widget.property("tabbed")) == tabbed:
        return
    widget.setProperty("tabbed", tabbed)
    if isinstance(widget, QGraphicsView):  # a plot, which has no frame else
        shape = QFrame.Shape.StyledPanel if tabbed else QFrame.Shape.NoFrame
        widget.setFrameShape(shape)
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)


def leave(old: QWidget | None, _: QWidget | None) -> None:
    """What has the focus no longer shows it no longer."""
    if old is not None:
        mark(old, False)


def _stops(region: QWidget) -> list[QWidget]:
    """What Tab stops at in a region, in the order in which it is read."""
    found = [
        one
        for one in (region, *region.findChildren(QWidget))
        if one.isVisible()
        and one.isEnabled()
        and one.focusPolicy() & Qt.FocusPolicy.TabFocus
        and one.focusProxy() is None
    ]

    def place(one: QWidget) -> tuple[int, int]:
        corner = one.mapTo(region, QPoint(0, 0)) if one is not region else QPoint(0, 0)
        return (corner.y() // _ROW, corner.x())

    return sorted(found, key=place)
