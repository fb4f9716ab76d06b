"""What a run-up is analysed by: how the shaft's speed is known, and which orders are followed."""

from __future__ import annotations

from dataclasses import dataclass

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.record.signal import Signal

MOST_ORDERS = 12  # that are followed at once
_MOST_PULSES = 10_000  # a turn


@dataclass(frozen=True)
class Shaft:
    """The shaft's speed is the fundamental of the ``comb`` that is followed in ``channel`` (from
    0; None for the one that is analysed), or comes from a ``tacho`` channel that passes its level
    ``pulses`` times a turn. ``orders`` (multiples of the speed, not only whole ones) are those
    whose amplitudes are wanted.

    A resonance between the shaft and the sensor turns the phase of what passes it: a channel close
    to the shaft knows the speed best.
    """

    comb: Wanted | None = None
    channel: int | None = None
    tacho: Sync | None = None
    pulses: int = 1
    orders: tuple[float, ...] = (1.0,)

    def check(self, signal: Signal) -> None:
        """Raise :class:`UserError` where this cannot be for the signal."""
        if not 0 < len(self.orders) <= MOST_ORDERS or min(self.orders) <= 0:
            raise UserError(
                "The orders to follow are not named",
                remedy=f"name up to {MOST_ORDERS} above 0, like 1, 2, 17",
            )
        if self.tacho is not None:
            if self.tacho.channel is None:
                raise UserError("The tachometer's channel is not named", remedy="choose one")
            self.tacho.check(signal.channels)
            if not 1 <= self.pulses <= _MOST_PULSES:
                raise UserError(
                    f"A tachometer cannot give {self.pulses} pulses a turn",
                    remedy=f"choose 1 to {_MOST_PULSES}",
                )
        elif self.comb is None or not self.comb.teeth or not self.comb.low > 0:
            raise UserError(
                "The shaft's speed is not known",
                remedy="name the range of its frequency and the teeth of its comb, or a "
                "tachometer channel",
            )
        else:
            self.comb.check(signal.rate / 2)
            if self.channel is not None and not 0 <= self.channel < len(signal.channels):
                raise UserError(
                    f"There is no channel {self.channel + 1} to take the speed from",
                    f"the recording has {len(signal.channels)}",
                )

    def words(self, signal: Signal) -> str:
        """Where the speed comes from, for the sentence."""

        def name(channel: int) -> str:
            known = channel < len(signal.channels)
            return signal.channels[channel].name if known else "a missing channel"

        if self.tacho is not None and self.tacho.channel is not None:
            turn = "pulse" if self.pulses == 1 else "pulses"
            return f"speed from {name(self.tacho.channel)}, {self.pulses} {turn} a turn"
        if self.comb is None:
            return "speed unknown"
        teeth = ", ".join(map(str, self.comb.teeth))
        of = "" if self.channel is None else f" of {name(self.channel)}"
        return f"speed from a comb{of} in {self.comb.low:g}–{self.comb.high:g} Hz, teeth {teeth}"


def of_comb(low: float, high: float, teeth: tuple[int, ...]) -> Shaft:
    """A shaft that is known by the comb in a range of Hz; its teeth are the orders."""
    return Shaft(Wanted(low, high, teeth), orders=tuple(float(n) for n in teeth[:MOST_ORDERS]))
