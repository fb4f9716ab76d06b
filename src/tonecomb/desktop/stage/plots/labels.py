"""Words over curves, each near its point: placed so that none lies over another, over a curve
or over an edge, with a thin line where one has to stand aside."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen

from tonecomb.core.record.recording import Array
from tonecomb.core.say import placing
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import font

_MOST = 40
_MARGIN = 4.0  # pixels left of the axis's upper end, and between a label's word and its edge


@dataclass(frozen=True)
class Word:
    """A word for a place on the axes; ``tooth`` is the comb's index and the tooth's number that it
    stands for, None for any other."""

    x: float
    y: float
    text: str
    colour: str
    tooth: tuple[int, int] | None = None


Said = tuple[Sequence[Word], Sequence[tuple[Array, Array]], Sequence[placing.Rect]]
"""Words; the curves, as the axes have them, that they keep off; areas in pixels that are taken."""


class Labels(pg.GraphicsObject):
    """The words of one plot."""

    def __init__(self, plot: Plot) -> None:
        super().__init__()
        self._plot = plot
        self.setZValue(6)
        self._placed: list[tuple[Word, placing.LabelPlace]] = []
        self._ask: Callable[[], Said] | None = None
        self.ground = QColor("white")
        self._font = font(9, QFont.Weight.Medium)
        self._metrics = QFontMetricsF(self._font)
        plot.addItem(self, ignoreBounds=True)

    def show_words(self, ask: Callable[[], Said]) -> None:
        """Show what ``ask`` tells when they are next drawn: much may change before that, and to
        find their places takes as long as to draw all the rest."""
        self._ask = ask
        self.update()

    @property
    def placed(self) -> list[tuple[Word, placing.LabelPlace]]:
        """The words that are in view and have room, each with its place."""
        if self._ask is not None:
            ask, self._ask = self._ask, None
            self._placed = self._place(*ask())
        return self._placed

    def _place(
        self,
        words: Sequence[Word],
        curves: Sequence[tuple[Array, Array]],
        heads: Sequence[placing.Rect],
    ) -> list[tuple[Word, placing.LabelPlace]]:
        """Places for these over the curves, the first ones first."""
        box = self._plot.box
        area = box.sceneBoundingRect()
        frame = (area.left(), area.top() + _MARGIN, area.right(), area.bottom())
        if not words or area.width() < 1:
            return []
        across, up = self._to_pixels()
        lines = [(across[0] + across[1] * x, up[0] + up[1] * y) for x, y in curves]
        top = placing.ceiling(lines, frame[0], frame[2])
        seen, labels = [], []
        for word in words:
            x, y = across[0] + across[1] * word.x, up[0] + up[1] * word.y
            if not (frame[0] <= x <= frame[2] and frame[1] <= y <= frame[3]):
                continue
            seen.append(word)
            width = self._metrics.horizontalAdvance(word.text) + _MARGIN
            labels.append(placing.Label(x, y, width, self._metrics.height()))
            if len(seen) == _MOST:
                break
        taken = list(heads)
        for other in (self._plot.legend,):
            if not other.isHidden():
                taken.append(_rect(QRectF(other.geometry())))
        places = placing.place(labels, top, frame, taken)
        return [
            (word, place) for word, place in zip(seen, places, strict=True) if place is not None
        ]

    def _to_pixels(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Offset and factor from the axes to the picture's pixels, across and upward."""
        (left, right), (low, high) = self._plot.box.viewRange()
        area = self._plot.box.sceneBoundingRect()
        wide, tall = area.width() / (right - left), -area.height() / (high - low)
        return (area.left() - wide * left, wide), (area.bottom() - tall * low, tall)

    def at(self, place: QPointF) -> Word | None:
        """The word at a place in axis units."""
        across, up = self._to_pixels()
        x, y = across[0] + across[1] * place.x(), up[0] + up[1] * place.y()
        for word, where in self.placed:
            left, top, right, bottom = where.area
            if left <= x <= right and top <= y <= bottom:
                return word
        return None

    def boundingRect(self) -> QRectF:
        return self.viewRect() or QRectF()

    def viewTransformChanged(self) -> None:
        super().viewTransformChanged()
        self.prepareGeometryChange()

    def paint(self, painter: QPainter, *_: Any) -> None:
        if not self.placed:
            return
        painter.save()
        painter.resetTransform()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(self._font)
        across, up = self._to_pixels()
        for word, place in self.placed:
            colour = QColor(word.colour)
            if place.leader is not None:
                thin = QColor(colour)
                thin.setAlpha(140)
                painter.setPen(QPen(thin, 1))
                point = QPointF(across[0] + across[1] * word.x, up[0] + up[1] * word.y - _MARGIN)
                painter.drawLine(point, QPointF(*place.leader))
            left, top, right, bottom = place.area
            area = QRectF(left, top + 1, right - left, bottom - top - 1)
            # Nothing of a curve is under it: what is hidden are lines and the grid.
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(self.ground if word.tooth is None else colour)
            painter.drawRoundedRect(area, 3, 3)
            painter.setPen(colour if word.tooth is None else self.ground)
            painter.drawText(
                QPointF(left + _MARGIN / 2, bottom - self._metrics.descent()), word.text
            )
        painter.restore()


def _rect(area: QRectF) -> placing.Rect:
    return (area.left(), area.top(), area.right(), area.bottom())
