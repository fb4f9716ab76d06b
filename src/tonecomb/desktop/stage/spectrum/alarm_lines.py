"""Alarm lines over the spectrum: the band that is watched, and the curve it is held against."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF

from tonecomb.core.estimate.spectrum import scaled
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot
from tonecomb.desktop.stage.plots.upright import UprightLines
from tonecomb.live.watching import Alarm

_TALL = 15  # pixels of a line of words


@dataclass(frozen=True)
class ShownAlarm:
    """An alarm with what is said of it; ``on`` while it is exceeded."""

    alarm: Alarm
    words: str
    on: bool


def levels_of(analysis: Analysis | None, decibels: bool, squares: Array) -> Array:
    """Where mean squares (unit²) stand on an upright axis, shape as given."""
    if analysis is None:
        return squares
    shown, spectrum = analysis.method.shown, analysis.spectrum
    values = scaled(squares, shown.scaling, shown.level, spectrum.enbw_hz, spectrum.gain_s)
    return analysis.decibels(values) if decibels else values


class AlarmLines(UprightLines):
    """A tinted band for each alarm, red while it is exceeded, with words at its head."""

    def __init__(self, plot: FrequencyPlot, levels: Callable[[Array], Array]) -> None:
        super().__init__(plot)
        self._levels = levels
        self.shown: tuple[ShownAlarm, ...] = ()
        self.setZValue(-5)

    def show_alarms(self, shown: tuple[ShownAlarm, ...]) -> None:
        """Draw these."""
        if shown != self.shown:
            self.shown = shown
            self.update()

    def paint(self, painter: QPainter, *_: Any) -> None:
        view, theme = self.viewRect(), self._theme
        if view is None or theme is None:
            return
        for i, one in enumerate(self.shown):
            high = one.alarm.high if math.isfinite(one.alarm.high) else 1e12
            left = max(self._plot.place(max(one.alarm.low, 1e-9)), view.left())
            right = min(self._plot.place(high), view.right())
            if right <= left:
                continue
            shade = QColor(theme.fault if one.on else theme.caution)
            tint = QColor(shade)
            tint.setAlpha(46 if one.on else 26)
            painter.fillRect(QRectF(left, view.top(), right - left, view.height()), tint)
            for x in (left, right):
                self.line(painter, view, x, QPen(shade, 1, Qt.PenStyle.DashLine))
            if one.alarm.curve is not None:
                self._curve(painter, one.alarm, shade)
            at = painter.transform().map(QPointF(right, view.bottom()))
            outer = painter.transform().map(QPointF(view.right(), view.bottom()))
            foot = painter.transform().map(QPointF(right, view.top())).y()  # y points up
            painter.save()
            painter.resetTransform()
            painter.setFont(font(9))
            wide = QFontMetricsF(font(9)).horizontalAdvance(one.words) + 8
            edge = outer.x() - wide - 4
            box = QRectF(min(at.x() + 4, max(edge, 0.0)), foot - 38 - i * (_TALL + 1), wide, _TALL)
            painter.fillRect(box, QColor(theme.raised))
            painter.setPen(shade)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, one.words)
            painter.restore()

    def _curve(self, painter: QPainter, alarm: Alarm, shade: QColor) -> None:
        assert alarm.curve is not None
        frequency, squares = (np.array(part) for part in alarm.curve)
        inside = (frequency >= alarm.low) & (frequency <= alarm.high) & (frequency > 0)
        levels = self._levels(squares[inside] * 10 ** (alarm.margin / 10))
        pen = QPen(shade, 1)
        pen.setCosmetic(True)
        painter.setPen(pen)
        places = zip(self._plot.places(frequency[inside]), levels, strict=True)
        painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y in places]))
