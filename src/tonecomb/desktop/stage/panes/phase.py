"""Phase below the magnitude: of one frame, or of frames averaged in step."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QStackedLayout, QVBoxLayout, QWidget

from tonecomb.core.estimate.averages import Single
from tonecomb.core.estimate.phase import WORTH_DB, Part, Reference
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import Choice, Number, label, link, row
from tonecomb.desktop.stage.panes.pane import Pane, Views
from tonecomb.desktop.stage.plots.comb_lines import CombLines
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot

_PARTS: tuple[tuple[Part, str], ...] = (
    ("phase", "Phase lead"),
    ("unwrapped", "Phase lead, unwrapped"),
    ("real", "Real part"),
    ("imaginary", "Imaginary part"),
    ("delay", "Group delay"),
)
_TURNED = ("phase", "unwrapped", "delay")  # parts that hang on where time begins


class PhasePlot(FrequencyPlot):
    """One part of a complex spectrum, pale where the magnitude is too small for it to mean
    anything."""

    def __init__(self) -> None:
        super().__init__()
        self.part: Part = "phase"
        self.reference: Reference = "start"
        self.down_db = WORTH_DB
        self._analysis: Analysis | None = None
        self._values: Array = np.zeros(0)
        self._worth = np.zeros(0, dtype=bool)
        self._size: Array = np.zeros(0)
        self.weak = pg.PlotCurveItem(connect="finite")
        self._strong = pg.PlotCurveItem(connect="finite")
        self.dots = pg.ScatterPlotItem(size=4, pxMode=True)
        for item in (self.weak, self._strong, self.dots):
            self.addItem(item, ignoreBounds=True)
        self.combs = CombLines(self)
        self.box.sigRangeChanged.connect(self._draw)
        self.box.sigResized.connect(self._draw)
        self.box.show_all.connect(self.fit)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.combs.set_theme(theme)
        self.weak.setPen(pg.mkPen(theme.lines))
        self._strong.setPen(pg.mkPen(theme.traces[0]))
        self.dots.setPen(pg.mkPen(None))
        self.dots.setBrush(pg.mkBrush(theme.traces[0]))

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Draw the part of an analysis that has one."""
        self._analysis = analysis
        single = None if analysis is None else analysis.single
        if analysis is None or single is None:
            self._values = np.zeros(0)
            self._draw()
            return
        values = single.part(self.part, self.reference, analysis.order)
        if self.part in ("real", "imaginary"):
            values = values * LEVEL_FACTORS[analysis.method.shown.level]
        self._values, self._size = values, np.abs(single.bins)
        self._worth = single.worth(self.down_db)
        self.set_label("left", self._quantity(analysis))
        self.fit()
        self._draw()

    def refresh(self) -> None:
        """Draw anew what is shown."""
        self.show_analysis(self._analysis)

    def _quantity(self, analysis: Analysis) -> str:
        words = dict(_PARTS)[self.part]
        if self.part in _TURNED:
            begin = "start" if analysis.method.averaging.average.spaced else "trigger"
            words += f" re {'centre' if self.reference == 'centre' else begin}"
        unit = {"delay": "s", "phase": "°", "unwrapped": "°"}.get(
            self.part, analysis.amplitude_unit
        )
        return f"{words}, {unit}"

    def fit(self) -> None:
        """Levels from the least to the greatest value that means something."""
        if self.part == "phase":
            self.box.setYRange(-190, 190, padding=0)
            return
        good = self._values[self._worth] if len(self._values) else self._values
        good = good[np.isfinite(good)]
        if len(good):
            low, high = float(good.min()), float(good.max())
            room = 0.08 * (high - low) or 1e-3 + abs(high) * 0.1
            self.box.setYRange(low - room, high + room, padding=0)

    def _draw(self, *_: object) -> None:
        analysis = self._analysis
        shown = analysis is not None and len(self._values) > 0
        for item in (self.weak, self._strong, self.dots):
            item.setVisible(shown)
        self.show_scales(shown)
        if not shown or analysis is None or analysis.single is None:
            return
        at = self._strongest(analysis.single.frequency)
        x, y, worth = analysis.single.frequency[at], self._values[at], self._worth[at]
        places = self.places(x)
        if self.part == "phase" and len(y) > 1:
            # A line across the wrap would be one that is not there.
            jumps = np.flatnonzero(np.abs(np.diff(y)) > 180) + 1
            places, y = np.insert(places, jumps, np.nan), np.insert(y, jumps, np.nan)
            worth = np.insert(worth, jumps, False)
        self.weak.setData(places, y)
        self._strong.setData(places, np.where(worth, y, np.nan))
        self.dots.setData(places[worth], y[worth])

    def _strongest(self, frequency: Array) -> np.ndarray:
        """Bins in view, of each column of pixels the strongest: phase cannot be averaged."""
        low, high = self.limits()
        first = max(0, int(np.searchsorted(frequency, low)) - 1)
        if self.bottom.log:
            first = max(first, 1)
        last = min(len(frequency), int(np.searchsorted(frequency, high, side="right")) + 1)
        every = np.arange(first, last)
        if len(every) <= self.columns:
            return every
        place = self.places(frequency[every])
        column = ((place - place[0]) / (place[-1] - place[0]) * self.columns).astype(int)
        order = np.lexsort((-self._size[every], column))
        heads = np.flatnonzero(np.diff(column[order], prepend=-1))
        return every[np.sort(order[heads])]

    def hover(self, place: QPointF | None) -> None:
        analysis = self._analysis
        if place is None or analysis is None or analysis.single is None or not len(self._values):
            self.say("")
            return
        frequency = analysis.single.frequency
        first, last = self.near(place, frequency)
        at = first + int(np.argmax(self._size[first:last]))
        value, unit = self._values[at], self._quantity(analysis).rpartition(", ")[2]
        digits = ".1f" if unit == "°" else ".4g"
        gap = "" if unit == "°" else " "
        text = f"{value:{digits}}{gap}{unit}".replace("-", "−")
        weak = "" if self._worth[at] else " · too weak to mean much"
        where = self.frequency_text(float(frequency[at]), analysis.spectrum.bin_hz)
        self.say(f"{where} · {text}{weak}")


class PhasePane(Pane):
    """The plot and what it shows, or why there is none and what would help."""

    def __init__(self, views: Views) -> None:
        super().__init__()
        self._store = views.context.store
        self.plot = PhasePlot()
        self.plots = (self.plot,)
        self.part = Choice(_PARTS, "phase", "Part of the complex spectrum")
        self.reference = Choice(
            (("start", "at the frame’s start"), ("centre", "at the frame’s centre")),
            "start",
            "Where time begins",
        )
        self.down = Number(WORTH_DB, 10, 200, 0, "dB down")
        self.down.setAccessibleName("Below this the values are drawn pale")
        self.down.setToolTip("Bins further below the highest are drawn pale")
        self.part.picked.connect(self._choose)
        self.reference.picked.connect(self._choose)
        self.down.valueChanged.connect(self._choose)
        pages = QWidget()
        self.pages = QStackedLayout(pages)
        self.pages.addWidget(self._teaching())
        shown = QWidget()
        inside = QVBoxLayout(shown)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        bar = row(self.part, self.reference, label("pale from", "quiet"), self.down, None)
        bar.setContentsMargins(70, 2, 8, 0)
        inside.addLayout(bar)
        inside.addWidget(self.plot, 1)
        self.pages.addWidget(shown)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(pages)

    def _teaching(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.addStretch(1)
        text = label(
            "An average of several frames has no phase. A single frame has, and frames "
            "averaged in step have.",
            "quiet",
            wrap=True,
        )
        text.setAlignment(Qt.AlignmentFlag.AlignCenter)
        column.addWidget(text)
        take = link(
            "Use a single frame",
            "Analyse one frame only; Ctrl+Z takes it back",
            lambda: self._store.edit_method("Choose average", average=Single()),
        )
        column.addLayout(row(None, take, None))
        column.addStretch(1)
        return page

    def set_theme(self, theme: Theme) -> None:
        self.plot.set_theme(theme)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show the phase of an analysis that has one."""
        has_one = analysis is not None and analysis.single is not None
        self.pages.setCurrentIndex(1 if has_one else 0)
        self.plot.show_analysis(analysis)

    def fit(self) -> None:
        self.plot.fit()

    def _choose(self, _: object) -> None:
        part, reference = self.part.value, self.reference.value
        self.plot.part, self.plot.reference = part, reference
        self.plot.down_db = self.down.value()
        self.reference.setVisible(part in _TURNED or part in ("real", "imaginary"))
        self.plot.refresh()
