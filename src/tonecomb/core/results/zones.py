"""Limits with zones, and where an analysis lies in them.

As the evaluation zones of ISO 20816-1: from good to damaging, with boundaries that whoever uses
them gives.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal, get_args

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import MOTIONS, conversion, unit
from tonecomb.core.estimate.spectrum import decibels_per_decade
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.levels import uncovered

LimitKind = Literal["overall", "band", "tone", "curve"]
_HIGHEST = 1e9  # Hz
OVER = "over"
"""The zone of what exceeds a limit that has but one."""
_PARTS = 800  # of a held curve, even on a logarithmic axis


@dataclass(frozen=True)
class Zone:
    """Up to ``to``, in the limit's unit; of a curve in dB above it."""

    name: str
    to: float


@dataclass(frozen=True)
class Limit:
    """What is limited: the ``overall`` rms, that of the ``band`` from ``low`` to ``high`` Hz, the
    strongest ``tone`` between them in the method's level, or the whole ``curve`` in the method's
    scaling by its highest excess over ``points`` (Hz, value), between which it is straight on
    logarithmic axes. ``zones`` rise; what is above the one called ``accept`` (the last where that
    is "") exceeds the limit. Figures are in ``unit``, in whatever is shown where that is "", and
    weighted by ``weighting``."""

    name: str
    kind: LimitKind
    zones: tuple[Zone, ...] = ()
    low: float = 0.0
    high: float = _HIGHEST
    points: tuple[tuple[float, float], ...] = ()
    unit: str = ""
    accept: str = ""
    weighting: str = ""

    def check(self) -> None:
        """Raise :class:`UserError` where this is no limit."""
        bad = f"The limit ‘{self.name}’"
        if self.kind not in get_args(LimitKind):
            raise UserError(
                f"{bad} is of no kind", remedy=f"one of {', '.join(get_args(LimitKind))}"
            )
        if not self.low < self.high:
            raise UserError(f"{bad} is of no frequencies", f"{self.low:g} to {self.high:g} Hz")
        ends = [zone.to for zone in self._zones]
        if not ends or ends != sorted(set(ends)):
            raise UserError(f"{bad} has no zones that rise", remedy="give each a higher end")
        if self.accept and self.accept not in [zone.name for zone in self._zones]:
            raise UserError(f"{bad} accepts ‘{self.accept}’", "which is none of its zones")
        if self.kind == "curve" and (
            len(self.points) < 2
            or any(not (f > 0 and value > 0) for f, value in self.points)
            or any(a[0] >= b[0] for a, b in zip(self.points, self.points[1:], strict=False))
        ):
            raise UserError(
                f"{bad} has no curve", "it takes two points or more, above 0, by rising frequency"
            )
        if self.unit:
            unit(self.unit)

    @property
    def _zones(self) -> tuple[Zone, ...]:
        """A curve that is given without zones is to be kept below."""
        return self.zones or ((Zone("below", 0.0),) if self.kind == "curve" else ())

    def judge(self, analysis: Analysis) -> Verdict:
        """Where an analysis lies. A limit on velocity or displacement integrates acceleration, and
        the other way round. What the analysis does not wholly cover is not judged."""
        symbol = self.unit or analysis.unit.symbol
        text = "dB" if self.kind == "curve" else unit(symbol).symbol
        a = self._as_limited(analysis)
        try:
            factor = conversion(a.unit.symbol, symbol)
        except UserError:
            why = f"it is in {self.unit}, the channel in {a.unit.symbol}"
            return Verdict(self.name, math.nan, text, "", False, why)
        if why := self._why_not(a, factor):
            return Verdict(self.name, math.nan, text, "", False, why)
        value, at = self._value(a)
        if math.isnan(value):
            return Verdict(self.name, value, text, "", False, "nothing lies within its frequencies")
        if self.kind != "curve":
            value *= factor
        zones = self._zones
        place = next((i for i, zone in enumerate(zones) if value <= zone.to), len(zones))
        beyond = f"beyond {zones[-1].name}" if len(zones) > 1 else OVER
        name = zones[place].name if place < len(zones) else beyond
        names = [zone.name for zone in zones]
        accepted = names.index(self.accept) if self.accept else len(zones) - 1
        return Verdict(self.name, value, text, name, place > accepted, "", at)

    def _as_limited(self, a: Analysis) -> Analysis:
        """The analysis in the quantity of the limit, where its channel can be shown so."""
        wanted, own = unit(self.unit or a.unit.symbol).quantity, unit(a.channel.unit).quantity
        if wanted == a.unit.quantity or not {wanted, own} <= set(MOTIONS):
            return a
        display = replace(a.method.shown.display, quantity="" if wanted == own else wanted)
        return replace(a, method=a.method.having(display=replace(display, reference=None)))

    def _why_not(self, a: Analysis, factor: float) -> str:
        """Why this cannot be judged, "" where it can."""
        weighting = "" if self.kind == "tone" else a.display.weighting  # peaks are plain
        if weighting != self.weighting:
            return f"it is {_weighted(self.weighting)}, the spectrum {_weighted(weighting)}"
        frames_only = self.kind == "band" or (self.kind == "overall" and a.order)
        if frames_only and a.other_ends:
            return "an end of the stretch, hardly weighed by the frames, is not as loud as the rest"
        cut = a.display.cut if a.order else 0.0
        if self.kind == "curve":
            if factor != 1.0:
                return f"a curve in {self.unit} takes a channel in it, this is in {a.unit.symbol}"
            low, high = self.points[0][0], self.points[-1][0]
            if high > a.fs / 2:
                return f"it reaches to {high:g} Hz, the spectrum to {a.fs / 2:g} Hz"
            return f"it begins at {low:g} Hz, the low cut is at {cut:g} Hz" if low < cut else ""
        if self.kind == "overall":
            return ""
        return uncovered(a, self.low, self.high, cut)

    def _value(self, a: Analysis) -> tuple[float, float]:
        """The figure that is judged, and the frequency (Hz) that it is at; nan where neither is."""
        spectrum = a.spectrum
        if self.kind == "overall":
            return a.rms, math.nan
        if self.kind == "band":
            if self.low >= spectrum.frequency[-1]:
                return math.nan, math.nan
            return a.band_level(self.low, self.high), math.nan
        if self.kind == "tone":
            inside = [p for p in a.peaks or () if self.low <= p.tone.frequency <= self.high]
            best = max(inside, key=lambda peak: a.amplitude(peak)[0], default=None)
            return (0.0, math.nan) if best is None else (a.amplitude(best)[0], best.tone.frequency)
        frequency, value = np.array(self.points).T
        inside_ = (spectrum.frequency >= frequency[0]) & (spectrum.frequency <= frequency[-1])
        if not inside_.any():
            return math.nan, math.nan
        at = spectrum.frequency[inside_]
        allowed = np.interp(np.log(at), np.log(frequency), np.log(value))
        with np.errstate(divide="ignore"):
            over = (np.log(a.values[inside_]) - allowed) / math.log(10)
        over *= decibels_per_decade(a.scaling)
        worst = int(np.argmax(over))
        return float(over[worst]), float(at[worst])


def _weighted(key: str) -> str:
    return f"weighted by {key}" if key else "not weighted"


@dataclass(frozen=True)
class Verdict:
    """What came of a ``limit``: the ``value`` in ``unit``, the ``zone`` that it lies in and whether
    that is ``exceeded``; ``why_not`` where it could not be judged. ``at`` is the frequency in Hz of
    a tone or of a curve's highest excess, nan for others."""

    limit: str
    value: float
    unit: str
    zone: str
    exceeded: bool
    why_not: str = ""
    at: float = math.nan

    @property
    def words(self) -> str:
        """In one line."""
        if self.why_not:
            return f"{self.limit}: not judged, {self.why_not}"
        at = "" if math.isnan(self.at) else f" at {self.at:.5g} Hz"
        sign = ", exceeded" if self.exceeded and self.zone != OVER else ""
        return f"{self.limit}: {self.value:.4g} {self.unit}{at}, {self.zone}{sign}"


def over(held: Analysis, margin_db: float, name: str = "held trace") -> Limit:
    """A curve that lies so many dB over that of an analysis. Where a line stands its neighbours are
    allowed as much, within two hundredths of its frequency: the line of another recording may lie
    elsewhere."""
    frequency, values = held.spectrum.frequency[1:], held.values[1:]
    edges = np.geomspace(frequency[0], frequency[-1] * (1 + 1e-9), _PARTS + 1)
    part = np.clip(np.searchsorted(edges, frequency, side="right") - 1, 0, _PARTS - 1)
    highest = np.zeros(_PARTS)
    np.maximum.at(highest, part, values)
    there = highest > 0
    factor = 10 ** (margin_db / decibels_per_decade(held.scaling))
    wide = np.array([highest[max(i - 2, 0) : i + 3].max() for i in range(_PARTS)])
    middles = np.sqrt(edges[:-1] * edges[1:])
    points = zip(middles[there].tolist(), (factor * wide[there]).tolist(), strict=True)
    return Limit(
        name,
        "curve",
        points=tuple(points),
        unit=held.unit.symbol,
        weighting=held.display.weighting,
    )
