"""What is drawn over a waveform: missing samples, gaps, clipping, what is struck out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QTransform

from tonecomb.desktop.kit.theme import Theme

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
