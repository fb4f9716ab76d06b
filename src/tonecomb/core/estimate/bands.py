"""Levels of frequency bands, user-chosen and fractional octaves (IEC 61260-1, base 10)."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Literal, get_args

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.estimate.weighting import check as check_weighting
from tonecomb.core.record.recording import Array

Detector = Literal["rms", "peak", "peak-to-peak"]
"""``peak`` is that of the samples after ``unit``'s integrals, between them included."""
ZONES = "ABCDEFGH"
G = 10**0.3  # the octave ratio of base 10
FRACTIONS = (1, 3, 6, 12, 24)  # of an octave (IEC 61260-1)


@dataclass(frozen=True)
class Band:
    """A level that is read: of what lies from ``low`` to ``high`` in Hz, by a ``detector``.

    In the quantity and the size of ``unit``, "" for what was measured. ``limits`` (in that unit)
    are the upper ends of its zones, which are called A, B, C, …, as ISO 20816-1 arranges them; what
    is beyond the zone ``accept``, the last that ends for "", exceeds them. ``weighting`` is a key
    of :data:`~tonecomb.core.estimate.weighting.WEIGHTINGS`, "" for none.
    """

    low: float
    high: float
    name: str = ""
    unit: str = ""
    detector: Detector = "rms"
    limits: tuple[float, ...] = ()
    accept: str = ""
    weighting: str = ""

    @property
    def called(self) -> str:
        """Its name, or else its range."""
        return self.name or f"{self.low:g}–{self.high:g} Hz"

    @property
    def words(self) -> str:
        """What is read: quantity, name, range, detector."""
        quantity = unit(self.unit).quantity.lower() if self.unit else ""
        weighted = f"weighted by {self.weighting}" if self.weighting else ""
        span = f"{self.low:g}–{self.high:g} Hz" if self.name else ""
        detector = "p–p" if self.detector == "peak-to-peak" else self.detector
        parts = (quantity, self.called, span, detector, weighted)
        return " ".join(one for one in parts if one)

    @property
    def accepted(self) -> str:
        """The last zone that does not exceed the limits."""
        return self.accept or ZONES[len(self.limits) - 1]

    def zone(self, value: float) -> str:
        """The zone that a value in the row's unit lies in; "" without limits."""
        return ZONES[sum(value > one for one in self.limits)] if self.limits else ""

    def check(self, symbol: str = "") -> None:
        """Raises :class:`UserError` for what cannot be read of a channel in the unit ``symbol``,
        which is not looked at where it is ""."""
        self._check_range()
        bad = f"The level {self.called}"
        if self.detector not in get_args(Detector):
            raise UserError(
                f"{bad} has no detector", f"‘{self.detector}’", f"choose {_one_of(Detector)}"
            )
        if self.limits != tuple(sorted(set(self.limits))) or not all(
            0 < one < math.inf for one in self.limits
        ):
            raise UserError(f"{bad} has no zones that rise", remedy="give rising limits above 0")
        if len(self.limits) >= len(ZONES):
            raise UserError(f"{bad} has more than {len(ZONES) - 1} limits")
        if self.accept and self.accept not in ZONES[: len(self.limits)]:
            raise UserError(f"{bad} accepts ‘{self.accept}’", "which is none of its zones")
        if self.unit:
            unit(self.unit)
        if self.weighting and self.detector != "rms":
            raise UserError(f"{bad} is weighted", remedy="choose rms, or no weighting")
        if self.unit or symbol:
            check_weighting(self.weighting, self.unit or symbol)

    def _check_range(self) -> None:
        if not (0 <= self.low < self.high < math.inf):
            raise UserError(
                f"The band {self.low:g}–{self.high:g} Hz is empty",
                remedy="give a lower limit from 0 up and a higher one above it",
            )


def band_rms(spectrum: Spectrum, low: float, high: float) -> float:
    """Rms value of what lies between two frequencies in Hz, in the spectrum's unit.

    The density is taken to be even within a bin, each of which reaches half a bin to either
    side; a bin that a limit cuts counts by its share. Nothing lies above the Nyquist frequency.
    """
    return math.sqrt(float(band_power(spectrum, low, high)))


def band_power(spectrum: Spectrum, low: float, high: float) -> Array:
    """The square of :func:`band_rms`, for mean squares of shape (…, bins)."""
    first, stop, shares = bin_shares(spectrum.frequency, spectrum.bin_hz, low, high)
    power = spectrum.mean_square[..., first:stop] * (spectrum.bin_hz / spectrum.enbw_hz)
    return np.asarray(power @ shares)


def bin_shares(frequency: Array, bin_hz: float, low: float, high: float) -> tuple[int, int, Array]:
    """First bin and the one after the last that a band touches, of bins at ``frequency`` (Hz,
    from 0 to Nyquist), and the share of each that lies between the limits."""
    half, nyquist = bin_hz / 2, float(frequency[-1])
    last = len(frequency) - 1
    first = min(max(math.floor(low / bin_hz) - 1, 0), last)
    stop = min(max(math.ceil(min(high, nyquist) / bin_hz) + 2, 0), last + 1)
    frequency = frequency[first:stop]
    left = np.maximum(np.maximum(frequency - half, 0.0), low)
    right = np.minimum(np.minimum(frequency + half, nyquist), high)
    width = np.maximum(right - left, 0.0)
    # The first and the last bin have half a bin each, and hold what is in it.
    whole = np.where((frequency == 0) | (frequency == nyquist), half, bin_hz)
    return first, stop, np.asarray(width / whole)


def band_edges(bands: int, per: Literal["octave", "decade"], least: float, high: float) -> Array:
    """Edges in Hz of the bands of 1/``bands`` octave, or ``bands`` a decade, that are at least
    ``least`` Hz wide and lie below ``high``; shape (bands + 1,), or () where there is none."""
    ratio = G ** (1 / bands) if per == "octave" else 10 ** (1 / bands)
    lowest = least / (math.sqrt(ratio) - 1 / math.sqrt(ratio)) / math.sqrt(ratio)
    if per == "octave":
        return octave_bands(bands, lowest * (1 - 1e-9), high)[1]
    step = 1 / bands
    first = math.ceil(math.log10(lowest / 1000) / step + 0.5 - 1e-9)
    final = math.floor(math.log10(high / 1000) / step - 0.5 + 1e-9)
    edges = 1000 * 10 ** ((np.arange(first, final + 2) - 0.5) * step)
    return np.asarray(edges if final >= first else edges[:0])


def octave_bands(fraction: int, low: float, high: float) -> tuple[Array, Array]:
    """Centres and edges in Hz of the bands of 1/``fraction`` octave that lie wholly between two
    frequencies; shapes (bands,) and (bands + 1,).

    Exact mid-band frequencies 1000·G^(x/b) for odd b and 1000·G^((2x+1)/2b) for even b, edges
    half a band to either side (IEC 61260-1:2014, 5.2 to 5.5).
    """
    if fraction not in FRACTIONS:
        raise UserError(
            f"Bands of 1/{fraction} octave are not offered",
            remedy=f"choose 1/{', 1/'.join(map(str, FRACTIONS))}",
        )
    shift = 0.0 if fraction % 2 else 0.5
    step = math.log10(G) / fraction
    lowest = math.ceil(math.log10(max(low, 1e-9) / 1000) / step - shift + 0.5 - 1e-9)
    highest = math.floor(math.log10(high / 1000) / step - shift - 0.5 + 1e-9)
    numbers = np.arange(lowest, highest + 1)
    centres = 1000 * 10 ** ((numbers + shift) * step)
    edges = 1000 * 10 ** ((np.arange(lowest, highest + 2) + shift - 0.5) * step)
    return np.asarray(centres), np.asarray(edges if len(centres) else edges[:0])


def _one_of(names: Any) -> str:
    return ", ".join(get_args(names))
