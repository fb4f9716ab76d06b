"""A figure of points and lines in space, as it stands and as it moves."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tonecomb.core.method.sketch import Figure, seen
from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.theme import PAPER, Theme, font

AZIMUTH, ELEVATION = math.radians(25), math.radians(22)
_MARGIN, _DOT = 26.0, 3.5
_TURN = 0.01  # rad a pixel


def paint_figure(
    painter: QPainter,
    area: QRectF,
    figure: Figure,
    moved: Array,
    theme: Theme,
    azimuth: float = AZIMUTH,
    elevation: float = ELEVATION,
) -> None:
    """Draw the figure as it stands, quietly, and over it with its points (points, 3) ``moved``."""
    rest = seen(figure.points, azimuth, elevation)
    now = seen(moved, azimuth, elevation)
    if not len(rest):
        return
    # Room for the whole swing, so that the scale does not breathe.
    reach = 0.25 * figure.size
    low, high = rest.min(axis=0) - reach, rest.max(axis=0) + reach
    wide, tall = np.maximum(high - low, 1e-12)
    scale = min((area.width() - 2 * _MARGIN) / wide, (area.height() - 2 * _MARGIN) / tall)
    middle = (low + high) / 2
    centre = area.center()

    def at(point: Array) -> QPointF:
        return QPointF(
            centre.x() + scale * (point[0] - middle[0]), centre.y() - scale * (point[1] - middle[1])
        )

    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for places, colour, width in ((rest, theme.lines, 1.5), (now, theme.accent, 2.0)):
        painter.setPen(QPen(QColor(colour), width))
        for i, j in figure.lines:
            painter.drawLine(at(places[i]), at(places[j]))
    painter.setPen(QPen(QColor(theme.quiet), 1, Qt.PenStyle.DotLine))
    for still, moving in zip(rest, now, strict=True):
        painter.drawLine(at(still), at(moving))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.accent))
    for moving in now:
        painter.drawEllipse(at(moving), _DOT, _DOT)
    painter.setBrush(Qt.BrushStyle.NoBrush)


class FigureView(QWidget):
    """A figure as it stands; a drag turns it."""

    def __init__(self) -> None:
        super().__init__()
        self._figure: Figure | None = None
        self._theme = PAPER
        self._from: QPointF | None = None
        self.azimuth, self.elevation = AZIMUTH, ELEVATION
        self.setAccessibleName("Sketch")
        self.setToolTip("Drag to turn it")

    def set_theme(self, theme: Theme) -> None:
        """Colour it."""
        self._theme = theme
        self.update()

    def show_figure(self, figure: Figure) -> None:
        """Draw this one."""
        self._figure = figure
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._from = None if event is None else event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._from is None:
            return
        by = event.position() - self._from
        self._from = event.position()
        self.azimuth, self.elevation = turned(self.azimuth, self.elevation, by)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, area = QPainter(self), QRectF(self.rect())
        painter.fillRect(area, QColor(self._theme.raised))
        if self._figure is None or not len(self._figure.points):
            painter.setPen(QColor(self._theme.quiet))
            painter.setFont(font(10))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "No place is given yet.")
            return
        paint_figure(
            painter,
            area,
            self._figure,
            self._figure.points,
            self._theme,
            self.azimuth,
            self.elevation,
        )


def turned(azimuth: float, elevation: float, by: QPointF) -> tuple[float, float]:
    """From where a figure is seen after a drag by so many pixels."""
    most = math.pi / 2
    return azimuth + _TURN * by.x(), min(max(elevation + _TURN * by.y(), -most), most)
