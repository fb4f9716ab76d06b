"""Time downward, beside an upright waveform of the same stretch."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen
from pyqtgraph.functions import arrayToQPolygonF

from tonecomb.core.record.pyramid import WaveformEnvelope
from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.plot import Axis
from tonecomb.desktop.kit.theme import PAPER, Theme, font

WIDE = 26  # pixels of the waveform


class TimeStrip(Axis):
    """A left axis in s; the waveform stands between it and the figures."""

    def __init__(self) -> None:
        super().__init__("left")
        self.setStyle(tickTextOffset=WIDE + 8)
        self.theme: Theme = PAPER
        self._time: Array = np.zeros(0)
        self._low: Array = np.zeros(0)
        self._high: Array = np.zeros(0)

    def show_envelope(self, envelope: WaveformEnvelope | None, fs: float) -> None:
        """The lowest and highest sample from each edge (in samples at ``fs``) to the next."""
        if envelope is None or not len(envelope.low):
            self._time = np.zeros(0)
        else:
            self._time = np.asarray(envelope.edges / fs)
            size = float(np.nanmax(np.abs([envelope.low, envelope.high]), initial=0.0)) or 1.0
            middle = (np.nanmax(envelope.high) + np.nanmin(envelope.low)) / 2
            half = float(np.nanmax(envelope.high) - np.nanmin(envelope.low)) / 2 or size
            self._low = np.nan_to_num((envelope.low - middle) / half)
            self._high = np.nan_to_num((envelope.high - middle) / half)
        self.update()

    def boundingRect(self) -> QRectF:
        return super().boundingRect().adjusted(-8, -24, 0, 0)

    def paint(self, painter: QPainter, *rest: Any) -> None:
        super().paint(painter, *rest)
        view = self.linkedView()
        if view is None:
            return
        painter.save()
        area = view.mapRectToItem(self, view.boundingRect())
        painter.setFont(font(9))
        painter.setPen(QColor(self.theme.ink))
        place = QRectF(area.left() - WIDE - 40, area.top() - 17, 32, 13)
        right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom
        painter.drawText(place, right, "s")
        if len(self._time) > 1:
            top, bottom = view.viewRange()[1]
            scale = area.height() / max(bottom - top, 1e-12)
            y = np.repeat(area.top() + (self._time - top) * scale, 2)[1:-1]
            middle = area.left() - WIDE / 2 - 4
            left = middle + np.repeat(self._low, 2) * WIDE / 2
            right = middle + np.repeat(self._high, 2) * WIDE / 2
            seen = (y >= area.top() - 2) & (y <= area.bottom() + 2)
            x = np.concatenate([left[seen], right[seen][::-1]])
            upright = np.concatenate([y[seen], y[seen][::-1]])
            painter.setClipRect(area.adjusted(-WIDE - 8, 0, 0, 0))
            painter.setPen(QPen(QColor(self.theme.traces[0]), 0.6))
            painter.setBrush(QColor(self.theme.traces[0]))
            painter.drawPolygon(arrayToQPolygonF(x, upright))
        painter.restore()
