"""The level at one frequency against time, along the right side of a spectrogram."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from tonecomb.core.recording import Array
from tonecomb.desktop.stage.frequency import FrequencyPlot
from tonecomb.desktop.theme import PAPER, Theme

WIDE = 90  # pixels


class LevelStrip(pg.GraphicsObject):
    """A strip over the picture's right side; levels go from the scale's low end at its left to the
    high end at its right."""

    def __init__(self, plot: FrequencyPlot) -> None:
        super().__init__()
        self._plot = plot
        self.theme: Theme = PAPER
        self._time: Array = np.zeros(0)
        self._share: Array = np.zeros(0)
        self.setZValue(4)
        plot.addItem(self, ignoreBounds=True)

    def show_levels(self, time: Array, levels: Array, low: float, high: float) -> None:
        """Levels at these times (s), from ``low`` to ``high``; nothing for no times."""
        self._time = time
        if len(time):
            self._share = np.clip((levels - low) / max(high - low, 1e-12), 0.0, 1.0)
        self.update()

    def boundingRect(self) -> QRectF:
        return self.viewRect() or QRectF()

    def viewTransformChanged(self) -> None:
        super().viewTransformChanged()
        self.prepareGeometryChange()
        self.update()

    def paint(self, painter: QPainter, *_: Any) -> None:
        if not len(self._time):
            return
        transform, view = painter.transform(), self.viewRect()
        right = transform.map(QPointF(view.right(), view.top()))
        end = transform.map(QPointF(view.right(), view.bottom()))
        painter.save()
        painter.resetTransform()
        ground = QColor(self.theme.raised)
        ground.setAlpha(205)
        top, bottom = sorted((right.y(), end.y()))
        painter.fillRect(QRectF(right.x() - WIDE, top, WIDE, bottom - top), ground)
        places = [transform.map(QPointF(view.right(), t)).y() for t in self._time.tolist()]
        x = right.x() - WIDE + 4 + self._share * (WIDE - 8)
        painter.setPen(QPen(QColor(self.theme.second), 1.2))
        points = zip(x.tolist(), places, strict=True)
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in points]))
        painter.restore()
