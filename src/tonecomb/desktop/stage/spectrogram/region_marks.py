"""Regions that are kept or taken out, drawn over a spectrogram, and one that is being drawn."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal

from tonecomb.core.record.recording import Array
from tonecomb.core.steps.regions import Outline, Region, RegionBox, RegionTooth
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import PAPER, Theme

_LEAST = 6  # places of an outline


class RegionMarks(QObject):
    """``places`` brings times (s) and frequencies (Hz) to the plot's axes, ``back`` a place on them
    to time and frequency. While ``outlining`` a drag draws an outline, which ``drawn`` carries."""

    drawn = pyqtSignal(object)

    def __init__(
        self,
        plot: Plot,
        places: Callable[[Array, Array], tuple[Array, Array]],
        back: Callable[[QPointF], tuple[float, float]],
    ) -> None:
        super().__init__(plot)
        self._plot, self._places, self._back = plot, places, back
        self._theme: Theme = PAPER
        self._regions: Sequence[tuple[Region, bool]] = ()
        self._span = (0.0, 1.0)
        self._points: list[tuple[float, float]] = []
        self.outlining = False
        self.lines: list[pg.PlotCurveItem] = []
        self.outline = pg.PlotCurveItem()
        self.outline.setZValue(4)
        plot.addItem(self.outline, ignoreBounds=True)

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.outline.setPen(pg.mkPen(theme.ink, width=1.5, style=Qt.PenStyle.DashLine))
        self.draw()

    def outline_next(self, wanted: bool) -> None:
        """Let the next drag draw an outline, or not."""
        self.outlining = wanted
        shape = Qt.CursorShape.CrossCursor if wanted else Qt.CursorShape.ArrowCursor
        self._plot.setCursor(shape)

    def drag(self, start: QPointF, end: QPointF, finished: bool) -> bool:
        """Go on drawing; False where nothing is to be outlined."""
        if not self.outlining:
            return False
        if not self._points:
            self._points.append(self._back(start))
        self._points.append(self._back(end))
        x, y = self._places(*np.array([*self._points, self._points[0]]).T)
        self.outline.setData(x, y)
        if finished:
            points, self._points = self._points, []
            self.outline.setData([], [])
            self.outline_next(False)
            if len(points) >= _LEAST:
                self.drawn.emit(Outline(tuple(points)))
        return True

    def show(self, regions: Sequence[tuple[Region, bool]], start: float, end: float) -> None:
        """Draw these: each with whether it is taken out. Times go from ``start`` to ``end`` (s)."""
        self._regions, self._span = regions, (start, end)
        self.draw()

    def draw(self) -> None:
        """Follow the axes."""
        for line in self.lines:
            self._plot.removeItem(line)
        self.lines = []
        for region, out in self._regions:
            colour = self._theme.fault if out else self._theme.second
            pen = pg.mkPen(colour, width=1.6, style=Qt.PenStyle.DashLine)
            for time, frequency in self._drawn(region):
                x, y = self._places(time, np.maximum(frequency, 1e-3))
                line = pg.PlotCurveItem(x, y, pen=pen)
                line.setZValue(3)
                self._plot.addItem(line, ignoreBounds=True)
                self.lines.append(line)

    def _drawn(self, region: Region) -> list[tuple[Array, Array]]:
        """Times and frequencies of the lines that show a region."""
        if isinstance(region, RegionBox):
            across = (region.start, region.end, region.end, region.start, region.start)
            upward = (region.low, region.low, region.high, region.high, region.low)
            return [(np.array(across), np.array(upward))]
        if isinstance(region, Outline):
            points = np.array([*region.points, region.points[0]])
            return [(points[:, 0], points[:, 1])]
        if isinstance(region, RegionTooth):
            time = np.array([one for one, _ in region.points])
            middle = region.number * region.fundamentals
            start, end = self._span
            time = np.concatenate([[min(start, time[0])], time, [max(end, time[-1])]])
            middle = np.concatenate([middle[:1], middle, middle[-1:]])
            return [(time, middle + side * region.reach) for side in (-1, 1)]
        return []
