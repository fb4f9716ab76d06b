"""Handles for a number: a line to drag along, and a phrase over which the wheel is turned."""

from __future__ import annotations

import math
from dataclasses import dataclass

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QPushButton, QWidget

from tonecomb.desktop.kit.theme import current_theme, font

_EDGE = 8  # pixels before and after the line
_OCTAVES = 4  # that a handle reaches up and down from where it stood
_DIGITS = 3  # that a turn of the wheel steps by


@dataclass(frozen=True)
class Reach:
    """From ``low`` to ``high``, evenly or, where ``log``, by ratios; ``whole`` numbers only."""

    low: float
    high: float
    log: bool = False
    whole: bool = False

    @classmethod
    def around(cls, value: float, whole: bool = False) -> Reach:
        """Four octaves up and down; from 0 to 1 about nothing."""
        if not value > 0:
            return cls(0.0, 1.0, whole=whole)
        least = 1.0 if whole else 0.0
        return cls(max(value / 2**_OCTAVES, least), value * 2**_OCTAVES, True, whole)

    def share(self, value: float) -> float:
        """Where a value stands, 0 to 1."""
        if self.high <= self.low:
            return 0.0
        if self.log:
            value = max(value, self.low)
            share = math.log(value / self.low) / math.log(self.high / self.low)
        else:
            share = (value - self.low) / (self.high - self.low)
        return min(max(share, 0.0), 1.0)

    def value(self, share: float) -> float:
        """The value at a place, as round as the place is coarse."""
        if self.log:
            exact = self.low * (self.high / self.low) ** share
            rounded = float(f"{exact:.{_DIGITS}g}")
        else:
            step = 10.0 ** math.floor(math.log10((self.high - self.low) / 200))
            rounded = round(round((self.low + share * (self.high - self.low)) / step) * step, 12)
        return float(round(rounded)) if self.whole else rounded


def turned(value: float, notches: int, *, coarse: bool, whole: bool = False) -> float:
    """A value after so many notches of the wheel: one in its third digit each, ten where
    ``coarse``."""
    size = abs(value)
    step = 10.0 ** (math.floor(math.log10(size)) - _DIGITS + 1) if size > 0 else 0.1
    step *= 10 if coarse else 1
    if whole:
        step = max(1.0, step)
    return round(value + notches * step, 12)


class Dial(QWidget):
    """``moved`` carries the value that is dragged to; ``held`` whether it is being dragged."""

    moved = pyqtSignal(float)
    held = pyqtSignal(bool)

    def __init__(self, value: float, reach: Reach, name: str) -> None:
        super().__init__()
        self._value, self._reach = value, reach
        self._dragging = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setToolTip("Drag, or use the arrow keys")

    def sizeHint(self) -> QSize:
        return QSize(220, 24)

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    @property
    def value(self) -> float:
        """Where it stands."""
        return self._value

    def set_value(self, value: float) -> None:
        """Stand there, without a word."""
        self._value = value
        self.update()

    def place_of(self, value: float) -> float:
        """The pixel at which a value stands."""
        return _EDGE + self._reach.share(value) * (self.width() - 2 * _EDGE)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        theme, painter = current_theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = self.height() / 2
        painter.setPen(QPen(QColor(theme.lines), 2))
        painter.drawLine(_EDGE, round(middle), self.width() - _EDGE, round(middle))
        grip = QRectF(self.place_of(self._value) - 5, middle - 8, 10, 16)
        painter.setPen(QPen(QColor(theme.ink if self.hasFocus() else theme.raised), 1))
        painter.setBrush(QColor(theme.second if self._dragging else theme.accent))
        painter.drawRoundedRect(grip, 3, 3)

    def _go(self, value: float) -> None:
        if value != self._value:
            self._value = value
            self.update()
            self.moved.emit(value)

    def _drag(self, event: QMouseEvent) -> None:
        share = (event.position().x() - _EDGE) / max(self.width() - 2 * _EDGE, 1)
        self._go(self._reach.value(min(max(share, 0.0), 1.0)))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._dragging = True
            self.held.emit(True)
            self._drag(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._dragging:
            self._drag(event)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragging:
            self._dragging = False
            self.held.emit(False)
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key())) if event else None
        if event is None or by is None:
            super().keyPressEvent(event)
            return
        coarse = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        value = turned(self._value, by, coarse=coarse, whole=self._reach.whole)
        self._go(min(max(value, self._reach.low), self._reach.high))


class DialPhrase(QPushButton):
    """A word of a sentence that is edited where it stands: ``clicked`` to open its editor,
    ``wheeled`` by so many notches, and whether those are coarse."""

    wheeled = pyqtSignal(int, bool)

    def __init__(self, text: str, tip: str, *, wheel: bool) -> None:
        super().__init__(text)
        self._turns, self._rest = wheel, 0
        self.setObjectName("phrase")
        self.setFont(font(10))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(
            f"{tip}\nTurn the wheel to change it, with Shift in large steps" if wheel else tip
        )

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or not self._turns:
            super().wheelEvent(event)
            return
        # With Shift some systems turn the wheel sideways.
        angle = event.angleDelta()
        self._rest += angle.y() or angle.x()
        notches, self._rest = int(self._rest / 120), self._rest - 120 * int(self._rest / 120)
        if notches:
            coarse = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.wheeled.emit(notches, coarse)
        event.accept()
