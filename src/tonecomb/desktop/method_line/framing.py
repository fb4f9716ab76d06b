"""The popovers of frame length, zero padding and overlap."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QPushButton, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.framing import MAX_OVERLAP, good_lengths
from tonecomb.core.method.method import MAX_PAD, Method, resolution
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import window
from tonecomb.desktop.kit.widgets import Number, Popover, label, link, row
from tonecomb.desktop.method_line.sketch import (
    SignalSketch,
    overlap_strokes,
    padding_strokes,
    weight_share,
)
from tonecomb.desktop.state.store import Store


class FramePopover(Popover):
    """The frame's length in samples, in seconds, or by the spacing of bins; zero padding apart."""

    def __init__(self, store: Store, signal: Signal, method: Method, parent: QWidget) -> None:
        super().__init__(
            parent,
            "Frame length",
            "A longer frame tells closer tones apart and leaves fewer frames to average. Any "
            "length will do; those offered are transformed fastest.",
        )
        self._store, self._signal, self._method = store, signal, method
        start, stop = method.source.span(signal)
        self._longest = max(2, stop - start)
        fs = signal.rate
        self.samples = Number(method.frames.frame, 2, self._longest, 0, "samples")
        self.seconds = Number(
            method.frames.frame / fs, 2 / fs, self._longest / fs, 9, "s", shortest=True
        )
        self.bins = Number(
            fs / method.frames.frame, fs / self._longest, fs / 2, 9, "Hz", shortest=True
        )
        self.pad = Number(method.frames.pad, 1, MAX_PAD, 0, "× zero padding")
        for field, name in (
            (self.samples, "Frame length in samples"),
            (self.seconds, "Frame length in seconds"),
            (self.bins, "Wanted spacing of bins, without padding"),
            (self.pad, "Zero padding factor"),
        ):
            field.setAccessibleName(name)
        self.samples.valueChanged.connect(lambda value: self._apply(int(value)))
        self.seconds.valueChanged.connect(lambda value: self._apply(round(value * fs)))
        self.bins.valueChanged.connect(lambda value: self._apply(round(fs / value)))
        self.pad.valueChanged.connect(lambda _: self._apply(int(self.samples.value())))
        halve, double = QPushButton("Half"), QPushButton("Double")
        halve.clicked.connect(lambda: self._apply(int(self.samples.value()) // 2))
        double.clicked.connect(lambda: self._apply(int(self.samples.value()) * 2))
        self._offered = row(None)
        self._told = label("", "quiet")
        self._sketch = SignalSketch("")
        self.add(
            row(halve, self.samples, double, None),
            row(
                label("or", "quiet"), self.seconds, label("or bins every", "quiet"), self.bins, None
            ),
            self._offered,
            self._told,
            row(self.pad, None),
            self._sketch,
        )
        self.setFocusProxy(self.samples)
        self._tell()

    def _apply(self, frame: int) -> None:
        frame = min(max(frame, 2), self._longest)
        fs = self._signal.rate
        fields = ((self.samples, frame), (self.seconds, frame / fs), (self.bins, fs / frame))
        for field, value in fields:
            field.blockSignals(True)
            field.setValue(value)
            field.blockSignals(False)
        self._store.edit_method(
            "Choose frame length", merge="frame popover", frame=frame, pad=int(self.pad.value())
        )
        self._tell()

    def _tell(self) -> None:
        """What this length gives, lengths near it, and what padding does."""
        method = self._store.method or self._method
        try:
            r = resolution(method, self._signal.recording)
            self._told.setText(
                f"bins {r.bin_hz:.4g} Hz · told apart from {r.separable_hz:.3g} Hz · "
                f"{r.frames} frames"
            )
        except UserError as error:
            self._told.setText(error.what)
        while (item := self._offered.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        for length in good_lengths(method.frames.frame, self._longest):
            tip = f"Use frames of {length} samples, {length / self._signal.rate:.4g} s"
            offer = link(f"{length}", tip, partial(self._apply, length))
            self._offered.addWidget(offer)
        self._offered.addStretch(1)
        pad = method.frames.pad
        self._sketch.draw(
            *padding_strokes(window(method.frames.window), pad),
            caption=f"Padding ×{pad}: a finer line, and still one tone where there are two"
            if pad > 1
            else "Two tones too close to be told apart, in bins",
        )


def overlap_popover(store: Store, signal: Signal, method: Method, parent: QWidget) -> Popover:
    """The share of a frame that the next one has too."""
    w = window(method.frames.window)
    popover = Popover(
        parent,
        "Overlap",
        "A window all but ignores the ends of its frame. Overlap lets the next frame count them; "
        "beyond the recommended value little is gained.",
    )
    percent = Number(method.frames.overlap, 0, MAX_OVERLAP, 1, "%")
    percent.setAccessibleName("Overlap in percent")
    sketch = SignalSketch("")

    def draw() -> None:
        share = 100 * weight_share(w, percent.value())
        sketch.draw(
            *overlap_strokes(w, percent.value()),
            caption=f"Weight along the record: {share:.0f} to 100 % ({w.title})",
        )

    def apply(value: float) -> None:
        store.edit_method("Choose overlap", merge="overlap popover", overlap=value)
        draw()

    percent.valueChanged.connect(apply)
    recommended = link(
        f"Recommended for {w.title}: {w.overlap:g} %",
        "Use the recommended overlap",
        lambda: percent.setValue(w.overlap),
    )
    popover.add(row(percent, None), sketch, recommended)
    popover.setFocusProxy(percent)
    draw()
    return popover
