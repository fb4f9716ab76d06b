"""What is wrong with the samples of a waveform, and what does not count, marked over it."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.stage.annotations import Span, Spans
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
        shown = self._signal
        if shown is not None and (recording_id, channel) == (shown.id, self._channel):
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
