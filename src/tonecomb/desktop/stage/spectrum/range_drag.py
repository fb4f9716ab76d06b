"""A drag over a spectrum: to zoom, to choose a range of frequencies, or to move a tooth."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QGraphicsRectItem

from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.plots.comb_lines import CombLines
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot

_BOX_FROM = 40  # pixels of height from which a drag zooms the level as well
_LEAST = 4  # pixels of width


class RangeDrag(QObject):
    """``tooth_dragged`` carries the comb's index, the tooth's number, where it is in Hz, and
    whether it was let go; ``chosen`` two frequencies (Hz) when a drag was to choose them
    (``choosing``). ``active`` says whether there is anything to zoom into."""

    tooth_dragged = pyqtSignal(int, int, float, bool)
    chosen = pyqtSignal(float, float)

    def __init__(self, plot: FrequencyPlot, combs: CombLines) -> None:
        super().__init__(plot)
        self._plot, self._combs = plot, combs
        self._taken: tuple[int, int] | None = None
        self.choosing = self.active = False
        self._zoom = QGraphicsRectItem()
        self._zoom.hide()
        plot.addItem(self._zoom, ignoreBounds=True)
        plot.box.dragged.connect(self._dragged)

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        zoom = pg.mkColor(theme.second)
        self._zoom.setPen(pg.mkPen(zoom))
        zoom.setAlpha(30)
        self._zoom.setBrush(zoom)

    def choose(self, wanted: bool) -> None:
        """Let the next drag choose a range of frequencies, or not."""
        self.choosing = wanted
        shape = Qt.CursorShape.SplitHCursor if wanted else Qt.CursorShape.ArrowCursor
        self._plot.setCursor(shape)

    def _dragged(self, start: QPointF, end: QPointF, finished: bool) -> None:
        plot = self._plot
        if self._taken is None and not self._zoom.isVisible() and not self.choosing:
            self._taken = self._combs.at(start)
        if self._taken is not None:
            place = 10 ** end.x() if plot.bottom.log else end.x()
            self.tooth_dragged.emit(*self._taken, place, finished)
            self._taken = None if finished else self._taken
            return
        first, second = (plot.box.mapViewToDevice(p) for p in (start, end))
        both = first is not None and second is not None and plot.main is None
        tall = both and abs(first.y() - second.y()) > _BOX_FROM and not self.choosing
        wide = both and abs(first.x() - second.x()) > _LEAST
        bottom, top = sorted((start.y(), end.y())) if tall else plot.level_limits()
        left, right = sorted((start.x(), end.x()))
        self._zoom.setRect(left, bottom, right - left, top - bottom)
        self._zoom.setVisible(not finished and self.active and plot.main is None)
        if finished and self.choosing:
            self.choose(False)
            if wide:
                ends = (10**left, 10**right) if plot.bottom.log else (max(left, 0.0), right)
                self.chosen.emit(*ends)
        elif finished and wide and self.active:
            plot.box.setXRange(left, right, padding=0)
            if tall:
                plot.set_level_limits(bottom, top)
