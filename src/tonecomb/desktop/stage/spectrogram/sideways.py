"""The spectrogram laid with time from left to right, as the waveform above it, frequency upward."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal

from tonecomb.core.results.spectrogram import View
from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.stage.plots.comb_lines import STYLES
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot
from tonecomb.desktop.stage.spectrogram.marks import GramMarks
from tonecomb.desktop.stage.spectrogram.picture import GramPicture
from tonecomb.desktop.stage.spectrogram.region_marks import RegionMarks

_STRIP = 0.16  # of the height, that the level against time takes at the foot


class SidewaysGram(Plot):
    """Frequencies are those of the spectrum ``main``, times those of the ``waveform``; the signals
    are as of :class:`~tonecomb.desktop.stage.spectrogram.plot.GramPlot`."""

    wanted = pyqtSignal(object)
    time_clicked = pyqtSignal(float)
    box_chosen = pyqtSignal(float, float, float, float)
    pointed = pyqtSignal(object)

    def __init__(self, picture: GramPicture) -> None:
        super().__init__()
        self.picture = picture
        self._main: FrequencyPlot | None = None
        self._theme: Theme = PAPER
        self._stretch = (0.0, 1.0)
        self._combs: Sequence[ShownComb] = ()
        self._marks: Sequence[tuple[float, str]] = ()
        self.teeth: list[pg.InfiniteLine] = []
        self.set_label("bottom", "Time, s")
        self.set_label("left", "Frequency, Hz")
        self.image = pg.ImageItem(axisOrder="row-major")
        self.image.setZValue(-5)
        self.level = pg.PlotCurveItem()
        for item in (self.image, self.level):
            self.addItem(item, ignoreBounds=True)
            item.hide()
        self.lines = GramMarks(self, True, self.time_clicked.emit)
        self.regions = RegionMarks(
            self,
            lambda time, f: (time, np.log10(f) if self.left.log else f),
            lambda place: (place.x(), max(self._frequency(place.y()), 0.0)),
        )
        self.cursor: tuple[float, float] | None = None
        self._taking = False
        self.box.sigXRangeChanged.connect(self.ask)
        self.box.sigYRangeChanged.connect(self._give_axis)
        self.box.show_all.connect(self.show_all)
        self.box.sigResized.connect(self.ask)
        self.box.dragged.connect(self._boxed)
        self.box.measured.connect(self._chosen)
        self.scene().sigMouseClicked.connect(self._clicked)
        picture.changed.connect(self._draw)

    def follow(self, main: FrequencyPlot, waveform: Plot) -> None:
        """Show the frequencies of one view and the times of another."""
        self._main = main
        self.setXLink(waveform)
        main.box.sigXRangeChanged.connect(self._take_axis)
        self._take_axis()

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._theme = theme
        self.lines.set_theme(theme)
        self.regions.set_theme(theme)
        self.level.setPen(pg.mkPen(theme.second, width=1.2))
        self._draw_lines()

    # What is shown

    def show_stretch(self, start: float, end: float) -> None:
        """The times (s) that are analysed."""
        if (start, end) != self._stretch:
            self._stretch = (start, end)
            self.ask()

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        """Let the teeth of combs run along time."""
        self._combs = combs
        self._draw_lines()

    def show_marks(self, marks: Sequence[tuple[float, str]]) -> None:
        """Let marked frequencies (Hz), with their names, run along time."""
        self._marks = marks
        self._draw_lines()

    def _draw_lines(self) -> None:
        for line in self.teeth:
            self.removeItem(line)
        self.teeth = []
        if self.isHidden():
            return
        for i, shown in enumerate(self._combs):
            colour = pg.mkColor(self._theme.traces[shown.colour])
            for tooth in shown.comb.teeth:
                if tooth.expected > 0:
                    colour.setAlpha(170 if tooth.found else 80)
                    style = STYLES[i % len(STYLES)]
                    self._line(tooth.expected, pg.mkPen(colour, width=1.2, style=style))
        for frequency, name in self._marks:
            pen = pg.mkPen(self._theme.accent, width=1.2, style=Qt.PenStyle.DashLine)
            self._line(frequency, pen, name)

    def _line(self, frequency: float, pen: Any, name: str = "") -> None:
        line = pg.InfiniteLine(
            self._place(frequency),
            angle=0,
            pen=pen,
            label=name or None,
            labelOpts={"position": 0.02, "color": self._theme.accent, "anchors": [(0, 1), (0, 1)]},
        )
        if name:
            line.label.setFont(font(9))
        self.addItem(line, ignoreBounds=True)
        self.teeth.append(line)

    def _place(self, frequency: float) -> float:
        return math.log10(max(frequency, 1e-12)) if self.left.log else frequency

    def _frequency(self, place: float) -> float:
        return 10**place if self.left.log else place

    def _take_axis(self, *_: object) -> None:
        if self._main is None:
            return
        log = self._main.bottom.log
        fresh, self.left.log = log != self.left.log, log
        self._taking = True
        self.box.setYRange(*self._main.box.viewRange()[0], padding=0)
        self._taking = False
        if fresh:
            self._draw()
            self._draw_lines()
        self.ask()

    def _give_axis(self, *_: object) -> None:
        """What is moved or zoomed here moves the spectrum."""
        if self._main is not None and not self._taking and self.isVisible():
            self._main.box.setXRange(*self.box.viewRange()[1], padding=0)

    def show_all(self) -> None:
        """All of the stretch, and all frequencies."""
        self.box.setXRange(*self._stretch, padding=0)
        if self._main is not None:
            self._main.box.setXRange(*self._main.box.state["limits"]["xLimits"], padding=0)

    def _draw(self) -> None:
        if self.isHidden():
            return
        gram, cells = self.picture.gram, self.picture.cells()
        self.image.setVisible(gram is not None)
        self.show_scales(gram is not None)
        if gram is None or cells is None:
            return
        self.image.setLookupTable(self.picture.table)
        self.image.setImage(cells.T, autoLevels=False, levels=(0, 255))
        low, high = (self._place(float(f)) for f in gram.frequency[[0, -1]])
        left, right = float(gram.time[0]), float(gram.time[-1])
        self.image.setRect(QRectF(left, low, right - left, high - low))

    def ask(self, *_: object) -> None:
        """The view as it is now is to be computed."""
        if not self.isVisible() or self._main is None:
            return
        low, high = self._main.limits()
        first, last = self._stretch
        start, end = (min(max(float(t), first), last) for t in self.box.viewRange()[0])
        if end <= start:
            start, end = first, last
        whole = start == first and end == last
        columns = max(32, round(self.box.height() * self.devicePixelRatioF()))
        self.wanted.emit(
            View(
                self.columns,
                columns,
                None if whole else start,
                None if whole else end,
                max(low, 0.0),
                high,
                self.left.log,
                self.picture.pooling,
            )
        )

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._take_axis()
        self._draw()
        self._draw_lines()

    # The mouse

    def _boxed(self, start: QPointF, end: QPointF, finished: bool) -> None:
        if self.regions.drag(start, end, finished):
            return
        (left, right), (low, high) = self.lines.box(start, end, not finished)
        if not finished or self.picture.gram is None or self._main is None:
            return
        pixel = self.box.viewPixelSize()
        if high - low > 4 * pixel[1]:
            self._main.box.setXRange(low, high, padding=0)
        if right - left > 4 * pixel[0]:
            self.box.setXRange(left, right, padding=0)

    def _chosen(self, start: QPointF, end: QPointF, finished: bool) -> None:
        (left, right), (low, high) = self.lines.box(start, end, not finished)
        if finished and self.picture.gram is not None:
            first, last = self._stretch
            frequencies = (max(self._frequency(low), 0.0), self._frequency(high))
            self.box_chosen.emit(max(left, first), min(right, last), *frequencies)

    def _clicked(self, event: Any) -> None:
        inside = self.box.sceneBoundingRect().contains(event.scenePos())
        if event.button() == Qt.MouseButton.LeftButton and not event.double() and inside:
            self.time_clicked.emit(float(self.box.mapSceneToView(event.scenePos()).x()))

    def hover(self, place: QPointF | None) -> None:
        words, frequency = None, 0.0
        if place is not None:
            frequency = self._frequency(place.y())
            words = self.picture.words(place.x(), frequency)
        self.level.setVisible(words is not None)
        self.pointed.emit(None if words is None or place is None else place.x())
        if words is None or place is None:
            self.cursor = None
            self.lines.point(None, 0, 0, 0)
            self.picture.point(None)
            self.say("")
            return
        self.cursor, (apart, frame) = (place.x(), frequency), self.picture.resolved()
        self.picture.point(place.x())
        low = self._place(max(frequency - apart / 2, 1e-9))
        self.lines.point(place, low, self._place(frequency + apart / 2), frame)
        self._draw_level(frequency)
        text = FrequencyPlot.frequency_text(frequency, self._fine())
        self.say(f"{words[0]} · {text} · {words[1]}".replace("-", "−"))

    def _fine(self) -> float:
        """Width of a column (Hz)."""
        gram = self.picture.gram
        return 1.0 if gram is None else float(gram.frequency[1] - gram.frequency[0])

    def _draw_level(self, frequency: float) -> None:
        """The level at a frequency against time, along the foot."""
        times, levels = self.picture.against_time(frequency)
        low, high = self.picture.ends
        foot, top = self.box.viewRange()[1]
        share = ((levels - low) / (high - low)).clip(0, 1)
        self.level.setData(times, foot + share * _STRIP * (top - foot))
