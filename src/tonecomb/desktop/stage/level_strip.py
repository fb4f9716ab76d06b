"""The level at one frequency against time, along the right side of a spectrogram."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from tonecomb.core.record.recording import Array
from tonecomb.desktop.stage.frequency import FrequencyPlot
from tonecomb.desktop.stage.upright import UprightLines

WIDE = 90  # pixels


class LevelStrip(UprightLines):
    """A strip over the picture's right side; levels go from the scale's low end at its left to the
    high end at its right."""

    def __init__(self, plot: FrequencyPlot) -> None:
        super().__init__(plot)
        self.time_line: Array = np.zeros(0)
        self._share: Array = np.zeros(0)
        self.setZValue(4)

    def show_levels(self, time: Array, levels: Array, low: float, high: float) -> None:
        """Levels at these times (s), from ``low`` to ``high``; nothing for no times."""
        self.time_line = time
        if len(time):
            self._share = np.clip((levels - low) / max(high - low, 1e-12), 0.0, 1.0)
        self.update()

    def paint(self, painter: QPainter, *_: Any) -> None:
        view, theme = self.viewRect(), self._theme
        if not len(self.time_line) or view is None or theme is None:
            return
        transform = painter.transform()
        right = transform.map(QPointF(view.right(), view.top()))
        end = transform.map(QPointF(view.right(), view.bottom()))
        painter.save()
        painter.resetTransform()
        ground = QColor(theme.raised)
        ground.setAlpha(205)
        top, bottom = sorted((right.y(), end.y()))
        painter.fillRect(QRectF(right.x() - WIDE, top, WIDE, bottom - top), ground)
        places = [transform.map(QPointF(view.right(), t)).y() for t in self.time_line.tolist()]
        x = right.x() - WIDE + 4 + self._share * (WIDE - 8)
        painter.setPen(QPen(QColor(theme.second), 1.2))
        points = zip(x.tolist(), places, strict=True)
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in points]))
        painter.restore()
