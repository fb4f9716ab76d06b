"""How an estimate is shown: as which quantity, against which reference, in bins or in bands."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import MOTIONS, SYSTEMS, System, Unit, conversion, unit
from tonecomb.core.estimate import weighting
from tonecomb.core.estimate.bands import FRACTIONS, Band, band_edges, band_power
from tonecomb.core.estimate.spectrum import Level, Scaling, Spectrum
from tonecomb.core.record.recording import Array

Drawn = Literal["bins", "octave", "decade", "total"]
MOST_PER_DECADE = 200  # bands
LOW_CUT = 1.0
"""Hz; where integrals begin as long as nothing slower is known to be there."""
LEAST_BINS = 3.0
"""Bins from zero from which what is no line has a frequency by which it can be divided."""
SURE_BINS = 3.0
"""Bins that a band is wide whose neighbours do not count in it."""
_NO_LINES = (np.zeros(0), np.zeros(0))


@dataclass(frozen=True)
class Display:
    """``quantity`` is "" for the channel's own, or one of Acceleration, Velocity, Displacement;
    to get there, amplitudes are multiplied by (2πf) to a power, and what lies below ``low_cut``
    (Hz; None for :data:`LOW_CUT`, or half the lowest thing that is found) is left out.
    ``reference`` is that of decibels in the shown unit, None for ISO 1683's. Another quantity than
    the channel's is shown in ``units`` of this system. By a ``weighting`` curves and levels are
    weighted, "" for none; peaks keep their plain level.

    ``drawn`` in ``bins``, in bands of a fraction of an octave or so many a decade (``bands`` is
    that number), or as the running ``total``: the rms of all up to a frequency.
    """

    quantity: str = ""
    low_cut: float | None = None
    reference: float | None = None
    drawn: Drawn = "bins"
    bands: int = 3
    units: System = "metric"
    weighting: str = ""

    def check(self, symbol: str) -> None:
        """Raises :class:`UserError` where a channel in this unit cannot be shown so."""
        known = unit(symbol)
        if self.quantity and (self.quantity not in MOTIONS or known.quantity not in MOTIONS):
            raise UserError(
                f"{known.quantity} in {known.symbol} cannot be shown as {self.quantity.lower()}",
                remedy="that takes a channel of acceleration, velocity or displacement",
            )
        if self.units not in SYSTEMS:
            raise UserError(
                f"There are no units called ‘{self.units}’",
                remedy=f"choose one of {', '.join(SYSTEMS)}",
            )
        weighting.check(self.weighting, self.unit(symbol).symbol)
        if self.low_cut is not None and not 0 < self.low_cut < math.inf:
            raise UserError(
                f"A low cut of {self.low_cut:g} Hz cannot be used", remedy="choose one above 0"
            )
        if self.reference is not None and not 0 < self.reference < math.inf:
            raise UserError(
                f"A decibel reference of {self.reference:g} cannot be used",
                remedy="choose one above 0",
            )
        if self.drawn == "octave" and self.bands not in FRACTIONS:
            raise UserError(
                f"Bands of 1/{self.bands} octave are not offered",
                remedy=f"choose 1/{', 1/'.join(map(str, FRACTIONS))}",
            )
        if self.drawn == "decade" and not 1 <= self.bands <= MOST_PER_DECADE:
            raise UserError(
                f"{self.bands} bands a decade are not offered",
                remedy=f"choose 1 to {MOST_PER_DECADE}",
            )

    def order(self, symbol: str) -> int:
        """The power of iω between the channel's quantity and the shown one."""
        own = unit(symbol).quantity
        if not self.quantity or own not in MOTIONS or self.quantity not in MOTIONS:
            return 0
        orders = list(MOTIONS)
        return orders.index(own) - orders.index(self.quantity)

    @property
    def cut(self) -> float:
        """Below what frequency (Hz) nothing is left of another quantity."""
        return LOW_CUT if self.low_cut is None else self.low_cut

    def above(self, least: float) -> Display:
        """The same with nothing left below ``least`` (Hz) either."""
        return replace(self, low_cut=max(self.cut, least))

    def unit(self, symbol: str) -> Unit:
        """The unit that is shown, with its decibel reference."""
        known = unit(symbol)
        if self.order(symbol):
            known = unit(SYSTEMS[self.units][self.quantity])
        if self.reference is None:
            return known
        text = f"{self.reference:g} {known.symbol}"
        return replace(known, reference=self.reference, reference_text=text)

    def gain(self, frequency: Array, symbol: str) -> Array:
        """What amplitudes at these frequencies (Hz) are multiplied by, same shape."""
        order = self.order(symbol)
        if not order:
            return np.ones(len(frequency))
        known, target = unit(symbol), MOTIONS[self.quantity]
        size = conversion(symbol, MOTIONS[known.quantity].base)
        size *= conversion(target.base, SYSTEMS[self.units][self.quantity])
        out = np.zeros(len(frequency))
        passed = (frequency >= self.cut) & (frequency > 0)
        # MOTIONS go from displacement upward: each step up is one more iω.
        out[passed] = size * (2 * np.pi * frequency[passed]) ** -float(order)
        return out

    def weighted_gain(self, frequency: Array, symbol: str) -> Array:
        """What curves and levels at these frequencies (Hz) are multiplied by, same shape."""
        return self.gain(frequency, symbol) * weighting.weight(self.weighting, frequency)

    def words(self) -> str:
        """How it is weighted and drawn, "" for plain bins."""
        drawn = ""
        if self.drawn == "octave":
            drawn = "octave bands" if self.bands == 1 else f"1/{self.bands}-octave bands"
        elif self.drawn == "decade":
            drawn = f"{self.bands} bands a decade"
        elif self.drawn == "total":
            drawn = "running total"
        weighted = f"weighted by {self.weighting}" if self.weighting else ""
        return ", ".join(one for one in (weighted, drawn) if one)


@dataclass(frozen=True)
class LevelGain:
    """What the amplitudes of a channel in the unit ``own`` are multiplied by to be read as a level,
    in its unit and weighted. Raises :class:`UserError` where they measure different things."""

    band: Band
    own: str
    cut: float = LOW_CUT
    """Below what frequency (Hz) an integral has nothing, where the band itself begins at 0."""

    @property
    def display(self) -> Display:
        """As which quantity it is shown."""
        quantity = unit(self.band.unit or self.own).quantity
        return Display(
            quantity if quantity in MOTIONS else "",
            self.band.low or self.cut,
            weighting=self.band.weighting,
        )

    @property
    def symbol(self) -> str:
        """The unit of the level."""
        return unit(self.band.unit or self.own).symbol

    @property
    def integrates(self) -> bool:
        """Whether it is of another quantity than the channel."""
        return bool(self.display.order(self.own))

    def __call__(self, frequency: Array) -> Array:
        """At frequencies in Hz, of the same shape."""
        display = self.display
        size = conversion(display.unit(self.own).symbol, self.symbol)
        return size * display.weighted_gain(frequency, self.own)

    def squares(self, frequency: Array, frame_hz: float) -> Array:
        """For mean squares of bins, of which an integral counts from three on."""
        low = LEAST_BINS * frame_hz if self.integrates else 0.0
        return np.where(frequency >= low * (1 - 1e-9), self(frequency) ** 2, 0.0)


@dataclass(frozen=True, eq=False)
class Curve:
    """What is drawn. ``frequency`` (Hz) and ``values`` (linear) have shape (points,); where it
    is stepped, ``frequency`` holds the bands' edges, one more than there are values. The first
    ``narrow`` bands are narrower than :data:`SURE_BINS` bins: noise beside them counts in them."""

    frequency: Array
    values: Array
    stepped: bool
    narrow: int = 0

    def at(self, frequency: float) -> float:
        """The value at a frequency in Hz: of its band, or the highest of the nearest bins."""
        if self.stepped:
            band = int(np.searchsorted(self.frequency, frequency, side="right")) - 1
            return float(self.values[band]) if 0 <= band < len(self.values) else math.nan
        above = int(np.searchsorted(self.frequency, frequency))
        below = max(above - 1, 0)
        last = len(self.frequency) - 1
        nearer = above <= last and (
            self.frequency[above] - frequency < frequency - self.frequency[below]
        )
        nearest = above if nearer else below
        return float(self.values[max(nearest - 1, 0) : nearest + 2].max())

    @property
    def sure_from(self) -> float:
        """The frequency (Hz) from which on no band is too narrow."""
        return float(self.frequency[self.narrow]) if self.narrow else 0.0

    def outline(self) -> tuple[Array, Array]:
        """Points of the line that draws it."""
        if not self.stepped:
            return self.frequency, self.values
        return np.repeat(self.frequency, 2)[1:-1], np.repeat(self.values, 2)


def curve(
    spectrum: Spectrum,
    scaling: Scaling,
    level: Level,
    display: Display,
    lines: tuple[Array, Array] = _NO_LINES,
) -> Curve:
    """The spectrum as it is to be drawn. Bands show the rms (or its square) of all that lies in
    them, densities their mean density; the running total the rms (or its square) up to there.
    ``lines`` are frequencies (Hz) and mean squares (unit²) of what bands and totals hold besides.

    Bands narrower than a bin of the unpadded frame would only repeat it: they are left out. Mean
    squares of shape (…, bins) give values of shape (…, points).
    """
    places, powers = lines
    if display.drawn == "bins":
        return Curve(spectrum.frequency, spectrum.values(scaling, level), False)
    if display.drawn == "total":
        per_bin = spectrum.mean_square * (spectrum.bin_hz / spectrum.enbw_hz)
        below = np.searchsorted(np.sort(places), spectrum.frequency, side="right")
        passed = np.concatenate([[0.0], np.cumsum(powers[np.argsort(places)])])
        total = np.cumsum(per_bin, axis=-1) + passed[below]
        return Curve(spectrum.frequency, total if scaling == "power" else np.sqrt(total), False)
    edges = band_edges(
        display.bands, display.drawn, spectrum.frame_hz, float(spectrum.frequency[-1])
    )
    every = [
        band_power(spectrum, a, b) + powers[(places >= a) & (places < b)].sum()
        for a, b in pairwise(edges)
    ]
    rms = np.sqrt(np.stack(every, axis=-1)) if every else np.zeros(0)
    widths = np.diff(edges)
    if scaling == "power":
        values = rms**2
    elif scaling == "psd":
        values = rms**2 / widths
    elif scaling == "amplitude-density":
        values = rms / np.sqrt(widths)
    elif scaling == "energy":
        values = rms**2 / widths * spectrum.enbw_hz * spectrum.gain_s**2
    else:
        values = rms
    return Curve(edges, values, True, int(np.sum(widths < SURE_BINS * spectrum.frame_hz)))


def curve_scaling(scaling: Scaling, level: Level, display: Display) -> tuple[Scaling, Level]:
    """The scaling and level that a drawn curve's values have."""
    if display.drawn == "total" and scaling != "power":
        return "amplitude", "rms"
    return scaling, level if display.drawn == "bins" else "rms"
