"""The spectrum with its peaks."""

from __future__ import annotations

import math
from html import escape

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QGraphicsRectItem, QLabel

from tonecomb.core.analysis import Analysis
from tonecomb.core.errors import UserError
from tonecomb.core.peaks import Peak
from tonecomb.core.recording import Array
from tonecomb.core.reduce import reduce_curve
from tonecomb.core.spectrum import level_label, to_decibels
from tonecomb.core.units import conversion, unit
from tonecomb.desktop.held import Shown
from tonecomb.desktop.stage.plot import AXIS_WIDTH, Plot
from tonecomb.desktop.theme import Theme, font
from tonecomb.formats.report.figures import SpectrumView as FigureView

_PER_UNIT = ("amplitude", "amplitude-density")  # scalings in the unit, not in its square
_LABELS = 14
_SNAP = 10  # pixels to each side in which the readout looks for the highest point
_BOX_FROM = 40  # pixels of height from which a drag zooms the level as well
_FLOOR_DB = 12  # shown below the lowest hundredth of the curve


class SpectrumView(Plot):
    """Drag over a range to zoom into it; the readout snaps to the highest point near the cursor.

    ``display_changed`` is emitted when the axes' kinds change.
    """

    display_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.log_frequency, self.decibels = False, True
        self._analysis: Analysis | None = None
        self._values: Array = np.zeros(0)
        self._chosen: Peak | None = None
        self._held: list[Shown] = []
        self._held_curves: list[pg.PlotCurveItem] = []
        self._theme: Theme | None = None
        self.legend = QLabel(self)
        self.legend.setObjectName("readout")
        self.legend.setFont(font(9))
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.legend.move(AXIS_WIDTH + 8, 10)
        self.legend.hide()
        self._curve = pg.PlotCurveItem()
        self._marks = pg.ScatterPlotItem(size=7, pxMode=True)
        self._ring = pg.ScatterPlotItem(size=15, pxMode=True)
        self._spot = pg.ScatterPlotItem(size=7, pxMode=True)
        self._texts = [pg.TextItem(anchor=(0.5, 1.1)) for _ in range(_LABELS)]
        self._zoom = QGraphicsRectItem()
        self._zoom.hide()
        for item in (self._zoom, self._curve, self._marks, self._ring, self._spot, *self._texts):
            self.addItem(item, ignoreBounds=True)
        for marks in (self._marks, self._ring, self._spot):
            marks.setZValue(5)  # over the labels
        for text in self._texts:
            text.setFont(font(9, QFont.Weight.Medium))
            text.hide()
        self.box.dragged.connect(self._dragged)
        self.box.show_all.connect(self.show_all)
        self.box.sigRangeChanged.connect(self._draw)
        self.box.sigResized.connect(self._draw)
        self.set_label("bottom", "Frequency, Hz")

    def paint_items(self, theme: Theme) -> None:
        self._theme = theme
        self.show_held(self._held)
        self._curve.setPen(pg.mkPen(theme.traces[0]))
        self._marks.setPen(pg.mkPen(None))
        self._marks.setBrush(pg.mkBrush(theme.accent))
        self._ring.setPen(pg.mkPen(theme.accent, width=2))
        self._ring.setBrush(pg.mkBrush(None))
        self._spot.setPen(pg.mkPen(theme.raised))
        self._spot.setBrush(pg.mkBrush(theme.ink))
        for text in self._texts:
            text.setColor(theme.accent)
            ground = pg.mkColor(theme.raised)
            ground.setAlpha(170)
            text.fill = pg.mkBrush(ground)
        zoom = pg.mkColor(theme.second)
        self._zoom.setPen(pg.mkPen(zoom))
        zoom.setAlpha(30)
        self._zoom.setBrush(zoom)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Draw an analysis; the zoom stays unless the axis or the scaling changed."""
        before, self._analysis = self._analysis, analysis
        if analysis is None:
            self._values = np.zeros(0)
            self._chosen = None
            self.set_label("left", "")
            self._draw()
            return
        if self._chosen is not None and self._chosen not in (analysis.peaks or ()):
            self._chosen = None
        self._take_values()
        same_axis = (
            before is not None
            and before.recording_id == analysis.recording_id
            and before.fs == analysis.fs
        )
        if not same_axis:
            self._limit_axis()
            self.show_all()
        elif before is not None and (
            before.values_unit != analysis.values_unit
            or before.method.channel != analysis.method.channel
        ):
            self._fit_level()
        self._draw()

    def show_held(self, held: list[Shown]) -> None:
        """Draw these traces behind the current one, in the current scaling."""
        self._held = held
        for curve in self._held_curves:
            self.removeItem(curve)
        self._held_curves = []
        if self._theme is None:
            return
        traces = self._theme.traces
        for one in held:
            curve = pg.PlotCurveItem(pen=pg.mkPen(traces[one.colour]))
            curve.setZValue(-2)
            self._held_curves.append(curve)
            self.addItem(curve, ignoreBounds=True)
        names = [(traces[0], "now")] + [(traces[one.colour], one.trace.name) for one in held]
        self.legend.setText(
            "<br>".join(f"<span style='color:{c}'>━</span> {escape(name)}" for c, name in names)
        )
        self.legend.adjustSize()
        self.legend.setVisible(bool(held))
        self._draw_held()

    def _draw_held(self) -> None:
        analysis = self._analysis
        for one, curve in zip(self._held, self._held_curves, strict=True):
            values = self._values_of(one.analysis) if analysis is not None else None
            curve.setVisible(values is not None)
            if values is None:
                continue
            low, high = self.limits()
            frequency = one.analysis.spectrum.frequency
            x, y = reduce_curve(frequency, values, low, high, self.columns, log=self.bottom.log)
            curve.setData(np.log10(x) if self.bottom.log else x, y)

    def _values_of(self, other: Analysis) -> Array | None:
        """Another trace in the scaling and unit of the current one; None where it measures
        something else."""
        assert self._analysis is not None
        method, symbol = self._analysis.method, unit(self._analysis.channel.unit)
        try:
            size = conversion(other.channel.unit, symbol.symbol)
        except UserError:
            return None
        values = other.spectrum.values(method.scaling, method.level)
        values = values * (size if method.scaling in _PER_UNIT else size**2)
        if not self.decibels:
            return values
        return to_decibels(np.maximum(values, np.finfo(float).tiny), method.scaling, symbol)

    @property
    def _left_edge(self) -> int:
        """Where the readout stands at the left: beside the names of the held traces."""
        return AXIS_WIDTH + 8 + (self.legend.width() + 8 if self.legend.isVisible() else 0)

    def set_display(self, *, log_frequency: bool, decibels: bool) -> None:
        """Choose the kinds of the axes; the shown frequencies stay."""
        low, high = self.limits()
        level_changes = decibels != self.decibels
        axis_changes = log_frequency != self.log_frequency
        self.log_frequency, self.decibels = log_frequency, decibels
        self.bottom.log = log_frequency
        self._take_values()
        if axis_changes and self._analysis is not None:
            self._limit_axis()
            self.set_limits(low, high)
        if level_changes:
            self._fit_level()
        self._draw()
        self.display_changed.emit()

    def set_stale(self, stale: bool) -> None:
        """Fade what is drawn while it is no longer what the method line says."""
        for item in (self._curve, self._marks, self._ring, *self._texts):
            item.setOpacity(0.3 if stale else 1.0)

    def figure_view(self) -> FigureView:
        """The axes as they are now, for a picture."""
        low, high = self.limits()
        (bottom, top) = self.box.viewRange()[1]
        return FigureView(self.log_frequency, self.decibels, low, high, bottom, top)

    def show_all(self) -> None:
        """The whole frequency axis and all levels."""
        if self._analysis is not None:
            self.set_limits(0.0, float(self._analysis.spectrum.frequency[-1]))
            self._fit_level()

    def limits(self) -> tuple[float, float]:
        """The shown frequency range in Hz."""
        low, high = self.box.viewRange()[0]
        return (10**low, 10**high) if self.bottom.log else (float(low), float(high))

    def set_limits(self, low: float, high: float) -> None:
        """Show the frequencies ``low`` to ``high`` in Hz."""
        if self.bottom.log and self._analysis is not None:
            low = max(low, self._analysis.spectrum.bin_hz)
        self.box.setXRange(self._place(low), self._place(high), padding=0)

    def level_limits(self) -> tuple[float, float]:
        """The shown range of levels, as the upright axis has it."""
        low, high = self.box.viewRange()[1]
        return float(low), float(high)

    def set_level_limits(self, low: float, high: float) -> None:
        self.box.setYRange(low, high, padding=0)

    def centre_on(self, peak: Peak) -> None:
        """Bring a peak to the middle, zooming in where the view is too wide for that."""
        if self._analysis is None:
            return
        self._chosen = peak
        low, high = self.limits()
        half = min((high - low) / 2, 60 * self._analysis.resolution.separable_hz)
        half = min(half, peak.tone.frequency, self._analysis.fs / 2 - peak.tone.frequency)
        half = max(half, 4 * self._analysis.resolution.separable_hz)
        self.set_limits(peak.tone.frequency - half, peak.tone.frequency + half)
        self._draw()

    def _place(self, frequency: float) -> float:
        return math.log10(max(frequency, 1e-12)) if self.bottom.log else frequency

    def _take_values(self) -> None:
        analysis = self._analysis
        if analysis is None:
            return
        method, symbol = analysis.method, unit(analysis.channel.unit)
        values = analysis.values
        if self.decibels:
            values = to_decibels(np.maximum(values, np.finfo(float).tiny), method.scaling, symbol)
        self._values = values
        self.set_label("left", level_label(method.scaling, method.level, symbol, self.decibels))

    def _limit_axis(self) -> None:
        assert self._analysis is not None
        spectrum = self._analysis.spectrum
        low = self._place(spectrum.bin_hz if self.bottom.log else 0.0)
        high = self._place(float(spectrum.frequency[-1]))
        smallest = (high - low) * 1e-3 if self.bottom.log else 4 * spectrum.bin_hz
        self.box.setLimits(
            xMin=low, xMax=high, minXRange=min(smallest, high - low), maxXRange=high - low
        )

    def _fit_level(self) -> None:
        """Levels from the floor to the highest point, with room for labels."""
        values = self._values[1:][np.isfinite(self._values[1:])]
        if not len(values):
            return
        top = float(values.max())
        if self.decibels:
            low = max(float(np.percentile(values, 1)) - _FLOOR_DB, top - 240)
            self.box.setYRange(low, top + 0.12 * (top - low), padding=0)
        else:
            self.box.setYRange(0, 1.14 * top or 1.0, padding=0)

    def _draw(self, *_: object) -> None:
        analysis = self._analysis
        shown = analysis is not None and len(self._values) > 0
        for item in (self._curve, self._marks, self._ring):
            item.setVisible(shown)
        self.show_scales(shown)
        if not shown or analysis is None:
            for text in self._texts:
                text.hide()
            self._spot.hide()
            return
        low, high = self.limits()
        frequency = analysis.spectrum.frequency
        x, y = reduce_curve(frequency, self._values, low, high, self.columns, log=self.bottom.log)
        self._curve.setData(np.log10(x) if self.bottom.log else x, y)
        self._draw_held()
        marks = [(peak, self._level_at(peak)) for peak in analysis.peaks or ()]
        self._marks.setData(
            [self._place(peak.tone.frequency) for peak, _ in marks], [level for _, level in marks]
        )
        ring = [mark for mark in marks if mark[0] is self._chosen]
        self._ring.setData(
            [self._place(peak.tone.frequency) for peak, _ in ring], [level for _, level in ring]
        )
        self._label(marks)

    def _level_at(self, peak: Peak) -> float:
        """Top of the curve at a peak: its highest bin."""
        assert self._analysis is not None
        at = round(peak.tone.frequency / self._analysis.spectrum.bin_hz)
        return float(self._values[max(at - 1, 0) : at + 2].max())

    def _label(self, marks: list[tuple[Peak, float]]) -> None:
        """Frequencies over the highest peaks in view, without overlaps; the chosen one first."""
        low, high = self.limits()
        visible = [mark for mark in marks if low <= mark[0].tone.frequency <= high]
        visible.sort(key=lambda mark: (mark[0] is not self._chosen, -mark[0].level))
        taken: list[QRectF] = []
        bottom, top = self.level_limits()
        for peak, level in visible:
            text = self._texts[len(taken)]
            text.setText(f"{peak.tone.frequency:.2f}")
            place = self.box.mapViewToDevice(QPointF(self._place(peak.tone.frequency), level))
            if place is None or not bottom <= level <= top:
                continue
            size = text.boundingRect()
            # Near an end of the axis the label leans inward.
            half, height = size.width() / 2, size.height()
            frame = self.box.sceneBoundingRect()
            lean = min(max(place.x(), frame.left() + half), frame.right() - half) - place.x()
            area = QRectF(place.x() + lean - half, place.y() - 1.1 * height, 2 * half, height)
            if any(area.intersects(other) for other in taken):
                continue
            taken.append(area)
            text.setAnchor((0.5 - lean / (2 * half), 1.1))
            text.setPos(self._place(peak.tone.frequency), level)
            text.show()
            if len(taken) == _LABELS:
                break
        for text in self._texts[len(taken) :]:
            text.hide()

    def labelled(self) -> list[str]:
        """The labels that stand in the picture now."""
        return [text.toPlainText() for text in self._texts if text.isVisible()]

    def _dragged(self, start: QPointF, end: QPointF, finished: bool) -> None:
        first, second = (self.box.mapViewToDevice(p) for p in (start, end))
        both = first is not None and second is not None
        tall = both and abs(first.y() - second.y()) > _BOX_FROM
        wide = both and abs(first.x() - second.x()) > 4
        bottom, top = self.level_limits()
        if tall:
            bottom, top = sorted((start.y(), end.y()))
        left, right = sorted((start.x(), end.x()))
        self._zoom.setRect(left, bottom, right - left, top - bottom)
        self._zoom.setVisible(not finished and self._analysis is not None)
        if finished and wide and self._analysis is not None:
            self.box.setXRange(left, right, padding=0)
            if tall:
                self.set_level_limits(bottom, top)

    def hover(self, place: QPointF | None) -> None:
        analysis = self._analysis
        if place is None or analysis is None or not len(self._values):
            self._spot.hide()
            self.say("")
            return
        pixel = self.box.viewPixelSize()[0] * _SNAP
        ends = (place.x() - pixel, place.x() + pixel)
        if self.bottom.log:
            ends = (10 ** ends[0], 10 ** ends[1])
        frequency = analysis.spectrum.frequency
        first = int(np.searchsorted(frequency, ends[0]))
        last = int(np.searchsorted(frequency, ends[1], side="right"))
        if last <= first:  # zoomed in so far that no bin is near: take the nearest
            centre = 10 ** place.x() if self.bottom.log else place.x()
            first = min(max(round(centre / analysis.spectrum.bin_hz), 0), len(frequency) - 1)
            last = first + 1
        at = first + int(np.argmax(self._values[first:last]))
        self._spot.setData([self._place(float(frequency[at]))], [float(self._values[at])])
        self._spot.show()
        self.say(f"{self._frequency_text(at)} · {self._value_text(at)}")

    def _frequency_text(self, at: int) -> str:
        assert self._analysis is not None
        digits = max(0, 1 - math.floor(math.log10(self._analysis.spectrum.bin_hz)))
        return f"{self._analysis.spectrum.frequency[at]:.{digits}f} Hz"

    def _value_text(self, at: int) -> str:
        assert self._analysis is not None
        linear = f"{self._analysis.values[at]:.4g} {self._analysis.values_unit}"
        if not self.decibels:
            return linear
        return f"{self._values[at]:.1f} dB".replace("-", "−") + f" · {linear}"

    def keyPressEvent(self, ev: object) -> None:
        # Keys belong to the bench's actions, not to the plot.
        ev.ignore()  # type: ignore[attr-defined]
