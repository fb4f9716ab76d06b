"""What is looked for in a spectrum, as a method says it."""

from __future__ import annotations

from dataclasses import dataclass

from tonecomb.core.base.errors import UserError

MOST = 300  # peaks that are kept where nobody says how many


@dataclass(frozen=True)
class PeakSearch:
    """What counts as a peak.

    At most ``above_db`` below the highest one, standing out by ``prominence_db``, between
    ``low`` and ``high`` (Hz, None for the end of the axis); with an rms amplitude of ``least``
    (the channel's unit) or more, ``above_floor_db`` over the noise around it, and no higher peak
    nearer than ``spacing`` (Hz). The ``most`` highest are kept, and the highest points nearest to
    the frequencies ``by_hand`` (Hz) whatever they are.
    """

    above_db: float = 60.0
    prominence_db: float = 4.0
    low: float | None = None
    high: float | None = None
    most: int = MOST
    least: float = 0.0
    above_floor_db: float = 0.0
    spacing: float = 0.0
    by_hand: tuple[float, ...] = ()


@dataclass(frozen=True)
class Fit:
    """A range (Hz) in which one mode or two are fitted because the user says so."""

    low: float
    high: float
    modes: int = 1

    def check(self, nyquist: float) -> None:
        """Raise :class:`UserError` where there is no such range, or no such fit."""
        if not 0 <= self.low < self.high <= nyquist * (1 + 1e-9) or self.modes not in (1, 2):
            raise UserError(
                f"No mode can be fitted from {self.low:g} to {self.high:g} Hz",
                remedy=f"choose a range between 0 and {nyquist:g} Hz, and 1 or 2 modes",
            )
