"""What a transfer function is drawn by: curves over frequency, the circle, poles of rising order,
and shapes that swing."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from tonecomb.core.estimate.reduce import reduce_curve
from tonecomb.core.modal.modes import Modes
from tonecomb.core.modal.poles import Complex, Pole
from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import PAPER, Theme
from tonecomb.desktop.stage.plots.comb_lines import CombLines
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot
from tonecomb.desktop.stage.plots.labelled_lines import Uprights


@dataclass(frozen=True, eq=False)
class ResponseCurve:
    """Values (bins,) of an answer by its ``name``; between ``low`` and ``high`` it is known, nan or
    None where that is not; ``dashed`` is what a fit makes of it, at ``places`` (Hz)."""

    name: str
    values: Array
    low: Array | None = None
    high: Array | None = None
    places: Array | None = None
    dashed: Array | None = None


class ResponsePlot(FrequencyPlot):
    """Curves of all answers over frequency, the ``chosen`` one before the others."""

    def __init__(self) -> None:
        super().__init__()
        self.combs = CombLines(self)
        self.chosen = 0
        self.curves: Sequence[ResponseCurve] = ()
        self.frequency: Array = np.zeros(0)
        self._theme, self._unit, self._limits = PAPER, "", (0.0, 0.0)
        self._lines: list[pg.PlotCurveItem] = []
        self._fits: list[pg.PlotCurveItem] = []
        self._band = [pg.PlotCurveItem(connect="finite") for _ in range(2)]
        self._between = pg.FillBetweenItem(*self._band)
        self._between.setZValue(-3)
        self.addItem(self._between, ignoreBounds=True)
        self.floor = pg.InfiniteLine(angle=0)
        self.floor.hide()
        self.addItem(self.floor, ignoreBounds=True)
        self.box.sigRangeChanged.connect(self._draw)
        self.box.sigResized.connect(self._draw)
        self.box.show_all.connect(self.fit)
        self.marks = Uprights(self, self._drawn, Qt.PenStyle.DotLine)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._theme = theme
        self.combs.set_theme(theme)
        self.marks.set_theme(theme)
        self.floor.setPen(pg.mkPen(theme.quiet, style=Qt.PenStyle.DashLine))
        self._pens()

    def _pens(self) -> None:
        theme = self._theme
        for i, line in enumerate(self._lines):
            colour = pg.mkColor(theme.traces[i % len(theme.traces)])
            colour.setAlpha(255 if i == self.chosen else 110)
            line.setPen(pg.mkPen(colour, width=1.6 if i == self.chosen else 1.0))
        for fit in self._fits:
            fit.setPen(pg.mkPen(theme.second, width=1.4, style=Qt.PenStyle.DashLine))
        fill = pg.mkColor(theme.traces[self.chosen % len(theme.traces)])
        fill.setAlpha(46)
        self._between.setBrush(fill)

    def show_curves(
        self,
        frequency: Array,
        curves: Sequence[ResponseCurve],
        title: str,
        unit: str,
        limits: tuple[float, float] = (0.0, 0.0),
    ) -> None:
        """Draw curves at ``frequency`` (Hz); the axis goes over ``limits`` where they differ."""
        fresh = [c.name for c in curves] != [c.name for c in self.curves] or title != self.label
        self.frequency, self.curves, self._unit, self._limits = frequency, curves, unit, limits
        for item in (*self._lines, *self._fits):
            self.removeItem(item)
        self._lines = [pg.PlotCurveItem(connect="finite") for _ in curves]
        self._fits = [pg.PlotCurveItem(connect="finite") for c in curves if c.dashed is not None]
        for item in (*self._lines, *self._fits):
            self.addItem(item, ignoreBounds=True)
        self.label = title
        self.set_label("left", f"{title}, {unit}" if unit else title)
        self._pens()
        self.show_scales(bool(curves))
        if not curves:
            self._between.hide()
            self.floor.hide()
            self.tell([])
            self.show_marks(())
        if fresh:
            self.fit()
        self._draw()

    label = ""

    def show_marks(self, places: Sequence[tuple[float, str]]) -> None:
        """Upright lines at frequencies (Hz), with words."""
        self.marks.show([(self.place(frequency), text) for frequency, text in places])

    def _drawn(self) -> list[tuple[Array, Array]]:
        items = (*self._lines, *self._fits)
        return [item.getData() for item in items if item.xData is not None]

    def fit(self) -> None:
        """All values that are in view."""
        if self._limits[1] > self._limits[0]:
            self.box.setYRange(*self._limits, padding=0)
            return
        low, high = self.limits()
        inside = (self.frequency >= max(low, 1e-9)) & (self.frequency <= high)
        values = [c.values[inside] for c in self.curves]
        every = np.concatenate(values) if values else np.zeros(0)
        every = every[np.isfinite(every)]
        if len(every):
            bottom, top = float(np.percentile(every, 0.5)), float(every.max())
            room = 0.08 * (top - bottom) or 0.1 * abs(top) or 1.0
            self.box.setYRange(bottom - room, top + 2.2 * room, padding=0)

    def _reduced(self, x: Array, y: Array) -> tuple[Array, Array]:
        low, high = self.limits()
        fx, fy = reduce_curve(x, y, low, high, self.columns, log=self.bottom.log)
        keep = fx > 0 if self.bottom.log else np.ones(len(fx), bool)
        return self.places(fx[keep]), fy[keep]

    def _draw(self, *_: object) -> None:
        if not self.curves:
            return
        fits = iter(self._fits)
        for line, curve in zip(self._lines, self.curves, strict=True):
            line.setData(*self._reduced(self.frequency, curve.values))
            if curve.dashed is not None and curve.places is not None:
                next(fits).setData(*self._reduced(curve.places, curve.dashed))
        chosen = self.curves[min(self.chosen, len(self.curves) - 1)]
        known = chosen.low is not None and chosen.high is not None
        self._between.setVisible(known)
        if chosen.low is not None and chosen.high is not None:
            for item, edge in zip(self._band, (chosen.low, chosen.high), strict=True):
                item.setData(*self._reduced(self.frequency, edge))

    def hover(self, place: QPointF | None) -> None:
        if place is None or not self.curves or not len(self.frequency):
            self.say("")
            return
        first, last = self.near(place, self.frequency)
        at = min(max((first + last) // 2, 0), len(self.frequency) - 1)
        step = float(self.frequency[1] - self.frequency[0])
        parts = [self.frequency_text(float(self.frequency[at]), step)]
        for curve in self.curves[:4]:
            value = f"{curve.values[at]:.4g} {self._unit}".rstrip()
            parts.append(f"{curve.name}: {value}" if len(self.curves) > 1 else value)
        self.say("\n".join(parts).replace("-", "−") if len(parts) > 2 else " · ".join(parts))


class LadderPlot(FrequencyPlot):
    """Poles of models of rising order, each as a bar as wide as its half-power bandwidth: where a
    mode is, bars of one width stand over each other."""

    def __init__(self) -> None:
        super().__init__()
        self.combs = CombLines(self)
        self.poles: tuple[Pole, ...] = ()
        self._theme = PAPER
        self.set_label("left", "Order of the model")
        self._bars = _Bars(self)
        self.addItem(self._bars, ignoreBounds=True)
        self.box.show_all.connect(self.fit)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._theme = theme
        self.combs.set_theme(theme)
        self._bars.theme = theme
        self._bars.update()

    def show_modes(self, modes: Modes | None) -> None:
        """Draw the poles of all orders; none for None."""
        self.poles = () if modes is None else modes.poles
        self.show_scales(bool(self.poles))
        self._bars.poles = self.poles
        self._bars.update()
        self.fit()

    def fit(self) -> None:
        """All orders."""
        most = max((one.order for one in self.poles), default=10)
        self.box.setYRange(0, most + 2, padding=0)

    def hover(self, place: QPointF | None) -> None:
        if place is None or not self.poles:
            self.say("")
            return
        hertz = 10 ** place.x() if self.bottom.log else place.x()
        order = round(place.y())
        near = [one for one in self.poles if abs(one.order - order) <= 1]
        if near:
            one = min(near, key=lambda pole: abs(pole.frequency - hertz))
            stays = "stays" if one.stable else "does not stay"
            self.say(
                f"order {one.order}: {one.frequency:.3f} Hz, damping "
                f"{100 * one.damping:.3g} %, {stays}"
            )


class _Bars(pg.GraphicsObject):
    def __init__(self, plot: LadderPlot) -> None:
        super().__init__()
        self._plot = plot
        self.poles: tuple[Pole, ...] = ()
        self.theme = PAPER

    def boundingRect(self) -> QRectF:
        return self.viewRect() or QRectF()

    def viewTransformChanged(self) -> None:
        super().viewTransformChanged()
        self.prepareGeometryChange()

    def paint(self, painter: QPainter, *_: Any) -> None:
        view = self.viewRect()
        if view is None:
            return
        least = 3 * (self.pixelLength(pg.Point(1, 0)) or 0.0)
        for one in self.poles:
            half = one.decay / (2 * math.pi)
            left, right = (self._plot.place(max(one.frequency + s * half, 1e-6)) for s in (-1, 1))
            middle, wide = (left + right) / 2, max(right - left, least)
            if middle + wide < view.left() or middle - wide > view.right():
                continue
            area = QRectF(middle - wide / 2, one.order - 0.32, wide, 0.64)
            if one.stable:
                painter.fillRect(area, QColor(self.theme.second))
            else:
                pen = QPen(QColor(self.theme.lines))
                pen.setCosmetic(True)
                painter.setPen(pen)
                painter.drawRect(area)


class CirclePlot(Plot):
    """Imaginary over real part, with equal axes; a mode is a circle."""

    def __init__(self) -> None:
        super().__init__()
        self._curves: list[pg.PlotCurveItem] = []
        self._dots = pg.ScatterPlotItem(size=8, pxMode=True)
        self.addItem(self._dots)
        self.box.setAspectLocked(True)
        self._theme, self._chosen = PAPER, 0
        self.box.show_all.connect(lambda: self.box.autoRange())

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._theme = theme
        self._dots.setBrush(pg.mkBrush(theme.second))
        self._dots.setPen(pg.mkPen(None))
        for i, curve in enumerate(self._curves):
            shade = pg.mkColor(theme.traces[i % len(theme.traces)])
            shade.setAlpha(255 if i == self._chosen else 90)
            curve.setPen(pg.mkPen(shade, width=1.6 if i == self._chosen else 1.0))

    def show_curves(self, curves: Sequence[Complex], chosen: int, dots: Complex, unit: str) -> None:
        """Draw complex curves (bins,), and dots on the chosen one."""
        for item in self._curves:
            self.removeItem(item)
        self._curves, self._chosen = [], chosen
        for values in curves:
            good = values[np.isfinite(values)]
            item = pg.PlotCurveItem()
            item.setData(good.real, good.imag)
            self.addItem(item)
            self._curves.append(item)
        self._dots.setData(dots.real, dots.imag)
        self.set_label("bottom", f"Real part, {unit}")
        self.set_label("left", f"Imaginary part, {unit}")
        self.show_scales(bool(curves))
        self.set_theme(self._theme)
        self.box.autoRange()
