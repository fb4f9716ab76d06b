"""The levels that a method asks for: value, zone, and whether that may be judged."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.runs import spans_of
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.content import Content
from tonecomb.core.estimate.display import LEAST_BINS, LevelGain
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.true_peak import Extremes

_SURE = 0.8
"""Of half the sample rate: above it the recorder's filter may already have taken something out."""
_OPEN = 1e9  # Hz, from which a band has no upper end
_SIGMAS, _LISTED = 3.0, 4  # beyond which a bin is not off by chance; breaches that are told


@dataclass(frozen=True)
class LevelReading:
    """What was read of a ``band``: the ``value`` in ``unit``, nan where there is none, the ``zone``
    that it lies in and whether that is ``exceeded``, or ``why_not`` it is judged."""

    band: Band
    value: float
    unit: str
    zone: str = ""
    exceeded: bool = False
    why_not: str = ""

    @property
    def lacks(self) -> str:
        """What ``why_not`` says."""
        if self.band.limits:
            return "not judged"
        return "not the whole of it" if math.isfinite(self.value) else "no value"

    @property
    def words(self) -> str:
        """In one line."""
        text = self.band.words
        text += f": {self.value:.4g} {self.unit}" if math.isfinite(self.value) else ""
        if self.why_not:
            return f"{text}, {self.lacks}: {self.why_not}"
        text += f", zone {self.zone}" if self.zone else ""
        return f"{text}, exceeded" if self.exceeded else text


def level_readings(a: Analysis) -> tuple[LevelReading, ...]:
    """One for each of the method's levels, in their order. They are read in their own quantities,
    whatever is shown."""
    return tuple(_read(a, band) for band in a.method.levels)


def _read(a: Analysis, band: Band) -> LevelReading:
    gain = LevelGain(band, a.channel.unit, a.display.cut)
    symbol = gain.symbol
    try:
        band.check(a.channel.unit)
        value, why = _value(a, gain)
    except UserError as error:
        return LevelReading(band, math.nan, symbol, why_not=error.text)
    why = why or uncovered(a, band.low, band.high)
    if not band.limits or why or math.isnan(value):
        return LevelReading(band, value, symbol, why_not=why)
    zone = band.zone(value)
    return LevelReading(band, value, symbol, zone, zone > band.accepted)


def _value(a: Analysis, gain: LevelGain) -> tuple[float, str]:
    band = gain.band
    if band.detector != "rms":
        extremes = dict(a.extremes).get(band, Extremes(math.nan, math.nan, "it is still computed"))
        return extremes.peak if band.detector == "peak" else extremes.peak_to_peak, extremes.why_not
    return math.sqrt(content_of(a, gain).band(band.low, band.high)), ""


def content_of(a: Analysis, gain: LevelGain) -> Content:
    """The lines and the rest of an analysis as a level has them."""
    return a.content.converted(gain, gain.display.cut, whole=not gain.integrates)


def uncovered(a: Analysis, low: float, high: float, cut: float = 0.0) -> str:
    """Why levels from ``low`` to ``high`` Hz are not wholly known, "" where they are. Nothing is
    left below ``cut`` (Hz)."""
    least, most = max(LEAST_BINS * a.spectrum.frame_hz, cut), _SURE * a.fs / 2
    if most < high < _OPEN:
        return (
            f"it reaches to {high:g} Hz, and a record at {a.fs:g} Hz is sure up to {most:g} Hz only"
        )
    if 0 < low < least or high <= least:
        lies = f"begins at {low:g}" if low else f"ends at {high:g}"
        cause = "the low cut allows" if least == cut else "frames of this length allow"
        return f"it {lies} Hz, and {cause} figures from {least:.3g} Hz on"
    return ""


@dataclass(frozen=True)
class Breach:
    """From ``low`` to ``high`` (Hz) a density lies outside its tolerance, farthest ``at`` Hz by
    ``off`` dB from what is asked for."""

    low: float
    high: float
    at: float
    off: float


@dataclass(frozen=True)
class ProfileReading:
    """What came of a test spectrum: the ``rms`` within its span (in ``unit``), what it asks for,
    and the ``breaches`` by frequency; ``why_not`` where it cannot be judged."""

    rms: float
    asked: float
    unit: str
    breaches: tuple[Breach, ...] = ()
    why_not: str = ""

    @property
    def words(self) -> str:
        """In one line."""
        if not math.isfinite(self.rms):
            return f"test spectrum: not judged: {self.why_not}"
        text = f"test spectrum: {self.rms:.4g} of {self.asked:.4g} {self.unit} rms"
        if self.why_not:
            return f"{text}, not judged: {self.why_not}"
        if not self.breaches:
            return f"{text}, within its tolerances"
        listed = [
            f"{one.off:+.1f} dB at {one.at:.4g} Hz".replace("-", "−")
            for one in self.breaches[:_LISTED]
        ]
        more = len(self.breaches) - _LISTED
        return f"{text}, outside: {', '.join(listed)}" + (f" and {more} more" if more > 0 else "")


def profile_reading(a: Analysis) -> ProfileReading | None:
    """Where an analysis lies against the test spectrum of its method; None where it has none.

    A bin counts as outside where it is so by more than the chance of its averages allows (three
    standard deviations of 4.34 dB/√n).
    """
    profile = a.method.follow.profile
    if profile is None:
        return None
    low, high = profile.span
    gain = LevelGain(Band(low, high, unit=profile.unit), a.channel.unit)
    try:
        content = content_of(a, gain)
    except UserError as error:
        return ProfileReading(math.nan, profile.rms, gain.symbol, why_not=error.text)
    rms = math.sqrt(content.band(low, high))
    if why := uncovered(a, low, high):
        return ProfileReading(rms, profile.rms, gain.symbol, why_not=why)
    spectrum = a.estimate.averaged
    inside = (spectrum.frequency >= low) & (spectrum.frequency <= high)
    frequency = spectrum.frequency[inside]
    squares = spectrum.mean_square[inside] * gain(frequency) ** 2 / spectrum.enbw_hz
    tiny = float(np.finfo(float).tiny)
    off = 10 * np.log10(np.maximum(squares, tiny) / profile.density(frequency))
    chance = _SIGMAS * 10 / math.log(10) / math.sqrt(spectrum.effective_averages)
    outside = (off > profile.above + chance) | (off < -profile.below - chance)
    breaches = []
    for first, stop in spans_of(outside):
        at = int(first + np.argmax(np.abs(off[first:stop])))
        breaches.append(
            Breach(
                float(frequency[first]),
                float(frequency[stop - 1]),
                float(frequency[at]),
                float(off[at]),
            )
        )
    return ProfileReading(rms, profile.rms, gain.symbol, tuple(breaches))
