"""What lies over a spectrogram, whichever way its time runs: the cursor's lines and cell, the line
of the single frame, and the box that is dragged."""

from __future__ import annotations

from collections.abc import Callable

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QGraphicsRectItem

from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import Theme


class GramMarks:
    """Time lies across the plot where it runs ``sideways``; ``dragged`` is told where the line of
    the single frame was dragged to (s)."""

    def __init__(self, plot: Plot, sideways: bool, dragged: Callable[[float], object]) -> None:
        self._sideways = sideways
        upright, level = 90 if sideways else 0, 0 if sideways else 90
        self.time, self.frequency = pg.InfiniteLine(angle=upright), pg.InfiniteLine(angle=level)
        self.moment = pg.InfiniteLine(angle=upright, movable=True)
        self.moment.sigDragged.connect(lambda line: dragged(float(line.value())))
        self.cell, self.zoom = QGraphicsRectItem(), QGraphicsRectItem()
        for item in (self.time, self.frequency, self.moment, self.cell, self.zoom):
            plot.addItem(item, ignoreBounds=True)
            item.hide()

    def set_theme(self, theme: Theme) -> None:
        for line in (self.time, self.frequency):
            line.setPen(pg.mkPen(theme.ink, style=Qt.PenStyle.DashLine))
        self.moment.setPen(pg.mkPen(theme.accent, width=2))
        self.moment.setHoverPen(pg.mkPen(theme.accent, width=3))
        self.cell.setPen(pg.mkPen(theme.ink, width=1.5))
        zoom = pg.mkColor(theme.second)
        self.zoom.setPen(pg.mkPen(zoom))
        zoom.setAlpha(40)
        self.zoom.setBrush(zoom)

    def point(self, place: QPointF | None, low: float, high: float, frame: float) -> None:
        """The cursor at a place in axis units (None where it is nowhere), and the cell there, from
        one frequency to another as they lie on the axis, a frame (s) long."""
        for item in (self.time, self.frequency, self.cell):
            item.setVisible(place is not None)
        if place is None:
            return
        time, frequency = place.x(), place.y()
        if not self._sideways:
            time, frequency = frequency, time
        self.time.setPos(time)
        self.frequency.setPos(frequency)
        if self._sideways:
            self.cell.setRect(time - frame / 2, low, frame, high - low)
        else:
            self.cell.setRect(low, time - frame / 2, high - low, frame)

    def box(
        self, start: QPointF, end: QPointF, shown: bool
    ) -> tuple[tuple[float, float], tuple[float, float]]:
        """Draw a box, or take it away; its ends across and upward."""
        left, right = sorted((start.x(), end.x()))
        low, high = sorted((start.y(), end.y()))
        self.zoom.setRect(left, low, right - left, high - low)
        self.zoom.setVisible(shown)
        return (left, right), (low, high)

    def show_moment(self, time: float | None) -> None:
        """A line at the time (s) whose frame is shown; none for None."""
        self.moment.setVisible(time is not None)
        if time is not None and not self.moment.moving:
            self.moment.setPos(time)

    def show_time(self, time: float | None) -> None:
        """A line at a time (s) that another view points at; none for None."""
        self.time.setVisible(time is not None)
        if time is not None:
            self.time.setPos(time)
