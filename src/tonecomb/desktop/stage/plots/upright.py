"""Upright lines through a view over frequency."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot


class UprightLines(pg.GraphicsObject):
    """What lines over the whole height of a plot have in common."""

    def __init__(self, plot: FrequencyPlot) -> None:
        super().__init__()
        self._plot = plot
        self._theme: Theme | None = None
        self.setZValue(-1)
        plot.addItem(self, ignoreBounds=True)

    def set_theme(self, theme: Theme) -> None:
        self._theme = theme
        self.update()

    def boundingRect(self) -> QRectF:
        return self.viewRect() or QRectF()

    def viewTransformChanged(self) -> None:
        super().viewTransformChanged()
        self.prepareGeometryChange()
        self.update()

    @staticmethod
    def line(painter: QPainter, view: QRectF, x: float, pen: QPen) -> None:
        """A line at ``x`` in axis units."""
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.drawLine(QPointF(x, view.top()), QPointF(x, view.bottom()))

    @staticmethod
    def write(
        painter: QPainter, at: QPointF, text: str, colour: QColor, off: tuple[float, float]
    ) -> None:
        """A word ``off`` pixels from a place in axis units."""
        place = painter.transform().map(at)
        painter.save()
        painter.resetTransform()
        painter.setFont(font(9))
        painter.setPen(colour)
        painter.drawText(QPointF(place.x() + off[0], place.y() + off[1]), text)
        painter.restore()


class MarkedLines(UprightLines):
    """Frequencies that the user marked, each with its name at the head of the view."""

    def __init__(self, plot: FrequencyPlot) -> None:
        super().__init__(plot)
        self.marks: Sequence[tuple[float, str]] = ()

    def heads(self) -> list[tuple[float, float, float, float]]:
        """Where the names stand in the picture: left, top, right, bottom in pixels."""
        area, (left, right) = self._plot.box.sceneBoundingRect(), self._plot.box.viewRange()[0]
        metrics = QFontMetricsF(font(9))
        told = []
        for frequency, name in self.marks:
            share = (self._plot.place(frequency) - left) / (right - left)
            if 0 <= share <= 1:
                x = area.left() + share * area.width() + 4
                told.append((x, area.top(), x + metrics.horizontalAdvance(name), area.top() + 16))
        return told

    def show_marks(self, marks: Sequence[tuple[float, str]]) -> None:
        """Draw these frequencies (Hz), with these names."""
        self.marks = marks
        self.update()

    def paint(self, painter: QPainter, *_: Any) -> None:
        view, theme = self.viewRect(), self._theme
        if view is None or theme is None:
            return
        for frequency, name in self.marks:
            x = self._plot.place(frequency)
            if not view.left() <= x <= view.right():
                continue
            self.line(painter, view, x, QPen(QColor(theme.accent), 1.2, Qt.PenStyle.DashLine))
            top = QPointF(x, view.bottom())  # y points up
            self.write(painter, top, name, QColor(theme.accent), (4, 12))
