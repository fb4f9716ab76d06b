"""The trend view: tracks, levels and figures of the frames against time."""

from __future__ import annotations

import math

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel, QVBoxLayout, QWidget

from tonecomb.core.recording import Array
from tonecomb.core.trend import Trend
from tonecomb.desktop.grams import Trends
from tonecomb.desktop.stage.plot import AXIS_WIDTH, Plot
from tonecomb.desktop.theme import PAPER, Theme, font
from tonecomb.desktop.widgets import Choice, label, link, row
from tonecomb.formats.changes import amplitude

_SHOWN = (
    ("levels", "Levels of bands and tracks"), ("rms", "Rms of the frames"),
    ("crest", "Crest factor"), ("kurtosis", "Kurtosis"),
)  # fmt: skip
_STYLES = ((Qt.PenStyle.SolidLine, "━━"), (Qt.PenStyle.DashLine, "╍╍"),
           (Qt.PenStyle.DotLine, "┅┅"), (Qt.PenStyle.DashDotLine, "━╍"))  # fmt: skip


class TrendPlot(Plot):
    """Lines over time in s, told apart by colour and dash. ``pointed`` carries the time under the
    cursor, None when it left; ``clicked`` the time of a click."""

    pointed = pyqtSignal(object)
    clicked = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self._theme: Theme = PAPER
        self._time: Array = np.zeros(0)
        self.lines: list[tuple[str, Array]] = []
        self._unit = ""
        self._curves: list[pg.PlotCurveItem] = []
        self._cursor = pg.InfiniteLine(angle=90)
        self._cursor.hide()
        self.addItem(self._cursor, ignoreBounds=True)
        self.set_label("bottom", "Time, s")
        self.box.dragged.connect(self._dragged)
        self.box.show_all.connect(self.fit)
        self.scene().sigMouseClicked.connect(self._clicked)

    def paint_items(self, theme: Theme) -> None:
        self._theme = theme
        self._cursor.setPen(pg.mkPen(theme.quiet, style=Qt.PenStyle.DashLine))
        self._pens()

    def _pens(self) -> None:
        traces, told, dashes = self._theme.traces, [], []
        for i, curve in enumerate(self._curves):
            style, dash = _STYLES[(i // 3) % len(_STYLES)]
            curve.setPen(pg.mkPen(traces[i % len(traces)], width=1.4, style=style))
            told.append((traces[i % len(traces)], self.lines[i][0]))
            dashes.append(dash)
        self.tell(told if len(told) > 1 else [], dashes)

    def show_lines(
        self, time: Array, lines: list[tuple[str, Array]], title: str, unit: str
    ) -> None:
        """Draw named lines; gaps are nan."""
        for item in self._curves:
            self.removeItem(item)
        self._curves = []
        same = len(time) == len(self._time) and [n for n, _ in lines] == [n for n, _ in self.lines]
        self._time, self.lines, self._unit = time, lines, unit
        for _, values in lines:
            curve = pg.PlotCurveItem(connect="finite")
            curve.setData(time, values)
            self.addItem(curve, ignoreBounds=True)
            self._curves.append(curve)
        self._pens()
        self.set_label("left", f"{title}, {unit}" if unit else title)
        self.show_scales(bool(lines) and len(time) > 0)
        if not same:
            self.fit()

    def fit(self) -> None:
        """All values."""
        values = [v[np.isfinite(v)] for _, v in self.lines]
        every = np.concatenate(values) if values else np.zeros(0)
        if len(every):
            low, high = float(every.min()), float(every.max())
            room = 0.08 * (high - low) or 0.05 * abs(high) or 1.0
            self.box.setYRange(low - room, high + 1.5 * room, padding=0)

    def _dragged(self, start: QPointF, end: QPointF, finished: bool) -> None:
        pixel = self.box.viewPixelSize()[0]
        if finished and abs(end.x() - start.x()) > 4 * pixel:
            self.box.setXRange(*sorted((start.x(), end.x())), padding=0)

    def _clicked(self, event: object) -> None:
        place = event.scenePos()  # type: ignore[attr-defined]
        left = event.button() == Qt.MouseButton.LeftButton  # type: ignore[attr-defined]
        if left and self.box.sceneBoundingRect().contains(place):
            self.clicked.emit(float(self.box.mapSceneToView(place).x()))

    def show_cursor(self, time: float | None) -> None:
        """A line at a time (s), and what the lines are there."""
        self._cursor.setVisible(time is not None and len(self._time) > 0)
        if time is None or not len(self._time):
            self.say("")
            return
        self._cursor.setPos(time)
        at = int(np.argmin(np.abs(self._time - time)))
        parts = [f"{self._time[at]:.4g} s"]
        for name, values in self.lines[:4]:
            figure = "–" if math.isnan(values[at]) else f"{values[at]:.5g} {self._unit}".rstrip()
            parts.append(f"{name}: {figure}" if len(self.lines) > 1 else figure)
        self.say((" · " if len(parts) < 3 else "\n").join(parts).replace("-", "−"))

    def hover(self, place: QPointF | None) -> None:
        self.pointed.emit(None if place is None else float(place.x()))


class TrendPane(QWidget):
    """Frequencies of the tracks above, levels or figures below, on one time axis. ``pointed``
    and ``clicked`` as of :class:`TrendPlot`; ``edit_wanted`` when what is followed is to be
    chosen."""

    pointed = pyqtSignal(object)
    clicked = pyqtSignal(float)
    edit_wanted = pyqtSignal()

    def __init__(self, trends: Trends) -> None:
        super().__init__()
        self._trends = trends
        self._trend: Trend | None = None
        self.above, self.below = TrendPlot(), TrendPlot()
        self.shown = Choice(_SHOWN, "levels", "What is shown against time")
        self.shown.picked.connect(lambda _: self._draw())
        self.edit = link("Follow…", "Choose tones and combs to follow (Shift+T)",
                         self.edit_wanted.emit)  # fmt: skip
        self._told: QLabel = label("", "quiet")
        self._told.setFont(font(9))
        bar = row(self.edit, self.shown, self._told, None, spacing=12)
        bar.setContentsMargins(AXIS_WIDTH + 4, 2, 8, 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(bar)
        column.addWidget(self.above, 1)
        column.addWidget(self.below, 1)
        for plot in (self.above, self.below):
            plot.pointed.connect(self.show_cursor)
            plot.pointed.connect(self.pointed)
            plot.clicked.connect(self.clicked)
        trends.changed.connect(self._show)
        self._draw()

    def set_theme(self, theme: Theme) -> None:
        for plot in (self.above, self.below):
            plot.set_theme(theme)

    def show_cursor(self, time: float | None) -> None:
        """A line at a time (s) through both."""
        for plot in (self.above, self.below):
            plot.show_cursor(time)

    def follow(self, waveform: Plot) -> None:
        """Show the times that the waveform shows."""
        for plot in (self.above, self.below):
            plot.setXLink(waveform)

    def fit(self) -> None:
        """All values."""
        for plot in (self.above, self.below):
            plot.fit()

    def _show(self, trend: Trend | None) -> None:
        self._trend = trend
        self._draw()

    def _draw(self) -> None:
        trend = self._trend
        tracks = () if trend is None else trend.tracks
        self.above.setVisible(bool(tracks))
        if trend is None:
            self._told.setText("")
            self.below.show_lines(np.zeros(0), [], "", "")
            return
        names = [track.wanted.title for track in tracks]
        self._told.setText(f"{len(trend.time)} frames, every {trend.hop_s:.3g} s")
        shown = [(name, t.frequency) for name, t in zip(names, tracks, strict=True)]
        self.above.show_lines(trend.time, shown, "Frequency", "Hz")
        self.above.bottom.showLabel(False)
        symbol = trend.channel.unit
        kind = self.shown.value
        if kind == "crest":
            lines, title, unit = [("crest factor", trend.crest)], "Crest factor", ""
        elif kind == "kurtosis":
            lines, title, unit = [("kurtosis", trend.kurtosis)], "Kurtosis", ""
        elif kind == "rms":
            lines, title, unit = [("rms", trend.rms)], "Rms", symbol
        else:
            method = trend.method
            bands = zip(method.bands, trend.bands, strict=True)
            lines = [(b.name or f"{b.low:g}–{b.high:g} Hz", level) for b, level in bands]
            lines += [(name, amplitude(trend, i)) for i, name in enumerate(names)]
            unit = f"{method.display.unit(symbol).symbol} rms"
            title = "Level"
            if not lines:
                lines, title, unit = [("rms of the frames", trend.rms)], "Rms", symbol
        self.below.show_lines(trend.time, lines, title, unit)

    def hideEvent(self, event: object) -> None:
        super().hideEvent(event)  # type: ignore[arg-type]
        self._trends.want(False)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self._trends.want(True)
