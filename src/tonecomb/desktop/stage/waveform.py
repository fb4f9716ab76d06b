"""The waveform: the whole recording as an envelope, with the stretch to be analysed."""

from __future__ import annotations

import math

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QGraphicsRectItem

from tonecomb.core.method import seconds
from tonecomb.core.pyramid import Envelope
from tonecomb.core.recording import Recording, Stretch
from tonecomb.core.units import unit
from tonecomb.desktop.results import EnvelopeWanted, Results
from tonecomb.desktop.stage.plot import Plot
from tonecomb.desktop.theme import Theme


class WaveformView(Plot):
    """Drag to select the stretch, drag its edges to move them.

    ``stretch_chosen`` carries start and end in s when a drag ends.
    """

    stretch_chosen = pyqtSignal(float, float)

    def __init__(self, results: Results) -> None:
        super().__init__()
        self._results = results
        self._recording: Recording | None = None
        self._channel = 0
        self._stretch: Stretch | None = None
        self._envelope: Envelope | None = None
        self._outside, self._inside = pg.PlotCurveItem(), pg.PlotCurveItem()
        self._shade = QGraphicsRectItem()
        self._edges = [pg.InfiniteLine(angle=90, movable=True) for _ in range(2)]
        self._cursor = pg.InfiniteLine(angle=90)
        self._cursor.hide()
        for item in (self._shade, self._outside, self._inside, *self._edges, self._cursor):
            self.addItem(item, ignoreBounds=True)
        self._shade.setZValue(-10)
        for line in self._edges:
            line.setZValue(10)
            line.setCursor(Qt.CursorShape.SizeHorCursor)
            line.sigPositionChanged.connect(self._edge_moved)
            line.sigPositionChangeFinished.connect(self._edge_dropped)
        self.box.dragged.connect(self._dragged)
        self.box.show_all.connect(self.show_all)
        self.box.sigXRangeChanged.connect(self._ask)
        self.box.sigResized.connect(self._ask)
        results.pyramid_ready.connect(self._pyramid_ready)
        results.envelope_ready.connect(self._exact)
        self.set_label("bottom", "Time, s")

    def paint_items(self, theme: Theme) -> None:
        self._outside.setPen(pg.mkPen(theme.faded))
        self._inside.setPen(pg.mkPen(theme.traces[0]))
        shade = pg.mkColor(theme.accent)
        shade.setAlpha(26)
        self._shade.setBrush(shade)
        self._shade.setPen(pg.mkPen(None))
        for line in self._edges:
            line.setPen(pg.mkPen(theme.accent, width=2))
            line.setHoverPen(pg.mkPen(theme.accent, width=4))
        self._cursor.setPen(pg.mkPen(theme.quiet, style=Qt.PenStyle.DashLine))

    def show_channel(self, recording: Recording, channel: int, stretch: Stretch) -> None:
        """Show a channel with its stretch; a new recording is shown whole."""
        known = self._recording
        same_record = known is not None and known.id == recording.id
        same = same_record and self._channel == channel
        rescaled = (
            not same_record
            or known is None
            or (known.rate, known.length) != (recording.rate, recording.length)
        )
        self._recording, self._channel = recording, channel
        symbol = unit(recording.channels[channel].unit)
        self.set_label("left", f"{symbol.quantity}, {symbol.symbol}")
        self.set_stretch(stretch)
        if rescaled:
            duration = recording.duration
            self.box.setLimits(
                xMin=0,
                xMax=duration,
                minXRange=min(duration, 4 / recording.rate),
                maxXRange=duration,
            )
            self.show_all()
        if not same:
            self._envelope = None
            self._fit_level()
            self._ask()
        self._draw()

    def clear_channel(self) -> None:
        """Show nothing."""
        self._recording = self._envelope = None
        self._draw()

    def set_stretch(self, stretch: Stretch) -> None:
        """Show the stretch at its place."""
        self._stretch = stretch
        for line, at in zip(self._edges, (stretch.start, stretch.end), strict=True):
            line.blockSignals(True)
            line.setPos(at)
            line.blockSignals(False)
        self._place_shade()

    def show_all(self) -> None:
        """Zoom out to the whole recording."""
        if self._recording is not None:
            self.box.setXRange(0, self._recording.duration, padding=0)
            self._fit_level()

    def limits(self) -> tuple[float, float]:
        """The shown time range in s."""
        low, high = self.box.viewRange()[0]
        return float(low), float(high)

    def set_limits(self, low: float, high: float) -> None:
        """Show the time range ``low`` to ``high`` in s."""
        self.box.setXRange(low, high, padding=0)

    def envelope(self) -> Envelope | None:
        """What is drawn now."""
        return self._envelope

    def _fit_level(self) -> None:
        """Height of the whole channel, so that zooming in time keeps the scale."""
        recording = self._recording
        built = recording and self._results.pyramid(recording.id, self._channel)
        if not built:
            return
        low = float(np.nanmin(built.levels[-1][0], initial=math.inf))
        high = float(np.nanmax(built.levels[-1][1], initial=-math.inf))
        if not (math.isfinite(low) and math.isfinite(high)):
            low, high = -1.0, 1.0
        margin = 0.06 * (high - low) or max(abs(high) * 0.01, 1e-12)
        self.box.setYRange(low - margin, high + margin, padding=0)

    def _wanted(self) -> EnvelopeWanted | None:
        recording = self._recording
        if recording is None:
            return None
        low, high = self.limits()
        fs = recording.rate
        return EnvelopeWanted(
            recording.id,
            self._channel,
            max(0, math.floor(low * fs) - 1),
            min(recording.length, math.ceil(high * fs) + 2),
            self.columns,
        )

    def _ask(self, *_: object) -> None:
        wanted = self._wanted()
        envelope = self._results.envelope(wanted) if wanted is not None else None
        if envelope is not None:
            self._envelope = envelope
            self._draw()

    def _pyramid_ready(self, recording_id: str, channel: int) -> None:
        if self._recording is not None and (recording_id, channel) == (
            self._recording.id,
            self._channel,
        ):
            self._fit_level()
            self._ask()

    def _exact(self, wanted: EnvelopeWanted, envelope: Envelope) -> None:
        if wanted == self._wanted():
            self._envelope = envelope
            self._draw()

    def _draw(self) -> None:
        envelope, recording, stretch = self._envelope, self._recording, self._stretch
        shown = envelope is not None and recording is not None and len(envelope.low) > 0
        for item in (self._outside, self._inside, self._shade, *self._edges):
            item.setVisible(shown)
        self.show_scales(shown)
        if not shown or envelope is None or recording is None or stretch is None:
            return
        fs = recording.rate
        if len(envelope.low) < self.columns:  # a column a sample: draw the samples themselves
            x, y = envelope.edges[:-1] / fs, envelope.low
        else:
            middle = (envelope.edges[:-1] + envelope.edges[1:]) / (2 * fs)
            x = np.repeat(middle, 2)
            y = np.stack([envelope.low, envelope.high], axis=1).ravel()
        inside = (x >= stretch.start) & (x <= stretch.end)
        # "finite" breaks the line where samples are missing.
        self._outside.setData(x, np.where(inside, np.nan, y), connect="finite")
        self._inside.setData(x, np.where(inside, y, np.nan), connect="finite")

    def _place_shade(self) -> None:
        low, high = sorted(line.value() for line in self._edges)
        self._shade.setRect(low, -1e12, high - low, 2e12)

    def _rounded(self, time: float) -> float:
        """A time as precise as a pixel, so that typed and dragged limits look alike."""
        low, high = self.limits()
        digits = max(0, math.ceil(-math.log10(max((high - low) / self.columns, 1e-9))))
        duration = self._recording.duration if self._recording else 0.0
        return min(max(round(time, digits), 0.0), duration)

    def _dragged(self, start: QPointF, end: QPointF, finished: bool) -> None:
        if self._recording is None:
            return
        low, high = sorted((self._rounded(start.x()), self._rounded(end.x())))
        if high > low:
            for line, at in zip(self._edges, (low, high), strict=True):
                line.blockSignals(True)
                line.setPos(at)
                line.blockSignals(False)
            self._place_shade()
            self.say(self._range_text(low, high))
            if finished:
                self.stretch_chosen.emit(low, high)

    def _edge_moved(self) -> None:
        self._place_shade()
        low, high = sorted(line.value() for line in self._edges)
        self.say(self._range_text(self._rounded(low), self._rounded(high)))

    def _edge_dropped(self) -> None:
        low, high = sorted(self._rounded(line.value()) for line in self._edges)
        if high > low:
            self.stretch_chosen.emit(low, high)
        elif self._stretch is not None:
            self.set_stretch(self._stretch)

    def _range_text(self, low: float, high: float) -> str:
        fs = self._recording.rate if self._recording else 1.0
        return f"{seconds(low, fs)}–{seconds(high, fs)} s · {seconds(high - low, fs)} s"

    def hover(self, place: QPointF | None) -> None:
        envelope, recording = self._envelope, self._recording
        if place is None or envelope is None or recording is None or not len(envelope.low):
            self._cursor.hide()
            self.say("")
            return
        time = place.x()
        at = int(np.searchsorted(envelope.edges, time * recording.rate, side="right")) - 1
        at = min(max(at, 0), len(envelope.low) - 1)
        low, high = float(envelope.low[at]), float(envelope.high[at])
        symbol = recording.channels[self._channel].unit
        if math.isnan(low):
            value = "missing"
        elif low == high:
            value = f"{low:.4g} {symbol}"
        else:
            value = f"{low:.4g} to {high:.4g} {symbol}"
        self._cursor.setPos(time)
        self._cursor.show()
        self.say(f"{seconds(self._rounded(time), recording.rate)} s · {value.replace('-', '−')}")
