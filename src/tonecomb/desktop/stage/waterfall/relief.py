"""A relief as a picture: columns of the screen are marched from the front to the back.

Along each column of pixels the surface is sampled at steps into the screen. Where it rises above
all that stands before it, it is seen; the pixels between the old and the new horizon have its
colour.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import pyqtgraph as pg
from numpy.typing import NDArray
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.recording import Array
from tonecomb.desktop.stage.waterfall.scene import Scene
from tonecomb.formats.report.colours import Table

_COARSE = 3  # points that are one where it has to be quick


@dataclass(frozen=True, eq=False)
class Lines:
    """``heights``, shape (slices, points), the one in front first, and how far into the box each
    stands, from 0 to 1; the colour of the ground, and of each line."""

    heights: Array
    shares: Array
    ground: str
    colours: tuple[QColor, ...]

    def draw(
        self,
        painter: QPainter,
        scene: Scene,
        *,
        fine: bool = True,
        width: float = 1,
        progress: Progress = silent,
    ) -> None:
        """From the back to the front, in pens so many pixels wide; not ``fine``, with fewer points
        and jagged, in a third of the time. Progress is told at each slice: what draws has the
        interpreter to itself."""
        heights = self.heights if fine else _thinned(self.heights)
        ends: Array = np.array([1.0, 0.0])
        along = np.concatenate([np.linspace(0, 1, heights.shape[1]), ends])
        up = np.pad(heights, ((0, 0), (0, 2)))
        right, down = scene.place(along, self.shares[:, None], up)
        ground = QColor(self.ground)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, fine)
        for i in range(len(heights) - 1, -1, -1):
            progress(1 - (i + 1) / len(heights))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ground)
            painter.drawPolygon(pg.functions.arrayToQPolygonF(right[i], down[i]))
            painter.setPen(QPen(self.colours[i], width))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPolyline(pg.functions.arrayToQPolygonF(right[i, :-2], down[i, :-2]))


def _thinned(heights: Array) -> Array:
    """The highest of every few points."""
    whole = heights.shape[1] // _COARSE * _COARSE
    if not whole:
        return heights
    return np.asarray(heights[:, :whole].reshape(len(heights), -1, _COARSE).max(axis=2))


Picture = NDArray[np.uint8]
_Short = NDArray[np.float32]
_STEEP = 0.5  # slope, in widths, at which shading has done half of its work
_DARKEST, _BRIGHTEST = 0.62, 1.06
_SHADES = 24
_FINER = 1.5  # steps into the screen for each slice


def draw(heights: Array, scene: Scene, table: Table, *, shaded: bool = True) -> Picture:
    """Heights from 0 to 1, shape (slices, points) of two at least, the first slice in front,
    coloured by height, as RGBA, shape (height, width, 4), transparent where nothing is. On the
    scene's floor, where it has one, lies the map of the levels."""
    wide, high = scene.width, scene.height
    colours = _packed(table)
    out = np.zeros((high, wide), dtype=np.uint32)
    scale, _, base = scene.frame
    tilt = math.radians(scene.stance.elevation)
    right: Array = np.arange(wide, dtype=np.float64)
    short: _Short = heights.astype(np.float32)
    if scene.drop:
        _lay_floor(out, short, scene, _packed(table)[_plain()], right)
    near, far = scene.depths()
    pixels = math.ceil(scale * (far - near) * math.sin(tilt)) + 2
    steps = max(2, min(math.ceil(_FINER * heights.shape[0]) + 2, pixels))
    into = np.linspace(near, far, steps)[:, None]
    x, y = scene.across(right[None, :], into)
    inside = (x >= 0) & (x <= 1) & (y >= 0) & (y <= 1)
    z, shade = _sampled(short, x.astype(np.float32), y.astype(np.float32), scene, shaded)
    line: _Short = (base - scale * into * math.sin(tilt)).astype(np.float32)
    tall = np.float32(scale * scene.stance.tall * math.cos(tilt))
    top = np.where(inside, line - tall * z, np.float32(np.inf))
    # Rows count downward: the horizon is the least row so far. It begins at the box's front edge.
    front = np.where(inside.any(axis=0), line[np.argmax(inside, axis=0), 0], np.float32(-1))
    horizon = np.ceil(np.minimum(np.minimum.accumulate(top, axis=0), front))
    edge = np.clip(horizon, 0, high).astype(np.int32)
    first = np.clip(np.ceil(front), 0, high).astype(np.int32)
    before = np.concatenate([first[None, :], edge[:-1]])
    step, at = np.nonzero(edge < before)
    # Each step owns the pixels from the horizon before it up to its own; of two that begin at
    # one pixel the later overwrites. What lies above takes over from its own lowest pixel on.
    owner = np.zeros((high + 1, wide), dtype=np.int16)
    owner[before[step, at], at] = step
    owner = np.maximum.accumulate(owner[::-1], axis=0)[::-1][1:]
    rows = np.arange(high, dtype=np.int32)[:, None]
    v, u = np.nonzero((rows >= edge[-1]) & (rows < first))
    here = owner[v, u].astype(np.int32) * wide + u
    there = np.maximum(here - wide, u)  # the step before, or the front edge itself
    # Between two steps level and place rise together.
    line_top, from_top = top.ravel()[here], top.ravel()[there]
    with np.errstate(invalid="ignore", divide="ignore"):
        share = np.clip((from_top - v) / (from_top - line_top), 0, 1)
    ends = z.ravel()[there], z.ravel()[here]
    share = np.where(np.isfinite(share), share, np.float32(1))
    level = np.clip((ends[0] + share * (ends[1] - ends[0])) * 255, 0, 255).astype(np.int32)
    out[v, u] = colours.ravel()[shade.ravel()[here].astype(np.int32) * 256 + level]
    return out.view(np.uint8).reshape(high, wide, 4)


def _packed(table: NDArray[np.uint8]) -> NDArray[np.uint32]:
    """Colours as RGBA in one number, in every brightness, shape (shades, colours)."""
    bright = np.linspace(_DARKEST, _BRIGHTEST, _SHADES)
    values = np.full((len(bright), len(table), 4), 255, dtype=np.uint8)
    values[..., :3] = np.clip(table[None, :, :] * bright[:, None, None], 0, 255)
    values[_plain(), :, :3] = table
    return values.view(np.uint32)[..., 0]


def _plain() -> int:
    """The shade that leaves a colour as it is, nearly."""
    return round((1 - _DARKEST) / (_BRIGHTEST - _DARKEST) * (_SHADES - 1))


def _sampled(
    heights: _Short, x: _Short, y: _Short, scene: Scene, shaded: bool
) -> tuple[_Short, NDArray[np.uint16]]:
    """Heights between slices and points by straight lines, and the number of the shade there."""
    slices, points = heights.shape
    column = np.clip(x, 0, 1) * np.float32(points - 1)
    row = np.clip(y, 0, 1) * np.float32(slices - 1)
    c = np.minimum(column.astype(np.int32), points - 2)
    r = np.minimum(row.astype(np.int32), slices - 2)
    flat, at = heights.ravel(), r * points + c
    dc, dr = column - c, row - r
    lower = flat[at]
    lower += dc * (flat[at + 1] - lower)
    upper = flat[at + points]
    upper += dc * (flat[at + points + 1] - upper)
    z = lower + dr * (upper - lower)
    if shaded:
        return z, _shade(heights, scene).ravel()[at]
    return z, np.full(z.shape, _plain(), dtype=np.uint16)


def _shade(heights: _Short, scene: Scene) -> NDArray[np.uint16]:
    """How bright each point is, as the number of a shade: light comes from the upper left in
    front. Slopes are compressed, so that narrow peaks do not go black."""
    tall = scene.stance.tall
    along = np.gradient(heights, axis=1) * ((heights.shape[1] - 1) * tall)
    deep = np.gradient(heights, axis=0) * ((heights.shape[0] - 1) * tall)
    along, deep = (one / (np.abs(one) + _STEEP) for one in (along, deep))
    bright = np.clip(0.92 + 0.22 * along - 0.10 * deep, _DARKEST, _BRIGHTEST)
    shares = (bright - _DARKEST) / (_BRIGHTEST - _DARKEST)
    return np.asarray(np.round(shares * (_SHADES - 1)), dtype=np.uint16)


def _lay_floor(
    out: NDArray[np.uint32],
    heights: _Short,
    scene: Scene,
    colours: NDArray[np.uint32],
    right: Array,
) -> None:
    """The map of levels, flat below the box."""
    scale, _, base = scene.frame
    tilt = math.radians(scene.stance.elevation)
    lower = base + scale * scene.drop * scene.stance.tall * math.cos(tilt)
    down: Array = np.arange(scene.height, dtype=np.float64)
    into = (lower - down)[:, None] / (scale * math.sin(tilt))
    x, y = scene.across(right[None, :], into)
    v, u = np.nonzero((x >= 0) & (x <= 1) & (y >= 0) & (y <= 1))
    row = np.round(y[v, u] * (heights.shape[0] - 1)).astype(int)
    column = np.round(x[v, u] * (heights.shape[1] - 1)).astype(int)
    out[v, u] = colours[np.clip(heights[row, column] * 255, 0, 255).astype(int)]
