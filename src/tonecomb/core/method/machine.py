"""What is known of a machine beforehand: its shaft's speed, and frequencies that have names."""

from __future__ import annotations

from dataclasses import dataclass

from tonecomb.core.base.errors import UserError


@dataclass(frozen=True)
class Known:
    """A frequency that has a name: ``value`` Hz, or times the shaft's frequency where it is one
    ``of_shaft``; a peak has it within ``tolerance`` percent."""

    name: str
    value: float
    of_shaft: bool = False
    tolerance: float = 0.5

    def check(self) -> None:
        """Raise :class:`UserError` where this is no frequency."""
        if not self.name.strip():
            raise UserError("A known frequency has no name", remedy="name it")
        if not (0 < self.value < 1e9 and 0 < self.tolerance <= 50):
            raise UserError(
                f"‘{self.name}’ is no known frequency",
                f"{self.value:g} with a tolerance of {self.tolerance:g} %",
                "give a frequency above 0 and a tolerance up to 50 %",
            )


@dataclass(frozen=True)
class Machine:
    """``shaft`` is the shaft's frequency in Hz, or where it is None the fundamental of the comb
    that has the name ``comb``."""

    shaft: float | None = None
    comb: str = ""
    known: tuple[Known, ...] = ()


def named(known: tuple[Known, ...], shaft: float | None, frequency: float, play: float) -> str:
    """The name of the known frequency nearest to ``frequency`` (Hz) within its tolerance, and
    ``play`` Hz that it was measured too far off; "" for none. Multiples of a shaft whose
    frequency ``shaft`` is None are none."""
    best, name = float("inf"), ""
    for one in known:
        if one.of_shaft and shaft is None:
            continue
        at = one.value * (shaft or 0.0) if one.of_shaft else one.value
        off = abs(frequency - at)
        if off <= one.tolerance / 100 * at + play and off < best:
            best, name = off, one.name
    return name
