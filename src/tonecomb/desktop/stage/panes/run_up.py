"""A run-up by its shaft's angle: order spectrum and map, orders over speed, resonances."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QSplitter, QVBoxLayout, QWidget

from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.method.method import Shown
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.plot import AXIS_WIDTH, Plot
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.kit.widgets import label, link
from tonecomb.desktop.stage.panes.pane import Views
from tonecomb.desktop.stage.panes.result_pane import ResultPane
from tonecomb.desktop.stage.plots.lines import LinesPlot
from tonecomb.desktop.stage.plots.scale_strip import ScaleStrip
from tonecomb.formats.kinds.run_up import crossing_words
from tonecomb.formats.report import colours
from tonecomb.formats.report.figures import Panel

if TYPE_CHECKING:
    from tonecomb.core.results.run_up import RunUp


_DOWN_DB = 70.0  # of the highest level, where the colours begin at most
_QUIET = 40.0  # percentile of the levels that has the lowest colour


class OrderMap(Plot):
    """``pointed`` carries the time (s) under the cursor, None when it left; ``clicked`` the time
    of a click; ``levels_changed`` when the scale of its colours is another."""

    pointed = pyqtSignal(object)
    clicked = pyqtSignal(float)
    levels_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.box.invertY(True)
        self.box.setMouseEnabled(x=True, y=True)
        self.set_label("bottom", "Order")
        self.set_label("left", "Time, s")
        self._theme: Theme = PAPER
        self.found: RunUp | None = None
        self.levels: Array = np.zeros((0, 0))
        self.decibels = True
        self.ends = (0.0, 1.0)
        self.image = pg.ImageItem(axisOrder="row-major")
        self.image.setZValue(-5)
        self._across = pg.InfiniteLine(angle=0)
        self._curves: list[pg.PlotCurveItem | pg.TextItem] = []
        for item in (self.image, self._across):
            self.addItem(item, ignoreBounds=True)
            item.hide()
        self.box.show_all.connect(self.fit)
        self.box.dragged.connect(self._dragged)
        self.scene().sigMouseClicked.connect(self._clicked)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._theme = theme
        self._across.setPen(pg.mkPen(theme.ink, style=Qt.PenStyle.DashLine))
        self._draw()

    @property
    def table(self) -> colours.Table:
        """The colours in use."""
        return colours.table("paper", dark=self._theme.name == "Night")

    def show_run_up(self, found: RunUp | None, decibels: bool) -> None:
        """Draw a run-up, or nothing."""
        fresh = found is not self.found
        if found is None or fresh or decibels != self.decibels:
            self.found, self.decibels = found, decibels
            self.show_scales(found is not None)
            self.fit_ends()
        if fresh:
            self.fit()

    def set_ends(self, low: float, high: float) -> None:
        """The levels of the two ends of the scale of colours."""
        self.ends = (low, high)
        self._draw()

    def fit_ends(self) -> None:
        """Choose the ends by the levels there are."""
        run_up = self.found
        if run_up is not None:
            analysis = run_up.spectrum
            values = run_up.map.values("amplitude", analysis.method.shown.level, Display(), "")
            self.levels = analysis.decibels(values) if self.decibels else values
            top = float(self.levels.max())
            low = float(np.percentile(self.levels, _QUIET)) if self.decibels else 0.0
            low = max(low, top - _DOWN_DB) if self.decibels else 0.0
            self.ends = (low, top if top > low else low + 1.0)
        self._draw()
        self.levels_changed.emit()

    def _draw(self) -> None:
        run_up = self.found
        for item in self._curves:
            self.removeItem(item)
        self._curves = []
        self.image.setVisible(run_up is not None)
        if run_up is None:
            return
        edges, (low, high) = run_up.map_time, self.ends
        # Rows are even in turns: on a time axis each stands where it was.
        rows = len(edges) - 1
        even = np.linspace(edges[0], edges[-1], 2 * rows + 1)
        which = np.clip(np.searchsorted(edges, (even[:-1] + even[1:]) / 2) - 1, 0, rows - 1)
        scaled = (self.levels[which] - low) * (255 / max(high - low, 1e-30))
        self.image.setLookupTable(self.table)
        self.image.setImage(
            np.clip(scaled, 0, 255).astype(np.uint8), autoLevels=False, levels=(0, 255)
        )
        across = run_up.map.frequency
        self.image.setRect(
            QRectF(across[0], edges[0], across[-1] - across[0], edges[-1] - edges[0])
        )
        self._draw_resonances(run_up)

    def _draw_resonances(self, found: RunUp) -> None:
        """A fixed frequency is at ever lower orders while the speed rises."""
        time = np.linspace(found.map_time[0], found.map_time[-1], 200)
        speed = found.speed_at(time)
        for one in found.crossings:
            order = one.frequency / speed
            inside = order < found.map.frequency[-1]
            if not inside.any():
                continue
            curve = pg.PlotCurveItem(order[inside], time[inside])
            curve.setPen(pg.mkPen(self._theme.second, width=1.2, style=Qt.PenStyle.DashLine))
            name = pg.TextItem(f"{one.frequency:.1f} Hz", color=self._theme.second, anchor=(0, 1))
            name.setFont(font(9))
            name.fill = pg.mkBrush(self._theme.raised)
            at = int(np.flatnonzero(inside)[len(np.flatnonzero(inside)) // 2])
            name.setPos(float(order[at]), float(time[at]))
            for item in (curve, name):
                self.addItem(item, ignoreBounds=True)
                self._curves.append(item)

    def fit(self) -> None:
        """All orders and all of the run-up."""
        if self.found is not None:
            edges = self.found.map_time
            self.box.setXRange(0.0, float(self.found.map.frequency[-1]), padding=0)
            self.box.setYRange(float(edges[0]), float(edges[-1]), padding=0)

    def _dragged(self, start: QPointF, end: QPointF, finished: bool) -> None:
        pixel = self.box.viewPixelSize()
        if finished and abs(end.x() - start.x()) > 4 * pixel[0]:
            self.box.setXRange(*sorted((start.x(), end.x())), padding=0)
        if finished and abs(end.y() - start.y()) > 4 * pixel[1]:
            self.box.setYRange(*sorted((start.y(), end.y())), padding=0)

    def _clicked(self, event: object) -> None:
        place = event.scenePos()  # type: ignore[attr-defined]
        left = event.button() == Qt.MouseButton.LeftButton  # type: ignore[attr-defined]
        if left and self.found and self.box.sceneBoundingRect().contains(place):
            self.clicked.emit(float(self.box.mapSceneToView(place).y()))

    def show_time(self, time: float | None) -> None:
        """A line at a time (s) that another view points at; none for None."""
        self._across.setVisible(time is not None and self.found is not None)
        if time is not None:
            self._across.setPos(time)

    def hover(self, place: QPointF | None) -> None:
        run_up = self.found
        edges = np.zeros(0) if run_up is None else run_up.map_time
        inside = place is not None and len(edges) > 0 and edges[0] <= place.y() <= edges[-1]
        if run_up is None or place is None or not inside:
            self.say("")
            self.show_time(None)
            self.pointed.emit(None)
            return
        time, order = float(place.y()), float(place.x())
        speed = float(run_up.speed_at(np.array([time]))[0])
        cells = run_up.map.frequency
        row = min(int(np.searchsorted(edges, time, side="right")) - 1, len(edges) - 2)
        column = min(max(int(np.searchsorted(cells, order)) - 1, 0), len(cells) - 2)
        level = self.levels[row, column]
        unit = "dB" if self.decibels else run_up.spectrum.amplitude_unit
        value = f"{level:.1f}" if self.decibels else f"{level:.4g}"
        self.say(
            f"{time:.2f} s · {speed:.3f} Hz, {60 * speed:.0f} /min\n"
            f"order {order:.2f} · {order * speed:.1f} Hz · {value} {unit}".replace("-", "−")
        )
        self.show_time(time)
        self.pointed.emit(time)


_LEAST_ORDER = 0.1


class RunUpPane(ResultPane):
    """Order spectrum over the map of orders over time, and the orders' levels over speed."""

    kind = "run-up"

    def __init__(self, views: Views) -> None:
        super().__init__(views, quiet=True)
        self.found: RunUp | None
        self._decibels = True
        self.spectrum, self.levels = LinesPlot("Order", ""), LinesPlot("Speed", "Hz")
        self.map = OrderMap()
        self.edit = link(
            "Shaft…",
            "What tells the shaft's speed, and which orders are followed",
            self.edit_wanted.emit,
        )
        self.resonances: QLabel = label("", "", wrap=True)
        self.resonances.setFont(font(9))
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
        self.lay_out([self.edit, self.told, None, self.scale], sides, gap=0)
        for plot in (self.spectrum, self.levels):
            plot.pointed.connect(plot.show_cursor)
        self.map.pointed.connect(self.pointed)
        self.map.clicked.connect(self.clicked)
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

    def show_result(self, found: RunUp | None) -> None:
        fresh = found is not self.found
        self.found = found
        self._draw()
        if fresh:
            self._fit_speeds()

    def _draw(self) -> None:
        run_up = self.found
        self.map.show_run_up(run_up, self._decibels)
        if run_up is None:
            self.told.setText("Say what tells the shaft's speed to see its orders.")
            self.resonances.setText("")
            for plot in (self.spectrum, self.levels):
                plot.show_lines(np.zeros(0), [], "", "")
                plot.show_places([])
            return
        analysis, levels = run_up.spectrum, run_up.levels
        shown = analysis.displayed(Shown(level=analysis.method.shown.level))
        title, unit = shown.unit.quantity, shown.values_unit
        # What is below one turn in ten is no order but the offset and what drifts.
        ends = (_LEAST_ORDER, float(run_up.map.frequency[-1]))
        first, last = np.searchsorted(shown.spectrum.frequency, ends).tolist()
        values = shown.values[first:last]
        if self._decibels:
            values, unit = shown.decibels(values), f"dB re {shown.unit.reference_text}"
        self.spectrum.show_lines(
            shown.spectrum.frequency[first:last], [("order spectrum", values)], title, unit
        )
        self.spectrum.show_places(
            [(peak.tone.frequency, f"{peak.tone.frequency:.3g}") for peak in run_up.orders]
        )
        factor = LEVEL_FACTORS[analysis.method.shown.level]
        rows = [np.abs(one) * factor for one in levels.amplitude]
        if self._decibels:
            rows = [shown.decibels(one) for one in rows]
        lines = [(f"order {n:g}", one) for n, one in zip(levels.orders, rows, strict=True)]
        self.levels.show_lines(levels.speed, lines, title, unit)
        places = [(one.speed, f"{one.frequency:.1f} Hz") for one in run_up.crossings]
        self.levels.show_places(places)
        low, high = float(levels.speed.min()), float(levels.speed.max())
        self.told.setText(
            f"{low:.4g} to {high:.4g} Hz ({60 * low:.0f} to {60 * high:.0f} /min), "
            f"{len(levels.speed)} frames of {levels.turns} turns"
        )
        told = [crossing_words(one, run_up) for one in run_up.crossings]
        self.resonances.setText("\n".join(told) or "No order meets a resonance.")

    def panel(self, analysis: Analysis) -> Callable[[], Panel] | None:
        from tonecomb.formats.report.figures_in_time import run_up_panel

        run_up, decibels = self.found, self._decibels
        return None if run_up is None else lambda: run_up_panel(run_up, decibels)

    @property
    def sentence(self) -> str:
        return "" if self.found is None else self.found.sentence
