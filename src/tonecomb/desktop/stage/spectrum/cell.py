"""The resolution cell: what one frame resolves, to scale on the frequency axis."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtGui import QFont

from tonecomb.core.method.method import Resolution
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot

_UP = 0.04  # of the plot's height from its bottom, where the noise leaves room


class ResolutionCell:
    """A bracket as wide as the gap at which two tones are told apart, with the frame's length."""

    def __init__(self, plot: FrequencyPlot) -> None:
        self._plot = plot
        self._shown: Resolution | None = None
        self._centre: float | None = None
        self._line = pg.PlotCurveItem()
        self._text = pg.TextItem(anchor=(0.5, 1.0))
        self._text.setFont(font(9, QFont.Weight.Medium))
        for item in (self._line, self._text):
            item.setZValue(6)
            plot.addItem(item, ignoreBounds=True)
            item.hide()

    def set_theme(self, theme: Theme) -> None:
        self._line.setPen(pg.mkPen(theme.second, width=2))
        self._text.setColor(theme.second)
        ground = pg.mkColor(theme.raised)
        ground.setAlpha(200)
        self._text.fill = pg.mkBrush(ground)

    def show(self, resolution: Resolution | None, centre: float | None = None) -> None:
        """Draw it about ``centre`` (Hz), the view's middle for None; nothing for no resolution."""
        self._shown, self._centre = resolution, centre
        self.place()

    @property
    def text(self) -> str:
        """What stands at it, "" when it is hidden."""
        return self._text.toPlainText() if self._text.isVisible() else ""

    def place(self) -> None:
        """Follow the view."""
        resolution = self._shown
        for item in (self._line, self._text):
            item.setVisible(resolution is not None)
        if resolution is None:
            return
        plot = self._plot
        low, high = plot.limits()
        middle = (low * high) ** 0.5 if plot.bottom.log and low > 0 else (low + high) / 2
        centre = self._centre
        if centre is None or not low < centre < high:
            centre = middle
        half = resolution.separable_hz / 2
        left, right = plot.place(max(centre - half, low)), plot.place(min(centre + half, high))
        bottom, top = plot.level_limits()
        y, tick = bottom + _UP * (top - bottom), 0.02 * (top - bottom)
        self._line.setData(
            [left, left, left, right, right, right], [y - tick, y + tick, y, y, y + tick, y - tick]
        )
        self._text.setText(f"{resolution.separable_hz:.3g} Hz × {resolution.frame_s:.3g} s")
        self._text.setPos((left + right) / 2, y + tick)
