"""The spectrogram: frequency across as in every view, time downward."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtWidgets import QGraphicsRectItem

from tonecomb.core.analysis import Analysis
from tonecomb.core.recording import Array
from tonecomb.core.spectrogram import Pooling, Spectrogram, View
from tonecomb.desktop.stage.comb_lines import CombLines
from tonecomb.desktop.stage.frequency import FrequencyPlot
from tonecomb.desktop.stage.level_strip import LevelStrip
from tonecomb.desktop.stage.time_strip import TimeStrip
from tonecomb.desktop.theme import PAPER, Theme
from tonecomb.formats.report import colours

_DOWN_DB = 70.0  # of the highest level, where the scale begins at most
_LEVELS = 20_000  # cells whose levels the histogram counts


class GramPlot(FrequencyPlot):
    """Drag a box to zoom. ``wanted`` carries the :class:`View` that is to be computed,
    ``time_clicked`` the time (s) at a click, ``box_chosen`` times and frequencies of a box that
    was dragged with Ctrl: start, end (s), low, high (Hz)."""

    wanted = pyqtSignal(object)
    time_clicked = pyqtSignal(float)
    box_chosen = pyqtSignal(float, float, float, float)
    levels_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(left=TimeStrip())
        self.box.invertY(True)
        self.getPlotItem().layout.setContentsMargins(0, 18, 18, 0)  # room for the unit of time
        self.box.setMouseEnabled(x=True, y=True)
        self.pooling: Pooling = "max"
        self.colours = "paper"
        self.decibels = True
        self.automatic = True
        self.ends = (0.0, 1.0)
        self._gram: Spectrogram | None = None
        self._analysis: Analysis | None = None
        self._levels: Array = np.zeros((0, 0))
        self._stretch = (0.0, 1.0)
        self._theme: Theme = PAPER
        self._image = pg.ImageItem(axisOrder="row-major")
        self._image.setZValue(-5)
        self._across = pg.InfiniteLine(angle=0)
        self._upright = pg.InfiniteLine(angle=90)
        self._moment = pg.InfiniteLine(angle=0)
        self._cell, self._zoom = QGraphicsRectItem(), QGraphicsRectItem()
        for item in (
            self._image, self._across, self._upright, self._moment, self._cell, self._zoom
        ):  # fmt: skip
            self.addItem(item, ignoreBounds=True)
            item.hide()
        self.combs = CombLines(self, numbers=False)
        self.levels = LevelStrip(self)
        self.cursor: tuple[float, float] | None = None
        self.box.sigRangeChanged.connect(self._ask)
        self.box.sigResized.connect(self._ask)
        self.box.dragged.connect(self._boxed)
        self.box.measured.connect(self._chosen)
        self.box.show_all.connect(self.show_all)
        self.scene().sigMouseClicked.connect(self._clicked)

    def paint_items(self, theme: Theme) -> None:
        self._theme = theme
        self.combs.paint_with(theme)
        self.levels.paint_with(theme)
        strip = self.left
        assert isinstance(strip, TimeStrip)
        strip.theme = theme
        dashed = pg.mkPen(theme.ink, style=Qt.PenStyle.DashLine)
        for line in (self._across, self._upright):
            line.setPen(dashed)
        self._moment.setPen(pg.mkPen(theme.accent, width=2))
        self._cell.setPen(pg.mkPen(theme.ink, width=1.5))
        self._cell.setBrush(pg.mkBrush(None))
        zoom = pg.mkColor(theme.second)
        self._zoom.setPen(pg.mkPen(zoom))
        zoom.setAlpha(40)
        self._zoom.setBrush(zoom)
        self._colour()

    # What is shown

    def show_stretch(self, start: float, end: float) -> None:
        """Time goes from ``start`` to ``end`` (s); the zoom is lost where that changed."""
        if (start, end) == self._stretch:
            return
        self._stretch = (start, end)
        self.box.setLimits(yMin=start, yMax=end, minYRange=(end - start) * 1e-6)
        self.box.setYRange(start, end, padding=0)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Levels are shown as this analysis shows its own."""
        before, self._analysis = self._analysis, analysis
        if analysis is None:
            self.show_gram(None)
        elif before is None or before.label(True) != analysis.label(True):
            self._take_levels()

    def show_gram(self, gram: Spectrogram | None) -> None:
        """Draw a spectrogram."""
        self._gram = gram
        self._image.setVisible(gram is not None)
        self.show_scales(gram is not None)
        self._take_levels()

    def set_decibels(self, decibels: bool) -> None:
        """Levels in dB, or linear."""
        if decibels != self.decibels:
            self.decibels, self.automatic = decibels, True
            self._take_levels()

    def choose(self, pooling: Pooling, colours: str) -> None:
        """How cells are pooled, and coloured."""
        self.colours = colours
        if pooling != self.pooling:
            self.pooling = pooling
            self._ask()
        self._colour()
        self.levels_changed.emit()

    def set_ends(self, low: float, high: float) -> None:
        """The levels of the two ends of the scale."""
        self.automatic, self.ends = False, (low, high)
        self._colour()

    def fit_ends(self) -> None:
        """Choose the ends by the levels there are."""
        self.automatic = True
        self._take_levels()

    def _take_levels(self) -> None:
        gram, analysis = self._gram, self._analysis
        if gram is None or analysis is None:
            self._levels = np.zeros((0, 0))
            self.levels_changed.emit()
            return
        method = analysis.method
        values = gram.values(method.scaling, method.level, method.display, analysis.channel.unit)
        self._levels = analysis.decibels(values) if self.decibels else values
        if self.automatic:
            sample = self.sample()
            top = float(sample.max()) if len(sample) else 1.0
            low = float(np.percentile(sample, 40)) if len(sample) else 0.0
            low = max(low, top - _DOWN_DB) if self.decibels else 0.0
            self.ends = (low, top if top > low else low + 1.0)
        self._colour()
        self.levels_changed.emit()

    def sample(self) -> Array:
        """Some of the levels in the picture, finite ones."""
        flat = self._levels.ravel()
        some = flat[:: max(1, len(flat) // _LEVELS)]
        some = some[np.isfinite(some) & (some > -1000)]
        return np.asarray(some, dtype=np.float64)

    @property
    def table(self) -> colours.Table:
        """The colours in use."""
        return colours.table(self.colours, dark=self._theme.name == "Night")

    @property
    def unit(self) -> str:
        """Of the levels."""
        if self.decibels:
            return "dB"
        return "" if self._analysis is None else self._analysis.values_unit

    def _colour(self) -> None:
        gram = self._gram
        if gram is None or not self._levels.size:
            return
        low, high = self.ends
        scaled = (self._levels - low) * np.float32(255 / (high - low))
        picture = np.clip(np.nan_to_num(scaled, neginf=0.0), 0, 255).astype(np.uint8)
        self._image.setLookupTable(self.table)
        self._image.setImage(picture, autoLevels=False, levels=(0, 255))
        self._place_image()

    def _place_image(self) -> None:
        gram = self._gram
        if gram is None:
            return
        left, right = (self.place(float(f)) for f in gram.frequency[[0, -1]])
        top, bottom = float(gram.time[0]), float(gram.time[-1])
        self._image.setRect(QRectF(left, top, right - left, bottom - top))

    def _ask(self, *_: object) -> None:
        """The view as it is now is to be computed."""
        if not self.isVisible():
            return
        low, high = self.limits()
        start, end = self.times()
        whole = (start, end) == self._stretch
        rows = max(32, round(self.box.height() * self.devicePixelRatioF()))
        self.wanted.emit(
            View(
                rows, self.columns,
                None if whole else start, None if whole else end,
                max(low, 0.0), high, self.bottom.log, self.pooling,
            )
        )  # fmt: skip

    def times(self) -> tuple[float, float]:
        """The times in view, s."""
        low, high = self.box.viewRange()[1]
        return float(low), float(high)

    def show_all(self) -> None:
        """All of the stretch, and all frequencies."""
        self.box.setYRange(*self._stretch, padding=0)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._ask()

    # The mouse

    def _ends(self, start: QPointF, end: QPointF) -> tuple[float, float, float, float]:
        left, right = sorted((start.x(), end.x()))
        top, bottom = sorted((start.y(), end.y()))
        return left, right, top, bottom

    def _boxed(self, start: QPointF, end: QPointF, finished: bool) -> None:
        left, right, top, bottom = self._ends(start, end)
        self._zoom.setRect(left, top, right - left, bottom - top)
        self._zoom.setVisible(not finished)
        if not finished or self._gram is None:
            return
        pixel = self.box.viewPixelSize()
        if right - left > 4 * pixel[0]:
            self.box.setXRange(left, right, padding=0)
        if bottom - top > 4 * pixel[1]:
            self.box.setYRange(top, bottom, padding=0)

    def _zoom_main(self, start: QPointF, end: QPointF, finished: bool) -> None:
        """The box zooms both axes here."""

    def _chosen(self, start: QPointF, end: QPointF, finished: bool) -> None:
        left, right, top, bottom = self._ends(start, end)
        self._zoom.setRect(left, top, right - left, bottom - top)
        self._zoom.setVisible(not finished)
        if finished and self._gram is not None:
            low, high = (10**left, 10**right) if self.bottom.log else (left, right)
            first, last = self._stretch
            self.box_chosen.emit(max(top, first), min(bottom, last), max(low, 0.0), high)

    def _clicked(self, event: Any) -> None:
        inside = self.box.sceneBoundingRect().contains(event.scenePos())
        if event.button() == Qt.MouseButton.LeftButton and not event.double() and inside:
            self.time_clicked.emit(float(self.box.mapSceneToView(event.scenePos()).y()))

    def show_moment(self, time: float | None) -> None:
        """A line at the time (s) whose frame is shown; none for None."""
        self._moment.setVisible(time is not None)
        if time is not None:
            self._moment.setPos(time)

    def show_time(self, time: float | None) -> None:
        """A line at the time (s) that another view points at; none for None."""
        self._across.setVisible(time is not None and self._gram is not None)
        if time is not None:
            self._across.setPos(time)

    def hover(self, place: QPointF | None) -> None:
        gram, analysis = self._gram, self._analysis
        cell = None
        if place is not None and gram is not None and analysis is not None:
            frequency = 10 ** place.x() if self.bottom.log else place.x()
            cell = gram.cell(place.y(), frequency)
        for item in (self._across, self._upright, self._cell):
            item.setVisible(cell is not None)
        if cell is None or place is None or gram is None or analysis is None:
            self.cursor = None
            self.say("")
            self.levels.show_levels(np.zeros(0), np.zeros(0), 0, 1)
            return
        time, frequency = place.y(), 10 ** place.x() if self.bottom.log else place.x()
        self.cursor = (time, frequency)
        self._across.setPos(time)
        self._upright.setPos(place.x())
        self._place_cell(time, frequency, analysis)
        row, column = cell
        centres = (gram.time[:-1] + gram.time[1:]) / 2
        self.levels.show_levels(centres, self._levels[:, column], *self.ends)
        bin_hz = float(gram.frequency[column + 1] - gram.frequency[column])
        digits = max(1, 1 - math.floor(math.log10(gram.hop / gram.fs)))
        value = f"{self._levels[row, column]:.1f} dB" if self.decibels else (
            f"{self._levels[row, column]:.4g} {analysis.values_unit}"
        )  # fmt: skip
        self.say(
            f"{time:.{digits}f} s · {self.frequency_text(frequency, bin_hz)}"
            f"{self.order_text(frequency)} · {value}".replace("-", "−")
        )

    def _place_cell(self, time: float, frequency: float, analysis: Analysis) -> None:
        """What one frame resolves, to scale."""
        resolution = analysis.resolution
        half = resolution.separable_hz / 2
        left = self.place(max(frequency - half, self.place(0) if not self.bottom.log else 1e-9))
        right = self.place(frequency + half)
        frame = (self._gram.frame / self._gram.fs) if self._gram else resolution.frame_s
        self._cell.setRect(left, time - frame / 2, right - left, frame)

    def facts(self) -> str:
        """How many frames there are, and how they follow each other."""
        gram = self._gram
        if gram is None:
            return ""
        length, step = gram.frame / gram.fs, gram.hop / gram.fs
        return f"{gram.frames} frames of {length:.3g} s, every {step:.3g} s"
