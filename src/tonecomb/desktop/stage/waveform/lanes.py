"""Waveforms of several channels, one below the other or over each other, with common gestures."""

from __future__ import annotations

import math
from typing import Any

import pyqtgraph as pg
from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from tonecomb.core.base.units import unit
from tonecomb.core.method.document import Mark
from tonecomb.core.record.periods import Periods
from tonecomb.core.record.pyramid import WaveformEnvelope
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.kit import turns
from tonecomb.desktop.kit.plot import AXIS_WIDTH, Axis
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.kit.widgets import Number, label
from tonecomb.desktop.stage.waveform.waveform import WaveformView, curve_points, fitted_level
from tonecomb.desktop.state.envelopes import Envelopes, EnvelopeWanted
from tonecomb.desktop.state.figures import Figures, Measure

_MOST = 1_000_000


class MeasureStrip(QFrame):
    """Δt, 1/Δt, Δy and the periods in between; ``closed`` when the user is done."""

    closed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("readout")
        line = QHBoxLayout(self)
        line.setContentsMargins(8, 2, 4, 2)
        line.setSpacing(8)
        self.between = label("")
        self.periods = Number(1, 1, _MOST, 0, "")
        self.periods.setAccessibleName("Periods between the readouts")
        self.periods.setToolTip("How many periods lie between the two lines; type another count")
        self.periods.setMinimumWidth(56)
        self.periods.setMaximumWidth(72)
        self.mean = label("")
        for widget in (self.between, self.mean):
            widget.setFont(font(9))
        close = QToolButton()
        close.setText("×")
        close.setObjectName("link")
        close.setToolTip("Take the readouts away (Esc)")
        close.clicked.connect(self.closed)
        line.addWidget(self.between)
        line.addWidget(self.periods)
        line.addWidget(self.mean)
        line.addStretch(1)
        line.addWidget(close)
        self._measure: Measure | None = None
        self.periods.valueChanged.connect(lambda _: self._typed())
        self.hide()

    def show_measure(self, measure: Measure) -> None:
        """Show what was read; the count of periods is the nearest whole one."""
        self._measure = measure
        step = measure.end - measure.start
        rise = measure.end_value - measure.start_value
        text = "missing" if math.isnan(rise) else f"{rise:.4g} {measure.unit}".replace("-", "−")
        self.between.setText(f"Δt {step:.6g} s · 1/Δt {1 / step:.6g} Hz · Δy {text}")
        periods = measure.periods
        count = max(1, round(step / periods.period)) if periods is not None else 1
        self.periods.blockSignals(True)
        self.periods.setValue(count)
        self.periods.blockSignals(False)
        if periods is None:
            self._typed()
        else:
            self.mean.setText(_counted(periods))
        self.show()

    def _typed(self) -> None:
        """The user counted: the lines stand at the ends of so many periods."""
        if self._measure is not None:
            period = (self._measure.end - self._measure.start) / self.periods.value()
            word = "period" if self.periods.value() == 1 else "periods"
            self.mean.setText(f"{word} of {_time(period)}, {1 / period:.6g} Hz")


def _counted(found: Periods) -> str:
    spread = "" if math.isnan(found.spread) else f" ± {_time(found.spread)} each"
    word = "period" if found.count == 1 else "periods"
    return f"{word} of {_time(found.period)}{spread}, {found.frequency:.6g} Hz"


def _time(seconds: float) -> str:
    return f"{seconds * 1e3:.5g} ms" if seconds < 1 else f"{seconds:.5g} s"


MOST_LANES = 8
MOST_OVER = 4  # more axes than these leave no room for the curves
_AT_ONCE = 2  # lanes that are made in one turn of the event loop
_LEAST_LANE, _TIME_AXIS = 64, 44  # pixels


class Companion(QObject):
    """Another channel over a waveform, with an axis of its own at the right."""

    def __init__(self, host: WaveformView, envelopes: Envelopes, column: int) -> None:
        super().__init__(host)
        self._host, self._envelopes = host, envelopes
        self._recording: Signal | None = None
        self.channel = -1
        self.axis = Axis("right")
        self.axis.setWidth(AXIS_WIDTH + 16)
        self.box = pg.ViewBox(enableMenu=False, enableMouse=False)
        self.box.setZValue(-20)  # the gestures belong to the host
        self.box.setDefaultPadding(0.0)
        self.curve = pg.PlotCurveItem()
        self.box.addItem(self.curve, ignoreBounds=True)
        host.getPlotItem().layout.addItem(self.axis, 2, 3 + column)
        host.scene().addItem(self.box)
        self.axis.linkToView(self.box)
        self.box.setXLink(host.box)
        host.box.sigResized.connect(self._place)
        host.box.sigXRangeChanged.connect(self._ask)
        envelopes.pyramid_ready.connect(self._pyramid_ready)
        envelopes.envelope_ready.connect(self._exact)

    def show_channel(self, recording: Signal, channel: int, theme: Theme, colour: int) -> None:
        """Draw a channel in the trace's colour of that number, and its axis in the same."""
        self._recording, self.channel = recording, channel
        pen = pg.mkPen(theme.traces[colour % len(theme.traces)])
        self.curve.setPen(pen)
        self.axis.setGrid(False)
        self.axis.setPen(pen)
        self.axis.setTextPen(pen)
        shown = recording.channels[channel]
        text = f"{shown.name}, {unit(shown.unit).symbol}"
        self.axis.setLabel(text, **{"font-size": "9pt", "color": pen.color().name()})
        self._fit()
        self._place()

    def remove(self) -> None:
        """Take the curve and its axis away."""
        self._recording = None
        self._envelopes.pyramid_ready.disconnect(self._pyramid_ready)
        self._envelopes.envelope_ready.disconnect(self._exact)
        self._host.box.sigResized.disconnect(self._place)
        self._host.box.sigXRangeChanged.disconnect(self._ask)
        self._host.getPlotItem().layout.removeItem(self.axis)
        for item in (self.axis, self.box):
            self._host.scene().removeItem(item)
        self.deleteLater()

    def _place(self, *_: object) -> None:
        self.box.setGeometry(self._host.box.sceneBoundingRect())
        self._ask()

    def _fit(self) -> None:
        if self._recording is not None:
            built = self._envelopes.pyramid(self._recording.id, self.channel)
            if built is not None:
                self.box.setYRange(*fitted_level(built), padding=0)

    def _wanted(self) -> EnvelopeWanted | None:
        return self._host.wanted_of(self._recording, self.channel)

    def _ask(self, *_: object) -> None:
        wanted = self._wanted()
        envelope = self._envelopes.envelope(wanted) if wanted is not None else None
        if envelope is not None:
            self._draw(envelope)

    def _pyramid_ready(self, recording_id: str, channel: int) -> None:
        recording = self._recording
        if recording is not None and (recording_id, channel) == (recording.id, self.channel):
            self._fit()
            self._ask()

    def _exact(self, wanted: EnvelopeWanted, envelope: WaveformEnvelope) -> None:
        if wanted == self._wanted():
            self._draw(envelope)

    def _draw(self, envelope: WaveformEnvelope) -> None:
        if self._recording is not None and len(envelope.low):
            x, y = curve_points(envelope, self._recording.rate)
            self.curve.setData(x, y, connect="finite")


class Lanes(QWidget):
    """The analysed channel's waveform on top, others below or over it, and the measure.

    ``stretch_chosen`` carries start and end in s, ``mark_clicked`` the number of a mark.
    """

    stretch_chosen = pyqtSignal(float, float)
    mark_clicked = pyqtSignal(int)

    def __init__(self, envelopes: Envelopes, figures: Figures) -> None:
        super().__init__()
        self._envelopes, self._figures = envelopes, figures
        self._theme = PAPER
        self._over = False
        self._shown: tuple[object, ...] = ()
        self._asked: tuple[Any, ...] = ()
        self._span: tuple[float, float] | None = None
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(0)
        self.main = WaveformView(envelopes)
        self.lanes: list[WaveformView] = [self.main]
        self.companions: list[Companion] = []
        self.column.addWidget(self.main, 1)
        self.strip = MeasureStrip()
        self.strip.closed.connect(self.stop_measuring)
        self.column.addWidget(self.strip)
        self._connect(self.main)

    def _connect(self, lane: WaveformView) -> None:
        lane.stretch_chosen.connect(self.stretch_chosen)
        lane.mark_clicked.connect(self.mark_clicked)
        lane.measure_wanted.connect(self._measure)

    @property
    def over(self) -> bool:
        """Whether the channels lie over each other."""
        return self._over

    def set_over(self, over: bool) -> None:
        """Lay the channels over each other, or below each other."""
        self._over = over

    def set_theme(self, theme: Theme) -> None:
        self._theme = theme
        self._shown = ()
        for lane in self.lanes:
            lane.set_theme(theme)

    def show_channels(
        self,
        recording: Signal,
        channel: int,
        beside: tuple[int, ...],
        stretch: Stretch,
        marks: tuple[Mark, ...],
        struck: tuple[Stretch, ...] = (),
    ) -> None:
        """Show a channel, and others beside it; what is ``struck`` out is hatched."""
        self._asked = asked = (recording, channel, beside, stretch, marks, struck)
        count = len(recording.channels)
        others = [i for i in beside if i != channel and i < count][: MOST_LANES - 1]
        self.main.show_channel(recording, channel, stretch)
        below = [] if self._over else others
        while len(self.lanes) > 1 + len(below):
            lane = self.lanes.pop()
            self.column.removeWidget(lane)
            lane.hide()
            lane.deleteLater()
        for _ in range(min(_AT_ONCE, 1 + len(below) - len(self.lanes))):
            self._add_lane()
        if len(self.lanes) < 1 + len(below):  # the others in turns of their own
            below = below[: len(self.lanes) - 1]
            turns.later(lambda: self._go_on(asked))
        for lane, other in zip(self.lanes[1:], below, strict=True):
            lane.show_channel(recording, other, stretch)
        for lane in self.lanes:
            lane.marks.show(marks if lane is self.main else ())
            lane.problems.strike(struck)
            lane.name_channel(len(self.lanes) > 1 or (self._over and bool(others)))
            last = lane is self.lanes[-1]
            lane.show_time_axis(last)
            lane.setMinimumHeight((_LEAST_LANE if below else 106) + (_TIME_AXIS if last else 0))
        self._lay_over(recording, channel, others[:MOST_OVER] if self._over else [])
        if self._span is not None and self._shown[:2] != (recording.id, recording.key):
            self.stop_measuring()
        self._shown = (recording.id, recording.key)

    def _go_on(self, asked: tuple[Any, ...]) -> None:
        if not sip.isdeleted(self) and self._asked is asked:
            self.show_channels(*asked)

    def _add_lane(self) -> None:
        lane = WaveformView(self._envelopes, len(self.lanes))
        lane.set_theme(self._theme)
        lane.box.setXLink(self.main.box)
        self._connect(lane)
        self.column.insertWidget(len(self.lanes), lane, 1)
        self.lanes.append(lane)

    def _lay_over(self, recording: Signal, channel: int, others: list[int]) -> None:
        if [c.channel for c in self.companions] != others:
            for companion in self.companions:
                companion.remove()
            self.companions = [
                Companion(self.main, self._envelopes, column) for column in range(len(others))
            ]
        self.main.inside.setOpacity(0.7 if others else 1.0)  # those behind it show through
        for i, (companion, other) in enumerate(zip(self.companions, others, strict=True)):
            companion.show_channel(recording, other, self._theme, i + 1)

    def clear(self) -> None:
        """Show nothing."""
        self._asked = ()
        for lane in self.lanes:
            lane.clear_channel()
        for companion in self.companions:
            companion.remove()
        self.companions = []
        self.stop_measuring()

    # Measuring

    def measure_view(self) -> None:
        """Put the readouts into the middle third of what is shown."""
        low, high = self.main.limits()
        third = (high - low) / 3
        self._measure(low + third, high - third, True)

    def _measure(self, start: float, end: float, finished: bool) -> None:
        self._span = (start, end)
        for lane in self.lanes:
            lane.readouts.place(start, end)
            lane.readouts.set_visible(True)
        self._figures.measure(self.main.channel, start, end, self._show_measure)

    def _show_measure(self, measure: Measure) -> None:
        if self._span is not None:
            self.strip.show_measure(measure)

    @property
    def measured(self) -> tuple[float, float] | None:
        """Times in s of the two readouts, None when they are not up."""
        return self._span

    @property
    def measuring(self) -> bool:
        """Whether the two readouts are up."""
        return self._span is not None

    def stop_measuring(self) -> None:
        """Take the readouts away."""
        self._span = None
        self.strip.hide()
        for lane in self.lanes:
            lane.readouts.set_visible(False)
