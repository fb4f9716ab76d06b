"""What is said about sensors and the channels behind them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit


@dataclass(frozen=True)
class Calibration:
    """A sensor and its amplifier: quantity = (reading / ``gain`` − ``offset``) / ``sensitivity``.

    The reading and ``offset`` are in ``raw`` (mV, V, counts, FS), ``sensitivity`` in ``raw`` per
    ``unit``. ``offset`` is what the sensor gives at zero, before the amplifier.
    """

    unit: str
    sensitivity: float
    raw: str
    gain: float = 1.0
    offset: float = 0.0
    sensor: str = ""

    def check(self) -> None:
        """Raises :class:`UserError` for figures that cannot be, or units that are unknown."""
        unit(self.unit)
        unit(self.raw)
        for name, value in (("sensitivity", self.sensitivity), ("gain", self.gain)):
            if not math.isfinite(value) or value == 0:
                raise UserError(
                    f"A {name} of {value:g} cannot be used", remedy="give one that is not zero"
                )
        if not math.isfinite(self.offset):
            raise UserError(f"An offset of {self.offset:g} cannot be used")


EVERY = "*"


@dataclass(frozen=True)
class ChannelGiven:
    """What is said about a channel: ``channel`` is its name in the file, or :data:`EVERY` for those
    that nothing is said about by name; ``unit`` what its samples are in, whatever the file says,
    and ``shown_in`` the unit that it is converted to."""

    channel: str
    name: str | None = None
    calibration: Calibration | None = None
    shown_in: str | None = None
    unit: str | None = None


@dataclass(frozen=True)
class Sensor:
    """A sensor in the user's library."""

    name: str
    sensitivity: float
    raw: str
    unit: str
    offset: float = 0.0


def said_of(given: tuple[ChannelGiven, ...], channel: str) -> ChannelGiven | None:
    """What is said of a channel of this name, None for nothing."""
    known = {one.channel: one for one in given}
    return known.get(channel, known.get(EVERY))


def say(given: tuple[ChannelGiven, ...], said: ChannelGiven) -> tuple[ChannelGiven, ...]:
    """``given`` with ``said`` in the place of what was said about the same channel."""
    rest = tuple(other for other in given if other.channel != said.channel)
    return rest if said == ChannelGiven(said.channel) else (*rest, said)
