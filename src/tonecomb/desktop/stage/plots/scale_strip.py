"""The colour scale: its ends are dragged on it, over the histogram of the levels."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.formats.report.colours import Table

_BINS = 120
_GRIP = 8.0  # pixels about an end in which it can be taken
_SIDE = 46  # pixels beside the strip for the figures
_BAR = 8  # height of the coloured bar


class ScaleStrip(QWidget):
    """``changed`` carries the levels of the two ends while they are dragged; a double click
    chooses them by the levels there are (``automatic``)."""

    changed = pyqtSignal(float, float)
    automatic = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = PAPER
        self._table: Table | None = None
        self._range = (0.0, 1.0)  # of all levels
        self._counts: Array = np.zeros(0)
        self.low, self.high = 0.0, 1.0
        self.unit = "dB"
        self._held = 0  # -1 the low end, 1 the high one, 2 both
        self._from = 0.0
        self.setFixedHeight(30)
        self.setMinimumWidth(150)
        self.setMaximumWidth(420)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Colour scale")
        self.setToolTip(
            "Drag an end of the scale, or between them both ends; double click for the levels "
            "there are"
        )
        self.setMouseTracking(True)

    def show_levels(self, levels: Array, table: Table) -> None:
        """The levels in the picture, and the colours that stand for them."""
        self._table = table
        levels = levels[np.isfinite(levels)]
        if len(levels):
            low, high = np.percentile(levels, [0.5, 100.0])
            room = 0.15 * (high - low) or 1.0
            self._range = (float(low - room), float(high + room))
            self._counts = np.histogram(levels, _BINS, self._range)[0].astype(float)
        self.update()

    def set_ends(self, low: float, high: float) -> None:
        """Show these ends."""
        self.low, self.high = low, high
        bottom, top = self._range
        self._range = (min(bottom, low), max(top, high))
        self.update()

    def place_of(self, level: float) -> float:
        bottom, top = self._range
        return _SIDE + (self.width() - 2 * _SIDE) * (level - bottom) / (top - bottom)

    def _level(self, x: float) -> float:
        bottom, top = self._range
        return bottom + (x - _SIDE) / max(self.width() - 2 * _SIDE, 1) * (top - bottom)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        base = self.height() - _BAR - 1
        left, right = self.place_of(self._range[0]), self.place_of(self._range[1])
        if len(self._counts) and self._counts.max() > 0:
            heights = np.sqrt(self._counts / self._counts.max()) * (base - 2)
            places = np.linspace(left, right, len(heights)).tolist()
            tops = (base - heights).tolist()
            outline = [QPointF(a, b) for a, b in zip(places, tops, strict=True)]
            points = [QPointF(left, base), *outline, QPointF(right, base)]
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.theme.lines))
            painter.drawPolygon(QPolygonF(points))
        low, high = self.place_of(self.low), self.place_of(self.high)
        if self._table is not None:
            row = np.ascontiguousarray(
                np.concatenate([self._table, np.full((256, 1), 255, np.uint8)], axis=1)
            )
            image = QImage(row.tobytes(), 256, 1, 1024, QImage.Format.Format_RGBA8888)
            painter.fillRect(QRectF(left, base, max(low - left, 0), _BAR), image.pixelColor(0, 0))
            painter.fillRect(
                QRectF(high, base, max(right - high, 0), _BAR), image.pixelColor(255, 0)
            )
            painter.drawImage(QRectF(low, base, high - low, _BAR), image)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(self.theme.quiet), 1))
        painter.drawRect(QRectF(left, base, right - left, _BAR))
        painter.setPen(QPen(QColor(self.theme.accent), 2))
        for x in (low, high):
            painter.drawLine(QPointF(x, 3), QPointF(x, self.height() - 1))
        painter.setFont(font(9))
        painter.setPen(QColor(self.theme.ink))
        for level, side in ((self.low, 0), (self.high, 1)):
            box = (
                QRectF(0, 0, _SIDE - 5, self.height())
                if side == 0
                else QRectF(self.width() - _SIDE + 5, 0, _SIDE - 5, self.height())
            )
            align = Qt.AlignmentFlag.AlignVCenter | (
                Qt.AlignmentFlag.AlignRight if side == 0 else Qt.AlignmentFlag.AlignLeft
            )
            painter.drawText(box, align, self._words(level, side))

    def _words(self, level: float, side: int) -> str:
        text = f"{level:.0f}" if self.unit == "dB" else f"{level:.2g}"
        return text.replace("-", "−") + (" dB" if side and self.unit == "dB" else "")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x = event.position().x()
        off_low, off_high = abs(x - self.place_of(self.low)), abs(x - self.place_of(self.high))
        if min(off_low, off_high) <= _GRIP:
            self._held = -1 if off_low < off_high else 1
        elif self.place_of(self.low) < x < self.place_of(self.high):
            self._held = 2
        else:
            self._held = -1 if off_low < off_high else 1
            self._move(x)
        self._from = self._level(x)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        x = event.position().x()
        near = min(abs(x - self.place_of(self.low)), abs(x - self.place_of(self.high))) <= _GRIP
        self.setCursor(Qt.CursorShape.SizeHorCursor if near else Qt.CursorShape.ArrowCursor)
        if self._held:
            self._move(x)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = 0

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._held = 0
        self.automatic.emit()

    def _move(self, x: float) -> None:
        bottom, top = self._range
        level, least = self._level(x), 0.01 * (top - bottom)
        low, high = self.low, self.high
        if self._held == 2:
            by = level - self._from
            self._from = level
            low, high = low + by, high + by
        elif self._held < 0:
            low = min(max(level, bottom), high - least)
        else:
            high = max(min(level, top), low + least)
        self.low, self.high = low, high
        self.update()
        self.changed.emit(low, high)
