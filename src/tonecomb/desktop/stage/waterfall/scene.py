"""Where a relief stands on the screen: it is turned, tilted, and seen without perspective.

In the box frequency goes along x, time along y and the level along z, each from 0 to 1. It is
turned about z by the azimuth, tilted towards the viewer by the elevation, and scaled to fit.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from tonecomb.core.record.recording import Array


def even_ticks(low: float, high: float, most: int) -> list[float]:
    """At most so many values in steps of 1, 2 or 5."""
    if not high > low:
        return []
    rough = (high - low) / max(most, 1)
    size = 10 ** math.floor(math.log10(rough))
    step = next(size * m for m in (1, 2, 5, 10) if size * m >= rough * (1 - 1e-9))
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return [round(k * step, 12) for k in range(first, last + 1)]


def log_ticks(low: float, high: float, most: int) -> list[float]:
    """1, 2 and 5 of each decade, or fewer of them."""
    decades = range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
    for digits in ((1, 2, 5), (1, 3), (1,)):
        values = [m * 10.0**d for d in decades for m in digits]
        values = [value for value in values if low <= value <= high * (1 + 1e-9)]
        if len(values) <= most:
            return values if len(values) > 1 else even_ticks(low, high, most)
    return values[:: math.ceil(len(values) / most)]


def words(values: list[float]) -> list[str]:
    """As they are read, with as many decimals as tells them apart."""
    if len(values) < 2:
        return [f"{v:g}" for v in values]
    step = float(np.min(np.diff(values)))
    digits = max(0, math.ceil(-math.log10(step) - 1e-9))
    texts = [f"{v:.{digits}f}" if abs(v) < 1e5 else f"{v:g}" for v in values]
    return [text.replace("-", "−") for text in texts]


DEEP = 0.75  # of the box's width that its time axis is long
MOST_TURNED, LEAST_TILT, MOST_TILT = 65.0, 8.0, 80.0
_LEAST_TALL, _MOST_TALL = 0.08, 1.2


@dataclass(frozen=True)
class Stance:
    """How the box is looked at: degrees of azimuth and elevation, the height of its levels in
    widths, and whether the end of the stretch is in front."""

    azimuth: float = 18.0
    elevation: float = 34.0
    tall: float = 0.34
    end_first: bool = False

    def turned(self, azimuth: float, elevation: float) -> Stance:
        """Turned and tilted by so many degrees, as far as slices do not collapse."""
        return replace(
            self,
            azimuth=float(np.clip(self.azimuth + azimuth, -MOST_TURNED, MOST_TURNED)),
            elevation=float(np.clip(self.elevation + elevation, LEAST_TILT, MOST_TILT)),
        )

    def taller(self, factor: float) -> Stance:
        """With its levels so many times as high."""
        return replace(self, tall=float(np.clip(self.tall * factor, _LEAST_TALL, _MOST_TALL)))


@dataclass(frozen=True)
class Scene:
    """A stance fitted to a screen of ``width`` × ``height`` pixels with a margin on each side."""

    stance: Stance
    width: int
    height: int
    margin: tuple[float, float, float, float] = (70.0, 30.0, 40.0, 60.0)
    """Left, top, right, bottom."""
    drop: float = 0.0
    """How far below the box a floor lies, in its heights."""

    @property
    def _angles(self) -> tuple[float, float]:
        return math.radians(self.stance.azimuth), math.radians(self.stance.elevation)

    def _flat(self, x: Array, y: Array) -> tuple[Array, Array]:
        """Across the screen and into it, in widths."""
        turn, _ = self._angles
        along, deep = x - 0.5, (y - 0.5) * DEEP
        return (
            along * math.cos(turn) + deep * math.sin(turn),
            -along * math.sin(turn) + deep * math.cos(turn),
        )

    @cached_property
    def frame(self) -> tuple[float, float, float]:
        """Pixels to a width, and where the middle of the box's floor is on the screen."""
        _, tilt = self._angles
        x, y = np.array([0.0, 1, 0, 1]), np.array([0.0, 0, 1, 1])
        across, into = self._flat(x, y)
        wide = float(across.max() - across.min())
        below = self.drop * self.stance.tall * math.cos(tilt)
        low = float(into.min()) * math.sin(tilt) - below
        high = float(into.max()) * math.sin(tilt) + self.stance.tall * math.cos(tilt)
        left, top, right, bottom = self.margin
        room = (max(self.width - left - right, 10), max(self.height - top - bottom, 10))
        scale = min(room[0] / wide, room[1] / (high - low))
        middle = left + room[0] / 2
        spare = room[1] - scale * (high - low)
        return scale, middle, top + spare / 2 + scale * high

    def place(self, x: Array, y: Array, z: Array) -> tuple[Array, Array]:
        """Pixels right and down of points of the box; ``y`` 0 is in front."""
        _, tilt = self._angles
        scale, middle, floor = self.frame
        across, into = self._flat(np.asarray(x, float), np.asarray(y, float))
        up = into * math.sin(tilt) + np.asarray(z, float) * self.stance.tall * math.cos(tilt)
        return middle + scale * across, floor - scale * up

    def point(self, x: float, y: float, z: float) -> tuple[float, float]:
        """The same of one point."""
        right, down = self.place(np.array([x]), np.array([y]), np.array([z]))
        return float(right[0]), float(down[0])

    def across(self, right: Array, into: Array) -> tuple[Array, Array]:
        """x and y of the box's points on the floor plane at pixels ``right`` and so many widths
        ``into`` the screen."""
        turn, _ = self._angles
        scale, middle, _ = self.frame
        u = (right - middle) / scale
        along = u * math.cos(turn) - into * math.sin(turn)
        deep = u * math.sin(turn) + into * math.cos(turn)
        return along + 0.5, deep / DEEP + 0.5

    def depths(self) -> tuple[float, float]:
        """How far into the screen the box reaches, from and to, in widths."""
        _, into = self._flat(np.array([0.0, 1, 0, 1]), np.array([0.0, 0, 1, 1]))
        return float(into.min()), float(into.max())
