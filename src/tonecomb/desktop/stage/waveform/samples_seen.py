"""Single samples on the waveform: each a dot, the curve that they imply, and what was there."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import QObject

from tonecomb.core.base.progress import Progress
from tonecomb.core.results.reconstruction import MOST_SAMPLES, Reconstruction, between
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.waveform.waveform import WaveformView
from tonecomb.desktop.state.scheduler import Slot, Want

_MOST_POINTS = 600


class SamplesSeen(QObject):
    """Shows itself where the waveform is zoomed to so few samples that each can be seen."""

    def __init__(self, context: Context, view: WaveformView) -> None:
        super().__init__(view)
        self._store, self._view = context.store, view
        self._theme: Theme | None = None
        self.there, self.implied = pg.PlotCurveItem(), pg.PlotCurveItem()
        self.dots = pg.ScatterPlotItem(size=7, pxMode=True)
        for item in (self.there, self.implied, self.dots):
            item.setZValue(1)
            item.hide()
            view.addItem(item, ignoreBounds=True)
        self._slot = Slot(context.scheduler, self._wanted, patient=True)
        self._slot.changed.connect(self._show)
        context.store.changed.connect(self._slot.follow)
        context.store.grew.connect(self._slot.follow)
        view.box.sigXRangeChanged.connect(lambda *_: self._slot.follow_now())

    @property
    def shown(self) -> Reconstruction | None:
        """What is shown."""
        reconstruction: Reconstruction | None = self._slot.shown
        return reconstruction

    def set_theme(self, theme: Theme) -> None:
        """Colour it."""
        self._theme = theme
        self.there.setPen(pg.mkPen(theme.traces[5], width=1))
        self.implied.setPen(pg.mkPen(theme.traces[0], width=1.4))
        self.dots.setBrush(pg.mkBrush(theme.accent))
        self.dots.setPen(pg.mkPen(theme.raised))
        self._show(self.shown)

    def _wanted(self) -> Want | None:
        signal, method, view = self._store.current, self._store.method, self._view
        if signal is None or method is None or not view.isVisible():
            return None
        low, high = (min(max(end, 0.0), signal.duration) for end in view.limits())
        if not 0 < (high - low) * signal.rate <= MOST_SAMPLES or signal.length < 2:
            return None
        channel, steps = min(view.channel, len(signal.channels) - 1), method.source.steps

        points = min(view.columns, _MOST_POINTS)

        def work(progress: Progress) -> Reconstruction:
            return between(signal, channel, steps, low, high, points)

        key = ("between", signal.key, channel, low, high)
        return Want(key, "Looking between the samples", work, background=True, quick=True)

    def _show(self, found: Reconstruction | None) -> None:
        view = self._view
        view.set_bare(found is not None)
        for item in (self.there, self.implied, self.dots):
            item.setVisible(found is not None)
        if found is None:
            view.tell([])
            return
        self.dots.setData(found.at, found.taken)
        self.implied.setData(found.time, found.implied)
        self.there.setVisible(found.there is not None)
        if found.there is not None:
            self.there.setData(found.time, found.there)
        if (theme := self._theme) is not None:
            lines = [(theme.traces[0], "what the samples imply"), (theme.accent, "samples")]
            signs = ["━", "●"]
            if found.there is not None:
                lines.insert(0, (theme.traces[5], "what was there"))
                signs.insert(0, "─")
            view.tell(lines, signs)
