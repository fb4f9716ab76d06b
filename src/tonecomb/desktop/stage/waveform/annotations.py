"""What is drawn over a waveform: missing samples, gaps, clipping, what is struck out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QObject, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QTransform

from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.state.envelopes import Envelopes

_STRUCK = "struck out: frames that touch it do not count"
_SPOILED = "a filter settles here: not analysed"


class Problems(QObject):
    """Missing values, gaps, samples at the limit, and parts that are struck out."""

    def __init__(self, parent: QObject, envelopes: Envelopes) -> None:
        super().__init__(parent)
        self._envelopes = envelopes
        self.spans = Spans()
        self._signal: Signal | None = None
        self._channel = 0
        self._struck: tuple[Stretch, ...] = ()
        envelopes.clipping_ready.connect(self._ready)

    def show(self, signal: Signal | None, channel: int) -> None:
        """Mark what is wrong with a channel."""
        self._signal, self._channel = signal, channel
        self.place()

    def strike(self, parts: tuple[Stretch, ...]) -> None:
        """Hatch the parts whose frames do not count."""
        self._struck = parts
        self.place()

    def _ready(self, recording_id: str, channel: int) -> None:
        signal = self._signal
        if signal is not None and (recording_id, channel) == (signal.id, self._channel):
            self.place()

    def place(self) -> None:
        """Mark what is known by now."""
        signal = self._signal
        if signal is None:
            self.spans.set_spans(())
            return
        fs, spans = signal.rate, []
        built = self._envelopes.pyramid(signal.id, self._channel)
        for first, stop in built.holes if built is not None else ():
            count = f"{stop - first} samples missing" if stop - first > 1 else "missing"
            spans.append(Span((first - 0.5) / fs, (stop - 0.5) / fs, "missing", count))
        for one in signal.breaks:
            text = f"gap of {one.seconds:.4g} s, joined"
            spans.append(Span(one.sample / fs, (one.sample + 1) / fs, "gap", text))
        for first, stop in signal.lost:
            text = f"{stop - first} samples lost on the way: frames that touch them do not count"
            spans.append(Span(first / fs, stop / fs, "missing", text))
        for first, stop in self._envelopes.clipping(signal, self._channel):
            text = f"{stop - first} samples at the limit"
            spans.append(Span(first / fs, (stop - 1) / fs, "clipped", text))
        spans += [Span(part.start, part.end, "struck", _STRUCK) for part in self._struck]
        settled, stop = signal.settled((self._channel,))
        spans += [
            Span(first / fs, last / fs, "struck", _SPOILED)
            for first, last in ((0, min(settled, signal.length)), (max(stop, 0), signal.length))
            if last > first
        ]
        self.spans.set_spans(tuple(spans))


_LEAST = 3.0  # pixels that a band is wide at least
_EDGE = 8.0  # pixels that a clipping mark is high


@dataclass(frozen=True)
class Span:
    """A time range in s with what is to be said of it; ``kind`` is ``missing``, ``gap``,
    ``clipped`` or ``struck``."""

    start: float
    end: float
    kind: str
    text: str


class Spans(pg.GraphicsObject):
    """Bands over the whole height where samples are missing, hatched where a part is struck out,
    dashed lines at gaps, and marks along both edges where the recorder was at its limit."""

    def __init__(self) -> None:
        super().__init__()
        self._spans: tuple[Span, ...] = ()
        self._colours: dict[str, QColor] = {}
        self.setZValue(5)  # over the curve, which would hide a single sample's band

    @property
    def spans(self) -> tuple[Span, ...]:
        """What is drawn."""
        return self._spans

    def set_theme(self, theme: Theme) -> None:
        self._colours = {
            "missing": QColor(theme.caution),
            "gap": QColor(theme.caution),
            "clipped": QColor(theme.fault),
            "struck": QColor(theme.ink),
        }
        self._colours["missing"].setAlpha(150)
        self.update()

    def set_spans(self, spans: tuple[Span, ...]) -> None:
        """Draw these."""
        if spans != self._spans:
            self._spans = spans
            self.update()

    def at(self, time: float, play: float) -> Span | None:
        """The span at a time, give or take ``play`` s."""
        near = (s for s in self._spans if s.start - play <= time <= s.end + play)
        return next(near, None)

    def boundingRect(self) -> QRectF:
        return self.viewRect() or QRectF()

    def viewTransformChanged(self) -> None:
        super().viewTransformChanged()  # forgets the range of the view that it keeps
        self.prepareGeometryChange()
        self.update()

    def paint(self, painter: QPainter, *_: Any) -> None:
        view = self.viewRect()
        if not self._spans or view is None or not self._colours:
            return
        wide, high = self.pixelLength(pg.Point(1, 0)), self.pixelLength(pg.Point(0, 1))
        if not wide or not high:
            return
        for span in self._spans:
            if span.end < view.left() or span.start > view.right():
                continue
            colour = self._colours[span.kind]
            width = max(span.end - span.start, _LEAST * wide)
            if span.kind == "gap":
                pen = QPen(colour, 2, Qt.PenStyle.DashLine)
                pen.setCosmetic(True)
                painter.setPen(pen)
                x = (span.start + span.end) / 2
                painter.drawLine(pg.Point(x, view.top()), pg.Point(x, view.bottom()))
                continue
            if span.kind == "struck":
                brush = QBrush(colour, Qt.BrushStyle.BDiagPattern)
                brush.setTransform(QTransform.fromScale(wide, high))  # of pixels, not of s
                painter.fillRect(QRectF(span.start, view.top(), width, view.height()), brush)
                continue
            if span.kind == "missing":
                painter.fillRect(QRectF(span.start, view.top(), width, view.height()), colour)
                continue
            for y in (view.top(), view.bottom() - _EDGE * high):
                painter.fillRect(QRectF(span.start, y, width, _EDGE * high), colour)
