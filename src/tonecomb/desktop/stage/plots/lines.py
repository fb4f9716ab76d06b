"""Named lines over one axis, told apart by colour and dash."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal

from tonecomb.core.estimate.reduce import reduce_curve
from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import PAPER, Theme
from tonecomb.desktop.stage.plots.labelled_lines import Uprights

_STYLES = (
    (Qt.PenStyle.SolidLine, "━━"),
    (Qt.PenStyle.DashLine, "╍╍"),
    (Qt.PenStyle.DotLine, "┅┅"),
    (Qt.PenStyle.DashDotLine, "━╍"),
)


_WORDS = 40  # pixels that words over upright lines take


class LinesPlot(Plot):
    """Lines over a quantity, which is time in s unless another is named. ``pointed`` carries
    where the cursor is across, None when it left; ``clicked`` where a click was."""

    pointed = pyqtSignal(object)
    clicked = pyqtSignal(float)

    def __init__(self, across: str = "Time", unit: str = "s") -> None:
        super().__init__()
        self._across_unit = unit
        self._theme: Theme = PAPER
        self.across: Array = np.zeros(0)
        self.lines: list[tuple[str, Array]] = []
        self._unit = ""
        self._curves: list[pg.PlotCurveItem] = []
        self.time_line = pg.InfiniteLine(angle=90)
        self.time_line.hide()
        self.addItem(self.time_line, ignoreBounds=True)
        self.set_label("bottom", f"{across}, {unit}" if unit else across)
        self.box.dragged.connect(self._dragged)
        self.box.sigXRangeChanged.connect(self._draw)
        self.box.sigResized.connect(self._draw)
        self.box.show_all.connect(self.fit)
        self.uprights = Uprights(self, self._drawn)
        self.scene().sigMouseClicked.connect(self._clicked)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._theme = theme
        self.time_line.setPen(pg.mkPen(theme.quiet, style=Qt.PenStyle.DashLine))
        self.uprights.set_theme(theme)
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
        self, across: Array, lines: list[tuple[str, Array]], title: str, unit: str
    ) -> None:
        """Draw named lines; gaps are nan."""
        for item in self._curves:
            self.removeItem(item)
        self._curves = []
        names = [name for name, _ in lines]
        same = len(across) == len(self.across) and names == [name for name, _ in self.lines]
        self.across, self.lines, self._unit = across, lines, unit
        for _line in lines:
            curve = pg.PlotCurveItem(connect="finite")
            self.addItem(curve, ignoreBounds=True)
            self._curves.append(curve)
        self._draw()
        self._pens()
        self.set_label("left", f"{title}, {unit}" if unit else title)
        self.show_scales(bool(lines) and len(across) > 0)
        if not same:
            self.fit()

    def _draw(self, *moved: object) -> None:
        """No more points than the view can show: long lines take long to paint."""
        low, high = self.box.viewRange()[0]
        for curve, (_, values) in zip(self._curves, self.lines, strict=True):
            x, y = self.across, values
            if len(x) > 4 * self.columns and np.isfinite(y[1:]).all():
                x, y = reduce_curve(x, y, low, high, self.columns)
            curve.setData(x, y)

    def show_places(self, places: Sequence[tuple[float, str]]) -> None:
        """Upright lines at places across, each with a word."""
        room = bool(places) != bool(self.uprights.lines)
        self.uprights.show(places)
        if room:
            self.fit()

    def _drawn(self) -> list[tuple[Array, Array]]:
        return [curve.getData() for curve in self._curves if curve.xData is not None]

    def fit(self) -> None:
        """All values."""
        values = [v[np.isfinite(v)] for _, v in self.lines]
        every = np.concatenate(values) if values else np.zeros(0)
        if len(every):
            low, high = float(every.min()), float(every.max())
            room = 0.08 * (high - low) or 0.05 * abs(high) or 1.0
            top = 1.5 * room
            taken = 0 if self.legend.isHidden() else self.legend.height() + 16
            if self.uprights.lines:  # room for their words
                taken = max(taken, _WORDS)
            share = min(taken / max(self.height(), 1), 0.5)
            top = max(top, share / (1 - share) * (high - low + room))
            self.box.setYRange(low - room, high + top, padding=0)

    def _dragged(self, start: QPointF, end: QPointF, finished: bool) -> None:
        pixel = self.box.viewPixelSize()[0]
        if finished and abs(end.x() - start.x()) > 4 * pixel:
            self.box.setXRange(*sorted((start.x(), end.x())), padding=0)

    def _clicked(self, event: object) -> None:
        place = event.scenePos()  # type: ignore[attr-defined]
        left = event.button() == Qt.MouseButton.LeftButton  # type: ignore[attr-defined]
        if left and self.box.sceneBoundingRect().contains(place):
            self.clicked.emit(float(self.box.mapSceneToView(place).x()))

    def show_cursor(self, place: float | None) -> None:
        """A line at a place, and what the lines are there."""
        self.time_line.setVisible(place is not None and len(self.across) > 0)
        if place is None or not len(self.across):
            self.say("")
            return
        self.time_line.setPos(place)
        at = int(np.argmin(np.abs(self.across - place)))
        parts = [f"{self.across[at]:.4g} {self._across_unit}".rstrip()]
        for name, values in self.lines[:4]:
            figure = "–" if math.isnan(values[at]) else f"{values[at]:.5g} {self._unit}".rstrip()
            parts.append(f"{name}: {figure}" if len(self.lines) > 1 else figure)
        self.say((" · " if len(parts) < 3 else "\n").join(parts).replace("-", "−"))

    def hover(self, place: QPointF | None) -> None:
        self.pointed.emit(None if place is None else float(place.x()))
