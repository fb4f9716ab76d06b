"""The cepstrum below the spectrum: families of lines as single values, which can be taken out."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF

from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.cepstrum import Cepstrum
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import link
from tonecomb.desktop.stage.panes.pane import Views
from tonecomb.desktop.stage.panes.result_pane import ResultPane
from tonecomb.desktop.stage.plots.curves import BEHIND, NamedCurve, Pen
from tonecomb.desktop.stage.plots.lines import LinesPlot
from tonecomb.formats.kinds.cepstrum import rahmonic_words

_ROOM = 1.6  # times the highest value that stands out, that the axis reaches


class CepstrumPane(ResultPane):
    """The highest value that stands out in words, with the comb that it offers. A drag across
    takes a range of quefrencies out: the spectrum without it is laid over the first."""

    kind = "cepstrum"

    def __init__(self, views: Views) -> None:
        super().__init__(views)
        context = views.context
        self._store, self._combs, self._spectrum = context.store, context.combs, views.spectrum
        self.found: Cepstrum | None
        self.plot = LinesPlot("Quefrency", "ms")
        self.drop = link("Drop its comb", "Put the comb of these lines on the spectrum", self._drop)
        self.whole = link("Nothing taken out", "Leave all quefrencies in", lambda: self.cut(None))
        self.range = pg.LinearRegionItem(movable=True)
        self.range.hide()
        self.range.sigRegionChangeFinished.connect(self._range_moved)
        self.plot.addItem(self.range, ignoreBounds=True)
        self.plot.setToolTip("Ctrl+drag: take a range of quefrencies out of the spectrum")
        self.lay_out([self.told, self.drop, self.whole, None], self.plot, spacing=16)
        self.plot.pointed.connect(self._point)
        self.plot.box.measured.connect(self._drag_out)
        self.show_result(None)

    def set_theme(self, theme: Theme) -> None:
        self.plot.set_theme(theme)
        colour = pg.mkColor(theme.traces[3])
        colour.setAlpha(40)
        self.range.setBrush(colour)
        self.range.setHoverBrush(colour)

    def fit(self) -> None:
        """From the first quefrencies that tell of lines on."""
        cepstrum = self.found
        if cepstrum is None or len(cepstrum.values) < 2:
            return
        high = float(cepstrum.quefrency[-1])
        if cepstrum.rahmonics:
            high = min(high, 6 * max(one.quefrency for one in cepstrum.rahmonics[:1]))
        self.plot.box.setXRange(0, 1e3 * high, padding=0)
        top = max((one.level for one in cepstrum.rahmonics), default=0.0)
        top = _ROOM * (top or 8 * float(np.std(cepstrum.values[len(cepstrum.values) // 4 :])))
        self.plot.box.setYRange(-top, top, padding=0)

    def cut(self, ends: tuple[float, float] | None) -> None:
        """Take a range of quefrencies (s) out of the spectrum; nothing for None."""
        self.range.setVisible(ends is not None)
        if ends is not None:
            self.range.blockSignals(True)
            self.range.setRegion((1e3 * ends[0], 1e3 * ends[1]))
            self.range.blockSignals(False)
        self.whole.setVisible(ends is not None)
        self._watched.want(ends or self.isVisible())

    def _drag_out(self, start: QPointF, end: QPointF, finished: bool) -> None:
        low, high = sorted((start.x(), end.x()))
        if finished and high > max(low, 0):
            self.cut((max(low, 0.0) / 1e3, high / 1e3))

    def _range_moved(self) -> None:
        low, high = self.range.getRegion()
        self.cut((max(low, 0.0) / 1e3, high / 1e3))

    def _point(self, place: float | None) -> None:
        self.plot.show_cursor(place)
        if place is not None and place > 0 and self.found is not None:
            at = int(np.argmin(np.abs(1e3 * self.found.quefrency - place)))
            if at > 0:
                tau = float(self.found.quefrency[at])
                level = f"{self.found.values[at]:.3g} dB".replace("-", "−")
                self.plot.say(f"{1e3 * tau:.4f} ms · lines {1 / tau:.5g} Hz apart · {level}")

    def show_result(self, found: Cepstrum | None) -> None:
        fresh = found is not None and (
            self.found is None or found.estimate is not self.found.estimate
        )
        self.found = found
        self._lay_over(found)
        self.drop.setVisible(bool(found and found.rahmonics))
        self.whole.setVisible(bool(found and found.cut))
        if found is None:
            self.told.setText("")
            self.plot.show_lines(np.zeros(0), [], "", "")
            self.plot.show_places(())
            return
        words = [rahmonic_words(one) for one in found.rahmonics]
        first = words[0][:1].upper() + words[0][1:] if words else "No family of lines stands out."
        self.told.setText(first)
        self.told.setToolTip("\n".join(words))
        values = found.values.copy()
        values[0] = np.nan  # the mean level of the spectrum
        self.plot.show_lines(1e3 * found.quefrency, [("cepstrum", values)], "Power cepstrum", "dB")
        self.plot.show_places(
            [(1e3 * one.quefrency, f"{one.frequency:.5g} Hz") for one in found.rahmonics[:5]]
        )
        if fresh:
            self.fit()

    def _lay_over(self, found: Cepstrum | None) -> None:
        """The spectrum without what is taken out, over the first."""
        method, signal = self._store.method, self._store.current
        liftered = None if found is None else found.liftered
        analysis = None
        if liftered is not None and method is not None and signal is not None:
            analysis = Analysis.of(liftered, None, method, signal.recording)
        named = [NamedCurve("without that range", analysis, Pen(1, BEHIND))] if analysis else []
        self._spectrum.show_beside(self._spectrum.liftered, named)

    def _drop(self) -> None:
        if self.found is not None and self.found.rahmonics:
            self._combs.drop(self.found.rahmonics[0].frequency)

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)
        self._lay_over(None)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)
        self.cut(None)
