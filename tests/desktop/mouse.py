"""The mouse, event by event: what a slow machine does in between changes nothing."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

_STEPS, _PAUSE_MS = 8, 12  # the plots look at the mouse a hundred times a second


def drag(
    on: QWidget,
    start: QPoint,
    end: QPoint,
    modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    *,
    let_go: bool = True,
) -> None:
    """Press the left button at ``start``, move to ``end``, and let go."""
    left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton

    def send(kind: QEvent.Type, at: QPoint, button: Qt.MouseButton, held: Qt.MouseButton) -> None:
        place = QPointF(at)
        event = QMouseEvent(kind, place, QPointF(on.mapToGlobal(at)), button, held, modifiers)
        QApplication.sendEvent(on, event)
        QTest.qWait(_PAUSE_MS)

    send(QEvent.Type.MouseMove, start, none, none)
    send(QEvent.Type.MouseButtonPress, start, left, left)
    for i in range(1, _STEPS + 1):
        step = start + (end - start) * i / _STEPS
        send(QEvent.Type.MouseMove, step, none, left)
    if let_go:
        send(QEvent.Type.MouseButtonRelease, end, left, none)
