"""Named curves of other analyses behind a spectrum: what there was before, what was taken out."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import pyqtgraph as pg

from tonecomb.core.estimate.display import Curve
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.frequency import FrequencyPlot

_ALPHA = 160


class NamedCurves:
    """One curve for each of ``colours``, which are numbers of the theme's traces. ``shown_as``
    brings another analysis to what the plot shows (None where it cannot be), ``line`` makes of a
    curve what is in view, ``tell`` names what is drawn."""

    def __init__(
        self,
        plot: FrequencyPlot,
        colours: Sequence[int],
        shown_as: Callable[[Analysis], Curve | None],
        line: Callable[[Curve], tuple[Array, Array]],
        tell: Callable[[], None],
    ) -> None:
        self._shown_as, self._line, self._tell = shown_as, line, tell
        self._numbers, self._colours = colours, [""] * len(colours)
        self.shown: list[tuple[str, Analysis]] = []
        self.curves = [pg.PlotCurveItem() for _ in colours]
        for item in self.curves:
            item.setZValue(-2)
            item.hide()
            plot.addItem(item, ignoreBounds=True)

    def paint(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._colours = [theme.traces[number] for number in self._numbers]
        for item, colour in zip(self.curves, self._colours, strict=True):
            pen = pg.mkColor(colour)
            pen.setAlpha(_ALPHA)
            item.setPen(pg.mkPen(pen))

    def show(self, shown: list[tuple[str, Analysis]]) -> None:
        """Draw these, each with its name."""
        self.shown = shown
        self.draw(True)
        self._tell()

    def draw(self, visible: bool) -> None:
        """Follow the view."""
        every = [analysis for _, analysis in self.shown]
        for i, item in enumerate(self.curves):
            drawn = self._shown_as(every[i]) if visible and i < len(every) else None
            item.setVisible(drawn is not None)
            if drawn is not None:
                item.setData(*self._line(drawn))

    def told(self) -> list[tuple[str, str]]:
        """Colours and what stands for them."""
        names = [name for name, _ in self.shown]
        return list(zip(self._colours, names, strict=False))
