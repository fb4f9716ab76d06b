"""The shock response spectrum of the stretch, below its waveform."""

from __future__ import annotations

from collections.abc import Callable, Hashable

import numpy as np

from tonecomb.core.modal.shock import ShockSpectrum
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import Choice
from tonecomb.desktop.stage.panes.pane import Views
from tonecomb.desktop.stage.panes.result_pane import ResultPane
from tonecomb.desktop.stage.plots.lines import LinesPlot
from tonecomb.formats.kinds.shock import USUAL, shock_panel, words
from tonecomb.formats.report.figures import Panel

_QS = (5.0, 10.0, 16.0, 25.0, 50.0)
_FRACTIONS = (3, 6, 12, 24, 48)
_DEEP = 1e-6  # of the highest value, below which nothing is drawn


class ShockPane(ResultPane):
    """The greatest answers in words and curves; the oscillators are chosen beside them."""

    kind = "shock"

    def __init__(self, views: Views) -> None:
        super().__init__(views)
        self._store = views.context.store
        self.found: ShockSpectrum | None
        self.plot = LinesPlot("Natural frequency", "Hz")
        self.plot.bottom.log = self.plot.left.log = True
        self.plot.box.setLimits(xMin=-9, xMax=9, yMin=-30, yMax=30)
        self.q = Choice([(one, f"Q {one:g}") for one in _QS], USUAL[0], "Q of the oscillators")
        self.fraction = Choice(
            [(one, f"{one} an octave") for one in _FRACTIONS], USUAL[1], "Oscillators an octave"
        )
        for choice in (self.q, self.fraction):
            choice.picked.connect(lambda _: self._watched.want(self.wanted()))
        self.q.setToolTip("Quality of the oscillators: 10 is 5 % of critical damping")
        self.lay_out([self.told, None, self.q, self.fraction], self.plot)
        self.plot.setToolTip(
            "The most that a single-degree-of-freedom oscillator answers: while "
            "the shock lasts (primary), after it (residual), at any time "
            "(maxi-max). ISO 18431-4"
        )
        self.plot.pointed.connect(self._point)
        self.show_result(None)

    def set_theme(self, theme: Theme) -> None:
        self.plot.set_theme(theme)

    def fit(self) -> None:
        if self.found is not None:
            low, high = np.log10(self.found.frequency[[0, -1]])
            self.plot.box.setXRange(low, high, padding=0)
        self.plot.fit()

    def panel(self, analysis: Analysis) -> Callable[[], Panel] | None:
        shock = self.found
        return None if shock is None else lambda: shock_panel(shock, self._unit)

    @property
    def _unit(self) -> str:
        signal, method = self._store.current, self._store.method
        if signal is None or method is None:
            return ""
        return signal.channels[method.source.channel].unit

    def wanted(self) -> Hashable:
        return (self.q.value, self.fraction.value)

    def show_result(self, found: ShockSpectrum | None) -> None:
        self.found = found
        if found is None:
            self.told.setText("")
            self.plot.show_lines(np.zeros(0), [], "", "")
            return
        text = words(found, self._unit)
        self.told.setText(text[:1].upper() + text[1:])
        top = float(found.maximax.max()) or 1.0
        lines = [
            (name, np.log10(np.maximum(values, _DEEP * top)))
            for name, values in (
                ("residual", found.residual),
                ("primary", found.primary),
                ("maxi-max", found.maximax),
            )
        ]
        self.plot.show_lines(np.log10(found.frequency), lines, "Greatest answer", self._unit)
        self.fit()

    def _point(self, place: float | None) -> None:
        self.plot.show_cursor(place)
        shock = self.found
        if place is None or shock is None:
            self.plot.say("")
            return
        at = int(np.argmin(np.abs(np.log10(shock.frequency) - place)))
        self.plot.say(
            f"{shock.frequency[at]:.4g} Hz · maxi-max {shock.maximax[at]:.4g}, primary "
            f"{shock.primary[at]:.4g}, residual {shock.residual[at]:.4g} {self._unit}"
        )
