"""The current trace against a held one: ratio or difference, over the same frequencies."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QStackedLayout, QVBoxLayout, QWidget

from tonecomb.core.estimate.display import Curve
from tonecomb.core.estimate.reduce import reduce_curve
from tonecomb.core.results.compare import Comparison
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import Choice, label, row
from tonecomb.desktop.stage.panes.pane import Pane, Views
from tonecomb.desktop.stage.plots.comb_lines import CombLines
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot


class AgainstPlot(FrequencyPlot):
    """Draws a comparison."""

    def __init__(self) -> None:
        super().__init__()
        self.ratio = True
        self._curve: Curve | None = None
        self._unit = ""
        self.line = pg.PlotCurveItem(connect="finite")
        self._zero = pg.InfiniteLine(0.0, angle=0)
        for item in (self._zero, self.line):
            self.addItem(item, ignoreBounds=True)
        self.combs = CombLines(self)
        self.box.sigRangeChanged.connect(self._draw)
        self.box.sigResized.connect(self._draw)
        self.box.show_all.connect(self.fit)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.combs.set_theme(theme)
        self.line.setPen(pg.mkPen(theme.traces[3]))
        self._zero.setPen(pg.mkPen(theme.quiet))

    def show_comparison(self, found: Comparison | None, unit: str) -> None:
        """Draw it; ``unit`` is that of a difference."""
        self._curve = None if found is None else found.curve(ratio=self.ratio)
        self._unit = "dB" if self.ratio else unit
        self.set_label("left", f"{'Ratio' if self.ratio else 'Difference'}, {self._unit}")
        self.fit()
        self._draw()

    def fit(self) -> None:
        """The levels of what is in view, zero among them."""
        if self._curve is None:
            return
        values = self._curve.values[np.isfinite(self._curve.values)]
        if len(values):
            low, high = (
                np.percentile(values, [0.5, 99.5]) if self.ratio else (values.min(), values.max())
            )
            low, high = min(float(low), 0.0), max(float(high), 0.0)
            room = 0.1 * (high - low) or 1.0
            self.box.setYRange(low - room, high + room, padding=0)

    def _draw(self, *_: object) -> None:
        shown = self._curve is not None
        self.line.setVisible(shown)
        self.show_scales(shown)
        if self._curve is None:
            return
        low, high = self.limits()
        x, y = reduce_curve(*self._curve.outline(), low, high, self.columns, log=self.bottom.log)
        self.line.setData(self.places(x), y)

    def hover(self, place: QPointF | None) -> None:
        curve = self._curve
        if place is None or curve is None or not len(curve.values):
            self.say("")
            return
        at = min(self.near(place, curve.frequency, reach=0.5)[0], len(curve.values) - 1)
        digits = "+.1f" if self.ratio else "+.4g"
        value = f"{curve.values[at]:{digits}} {self._unit}".replace("-", "−")
        self.say(f"{curve.frequency[at]:.6g} Hz · {value}")


class AgainstPane(Pane):
    """The plot, which held trace it is against, and which way. The comparison is made while the
    pane is there."""

    def __init__(self, views: Views) -> None:
        super().__init__()
        self._held = views.context.held
        self.plot = AgainstPlot()
        self.plots = (self.plot,)
        self.way = Choice(
            (("ratio", "Ratio"), ("difference", "Difference")), "ratio", "Ratio or difference"
        )
        self.of = label("", "quiet")
        self.way.picked.connect(lambda _: self.refresh())
        self.pages = QStackedLayout(self)
        teach = label("", "quiet", wrap=True)
        teach.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.why = teach
        self.pages.addWidget(teach)
        shown = QWidget()
        inside = QVBoxLayout(shown)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        bar = row(self.way, self.of, None)
        bar.setContentsMargins(70, 2, 8, 0)
        inside.addLayout(bar)
        inside.addWidget(self.plot, 1)
        self.pages.addWidget(shown)
        self._held.compared.connect(self.refresh)

    def set_theme(self, theme: Theme) -> None:
        self.plot.set_theme(theme)

    def set_decibels(self, decibels: bool) -> None:
        self.refresh()

    def fit(self) -> None:
        self.plot.fit()

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)  # type: ignore[arg-type]
        self._held.set_comparing(False)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._held.set_comparing(True)

    def refresh(self) -> None:
        """Show the comparison as it is now, or say why there is none."""
        self.plot.ratio = self.way.value == "ratio"
        comparison, reason = self._held.comparison, self._held.no_comparison
        self.pages.setCurrentIndex(0 if comparison is None else 1)
        self.why.setText(reason)
        against = self._held.against
        self.of.setText("" if against is None else f"of the trace now to ‘{against.name}’")
        self.plot.show_comparison(comparison, self._held.unit)
