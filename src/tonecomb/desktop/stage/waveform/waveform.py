"""The waveform of a channel: an envelope with the stretch to be analysed, and what is wrong."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QLabel

from tonecomb.core.base.units import unit
from tonecomb.core.method.sentence import seconds
from tonecomb.core.record.pyramid import Pyramid, WaveformEnvelope
from tonecomb.core.record.recording import Array, Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.reconstruction import MOST_SAMPLES
from tonecomb.desktop.kit.dense import DenseTrace
from tonecomb.desktop.kit.plot import AXIS_WIDTH, Plot, Zoom
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.stage.waveform.annotations import Problems
from tonecomb.desktop.stage.waveform.spans import Ends, MarkLines, StretchEnds
from tonecomb.desktop.state.envelopes import Envelopes, EnvelopeWanted

_HEAD = 0.45  # of its height, above a waveform with a legend


def curve_points(envelope: WaveformEnvelope, fs: float) -> tuple[Array, Array]:
    """Times in s and values to draw an envelope by."""
    if envelope.single:  # draw the samples themselves
        return envelope.edges[:-1] / fs, envelope.low
    middle = (envelope.edges[:-1] + envelope.edges[1:]) / (2 * fs)
    return np.repeat(middle, 2), np.stack([envelope.low, envelope.high], axis=1).ravel()


def fitted_level(built: Pyramid) -> tuple[float, float]:
    """Limits of a level axis on which the whole channel fits."""
    return with_room(*built.levels[-1])


def with_room(lowest: Array, highest: Array) -> tuple[float, float]:
    """Limits of an axis for levels from the lowest to the highest of these."""
    low = float(np.nanmin(lowest, initial=math.inf))
    high = float(np.nanmax(highest, initial=-math.inf))
    if not (math.isfinite(low) and math.isfinite(high)):
        low, high = -1.0, 1.0
    margin = 0.06 * (high - low) or max(abs(high) * 0.01, 1e-12)
    return low - margin, high + margin


def _reach(box: Any, envelope: WaveformEnvelope) -> None:
    """Have the extremes of what is drawn in view: what comes later may be louder."""
    if not len(envelope.low):
        return
    low, high = with_room(envelope.low, envelope.high)
    shown = box.viewRange()[1]
    if low < shown[0] or high > shown[1]:
        box.setYRange(min(low, shown[0]), max(high, shown[1]), padding=0)


class WaveformView(Plot):
    """Drag to select the stretch, drag its edges to move them; with Ctrl a drag measures.

    ``stretch_chosen`` carries start and end in s when a drag ends, ``measure_wanted`` the two
    times of a measure while it is dragged and whether it ended, ``mark_clicked`` the number of a
    mark. ``colour`` is the number of the trace's colour.
    """

    stretch_chosen = pyqtSignal(float, float)
    measure_wanted = pyqtSignal(float, float, bool)
    mark_clicked = pyqtSignal(int)

    def __init__(self, envelopes: Envelopes, colour: int = 0) -> None:
        super().__init__()
        self._envelopes, self._colour = envelopes, colour
        self._named, self._time_shown = False, True
        self.title = QLabel(self)
        self.title.setObjectName("readout")
        self.title.setFont(font(9))
        self.title.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.title.move(AXIS_WIDTH + 8, 10)
        self.title.hide()
        self.cursor_time: float | None = None
        self._bare = self._fitted = False
        self._signal: Signal | None = None
        self._channel = 0
        self.envelope: WaveformEnvelope | None = None
        self._outside, self.inside = DenseTrace(), DenseTrace()
        self.time_line = pg.InfiniteLine(angle=90)
        self.time_line.hide()
        self.level_line = pg.InfiniteLine(angle=0)  # that is watched
        self.level_line.hide()
        self.stretch = StretchEnds(self, self._rounded)
        self.problems = Problems(self, envelopes)
        for item in (
            self.problems.spans,
            self._outside,
            self.inside,
            self.time_line,
            self.level_line,
        ):
            self.addItem(item, ignoreBounds=True)
        self.marks = MarkLines(self)
        self.readouts = Ends(self, 11)
        self.box.dragged.connect(lambda a, b, end: self.stretch.draw_out(a.x(), b.x(), end))
        self.box.measured.connect(lambda a, b, end: self._measured(a.x(), b.x(), end))
        self.readouts.moved.connect(self._measured)
        self.stretch.said.connect(self._say_range)
        self.stretch.chosen.connect(self.stretch_chosen)
        self.marks.clicked.connect(self.mark_clicked)
        self._zoom = Zoom(self.box)
        self.box.show_all.connect(self.show_all)
        self.box.sigXRangeChanged.connect(self._ask)
        self.box.sigResized.connect(self._ask)
        envelopes.pyramid_ready.connect(self._pyramid_ready)
        envelopes.envelope_ready.connect(self._exact)
        self.set_label("bottom", "Time, s")

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self._outside.setPen(pg.mkPen(theme.faded))
        self.inside.setPen(pg.mkPen(theme.traces[self._colour % len(theme.traces)]))
        self.readouts.set_colour(theme.second)
        self.stretch.set_theme(theme)
        self.marks.set_theme(theme)
        self.problems.spans.set_theme(theme)
        self.time_line.setPen(pg.mkPen(theme.quiet, style=Qt.PenStyle.DashLine))
        self.level_line.setPen(pg.mkPen(theme.accent, style=Qt.PenStyle.DashLine))

    def show_channel(self, signal: Signal, channel: int, stretch: Stretch) -> None:
        """Show a channel with its stretch; a new signal is shown whole."""
        known = self._signal
        same_record = known is not None and known.id == signal.id
        same = same_record and self._channel == channel
        span, ends = self.limits(), 0.0 if known is None else known.duration
        zoomed = same_record and span[1] - span[0] < 0.999 * ends and span[1] <= signal.duration
        rescaled = (
            not same_record
            or known is None
            or (known.rate, known.length) != (signal.rate, signal.length)
        )
        self._signal, self._channel = signal, channel
        self.name_channel(self._named)
        self.stretch.show(stretch)
        if rescaled:
            duration = signal.duration
            self.box.setLimits(
                xMin=0,
                xMax=duration,
                minXRange=min(duration, 4 / signal.rate),
                maxXRange=duration,
            )
            if zoomed:
                self.set_limits(*span)
                self._ask()
            else:
                self.set_limits(0, duration)
                self._fit_level()
        if not same:
            self.envelope, self._fitted = None, False
            self._fit_level()
            self._ask()
        self.problems.show(signal, channel)
        if same and known is not None and known.key != signal.key:
            self._ask()  # which draws
        else:
            self._draw()

    def name_channel(self, named: bool) -> None:
        """Show the channel's name, where there are several."""
        self._named = named
        if self._signal is None:
            return
        channel = self._signal.channels[self._channel]
        symbol = unit(channel.unit)
        # A lane is too low for a name beside its axis.
        self.title.setText(channel.name)
        self.title.adjustSize()
        self.title.setVisible(named)
        self.set_label("left", symbol.symbol if named else f"{symbol.quantity}, {symbol.symbol}")

    def set_bare(self, bare: bool) -> None:
        """Leave the curve to whoever draws what lies between the samples."""
        if bare != self._bare:
            self._bare = bare
            self._draw()

    def show_time_axis(self, shown: bool) -> None:
        """Figures and label of the time axis, or only its grid."""
        if self._time_shown != shown:
            self._time_shown = shown
            self.bottom.setStyle(showValues=shown)
            self.bottom.setHeight(None if shown else 6)
        live = self._signal is not None and self._signal.recording.live
        self.bottom.count_from(self._signal.duration if live and self._signal else 0.0)
        name = "Time before now, s" if live else "Time, s"
        self.set_label("bottom", name if shown else "")

    @property
    def channel(self) -> int:
        """Number of the channel that is shown."""
        return self._channel

    @property
    def _left_edge(self) -> int:
        """Where the readout stands at the left: beside the channel's name."""
        return AXIS_WIDTH + 8 + (self.title.width() + 8 if self._named else 0)

    def _measured(self, start: float, end: float, finished: bool) -> None:
        low, high = sorted((self._within(start), self._within(end)))
        if self._signal is not None and high - low >= 1 / self._signal.rate:
            self.measure_wanted.emit(low, high, finished)

    def _within(self, time: float) -> float:
        duration = self._signal.duration if self._signal else 0.0
        return min(max(time, 0.0), duration)

    def show_cursor(self, time: float | None) -> None:
        """A line at the time (s) that another view points at; none for None."""
        self.time_line.setVisible(time is not None and self._signal is not None)
        if time is not None:
            self.time_line.setPos(time)

    def clear_channel(self) -> None:
        """Show nothing."""
        self._signal = self.envelope = None
        self.problems.show(None, 0)
        self._draw()

    def show_all(self) -> None:
        """Zoom out to the whole signal; from there, back to what was shown before."""
        signal = self._signal
        if signal is None:
            return

        def whole() -> None:
            self.set_limits(0, signal.duration)
            self._fit_level()

        self._zoom.turn(whole)

    def limits(self) -> tuple[float, float]:
        """The shown time range in s."""
        low, high = self.box.viewRange()[0]
        return float(low), float(high)

    def set_limits(self, low: float, high: float) -> None:
        """Show the time range ``low`` to ``high`` in s."""
        self.box.setXRange(low, high, padding=0)

    def drawn(self) -> tuple[Array, Array]:
        """Times (s) and values by which the curve is drawn, in and outside of the stretch."""
        if self.envelope is None or self._signal is None:
            return np.zeros(0), np.zeros(0)
        return curve_points(self.envelope, self._signal.rate)

    def _fit_level(self) -> None:
        """Height of the whole channel, so that zooming in time keeps the scale."""
        signal = self._signal
        built = signal and self._envelopes.pyramid(signal.id, self._channel)
        if built:
            low, high = fitted_level(built)
        elif self.envelope is not None and len(self.envelope.low):  # it is still coming
            low, high = with_room(self.envelope.low, self.envelope.high)
        else:
            return
        self._fitted = True
        # Where each is seen, what was there goes further, and the legend needs room.
        if signal is not None and signal.length <= MOST_SAMPLES:
            low, high = low - 0.1 * (high - low), high + _HEAD * (high - low)
        self.box.setYRange(low, high, padding=0)

    def wanted_of(self, signal: Signal | None, channel: int) -> EnvelopeWanted | None:
        """The part of a channel that the view shows."""
        if signal is None:
            return None
        low, high = self.limits()
        fs = signal.rate
        return EnvelopeWanted(
            signal.id,
            channel,
            max(0, math.floor(low * fs) - 1),
            min(signal.length, math.ceil(high * fs) + 2),
            self.columns,
        )

    def _ask(self, *_: object) -> None:
        wanted = self.wanted_of(self._signal, self._channel)
        envelope = self._envelopes.envelope(wanted) if wanted is not None else None
        if envelope is not None:
            self.envelope = envelope
            if not self._fitted:
                self._fit_level()
            _reach(self.box, envelope)
            self._draw()

    def _pyramid_ready(self, recording_id: str, channel: int) -> None:
        if self._signal is not None and (recording_id, channel) == (
            self._signal.id,
            self._channel,
        ):
            self._fit_level()
            self.problems.place()
            self._ask()

    def _exact(self, wanted: EnvelopeWanted, envelope: WaveformEnvelope) -> None:
        if wanted == self.wanted_of(self._signal, self._channel):
            self.envelope = envelope
            _reach(self.box, envelope)
            self._draw()

    def _draw(self) -> None:
        envelope, signal, stretch = self.envelope, self._signal, self.stretch.stretch
        shown = envelope is not None and signal is not None and len(envelope.low) > 0
        self._outside.setVisible(shown and not self._bare)
        self.inside.setVisible(shown and not self._bare)
        self.stretch.set_visible(shown)
        self.show_scales(shown)
        if not shown or envelope is None or signal is None or stretch is None:
            return
        x, y = self.drawn()
        inside = (x >= stretch.start) & (x <= stretch.end)
        # "finite" breaks the line where samples are missing.
        if inside.all():
            self._outside.hide()
            self.inside.setData(x, y, connect="finite")
            return
        self._outside.setData(x, np.where(inside, np.nan, y), connect="finite")
        self.inside.setData(x, np.where(inside, y, np.nan), connect="finite")

    def _rounded(self, time: float) -> float:
        """A time as precise as a pixel, so that typed and dragged limits look alike."""
        low, high = self.limits()
        digits = max(0, math.ceil(-math.log10(max((high - low) / self.columns, 1e-9))))
        duration = self._signal.duration if self._signal else 0.0
        return min(max(round(time, digits), 0.0), duration)

    def _say_range(self, low: float, high: float) -> None:
        fs = self._signal.rate if self._signal else 1.0
        self.say(f"{seconds(low, fs)}–{seconds(high, fs)} s · {seconds(high - low, fs)} s")

    def hover(self, place: QPointF | None) -> None:
        envelope, signal = self.envelope, self._signal
        self.cursor_time = None if place is None else self._within(place.x())
        if place is None or envelope is None or signal is None or not len(envelope.low):
            self.time_line.hide()
            self.say("")
            return
        time = place.x()
        at = int(np.searchsorted(envelope.edges, time * signal.rate, side="right")) - 1
        at = min(max(at, 0), len(envelope.low) - 1)
        low, high = float(envelope.low[at]), float(envelope.high[at])
        symbol = signal.channels[self._channel].unit
        if math.isnan(low):
            value = "missing"
        elif low == high:
            value = f"{low:.4g} {symbol}"
        else:
            value = f"{low:.4g} to {high:.4g} {symbol}"
        low_limit, high_limit = self.limits()
        wrong = self.problems.spans.at(time, 3 * (high_limit - low_limit) / self.columns)
        note = f" · {wrong.text}" if wrong is not None and wrong.text != value else ""
        self.time_line.setPos(time)
        self.time_line.show()
        since = self._rounded(time) - self.bottom.origin
        text = f"{seconds(since, signal.rate)} s · {value.replace('-', '−')}"
        self.say(text + note)
