"""A run-up by its shaft's angle: order spectrum and map, orders over speed, resonances."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QSplitter, QVBoxLayout, QWidget

from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.method.method import Shown
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.plot import AXIS_WIDTH
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import label, link, row
from tonecomb.desktop.stage.lines import LinesPlot
from tonecomb.desktop.stage.order_map import OrderMap
from tonecomb.desktop.stage.pane import Pane, Views
from tonecomb.desktop.stage.scale_strip import ScaleStrip
from tonecomb.formats.kinds.run_up import crossing_words
from tonecomb.formats.report.figures import Panel

if TYPE_CHECKING:
    from tonecomb.core.results.run_up import RunUp


_LEAST_ORDER = 0.1


class RunUpPane(Pane):
    """Order spectrum over the map of orders over time, and the orders' levels over speed."""

    def __init__(self, views: Views) -> None:
        super().__init__()
        self._run_ups = views.context.watched["run-up"]
        self.found: RunUp | None = None
        self._decibels = True
        self.spectrum, self.levels = LinesPlot("Order", ""), LinesPlot("Speed", "Hz")
        self.map = OrderMap()
        self.edit = link(
            "Shaft…",
            "What tells the shaft's speed, and which orders are followed",
            self.edit_wanted.emit,
        )
        self.told: QLabel = label("", "quiet")
        self.resonances: QLabel = label("", "", wrap=True)
        for text in (self.told, self.resonances):
            text.setFont(font(9))
        self.resonances.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.resonances.setContentsMargins(AXIS_WIDTH, 0, 8, 6)
        self.spectrum.setXLink(self.map)
        self.spectrum.set_label("bottom", "")
        self.spectrum.bottom.showLabel(False)
        orders, speeds = QWidget(), QWidget()
        for side, parts in (
            (orders, ((self.spectrum, 2), (self.map, 4))),
            (speeds, ((self.levels, 1), (self.resonances, 0))),
        ):
            column = QVBoxLayout(side)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(0)
            for part, share in parts:
                column.addWidget(part, share)
        sides = QSplitter(Qt.Orientation.Horizontal)
        sides.setChildrenCollapsible(False)
        for side, least in ((orders, 320), (speeds, 260)):
            side.setMinimumWidth(least)
            sides.addWidget(side)
        sides.setSizes([560, 440])
        self.scale = ScaleStrip()
        self.scale.changed.connect(self.map.set_ends)
        self.scale.automatic.connect(self.map.fit_ends)
        self.map.levels_changed.connect(self._show_scale)
        bar = row(self.edit, self.told, None, self.scale, spacing=12)
        bar.setContentsMargins(AXIS_WIDTH + 4, 2, 8, 0)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        inside.addLayout(bar)
        inside.addWidget(sides, 1)
        for plot in (self.spectrum, self.levels):
            plot.pointed.connect(plot.show_cursor)
        self.map.pointed.connect(self.pointed)
        self.map.clicked.connect(self.clicked)
        self._run_ups.changed.connect(self._show)
        self._draw()

    def _show_scale(self) -> None:
        """The levels that the map's colours stand for."""
        self.scale.setVisible(self.found is not None)
        if self.found is None:
            return
        self.scale.unit = "dB" if self._decibels else self.found.spectrum.amplitude_unit
        self.scale.show_levels(self.map.levels.ravel(), self.map.table)
        self.scale.set_ends(*self.map.ends)

    def set_theme(self, theme: Theme) -> None:
        self.scale.theme = theme
        for plot in (self.spectrum, self.map, self.levels):
            plot.set_theme(theme)
        self._show_scale()

    def set_decibels(self, decibels: bool) -> None:
        """Levels in dB, or linear."""
        self._decibels = decibels
        self._draw()

    def show_time(self, time: float | None) -> None:
        """The time (s) that another view points at."""
        self.map.show_time(time)

    def fit(self) -> None:
        """All there is."""
        for plot in (self.spectrum, self.map, self.levels):
            plot.fit()
        self._fit_speeds()

    def _fit_speeds(self) -> None:
        if self.found is not None:
            speed, met = self.found.levels.speed, [one.speed for one in self.found.crossings]
            low, high = min([float(speed.min()), *met]), max([float(speed.max()), *met])
            self.levels.box.setXRange(low, high, padding=0.03)

    def _show(self, found: RunUp | None) -> None:
        fresh = found is not self.found
        self.found = found
        self._draw()
        if fresh:
            self._fit_speeds()

    def _draw(self) -> None:
        found = self.found
        self.map.show_run_up(found, self._decibels)
        if found is None:
            self.told.setText("Say what tells the shaft's speed to see its orders.")
            self.resonances.setText("")
            for plot in (self.spectrum, self.levels):
                plot.show_lines(np.zeros(0), [], "", "")
                plot.show_places([])
            return
        analysis, levels = found.spectrum, found.levels
        shown = analysis.displayed(Shown(level=analysis.method.shown.level))
        title, unit = shown.unit.quantity, shown.values_unit
        # What is below one turn in ten is no order but the offset and what drifts.
        ends = (_LEAST_ORDER, float(found.map.frequency[-1]))
        first, last = np.searchsorted(shown.spectrum.frequency, ends).tolist()
        values = shown.values[first:last]
        if self._decibels:
            values, unit = shown.decibels(values), f"dB re {shown.unit.reference_text}"
        self.spectrum.show_lines(
            shown.spectrum.frequency[first:last], [("order spectrum", values)], title, unit
        )
        self.spectrum.show_places(
            [(peak.tone.frequency, f"{peak.tone.frequency:.3g}") for peak in found.orders]
        )
        factor = LEVEL_FACTORS[analysis.method.shown.level]
        rows = [np.abs(one) * factor for one in levels.amplitude]
        if self._decibels:
            rows = [shown.decibels(one) for one in rows]
        lines = [(f"order {n:g}", one) for n, one in zip(levels.orders, rows, strict=True)]
        self.levels.show_lines(levels.speed, lines, title, unit)
        places = [(one.speed, f"{one.frequency:.1f} Hz") for one in found.crossings]
        self.levels.show_places(places)
        low, high = float(levels.speed.min()), float(levels.speed.max())
        self.told.setText(
            f"{low:.4g} to {high:.4g} Hz ({60 * low:.0f} to {60 * high:.0f} /min), "
            f"{len(levels.speed)} frames of {levels.turns} turns"
        )
        told = [crossing_words(one, found) for one in found.crossings]
        self.resonances.setText("\n".join(told) or "No order meets a resonance.")

    def panel(self, analysis: Analysis) -> Callable[[], Panel] | None:
        from tonecomb.formats.report.figures_in_time import run_up_panel

        found, decibels = self.found, self._decibels
        return None if found is None else lambda: run_up_panel(found, decibels)

    @property
    def sentence(self) -> str:
        return "" if self.found is None else self.found.sentence

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)  # type: ignore[arg-type]
        self._run_ups.want(False)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._run_ups.want(True)
