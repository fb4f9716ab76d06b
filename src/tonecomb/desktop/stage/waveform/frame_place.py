"""On the waveform: where a single frame lies, and the crests of a tone in it."""

from __future__ import annotations

import pyqtgraph as pg

from tonecomb.core.find.crests import Crests
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import Theme


class FramePlace:
    """Marks of one plot over time in s."""

    def __init__(self, plot: Plot) -> None:
        self.span = pg.LinearRegionItem(movable=False)
        self._ticks = pg.VTickGroup(yrange=[0.86, 1.0])
        self._name = pg.TextItem(anchor=(0.0, 0.0))
        self._plot = plot
        for item in (self.span, self._ticks, self._name):
            plot.addItem(item, ignoreBounds=True)
            item.hide()
        self.span.setZValue(-8)
        plot.box.sigRangeChanged.connect(self._place_name)

    def set_theme(self, theme: Theme) -> None:
        shade = pg.mkColor(theme.second)
        for line in self.span.lines:
            line.setPen(pg.mkPen(shade))
        shade.setAlpha(34)
        self.span.setBrush(shade)
        self._ticks.setPen(pg.mkPen(theme.accent, width=2))
        self._name.setColor(theme.accent)

    def show(self, span: tuple[float, float] | None) -> None:
        """Where the frame begins and ends (s), None for no frame."""
        self.span.setVisible(span is not None)
        if span is not None:
            self.span.setRegion(span)

    def show_crests(self, crests: Crests | None) -> None:
        """Tick the crests of a tone; none for None."""
        shown = crests is not None and len(crests.times) > 0
        self._ticks.setVisible(shown)
        self._name.setVisible(shown)
        if shown and crests is not None:
            self._ticks.setXVals(crests.times)
            self._name.setText(f"crests of {crests.frequency:.5g} Hz")
            self._place_name()

    @property
    def crests(self) -> list[float]:
        """Times that are ticked (s)."""
        return [float(t) for t in self._ticks.xvals] if self._ticks.isVisible() else []

    def _place_name(self, *_: object) -> None:
        if self._name.isVisible():
            (left, right), (bottom, top) = self._plot.box.viewRange()
            self._name.setPos(left + 0.01 * (right - left), top - 0.14 * (top - bottom))
