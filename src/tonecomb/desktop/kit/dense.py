"""A line of more points than there are pixels, drawn as what it covers.

Stroked, a path of a few thousand strokes from top to bottom takes tens of milliseconds. What it
covers of each column of pixels is one run, from the lowest point in it to the highest, which is
filled at once.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QColor, QImage, QPainter, QTransform
from PyQt6.sip import voidptr

from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.plot import Trace

_DENSE = 1.5  # points a pixel, from which the line is filled


class DenseTrace(Trace):
    """A trace that may be the envelope of a long record."""

    def paint(self, p: QPainter, *rest: Any) -> None:
        x, y = self.getData()
        turn = p.deviceTransform()
        flat = turn.m12() == turn.m21() == 0.0
        if x is None or not flat or len(x) < 4 or not _dense(x, turn):
            super().paint(p, *rest)
            return
        device, view = p.device(), self.viewRect()
        if device is None or view is None:
            return
        seen = turn.mapRect(view)
        found = columns(
            turn.m11() * x + turn.dx(), turn.m22() * y + turn.dy(), (seen.left(), seen.right())
        )
        if found is None:
            return
        colour, ratio = QColor(self.opts["pen"].color()), device.devicePixelRatioF()
        picture, first, above = filled(*found, (seen.top(), seen.bottom()), colour)
        if picture is None:
            return
        p.save()
        # Where the device itself begins, in which the columns were counted.
        p.setWorldTransform(QTransform())
        begin = p.deviceTransform()
        picture.setDevicePixelRatio(ratio)
        p.translate((first - begin.dx()) / begin.m11(), (above - begin.dy()) / begin.m22())
        p.drawImage(QPointF(0, 0), picture)
        p.restore()


def _dense(x: Array, turn: QTransform) -> bool:
    ends = x[np.isfinite(x)][[0, -1]] if np.isfinite(x).any() else np.zeros(2)
    pixels = abs(float(ends[1] - ends[0]) * turn.m11())
    return pixels > 0 and len(x) > _DENSE * pixels


def columns(x: Array, y: Array, seen: tuple[float, float]) -> tuple[int, Array, Array] | None:
    """The first column of pixels, and the least and greatest y in it and in each after it, nan in
    those without; where the line goes on from one to the next they touch. ``x`` and ``y`` are
    pixels, shape (points,); what is ``seen`` lies between two of them."""
    there = np.isfinite(x) & (x >= seen[0] - 1) & (x <= seen[1] + 1)
    columns_of, y = np.floor(x[there]).astype(int), y[there]
    holes = columns_of[~np.isfinite(y)]
    column, y = columns_of[np.isfinite(y)], y[np.isfinite(y)]
    if not len(column):
        return None
    first, last = int(column[0]), int(column[-1])
    if last < first or (np.diff(column) < 0).any():
        return None
    starts = np.flatnonzero(np.diff(column, prepend=column[0] - 1))
    low, high = np.full(last - first + 1, np.nan), np.full(last - first + 1, np.nan)
    at = column[starts] - first
    low[at], high[at] = np.minimum.reduceat(y, starts), np.maximum.reduceat(y, starts)
    _bridge(low, high, holes[(holes >= first) & (holes <= last)] - first)
    # A stroke between neighbours covers what lies between them.
    before_low, before_high = low[:-1].copy(), high[:-1].copy()
    with np.errstate(invalid="ignore"):
        low[1:] = np.where(low[1:] > before_high, before_high, low[1:])
        high[1:] = np.where(high[1:] < before_low, before_low, high[1:])
    return first, low, high


def _bridge(low: Array, high: Array, holes: NDArray[np.int_]) -> None:
    """Columns that no point fell into, of points that are a little wider than a pixel apart, go on
    as the one before, unless there is a hole in the line."""
    number = np.arange(len(low))
    before = np.maximum.accumulate(np.where(np.isnan(low), 0, number))
    lacking = np.isnan(low) & (number - before == 1)
    lacking[holes] = False
    low[lacking], high[lacking] = low[before[lacking]], high[before[lacking]]


def filled(
    first: int, low: Array, high: Array, seen: tuple[float, float], colour: QColor
) -> tuple[QImage | None, int, int]:
    """The runs in one colour as a picture, the first column and the first row of it; rows are those
    ``seen``."""
    if not np.isfinite(low).any():
        return None, first, 0
    top = int(np.clip(np.floor(np.nanmin(low)), *seen))
    bottom = int(np.clip(np.ceil(np.nanmax(high)) + 1, *seen))
    if bottom <= top:
        return None, first, top
    begin = np.nan_to_num(np.clip(np.floor(low) - top, 0, 32_000), nan=32_001).astype(np.int16)
    end = np.nan_to_num(np.clip(np.floor(high) - top, -1, 32_000), nan=-1).astype(np.int16)
    rows = np.arange(bottom - top, dtype=np.int16)[:, None]
    inside = (rows >= begin) & (rows <= end)
    pixels = np.multiply(inside, np.uint32(_premultiplied(colour)))
    height, width = pixels.shape
    return _Picture(pixels, width, height), first, top


class _Picture(QImage):
    """A picture on an array, which lives as long."""

    def __init__(self, pixels: NDArray[np.uint32], width: int, height: int) -> None:
        kind = QImage.Format.Format_ARGB32_Premultiplied
        memory: Any = voidptr(pixels.ctypes.data)
        super().__init__(memory, width, height, 4 * width, kind)
        self._pixels = pixels


def _premultiplied(colour: QColor) -> int:
    share = colour.alphaF()
    red, green, blue = (round(share * part) for part in colour.getRgb()[:3])
    return (round(255 * share) << 24) | (int(red) << 16) | (int(green) << 8) | int(blue)
