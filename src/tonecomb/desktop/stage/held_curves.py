"""Held traces behind a spectrum, in its scaling."""

from __future__ import annotations

from collections.abc import Callable

import pyqtgraph as pg

from tonecomb.core.estimate.display import Curve
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.edits.held import ShownTrace
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.frequency import FrequencyPlot


class HeldCurves:
    """``shown_as`` brings another analysis to what the plot shows (None where it cannot be),
    ``line`` makes of a curve what is in view."""

    def __init__(
        self,
        plot: FrequencyPlot,
        shown_as: Callable[[Analysis], Curve | None],
        line: Callable[[Curve], tuple[Array, Array]],
    ) -> None:
        self._plot, self._shown_as, self._line = plot, shown_as, line
        self._theme: Theme | None = None
        self.traces: list[ShownTrace] = []
        self.curves: list[pg.PlotCurveItem] = []

    def paint(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.show(self.traces)

    def show(self, traces: list[ShownTrace]) -> None:
        """Draw these."""
        self.traces = traces
        for curve in self.curves:
            self._plot.removeItem(curve)
        self.curves = []
        if self._theme is None:
            return
        for one in traces:
            curve = pg.PlotCurveItem(pen=pg.mkPen(self._theme.traces[one.colour]))
            curve.setZValue(-2)
            self.curves.append(curve)
            self._plot.addItem(curve, ignoreBounds=True)

    def draw(self, visible: bool) -> None:
        """Follow the view."""
        for one, curve in zip(self.traces, self.curves, strict=False):
            drawn = self._shown_as(one.analysis) if visible else None
            curve.setVisible(drawn is not None)
            if drawn is not None:
                curve.setData(*self._line(drawn))

    def told(self) -> list[tuple[str, str]]:
        """Colours and what stands for them."""
        if self._theme is None:
            return []
        return [(self._theme.traces[one.colour], one.called) for one in self.traces]
