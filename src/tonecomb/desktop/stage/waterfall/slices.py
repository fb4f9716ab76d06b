"""Slices in relief as lines, each hiding what is behind and below it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.recording import Array
from tonecomb.desktop.stage.waterfall.scene import Scene

_COARSE = 3  # points that are one where it has to be quick


@dataclass(frozen=True, eq=False)
class Lines:
    """``heights``, shape (slices, points), the one in front first, and how far into the box each
    stands, from 0 to 1; the colour of the ground, and of each line."""

    heights: Array
    shares: Array
    ground: str
    colours: tuple[QColor, ...]

    def draw(
        self,
        painter: QPainter,
        scene: Scene,
        *,
        fine: bool = True,
        width: float = 1,
        progress: Progress = silent,
    ) -> None:
        """From the back to the front, in pens so many pixels wide; not ``fine``, with fewer points
        and jagged, in a third of the time. Progress is told at each slice: what draws has the
        interpreter to itself."""
        heights = self.heights if fine else _thinned(self.heights)
        ends: Array = np.array([1.0, 0.0])
        along = np.concatenate([np.linspace(0, 1, heights.shape[1]), ends])
        up = np.pad(heights, ((0, 0), (0, 2)))
        right, down = scene.place(along, self.shares[:, None], up)
        ground = QColor(self.ground)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, fine)
        for i in range(len(heights) - 1, -1, -1):
            progress(1 - (i + 1) / len(heights))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ground)
            painter.drawPolygon(pg.functions.arrayToQPolygonF(right[i], down[i]))
            painter.setPen(QPen(self.colours[i], width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(pg.functions.arrayToQPolygonF(right[i, :-2], down[i, :-2]))


def _thinned(heights: Array) -> Array:
    """The highest of every few points."""
    whole = heights.shape[1] // _COARSE * _COARSE
    if not whole:
        return heights
    return np.asarray(heights[:, :whole].reshape(len(heights), -1, _COARSE).max(axis=2))
