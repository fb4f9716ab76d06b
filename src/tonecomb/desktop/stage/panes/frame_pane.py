"""The single frame in time, as it was taken and as its window leaves it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QVBoxLayout

from tonecomb.core.base.units import unit
from tonecomb.core.estimate.averages import Single
from tonecomb.core.estimate.spectrum import detrended
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import label
from tonecomb.desktop.stage.panes.pane import Pane, Views
from tonecomb.desktop.stage.plots.lines import LinesPlot


class FramePane(Pane):
    """Shows the frame of an :class:`Analysis` that has one."""

    def __init__(self, views: Views) -> None:
        super().__init__()
        self.plot = LinesPlot()
        self._told = label("", "quiet", wrap=True)
        self._told.setContentsMargins(70, 2, 8, 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._told)
        column.addWidget(self.plot, 1)
        self.plot.pointed.connect(self.plot.show_cursor)
        self.show_frame(None)

    def set_theme(self, theme: Theme) -> None:
        self.plot.set_theme(theme)

    def show_frame(self, analysis: Analysis | None) -> None:
        """Draw the frame's samples, and the same without offset and tapered."""
        single = None if analysis is None else analysis.single
        if analysis is None or single is None:
            self._told.setText("Step to a frame ( . ) to see it as it was taken and as windowed.")
            self.plot.show_lines(np.zeros(0), [], "", "")
            return
        method, n = analysis.method, len(single.samples)
        weights = window(method.frames.window).samples(n)
        tapered = detrended(single.samples[None, :], method.frames.detrend, weights)[0] * weights
        average = method.averaging.average
        at = average.at if isinstance(average, Single) else None
        start = 0.0 if at is None else at - n / 2 / analysis.fs
        time: Array = start + np.arange(n) / analysis.fs
        taper = window(method.frames.window).title
        self._told.setText(f"{n} samples; the {taper} window leaves the copper line.")
        symbol = unit(analysis.channel.unit)
        lines = [("as taken", single.samples), ("as windowed", tapered)]
        self.plot.show_lines(time, lines, symbol.quantity, symbol.symbol)
        self.plot.box.setXRange(float(time[0]), float(time[-1]), padding=0)
        self.plot.fit()
