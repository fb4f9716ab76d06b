"""The spectrum with its peaks, held traces and confidence band."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtWidgets import QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.display import Curve
from tonecomb.core.estimate.reduce import reduce_curve
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.method import Resolution
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.compare import alike, in_unit_of
from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.edits.held import ShownTrace
from tonecomb.desktop.kit.plot import Trace
from tonecomb.desktop.kit.theme import PAPER, Theme
from tonecomb.desktop.stage.plots.comb_lines import CombLines
from tonecomb.desktop.stage.plots.curves import RANGE, CurveSet, NamedCurve, Pen, frame_name
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot
from tonecomb.desktop.stage.spectrum.alarm_lines import AlarmLines, levels_of
from tonecomb.desktop.stage.spectrum.cell import ResolutionCell
from tonecomb.desktop.stage.spectrum.edge_flags import EdgeFlags
from tonecomb.desktop.stage.spectrum.outlook import Outlook
from tonecomb.desktop.stage.spectrum.overlays import Overlays
from tonecomb.desktop.stage.spectrum.peak_marks import PeakMarks
from tonecomb.desktop.stage.spectrum.range_drag import RangeDrag
from tonecomb.formats.report.figures import DrawnSpectrum as FigureView
from tonecomb.formats.report.figures import OtherTrace

_FRAME, _ROW = Pen("second", 170), Pen("second", dotted=True)
_RANGE = (Pen("quiet", 150), Pen("quiet", 90), Pen("quiet", 150))

_OTHERS = 24  # traces beside the current one that are kept as they are shown


class SpectrumView(FrequencyPlot):
    """Drag over a range to zoom into it; the readout snaps to the highest point near the cursor.

    ``display_changed`` is emitted when the axes' kinds change; ``cursor`` is the frequency at
    which the readout stands, None when it stands nowhere.
    """

    display_changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.log_frequency, self.decibels = False, True
        self._analysis: Analysis | None = None
        self._drawn: Curve | None = None  # with levels as the upright axis has them
        self._others: deque[tuple[Analysis, Curve | None]] = deque(maxlen=_OTHERS)
        self._chosen: Peak | None = None
        self._theme: Theme | None = None
        self.curve, self.pale = Trace(), Trace()  # of bands, and of those that are too narrow
        self._spot = pg.ScatterPlotItem(size=7, pxMode=True)
        for item in (self.curve, self.pale, self._spot):
            self.addItem(item, ignoreBounds=True)
        self._spot.setZValue(5)
        self.always_cell = self._stale = False
        self._colour = 0
        self.overlays = Overlays(self, self._on_axis, self._line)
        self.filtered, self.liftered, self.ranges, self.frame, self.held = (
            CurveSet(self, self._of_held, self._line) for _ in range(5)
        )
        self._beside = (self.filtered, self.liftered, self.frame, self.ranges, self.held)
        self._single: Analysis | None = None  # the frame that is the plot's own curve
        self.row = Trace()  # of the spectrogram, under its cursor
        self.row.setZValue(-2)
        self.row.hide()
        self.addItem(self.row, ignoreBounds=True)
        self.combs = CombLines(self)
        self.marks = PeakMarks(self, self.combs, self._curves)
        self.cell = ResolutionCell(self)
        self.alarms = AlarmLines(
            self, lambda squares: levels_of(self._analysis, self.decibels, squares)
        )
        self.cursor: float | None = None
        self.drag = RangeDrag(self, self.combs)
        self.outlook = Outlook(self, lambda: self._drawn, lambda: self.decibels)
        self.beyond = EdgeFlags(self)
        self.box.show_all.connect(self.show_all)
        self._changing = False  # its axes, and it is drawn once they are changed
        for moved in (self.box.sigRangeChanged, self.box.sigResized):
            moved.connect(self._redraw)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._theme = theme
        _colour(self.curve, self.pale, theme.traces[self._colour])
        self._spot.setPen(pg.mkPen(theme.raised))
        self._spot.setBrush(pg.mkBrush(theme.ink))
        self.row.setPen(_ROW.of(theme))
        for curves in self._beside:
            curves.set_theme(theme)
        for part in (self.overlays, self.marks, self.drag, self.combs, self.alarms, self.cell):
            part.set_theme(theme)
        self._tell()

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Draw an analysis; the zoom stays unless the axis or the scaling changed."""
        before, self._analysis = self._analysis, analysis
        self.drag.active = analysis is not None
        if analysis is None:
            self._others.clear()
            self._drawn, self._chosen = None, None
            self.set_label("left", "")
            self.refresh()
            return
        if self._chosen is not None and self._chosen not in (analysis.peaks or ()):
            self._chosen = None
        self._changing = True
        self._take_values()
        if self.main is not None:
            self.take_axis()
        elif before is None or before.recording_id != analysis.recording_id:
            self.outlook.begin(analysis)
        else:
            self.outlook.go_on(before, analysis)
        self._changing = False
        self.refresh()
        self.preview(None)

    def show_frame(self, analysis: Analysis | None, *, alone: bool = False) -> None:
        """Draw the spectrum of a single frame over the curve, none for None; where it is what is
        read ``alone``, it is the curve."""
        self._single = analysis if alone else None
        drawn = None if alone else analysis
        self.show_beside(
            self.frame, [] if drawn is None else [NamedCurve(frame_name(drawn), drawn, _FRAME)]
        )

    def show_range(self, found: tuple[Analysis, ...] | None) -> None:
        """Draw the highest, the median and the lowest of all frames, none for None."""
        names = (", ".join(RANGE), "", "")
        every = zip(names, found or (), _RANGE, strict=False)
        self.show_beside(self.ranges, [NamedCurve(*one) for one in every])

    def show_row(self, row: tuple[Array, Array] | None) -> None:
        """Frequencies (Hz) and levels, as the plot has them, of what a spectrogram's cursor points
        at; nothing for None."""
        self.row.setVisible(row is not None)
        if row is not None:
            above = row[0] > 0
            self.row.setData(self.places(row[0][above]), row[1][above])

    def set_colour(self, number: int) -> None:
        """Draw the curve in this one of the trace colours."""
        self._colour = number
        if self._theme is not None:
            _colour(self.curve, self.pale, self._theme.traces[number])

    def show_held(self, held: list[ShownTrace]) -> None:
        """Draw these traces behind the current one, in the current scaling."""
        self.show_beside(
            self.held, [NamedCurve(one.called, one.analysis, Pen(one.colour)) for one in held]
        )

    def show_beside(self, curves: CurveSet, shown: Sequence[NamedCurve]) -> None:
        """Draw these as one of the sets of other curves, and name them."""
        curves.show(shown)
        curves.draw(self._analysis is not None)
        self._tell()

    def _tell(self) -> None:
        """Name what is drawn where there is more than the one trace."""
        if self._theme is None:
            return
        band, overlays = self.overlays.told(self._analysis)
        lines = [*overlays, *(line for curves in self._beside for line in curves.legend())]
        if lines or band or self._single is not None:
            now = "now" if self._single is None else frame_name(self._single)
            lines = [(self._theme.traces[0], f"{now}{band}"), *lines]
        self.tell(lines)
        self._reach_lines()
        self.outlook.fit_again()

    def _reach_lines(self) -> None:
        beside = (*self.held.curves, *self.frame.curves, *self.ranges.curves, self.row)
        self.outlook.reach_lines(_lines(beside))

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        """Let the teeth of these run through, with a flag over each that was found."""
        self.combs.show_combs(combs)
        self.marks.label()

    def _curves(self) -> list[tuple[Array, Array]]:
        """All that is drawn as lines, as the axes have it."""
        beside = (item for curves in self._beside for item in curves.curves)
        return _lines((self.curve, self.pale, self.overlays.fits, self.row, *beside))

    def _of_held(self, other: Analysis) -> Curve | None:
        """Another trace as the current one is shown; None where it measures something else. Kept
        as long as that stays so: the view moves more often than what is in it."""
        for known, curve in self._others:
            if known is other:
                return curve
        curve = None
        if self._analysis is not None:
            with suppress(UserError):
                shown = in_unit_of(self._analysis, alike(self._analysis, other))
                curve = self._on_axis(shown)
        self._others.append((other, curve))
        return curve

    def _on_axis(self, curve: Curve) -> Curve:
        if not self.decibels or self._analysis is None:
            return curve
        return replace(curve, values=self._analysis.decibels(curve.values))

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
            self.refresh()
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
            self.outlook.forget_lines()
            self.outlook.fit_level()
        self.refresh()
        self.display_changed.emit()

    def set_confidence(self, shown: bool) -> None:
        """Draw the band that holds the true spectrum with 95 % probability, or do not."""
        self.overlays.confidence = shown
        self._tell()
        self.refresh()

    def set_floor(self, shown: bool) -> None:
        """Draw the noise floor that peaks are held against, or do not."""
        self.overlays.floor = shown
        self._tell()
        self.refresh()

    def set_left(self, shown: bool) -> None:
        """Draw the spectrum without what was found, or do not."""
        self.overlays.left = shown
        self._tell()
        self.refresh()

    def set_stale(self, stale: bool) -> None:
        """Fade what is drawn while it is no longer what the method line says."""
        if stale == self._stale:
            return
        self._stale = stale
        for item in (self.curve, self.pale, *self.overlays.items, *self.marks.items):
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
            OtherTrace(one.name, one.analysis, one.pen.name(PAPER)) for one in self.held.shown
        )
        return FigureView(
            self.log_frequency,
            self.decibels,
            low,
            high,
            bottom,
            top,
            self.overlays.confidence,
            others,
            self.combs.told(PAPER),
        )

    def show_all(self) -> None:
        """The whole frequency axis and all levels; from there, what was shown before."""
        if self._analysis is not None:
            self.outlook.turn(self._analysis)

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
        self.refresh()

    def _take_values(self) -> None:
        analysis = self._analysis
        self._others.clear()
        if analysis is None:
            return
        self._drawn = self._on_axis(analysis.curve)
        self.set_label("left", analysis.label(self.decibels))
        self._tell()

    def refresh(self) -> None:
        """Draw anew: what is shown, or the names of peaks, may have changed."""
        if self._changing:
            return
        analysis = self._analysis
        if analysis is not None:
            values = analysis.curve
            levels = [(peak, values.at(peak.tone.frequency)) for peak in analysis.peaks or ()]
            levels = [(peak, level) for peak, level in levels if np.isfinite(level)]
            if self.decibels and levels:
                tops = analysis.decibels(np.array([level for _, level in levels])).tolist()
                levels = [(peak, top) for (peak, _), top in zip(levels, tops, strict=True)]
            self.overlays.draw_fits(analysis)
            self.marks.show(levels, self._chosen, self.overlays.named(analysis))
        self._redraw()

    def _redraw(self, *_: object) -> None:
        """Draw what is in view of it."""
        if self._changing:
            return
        analysis, drawn = self._analysis, self._drawn
        shown = analysis is not None and drawn is not None and len(drawn.values) > 0
        self.curve.setVisible(shown)
        self.pale.setVisible(shown)
        self.show_scales(shown)
        if not shown or analysis is None or drawn is None:
            self.marks.hide()
            self.beyond.hide()
            self._spot.hide()
            self.overlays.hide()
            for curves in self._beside:
                curves.draw(False)
            self.cell.show(None)
            return
        x, y = self._line(drawn)
        sure = self.places(np.array([drawn.sure_from]))[0] if drawn.narrow else -np.inf
        self.curve.setData(x[x >= sure], y[x >= sure])
        self.pale.setData(x[x <= sure], y[x <= sure])
        if self.main is None and self.outlook.chosen:
            self.beyond.show(analysis, drawn)
        else:
            self.beyond.hide()
        self.overlays.draw(analysis, x, y, decibels=self.decibels)
        for curves in self._beside:
            curves.draw(True)
        self.marks.label()
        self.cell.place()
        self._reach_lines()

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
            value = _value_text(analysis, drawn, at, decibels=self.decibels)
            self.say(f"{low:.4g}–{high:.4g} Hz · {value}")
            return
        first, last = self.near(place, drawn.frequency)
        at = first + int(np.argmax(drawn.values[first:last]))
        frequency = self.cursor = float(drawn.frequency[at])
        self._spot.setData([self.place(frequency)], [float(drawn.values[at])])
        self._spot.show()
        where = self.frequency_text(frequency, analysis.spectrum.bin_hz)
        peak = self.marks.told(frequency, 1.5 * analysis.spectrum.frame_hz)
        value = _value_text(analysis, drawn, at, decibels=self.decibels)
        self.say(f"{where}{self.order_text(frequency)} · {value}{peak}")

    def keyPressEvent(self, ev: object) -> None:
        # Keys belong to the bench's actions, not to the plot.
        ev.ignore()  # type: ignore[attr-defined]


def _value_text(analysis: Analysis, drawn: Curve, at: int, *, decibels: bool) -> str:
    """Value ``at`` of a curve, also as it is ``drawn``."""
    linear = f"{analysis.curve.values[at]:.4g} {analysis.values_unit}"
    if not decibels:
        return linear
    return f"{drawn.values[at]:.1f} dB".replace("-", "−") + f" · {linear}"


def _colour(curve: Trace, pale: Trace, name: str) -> None:
    colour = pg.mkColor(name)
    curve.setPen(pg.mkPen(colour))
    colour.setAlphaF(0.4)
    pale.setPen(pg.mkPen(colour))


def _lines(items: Iterable[Any]) -> list[tuple[Array, Array]]:
    """Of drawn lines those that can be seen, as the axes have them."""
    data = [item.getData() for item in items if item.isVisible()]
    return [(x, y) for x, y in data if x is not None and len(x)]
