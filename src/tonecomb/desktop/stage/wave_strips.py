"""Envelopes below each other on one scale of time and level, each with its name and figure."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tonecomb.core.record.pyramid import WaveformEnvelope
from tonecomb.desktop.kit.plot import AXIS_WIDTH
from tonecomb.desktop.kit.theme import PAPER, Theme, font

ROW = 34  # pixels
_FIGURE = 150  # pixels at the right


@dataclass(frozen=True, eq=False)
class Strip:
    """An ``envelope`` with its name, what is said at its right, and the number of its colour."""

    name: str
    envelope: WaveformEnvelope
    figure: str
    colour: int


class WaveStrips(QWidget):
    """Draws strips; nothing while there are none."""

    def __init__(self) -> None:
        super().__init__()
        self._theme: Theme = PAPER
        self.strips: tuple[Strip, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_strips(self, strips: Sequence[Strip]) -> None:
        """Draw these."""
        self.strips = tuple(strips)
        self.setFixedHeight(ROW * len(self.strips))
        self.setAccessibleName("; ".join(f"{one.name} {one.figure}" for one in strips))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.strips:
            return
        painter = QPainter(self)
        painter.setFont(font(9))
        ends = [(np.nanmin(one.envelope.low), np.nanmax(one.envelope.high)) for one in self.strips]
        # One scale for all, so that heights can be compared; each about its own middle.
        size = max(max(high - low for low, high in ends), 1e-300)
        left, width = AXIS_WIDTH + 2.0, self.width() - AXIS_WIDTH - _FIGURE - 8.0
        first = min(one.envelope.edges[0] for one in self.strips)
        span = max(one.envelope.edges[-1] for one in self.strips) - first
        for i, (one, (low, high)) in enumerate(zip(self.strips, ends, strict=True)):
            middle, scale = (i + 0.5) * ROW, 0.92 * ROW / size
            centre = (low + high) / 2
            painter.setPen(QColor(self._theme.quiet))
            name = QRectF(0, i * ROW, AXIS_WIDTH - 8, ROW)
            painter.drawText(name, _RIGHT, one.name)
            x = left + width * (one.envelope.edges - first) / span
            x = np.repeat(x, 2)[1:-1]
            top = middle - np.repeat(one.envelope.high - centre, 2) * scale
            bottom = middle - np.repeat(one.envelope.low - centre, 2) * scale
            good = np.isfinite(top) & np.isfinite(bottom)
            across = np.concatenate([x[good], x[good][::-1]])
            upright = np.concatenate([top[good], bottom[good][::-1]])
            colour = QColor(self._theme.traces[one.colour])
            painter.setPen(QPen(colour, 0.8))
            painter.setBrush(colour)
            points = zip(across.tolist(), upright.tolist(), strict=True)
            painter.drawPolygon(QPolygonF([QPointF(a, b) for a, b in points]))
            painter.setPen(QColor(self._theme.ink))
            figure = QRectF(left + width + 8, i * ROW, _FIGURE - 8, ROW)
            painter.drawText(figure, _LEFT, one.figure)


_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
_LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
