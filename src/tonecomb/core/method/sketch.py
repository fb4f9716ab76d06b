"""A sketch of what was measured: where each channel sits and which way it looks, and the lines
between, so that a shape can be drawn as it moves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array

WAYS: dict[str, tuple[float, float, float]] = {
    "+x": (1, 0, 0),
    "-x": (-1, 0, 0),
    "+y": (0, 1, 0),
    "-y": (0, -1, 0),
    "+z": (0, 0, 1),
    "-z": (0, 0, -1),
}
"""Directions by name, as unit vectors."""
_DOF = {"+x": 1, "-x": -1, "+y": 2, "-y": -2, "+z": 3, "-z": -3}

Complex = NDArray[np.complex128]


@dataclass(frozen=True)
class Place:
    """Channel ``channel`` (from 0) sits at ``x``, ``y``, ``z`` (m) and is positive ``along`` one of
    :data:`WAYS`."""

    channel: int
    x: float = 0.0
    y: float = 0.0
    z: float = 0.0
    along: str = "+z"

    def __post_init__(self) -> None:
        if self.along not in WAYS:
            raise ValueError(f"{self.along!r} is no direction")

    @property
    def point(self) -> tuple[float, float, float]:
        """Where it sits (m)."""
        return self.x, self.y, self.z

    @property
    def direction(self) -> int:
        """As universal files number it: 1 for +x to −3 for −z."""
        return _DOF[self.along]


@dataclass(frozen=True)
class Sketch:
    """``places`` of channels, and ``lines`` between the places of two channels (from 0)."""

    places: tuple[Place, ...] = ()
    lines: tuple[tuple[int, int], ...] = ()

    def of(self, channel: int) -> Place | None:
        """Where a channel sits, None where that is not known."""
        return next((one for one in self.places if one.channel == channel), None)

    def knows(self, channels: Sequence[int]) -> bool:
        """Whether it says where these sit, and not all at one point."""
        places = [self.of(one) for one in channels]
        points = {one.point for one in places if one is not None}
        return all(places) and len(points) > 1

    def figure(self, channels: Sequence[int], shape: Complex) -> Figure:
        """Points and lines with how the points move, from the parts of ``channels`` in a ``shape``
        (channels,). Channels at one point add up by their directions; a point whose channel has no
        part stands still."""
        points: list[tuple[float, float, float]] = []
        for one in self.places:
            if one.point not in points:
                points.append(one.point)
        motion = np.zeros((len(points), 3), np.complex128)
        for channel, part in zip(channels, shape, strict=True):
            place = self.of(channel)
            if place is not None:
                motion[points.index(place.point)] += part * np.array(WAYS[place.along])
        joined = {
            (points.index(a.point), points.index(b.point))
            for a, b in ((self.of(i), self.of(j)) for i, j in self.lines)
            if a is not None and b is not None and a.point != b.point
        }
        return Figure(np.array(points, float).reshape(-1, 3), motion, tuple(sorted(joined)))


@dataclass(frozen=True, eq=False)
class Figure:
    """``points`` (points, 3) in m, their complex ``motion`` (points, 3), and ``lines`` between
    them by number."""

    points: Array
    motion: Complex
    lines: tuple[tuple[int, int], ...]

    @property
    def size(self) -> float:
        """The greatest extent (m), 1 where there is none."""
        return float(np.ptp(self.points, axis=0).max()) or 1.0

    def at(self, phase: float, share: float = 0.2) -> Array:
        """The points (points, 3) at a ``phase`` (rad), the greatest motion being ``share`` of the
        size."""
        most = float(np.abs(self.motion).max()) or 1.0
        result: Array = (
            self.points + share * self.size / most * (self.motion * np.exp(1j * phase)).real
        )
        return result


def seen(points: Array, azimuth: float, elevation: float) -> Array:
    """Points (…, 3) as they are seen from ``azimuth`` and ``elevation`` (rad), shape (…, 2), across
    and upward: turned about the upright z, then tilted."""
    x, y, z = points[..., 0], points[..., 1], points[..., 2]
    across = x * np.cos(azimuth) - y * np.sin(azimuth)
    deep = x * np.sin(azimuth) + y * np.cos(azimuth)
    return np.stack([across, z * np.cos(elevation) + deep * np.sin(elevation)], axis=-1)


def place_from(text: str, channel: int) -> Place:
    """A place from ``X:Y:Z`` or ``X:Y:Z:+z`` (m). :class:`UserError` where it is none."""
    parts = text.split(":")
    try:
        x, y, z = (float(one) for one in parts[:3])
        if not np.isfinite([x, y, z]).all() or len(parts) > 4:
            raise ValueError
        return Place(channel, x, y, z, parts[3] if len(parts) == 4 else "+z")
    except ValueError as error:
        raise UserError(
            f"‘{text}’ is no place", remedy="give metres and a direction, like 0:0:1.2:+x"
        ) from error
