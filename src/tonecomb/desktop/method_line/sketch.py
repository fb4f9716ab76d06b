"""Small drawings in popovers, of what a setting does."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window
from tonecomb.desktop.kit.theme import current_theme, font

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
