"""Upright lines at places of a plot, each with a word that keeps off the curves and the others."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt

from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import PAPER, Theme
from tonecomb.desktop.stage.plots.labels import Labels, Word

_NEAR = 4  # pixels to either side in which a peak is that of the line
Curves = Callable[[], Sequence[tuple[Array, Array]]]


class Uprights:
    """The upright lines of one plot. ``curves`` gives what is drawn, as the axes have it: a word
    stands over the highest curve at its place, the first places before the others."""

    def __init__(
        self, plot: Plot, curves: Curves, style: Qt.PenStyle = Qt.PenStyle.DashLine
    ) -> None:
        self._plot, self._curves, self._style = plot, curves, style
        self._theme: Theme = PAPER
        self.labels = Labels(plot)
        self.lines: list[pg.InfiniteLine] = []
        self.names: list[str] = []
        plot.box.sigRangeChanged.connect(self.lay_out)
        plot.box.sigResized.connect(self.lay_out)

    def set_theme(self, theme: Theme) -> None:
        self._theme = theme
        self.labels.ground = pg.mkColor(theme.raised)
        for line in self.lines:
            line.setPen(pg.mkPen(theme.second, style=self._style))
        self.lay_out()

    def show(self, places: Sequence[tuple[float, str]]) -> None:
        """Lines at places across, as the axis has them, with their words."""
        for line in self.lines:
            self._plot.removeItem(line)
        self.lines = [pg.InfiniteLine(place, angle=90) for place, _ in places]
        self.names = [name for _, name in places]
        for line in self.lines:
            self._plot.addItem(line, ignoreBounds=True)
        self.set_theme(self._theme)

    def lay_out(self, *_: object) -> None:
        """Find the words' places anew: curves or axes are others."""
        curves = self._curves() if self.lines else ()
        low, high = self._plot.box.viewRange()[1]
        pixel = self._plot.box.viewPixelSize()[0]
        words = []
        for line, name in zip(self.lines, self.names, strict=True):
            x = float(line.value())
            tops = [_highest(across, y, x, _NEAR * pixel) for across, y in curves]
            top = max((y for y in tops if np.isfinite(y)), default=low)
            words.append(Word(x, min(max(top, low), high), name, self._theme.second))
        self.labels.show_words(lambda: (words, curves, ()))


def _highest(across: Array, y: Array, x: float, near: float) -> float:
    """The highest of a curve close to ``x``, nan where it has nothing there."""
    inside = y[(across >= x - near) & (across <= x + near)]
    inside = inside[np.isfinite(inside)]
    if len(inside):
        return float(inside.max())
    return float(np.interp(x, across, y)) if len(across) else np.nan
