"""A limit over frequency that is drawn over a spectrum, or typed."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import label

Points = tuple[tuple[float, float], ...]
_LEAST_HEIGHT = 290
_NEAR = 9.0  # pixels from a point within which it is taken
_LEFT, _RIGHT, _TOP, _BOTTOM = 62.0, 12.0, 10.0, 40.0
_DECADES_UP, _DECADES_DOWN = 0.7, 4.0  # about the highest value


def parsed(text: str) -> Points:
    """Points like ``10:0.5, 1000:0.5``: Hz and value, by rising frequency.

    Raises :class:`UserError` where it is none.
    """
    pairs = []
    for part in text.replace(";", ",").split(","):
        if not part.strip():
            continue
        frequency, sign, value = part.partition(":")
        try:
            pair = float(frequency), float(value)
        except ValueError:
            pair = math.nan, math.nan
        if not sign or not all(math.isfinite(one) and one > 0 for one in pair):
            raise UserError(
                f"‘{part.strip()[:40]}’ is no point of a curve",
                remedy="give Hz:value, both above 0, like 10:0.5, 1000:0.5",
            )
        pairs.append(pair)
    if len({one[0] for one in pairs}) < len(pairs):
        raise UserError("Two points of the curve have one frequency", remedy="keep one of them")
    return tuple(sorted(pairs))


def told(points: Points) -> str:
    """As :func:`parsed` takes them."""
    return ", ".join(f"{frequency:.4g}:{value:.3g}" for frequency, value in points)


class LimitCurve(QWidget):
    """The drawing and the line of text; ``points`` are what both say. ``frequency`` (Hz) and
    ``values`` in ``unit``, of shape (bins,), are the spectrum behind it."""

    changed = pyqtSignal()

    def __init__(self, frequency: Array, values: Array, unit: str) -> None:
        super().__init__()
        self.board = _Board(frequency, values, unit)
        self.line = QLineEdit()
        self.line.setAccessibleName("Points of the curve")
        self.line.setPlaceholderText(f"Hz:{unit}, like 10:0.5, 1000:0.5, 5000:0.05")
        self.wrong = label("", "fault", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.board)
        column.addWidget(self.line)
        column.addWidget(self.wrong)
        self.setMinimumHeight(_LEAST_HEIGHT)  # a text that wraps lets a layout be squeezed
        self.board.moved.connect(self._drawn)
        self.line.textEdited.connect(self._typed)

    @property
    def points(self) -> Points:
        """Hz and value, by rising frequency."""
        return tuple(self.board.points)

    def _drawn(self) -> None:
        self.line.setText(told(self.points))
        self.wrong.setText("")
        self.changed.emit()

    def _typed(self, text: str) -> None:
        try:
            self.board.show_points(parsed(text))
        except UserError as error:
            self.wrong.setText(error.text)
            return
        self.wrong.setText("")
        self.changed.emit()


class _Board(QWidget):
    """A click puts a point, a drag moves it, a right click or Delete takes it away."""

    moved = pyqtSignal()

    def __init__(self, frequency: Array, values: Array, unit: str) -> None:
        super().__init__()
        there = (frequency > 0) & (values > 0)
        self._f, self._v, self._unit = frequency[there], values[there], unit
        top = float(self._v.max()) if len(self._v) else 1.0
        self._up = math.log10(top) - _DECADES_DOWN, math.log10(top) + _DECADES_UP
        high = float(self._f[-1]) if len(self._f) else 1000.0
        low = float(self._f[0]) if len(self._f) else 1.0
        self._across = math.log10(max(low, high / 1e4)), math.log10(high)
        self.points: list[tuple[float, float]] = []
        self._held: int | None = None
        self._last: int | None = None
        self.setMinimumHeight(210)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setAccessibleName("Curve over the spectrum")
        self.setToolTip("Click to put a point, drag to move it; right click takes it away")

    def sizeHint(self) -> QSize:
        return QSize(560, 230)

    def show_points(self, points: Points) -> None:
        """Draw these."""
        self.points, self._held, self._last = list(points), None, None
        self.update()

    def place(self, frequency: float, value: float) -> QPointF:
        """Where a point is, in pixels."""
        x = (math.log10(frequency) - self._across[0]) / (self._across[1] - self._across[0])
        y = (math.log10(value) - self._up[0]) / (self._up[1] - self._up[0])
        area = self._area
        return QPointF(area.left() + x * area.width(), area.bottom() - y * area.height())

    @property
    def _area(self) -> QRectF:
        return QRectF(
            _LEFT,
            _TOP,
            max(self.width() - _LEFT - _RIGHT, 1),
            max(self.height() - _TOP - _BOTTOM, 1),
        )

    def _value(self, at: QPointF) -> tuple[float, float]:
        area = self._area
        x = min(max((at.x() - area.left()) / area.width(), 0.0), 1.0)
        y = min(max((area.bottom() - at.y()) / area.height(), 0.0), 1.0)
        return (
            10 ** (self._across[0] + x * (self._across[1] - self._across[0])),
            10 ** (self._up[0] + y * (self._up[1] - self._up[0])),
        )

    def _near(self, at: QPointF) -> int | None:
        far = [(self.place(*one) - at).manhattanLength() for one in self.points]
        best = int(np.argmin(far)) if far else 0
        return best if far and far[best] <= 2 * _NEAR else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at, near = event.position(), self._near(event.position())
        if event.button() == Qt.MouseButton.RightButton:
            if near is not None:
                self._take(near)
        elif event.button() == Qt.MouseButton.LeftButton:
            if near is None:
                point = self._value(at)
                self.points = sorted([*self.points, point])
                near = self.points.index(point)
            self._held = self._last = near
            self._told()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._held is None:
            return
        frequency, value = self._value(event.position())
        i = self._held  # it stays between its neighbours
        low = self.points[i - 1][0] * 1.001 if i else 0.0
        high = self.points[i + 1][0] / 1.001 if i + 1 < len(self.points) else math.inf
        self.points[i] = (min(max(frequency, low), high), value)
        self._told()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = None

    def keyPressEvent(self, event: object) -> None:
        from PyQt6.QtGui import QKeyEvent

        assert isinstance(event, QKeyEvent)
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self._last is not None:
            self._take(self._last)
            return
        super().keyPressEvent(event)

    def _take(self, number: int) -> None:
        del self.points[number]
        self._held = self._last = None
        self._told()

    def _told(self) -> None:
        self.update()
        self.moved.emit()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, area = current_theme(), self._area
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(theme.raised))
        painter.setFont(font())
        for axis, upright in ((self._across, False), (self._up, True)):
            for power in range(math.ceil(axis[0]), math.floor(axis[1]) + 1):
                at = (
                    self.place(10.0**power, 10 ** self._up[0])
                    if not upright
                    else self.place(10 ** self._across[0], 10.0**power)
                )
                painter.setPen(QPen(QColor(theme.lines), 1))
                if upright:
                    painter.drawLine(QPointF(area.left(), at.y()), QPointF(area.right(), at.y()))
                else:
                    painter.drawLine(QPointF(at.x(), area.top()), QPointF(at.x(), area.bottom()))
                painter.setPen(QColor(theme.ink))
                box = (
                    QRectF(0, at.y() - 9, _LEFT - 6, 18)
                    if upright
                    else QRectF(at.x() - 40, area.bottom() + 2, 80, 18)
                )
                way = Qt.AlignmentFlag.AlignRight if upright else Qt.AlignmentFlag.AlignHCenter
                painter.drawText(box, way | Qt.AlignmentFlag.AlignVCenter, f"{10.0**power:g}")
        below = QRectF(area.left(), area.bottom() + 18, area.width(), 20)
        painter.drawText(below, Qt.AlignmentFlag.AlignCenter, f"Frequency, Hz · {self._unit}")
        painter.setClipRect(area)
        self._paint_curves(painter)

    def _paint_curves(self, painter: QPainter) -> None:
        theme = current_theme()
        painter.setPen(QPen(QColor(theme.traces[0]), 1))
        inside = self._f >= 10 ** self._across[0]
        f, v = self._f[inside], self._v[inside]
        if len(f):
            # One line a pixel: the highest of what lies in it.
            columns = np.unique(np.searchsorted(f, np.geomspace(f[0], f[-1], 400)))
            highest = np.maximum.reduceat(v, columns[columns < len(v)])
            spots = (
                self.place(float(a), float(b))
                for a, b in zip(f[columns[columns < len(f)]], highest, strict=True)
            )
            painter.drawPolyline(QPolygonF(spots))
        painter.setPen(QPen(QColor(theme.accent), 2))
        places = [self.place(*one) for one in self.points]
        if len(places) > 1:
            painter.drawPolyline(QPolygonF(places))
        painter.setBrush(QColor(theme.raised))
        for one in places:
            painter.drawEllipse(one, 5.0, 5.0)
