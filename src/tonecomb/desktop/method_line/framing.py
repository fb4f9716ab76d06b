"""The popovers of frame length, zero padding and overlap."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QPushButton, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.framing import MAX_OVERLAP, good_lengths
from tonecomb.core.method.method import MAX_PAD, Method, resolution
from tonecomb.core.record.recording import Array
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import Window, window
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import Number, Popover, label, link, row
from tonecomb.desktop.state.store import Store

_SIZE = (360, 84)
_FRAMES = 5
_POINTS = 256


@dataclass(frozen=True, eq=False)
class Stroke:
    """A line of a drawing: ``x`` and ``y`` from 0 to 1; ``colour`` numbers the trace colours,
    None is quiet; ``dots`` puts a dot on each point."""

    x: Array
    y: Array
    colour: int | None = None
    dots: bool = False


class SignalSketch(QWidget):
    """Draws strokes, with a caption below."""

    def __init__(self, caption: str) -> None:
        super().__init__()
        self._strokes: tuple[Stroke, ...] = ()
        self._caption = caption
        self.setFixedSize(*_SIZE)

    def draw(self, *strokes: Stroke, caption: str | None = None) -> None:
        """Draw these."""
        self._strokes = strokes
        self._caption = self._caption if caption is None else caption
        self.setAccessibleName(self._caption)
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = current_theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = QRectF(4, 4, self.width() - 8, self.height() - 24)
        painter.setPen(QPen(QColor(theme.lines), 1))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        for stroke in self._strokes:
            quiet = stroke.colour is None
            colour = QColor(theme.quiet if quiet else theme.traces[stroke.colour or 0])
            painter.setPen(QPen(colour, 1.0 if quiet else 1.8))
            points = [
                QPointF(area.left() + area.width() * a, area.bottom() - area.height() * b)
                for a, b in zip(stroke.x, stroke.y, strict=True)
            ]
            painter.drawPolyline(QPolygonF(points))
            if stroke.dots:
                painter.setBrush(colour)
                for point in points:
                    painter.drawEllipse(point, 2.2, 2.2)
        painter.setFont(font(9))
        painter.setPen(QColor(theme.quiet))
        below = QRectF(0, self.height() - 18, self.width(), 18)
        painter.drawText(below, int(Qt.AlignmentFlag.AlignCenter), self._caption)


def overlap_strokes(window: Window, overlap: float) -> tuple[Stroke, ...]:
    """Frames beside each other, and the weight that each part of the record gets from all of
    them: the sum of the squared windows."""
    frame = _POINTS
    hop = max(1, round(frame * (1 - overlap / 100)))
    squares = np.asarray(window.samples(frame) ** 2)
    # As many frames as fill the picture, and one more at each side.
    length = 3 * frame
    total = np.zeros(length)
    strokes: list[Stroke] = []
    for start in range(-frame + hop, length, hop):
        low, high = max(start, 0), min(start + frame, length)
        total[low:high] += squares[low - start : high - start]
        if start >= frame // 2 and len(strokes) < _FRAMES and start + frame <= length:
            x = (start + np.arange(frame)) / length
            strokes.append(Stroke(x, 0.9 * np.sqrt(squares)))
    height = total.max()
    return (*strokes, Stroke(np.arange(length) / length, 0.9 * total / height, 1))


def weight_share(window: Window, overlap: float) -> float:
    """The least weight that a part of the record gets, as a share of the greatest."""
    frame = 1024
    hop = max(1, round(frame * (1 - overlap / 100)))
    rows = -(-frame // hop)
    padded = np.zeros(rows * hop)
    padded[:frame] = window.samples(frame) ** 2
    total = padded.reshape(rows, hop).sum(axis=0)
    return float(total.min() / total.max())


def padding_strokes(window: Window, pad: int) -> tuple[Stroke, ...]:
    """Two tones closer than can be told apart: the line through the bins, without and with
    padding."""
    reach, gap = 5.0, 0.45 * window.width_6db

    def line(step: float) -> tuple[Array, Array]:
        bins: Array = np.arange(-round(reach / step), round(reach / step) + 1) * np.float64(step)
        size = window.transform(bins - gap / 2 + 0.2) + window.transform(bins + gap / 2 + 0.2)
        level = np.clip(1 + 20 * np.log10(np.maximum(size / 2, 1e-6)) / 60, 0, 1)
        return np.asarray((bins + reach) / (2 * reach)), np.asarray(0.9 * level)

    coarse = Stroke(*line(1.0), dots=True)
    return (coarse, Stroke(*line(1.0 / pad), 1, dots=pad <= 8)) if pad > 1 else (coarse,)


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
