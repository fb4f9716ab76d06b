"""The spectrum with its peaks, held traces and confidence band."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QGraphicsRectItem, QWidget

from tonecomb.core.analysis import Analysis
from tonecomb.core.errors import UserError
from tonecomb.core.estimate.compare import alike, in_unit_of
from tonecomb.core.estimate.confidence import band_db
from tonecomb.core.estimate.display import Curve
from tonecomb.core.estimate.reduce import reduce_curve
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method import Resolution
from tonecomb.core.record.recording import Array
from tonecomb.desktop.edits.held import Shown
from tonecomb.desktop.kit.theme import PAPER, Theme
from tonecomb.desktop.stage.cell import ResolutionCell
from tonecomb.desktop.stage.comb_lines import CombLines
from tonecomb.desktop.stage.frame_curves import FrameCurves
from tonecomb.desktop.stage.frequency import FrequencyPlot
from tonecomb.desktop.stage.peak_marks import PeakMarks
from tonecomb.formats.report.figures import Other
from tonecomb.formats.report.figures import SpectrumView as FigureView

_BOX_FROM = 40  # pixels of height from which a drag zooms the level as well
_FLOOR_DB = 12  # shown below the lowest hundredth of the curve
_FIGURES = 26  # pixels over the highest peak
_BAND = "95 % band"


class SpectrumView(FrequencyPlot):
    """Drag over a range to zoom into it; the readout snaps to the highest point near the cursor.

    A tooth of a comb can be dragged: ``tooth_dragged`` carries the comb's index, the tooth's
    number, where it is in Hz, and whether it was let go. ``display_changed`` is emitted when the
    axes' kinds change, ``range_chosen`` with two frequencies (Hz) when a drag was to choose them
    (``choosing``); ``cursor`` is the frequency at which the readout stands, None when it
    stands nowhere.
    """

    display_changed = pyqtSignal()
    range_chosen = pyqtSignal(float, float)
    tooth_dragged = pyqtSignal(int, int, float, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.log_frequency, self.decibels, self.confidence = False, True, False
        self._analysis: Analysis | None = None
        self._drawn: Curve | None = None  # with levels as the upright axis has them
        self._chosen: Peak | None = None
        self._held: list[Shown] = []
        self._held_curves: list[pg.PlotCurveItem] = []
        self._theme: Theme | None = None
        self._curve = pg.PlotCurveItem()
        self._edges = (pg.PlotCurveItem(pen=None), pg.PlotCurveItem(pen=None))
        self._band = pg.FillBetweenItem(*self._edges)
        self._band.setZValue(-3)
        self._spot = pg.ScatterPlotItem(size=7, pxMode=True)
        self._fit = pg.PlotCurveItem(connect="finite")
        self._floor = pg.PlotCurveItem()
        self.floor = False
        self._fit.setZValue(3)
        self._zoom = QGraphicsRectItem()
        self._zoom.hide()
        for item in (
            *self._edges,
            self._band,
            self._zoom,
            self._curve,
            self._spot,
            self._fit,
            self._floor,
        ):
            self.addItem(item, ignoreBounds=True)
        self._spot.setZValue(5)
        self.always_cell = False
        self._colour = 0
        self.frames = FrameCurves(self, self._of_held, self._line)
        self.marks = PeakMarks(self)
        self.cell = ResolutionCell(self)
        self.combs = CombLines(self, numbers=True)
        self.cursor: float | None = None
        self._taken: tuple[int, int] | None = None
        self.choosing = False
        self.box.dragged.connect(self._dragged)
        self.box.show_all.connect(self.show_all)
        self.box.sigRangeChanged.connect(self._draw)
        self._fitted: tuple[float, float] | None = None
        self.box.sigResized.connect(self._fit_again)
        self.box.sigResized.connect(self._draw)

    def paint_items(self, theme: Theme) -> None:
        self._theme = theme
        self.show_held(self._held)
        self._curve.setPen(pg.mkPen(theme.traces[self._colour]))
        self._spot.setPen(pg.mkPen(theme.raised))
        self._spot.setBrush(pg.mkBrush(theme.ink))
        self._fit.setPen(pg.mkPen(theme.second, width=2))
        self._floor.setPen(pg.mkPen(theme.caution, width=1.5))
        self.frames.paint(theme)
        band = pg.mkColor(theme.traces[0])
        band.setAlpha(50)
        self._band.setBrush(band)
        self.marks.paint(theme)
        self.combs.paint_with(theme)
        self.cell.paint(theme)
        zoom = pg.mkColor(theme.second)
        self._zoom.setPen(pg.mkPen(zoom))
        zoom.setAlpha(30)
        self._zoom.setBrush(zoom)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Draw an analysis; the zoom stays unless the axis or the scaling changed."""
        before, self._analysis = self._analysis, analysis
        if analysis is None:
            self._drawn, self._chosen = None, None
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
        if self.main is not None:
            self.take_axis()
        elif not same_axis:
            self.limit_axis(analysis)
            self.show_all()
        elif before is not None and (
            before.label(self.decibels) != analysis.label(self.decibels)
            or before.method.source.channel != analysis.method.source.channel
        ):
            self._fit_level()
        self._draw()
        self.preview(None)

    def show_frame(self, analysis: Analysis | None) -> None:
        """Draw the spectrum of a single frame over the curve, none for None."""
        self.frames.frame = analysis
        self.frames.draw(self._analysis is not None)
        self._tell()

    def show_range(self, found: tuple[Analysis, ...] | None) -> None:
        """Draw the highest, the median and the lowest of all frames, none for None."""
        self.frames.range = found or ()
        self.frames.draw(self._analysis is not None)
        self._tell()

    def set_colour(self, number: int) -> None:
        """Draw the curve in this one of the trace colours."""
        self._colour = number
        if self._theme is not None:
            self._curve.setPen(pg.mkPen(self._theme.traces[number]))

    def show_held(self, held: list[Shown]) -> None:
        """Draw these traces behind the current one, in the current scaling."""
        self._held = held
        for curve in self._held_curves:
            self.removeItem(curve)
        self._held_curves = []
        if self._theme is None:
            return
        for one in held:
            curve = pg.PlotCurveItem(pen=pg.mkPen(self._theme.traces[one.colour]))
            curve.setZValue(-2)
            self._held_curves.append(curve)
            self.addItem(curve, ignoreBounds=True)
        self._draw_held()
        self._tell()

    def _tell(self) -> None:
        """Name what is drawn where there is more than the one trace."""
        if self._theme is None:
            return
        traces, lines = self._theme.traces, []
        limits = self._band_limits()
        frames = self.frames.told()
        if self._held or limits is not None or self.floor or frames:
            lines = [(traces[0], "now")]
        if limits is not None:
            low, high = (f"{limit:+.1f}".replace("-", "−") for limit in limits)
            lines[0] = (traces[0], f"now, {_BAND} {low} to {high} dB")
        if self.floor:
            lines.append((self._theme.caution, "noise floor"))
        lines += frames
        lines += [(traces[one.colour], one.trace.name) for one in self._held]
        self.tell(lines)
        self._fit_again()

    def _draw_held(self) -> None:
        for one, curve in zip(self._held, self._held_curves, strict=True):
            drawn = self._of_held(one.analysis) if self._analysis is not None else None
            curve.setVisible(drawn is not None)
            if drawn is not None:
                curve.setData(*self._line(drawn))

    def _of_held(self, other: Analysis) -> Curve | None:
        """Another trace as the current one is shown; None where it measures something else."""
        assert self._analysis is not None
        try:
            shown = in_unit_of(self._analysis, alike(self._analysis, other))
        except UserError:
            return None
        return self._on_axis(shown)

    def _on_axis(self, curve: Curve) -> Curve:
        if not self.decibels or self._analysis is None:
            return curve
        return Curve(curve.frequency, self._analysis.decibels(curve.values), curve.stepped)

    def _line(self, curve: Curve) -> tuple[Array, Array]:
        """What of a curve is in view, with as many points as can be seen."""
        low, high = self.limits()
        x, y = reduce_curve(*curve.outline(), low, high, self.columns, log=self.bottom.log)
        return self.places(x), y

    def set_display(self, *, log_frequency: bool, decibels: bool) -> None:
        """Choose the kinds of the axes; the shown frequencies stay."""
        if self.main is not None:
            self.log_frequency, self.decibels = log_frequency, decibels
            self._take_values()
            self.take_axis()
            self._draw()
            return
        low, high = self.limits()
        level_changes = decibels != self.decibels
        axis_changes = log_frequency != self.log_frequency
        self.log_frequency, self.decibels = log_frequency, decibels
        self.bottom.log = self.orders.log = log_frequency
        self._take_values()
        if axis_changes and self._analysis is not None:
            self.limit_axis(self._analysis)
            self.set_limits(low, high)
        if level_changes:
            self._fit_level()
        self._draw()
        self.display_changed.emit()

    def set_confidence(self, shown: bool) -> None:
        """Draw the band that holds the true spectrum with 95 % probability, or do not."""
        self.confidence = shown
        self._tell()
        self._draw()

    def set_floor(self, shown: bool) -> None:
        """Draw the noise floor that peaks are held against, or do not."""
        self.floor = shown
        self._tell()
        self._draw()

    def _draw_floor(self, analysis: Analysis) -> None:
        shown = self.floor and analysis.floor is not None and not analysis.curve.stepped
        shown = shown and analysis.method.shown.display.drawn == "bins"
        self._floor.setVisible(shown)
        if not shown or analysis.floor is None:
            return
        method = analysis.method
        noise = replace(analysis.spectrum, mean_square=analysis.floor)
        values = noise.values(method.shown.scaling, method.shown.level)
        self._floor.setData(*self._line(self._on_axis(Curve(noise.frequency, values, False))))

    def _band_limits(self) -> tuple[float, float] | None:
        return band_db(self._analysis) if self.confidence and self._analysis is not None else None

    def set_stale(self, stale: bool) -> None:
        """Fade what is drawn while it is no longer what the method line says."""
        for item in (self._curve, self._band, self._fit, self._floor, *self.marks.items):
            item.setOpacity(0.3 if stale else 1.0)

    def preview(self, resolution: Resolution | None) -> None:
        """Show what would be told apart; None when nothing is being tried."""
        if resolution is None and self.always_cell and self._analysis is not None:
            resolution = self._analysis.resolution
        centre = None if self._chosen is None else self._chosen.tone.frequency
        self.cell.show(resolution, centre)

    def figure_view(self) -> FigureView:
        """The axes as they are now, for a picture."""
        low, high = self.limits()
        (bottom, top) = self.box.viewRange()[1]
        others = tuple(
            Other(one.trace.name, one.analysis, PAPER.traces[one.colour]) for one in self._held
        )
        return FigureView(
            self.log_frequency, self.decibels, low, high, bottom, top, self.confidence, others
        )

    def show_all(self) -> None:
        """The whole frequency axis and all levels."""
        if self._analysis is not None:
            self.set_limits(0.0, float(self._analysis.spectrum.frequency[-1]))
            self._fit_level()

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

    def bring_into_view(self, frequency: float) -> None:
        """Move the view so that a frequency (Hz) is in it; the zoom stays."""
        low, high = self.limits()
        if low <= frequency <= high or self._analysis is None:
            return
        half = (high - low) / 2
        low = min(max(frequency - half, 0.0), self._analysis.fs / 2 - 2 * half)
        self.set_limits(low, low + 2 * half)

    def bring_range(self, low: float, high: float) -> None:
        """Have a range of frequencies (Hz) in view, with some room about it."""
        shown = self.limits()
        if self._analysis is not None and not (shown[0] <= low and high <= shown[1]):
            room = 0.1 * (high - low)
            self.set_limits(max(low - room, 0.0), min(high + room, self._analysis.fs / 2))

    def _take_values(self) -> None:
        analysis = self._analysis
        if analysis is None:
            return
        self._drawn = self._on_axis(analysis.curve)
        self.set_label("left", analysis.label(self.decibels))
        self._tell()

    def _fit_level(self) -> None:
        """Levels from the floor to the highest point, with room for labels."""
        if self._drawn is None:
            return
        values = self._drawn.values if self._drawn.stepped else self._drawn.values[1:]
        values = values[np.isfinite(values)]
        if self.decibels:
            values = values[values > -1000]  # what a low cut took has no level
        if not len(values):
            return
        top = float(values.max())
        if self.decibels:
            low = max(float(np.percentile(values, 1)) - _FLOOR_DB, top - 240)
            # Legend and figures over the highest peaks have room however low the view is.
            taken = _FIGURES + (0 if self.legend.isHidden() else self.legend.height())
            room = max(0.12, taken / max(self.box.height() - taken, taken))
            self.box.setYRange(low, top + room * (top - low), padding=0)
        else:
            self.box.setYRange(0, 1.14 * top or 1.0, padding=0)
        self._fitted = self.level_limits()

    def _fit_again(self, *_: object) -> None:
        """The room for labels changes with the height, unless levels were chosen."""
        if self.level_limits() == self._fitted:
            self._fit_level()

    def _draw(self, *_: object) -> None:
        analysis, drawn = self._analysis, self._drawn
        shown = analysis is not None and drawn is not None and len(drawn.values) > 0
        self._curve.setVisible(shown)
        self.show_scales(shown)
        if not shown or analysis is None or drawn is None:
            self.marks.hide()
            self._spot.hide()
            self._band.hide()
            self._fit.setData([], [])
            self._floor.hide()
            self.frames.draw(False)
            self.cell.show(None)
            return
        x, y = self._line(drawn)
        self._curve.setData(x, y)
        self._draw_band(x, y)
        self._draw_held()
        self.frames.draw(True)
        self._draw_fits(analysis)
        self._draw_floor(analysis)
        values = analysis.curve
        levels = [(peak, values.at(peak.tone.frequency)) for peak in analysis.peaks or ()]
        levels = [(peak, level) for peak, level in levels if np.isfinite(level)]
        if self.decibels and levels:
            tops = analysis.decibels(np.array([level for _, level in levels])).tolist()
            levels = [(peak, top) for (peak, _), top in zip(levels, tops, strict=True)]
        self.marks.show(levels, self._chosen)
        self.cell.place()

    def _draw_fits(self, analysis: Analysis) -> None:
        """What was fitted to resonances, over the data."""
        method = analysis.method
        x, y = [np.zeros(0)], [np.zeros(0)]
        for one in analysis.resonances if method.shown.display.drawn == "bins" else ():
            shown = replace(analysis.spectrum, frequency=one.fit_frequency, mean_square=one.fit)
            values = shown.values(method.shown.scaling, method.shown.level)
            x += [self.places(one.fit_frequency), np.array([np.nan])]
            y += [analysis.decibels(values) if self.decibels else values, np.array([np.nan])]
        self._fit.setData(np.concatenate(x), np.concatenate(y))

    def _draw_band(self, x: Array, y: Array) -> None:
        limits = self._band_limits()
        self._band.setVisible(limits is not None)
        if limits is None or self._analysis is None:
            return
        for edge, limit in zip(self._edges, limits, strict=True):
            if self.decibels:
                edge.setData(x, y + limit)
            else:
                part = 20 if self._analysis.scaling in ("amplitude", "amplitude-density") else 10
                edge.setData(x, y * 10 ** (limit / part))

    def refresh(self) -> None:
        """Draw anew: names of peaks may have changed."""
        self._draw()

    def labelled(self) -> list[str]:
        """The labels that stand in the picture now."""
        return self.marks.labelled()

    def _dragged(self, start: QPointF, end: QPointF, finished: bool) -> None:
        if self._taken is None and not self._zoom.isVisible() and not self.choosing:
            self._taken = self.combs.at(start)
        if self._taken is not None:
            place = 10 ** end.x() if self.bottom.log else end.x()
            self.tooth_dragged.emit(*self._taken, place, finished)
            self._taken = None if finished else self._taken
            return
        first, second = (self.box.mapViewToDevice(p) for p in (start, end))
        both = first is not None and second is not None and self.main is None
        tall = both and abs(first.y() - second.y()) > _BOX_FROM
        wide = both and abs(first.x() - second.x()) > 4
        bottom, top = self.level_limits()
        if tall and not self.choosing:
            bottom, top = sorted((start.y(), end.y()))
        left, right = sorted((start.x(), end.x()))
        self._zoom.setRect(left, bottom, right - left, top - bottom)
        self._zoom.setVisible(not finished and self._analysis is not None and self.main is None)
        if finished and self.choosing:
            self.choose_range(False)
            if wide:
                ends = (10**left, 10**right) if self.bottom.log else (max(left, 0.0), right)
                self.range_chosen.emit(*ends)
            return
        if finished and wide and self._analysis is not None:
            self.box.setXRange(left, right, padding=0)
            if tall:
                self.set_level_limits(bottom, top)

    def hover(self, place: QPointF | None) -> None:
        analysis, drawn = self._analysis, self._drawn
        self.cursor = None
        if place is None or analysis is None or drawn is None or not len(drawn.values):
            self._spot.hide()
            self.say("")
            return
        if drawn.stepped:
            self._spot.hide()
            cursor = 10 ** place.x() if self.bottom.log else place.x()
            at = int(np.searchsorted(drawn.frequency, cursor, side="right")) - 1
            if not 0 <= at < len(drawn.values):
                self.say("")
                return
            self.cursor = float(cursor)
            low, high = drawn.frequency[at : at + 2]
            self.say(f"{low:.4g}–{high:.4g} Hz · {self._value_text(at)}")
            return
        first, last = self.near(place, drawn.frequency)
        at = first + int(np.argmax(drawn.values[first:last]))
        frequency = self.cursor = float(drawn.frequency[at])
        self._spot.setData([self.place(frequency)], [float(drawn.values[at])])
        self._spot.show()
        where = self.frequency_text(frequency, analysis.spectrum.bin_hz)
        self.say(f"{where}{self.order_text(frequency)} · {self._value_text(at)}")

    def _value_text(self, at: int) -> str:
        assert self._analysis is not None and self._drawn is not None
        linear = f"{self._analysis.curve.values[at]:.4g} {self._analysis.values_unit}"
        if not self.decibels:
            return linear
        return f"{self._drawn.values[at]:.1f} dB".replace("-", "−") + f" · {linear}"

    def choose_range(self, wanted: bool) -> None:
        """Let the next drag choose a range of frequencies, or not."""
        self.choosing = wanted
        self.setCursor(Qt.CursorShape.SplitHCursor if wanted else Qt.CursorShape.ArrowCursor)

    def keyPressEvent(self, ev: object) -> None:
        # Keys belong to the bench's actions, not to the plot.
        ev.ignore()  # type: ignore[attr-defined]
