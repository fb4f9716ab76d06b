"""Behind a spectrum: what there was before filters, and what they took out."""

from __future__ import annotations

from collections.abc import Callable

import pyqtgraph as pg

from tonecomb.core.analysis import Analysis
from tonecomb.core.before_after import BeforeAfter
from tonecomb.core.estimate.display import Curve
from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.frequency import FrequencyPlot

NAMES = ("before", "taken out")
COLOURS = (2, 3)
"""Of the traces, for what there was and what was taken."""


class TakenCurves:
    """``shown_as`` brings another analysis to what the plot shows (None where it cannot be),
    ``line`` makes of a curve what is in view, ``tell`` names what is drawn."""

    def __init__(
        self, plot: FrequencyPlot, shown_as: Callable[[Analysis], Curve | None],
        line: Callable[[Curve], tuple[Array, Array]], tell: Callable[[], None],
    ) -> None:  # fmt: skip
        self._shown_as, self._line, self._tell = shown_as, line, tell
        self.result: BeforeAfter | None = None
        self.curves = (pg.PlotCurveItem(), pg.PlotCurveItem())
        self._colours = ("", "")
        for item in self.curves:
            item.setZValue(-2)
            item.hide()
            plot.addItem(item, ignoreBounds=True)

    def paint(self, theme: Theme) -> None:
        """Take the theme's colours."""
        before, taken = (theme.traces[number] for number in COLOURS)
        self._colours = (before, taken)
        for item, colour, alpha in zip(self.curves, self._colours, (150, 170), strict=True):
            pen = pg.mkColor(colour)
            pen.setAlpha(alpha)
            item.setPen(pg.mkPen(pen))

    def show(self, result: BeforeAfter | None) -> None:
        """Draw these, none for None."""
        self.result = result
        self.draw(True)
        self._tell()

    def draw(self, visible: bool) -> None:
        """Follow the view."""
        result = self.result
        shown = (None, None) if result is None else (result.before, result.removed)
        for item, analysis in zip(self.curves, shown, strict=True):
            drawn = self._shown_as(analysis) if visible and analysis is not None else None
            item.setVisible(drawn is not None)
            if drawn is not None:
                item.setData(*self._line(drawn))

    def told(self) -> list[tuple[str, str]]:
        """Colours and what stands for them."""
        return [] if self.result is None else list(zip(self._colours, NAMES, strict=True))
