"""Two analyses side by side: what came, went, moved, grew and fell, beyond what both leave open.

A figure has changed where the intervals of both, 2.5 standard deviations to either side, do not
meet. A tone came where it stands clear of the noise now and, by the bins that were there before,
cannot have been there as it is now; it went where that holds the other way. Families are held
against each other tooth by tooth, so that one which moved is not told as many tones that went and
came. The noise between the tones is compared by octaves.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tonecomb.core.base.units import conversion, unit
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.peaks import Peak
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import NOTHING, Knowledge

Verdict = Literal["came", "went", "moved", "grew", "fell"]
_APART = 2.5  # standard deviations that an interval reaches to either side
_LEAST_DB = 0.5  # change of a level that is told
_SAME_FAMILY = 0.1  # of its spacing: what is off by more is another
_NEAR = 0.01  # of its frequency, within which a tone may be one that moved
_BETWEEN_BINS = 1.2  # times what a bin shows, that a tone between two may be (Hann: 1.18)
_UNSTEADY = 0.1  # of its amplitude, that one which does not stand still is unsure at least
_LEAST_MOVE = 0.02  # of what is told apart, that a tone moves that is told
_SMOOTHED = 1.5  # times what single bins tell, that a smoothed floor leaves open
_ALIKE_DB = 1.0  # within which the noise of two octaves changed alike
_ONE_TONE_DB = 12.0  # by which a tone that moved may have changed as well
_FEWEST = 8  # bins of an octave whose noise is compared


@dataclass(frozen=True)
class ToneReading:
    """A frequency (Hz) and a level (as the analysis shows them, in its unit), with standard
    deviations; nan for what is not there."""

    frequency: float = math.nan
    frequency_std: float = math.nan
    level: float = math.nan
    level_std: float = math.nan


@dataclass(frozen=True)
class SpectrumDifference:
    """What changed: ``kind`` is ``level``, ``tone``, ``family``, ``band`` or ``noise``; ``name``
    says which; ``verdicts`` what it did from ``before`` to ``now``. Bands and noise go from ``low``
    to ``high`` (Hz)."""

    kind: str
    name: str
    verdicts: tuple[Verdict, ...]
    before: ToneReading
    now: ToneReading
    low: float = math.nan
    high: float = math.nan

    @property
    def change_db(self) -> float:
        """How the level changed; nan for what came or went."""
        if not (self.before.level > 0 and self.now.level > 0):
            return math.nan
        return 20 * math.log10(self.now.level / self.before.level)

    @property
    def change_db_std(self) -> float:
        """Its standard deviation."""
        shares = (one.level_std / one.level for one in (self.before, self.now) if one.level > 0)
        return 20 / math.log(10) * math.sqrt(sum(share**2 for share in shares))

    @property
    def frequency(self) -> float:
        """Where it is now, or where it was; the middle of a band."""
        if self.low > 0:
            return math.sqrt(self.low * self.high)
        return self.before.frequency if math.isnan(self.now.frequency) else self.now.frequency


@dataclass(frozen=True, eq=False)
class Differences:
    """``told`` are those worth telling, level first, then by size; ``smaller`` counts the others
    that are beyond their intervals; ``compared`` counts tones that were there both times."""

    before: Analysis
    now: Analysis
    told: tuple[SpectrumDifference, ...]
    smaller: int
    compared: int


def differences(
    before: Analysis,
    now: Analysis,
    said_before: Knowledge = NOTHING,
    said: Knowledge = NOTHING,
    least_db: float = _LEAST_DB,
) -> Differences:
    """What changed from one analysis to another, each with what was found in it.

    Levels are in the unit of ``now``. Raises :class:`UserError` where they measure different
    things.
    """
    size = conversion(before.unit.symbol, now.unit.symbol)
    one, other = _Side(before, said_before, size), _Side(now, said, 1.0)
    pairs, families = _paired(one, other)
    found = [*_levels(one, other), *families]
    tied = {(a, b) for a, b in pairs if one.tied(a) and other.tied(b)}
    for a, b in pairs:
        found += _changed(one, other, a, b, moves=(a, b) not in tied)
    paired_a, paired_b = {a for a, _ in pairs}, {b for _, b in pairs}
    found += [
        _alone(other, i, "came") for i in other.tones if i not in paired_b and other.new(i, one)
    ]
    found += [_alone(one, i, "went") for i in one.tones if i not in paired_a and one.new(i, other)]
    found += _noise(one, other)
    small = [
        d for d in found if set(d.verdicts) <= {"grew", "fell"} and abs(d.change_db) < least_db
    ]
    told = [d for d in found if d not in small]
    order = ("level", "family", "tone", "band", "noise")
    told.sort(key=lambda d: (order.index(d.kind), -_weight(d)))
    return Differences(before, now, tuple(told), len(small), len(pairs))


def _weight(one: SpectrumDifference) -> float:
    levels = [r.level for r in (one.before, one.now) if r.level > 0]
    return max(levels, default=0.0)


class _Side:
    """One of the two analyses, in the unit of the other."""

    def __init__(self, analysis: Analysis, said: Knowledge, size: float) -> None:
        self.analysis, self.size = analysis, size
        self.families = said.families(analysis)
        self._said = said
        self.tones = {i: peak for i, peak in enumerate(analysis.peaks or ()) if self._counts(peak)}
        self._tied = {i for comb in self.families for i in comb.lines}

    def _counts(self, peak: Peak) -> bool:
        """Whether a peak is a tone beyond doubt."""
        note = self._said.of(peak, self.analysis)
        if note is not None and note.aside:
            return False
        broad = peak.behaviour is not None and peak.behaviour.kind == "hump"
        return not broad and peak.clear and self.analysis.resonance(peak) is None

    def noted(self, peak: Peak) -> str:
        """What the user, or the machine's table, calls a peak."""
        note = self._said.of(peak, self.analysis)
        return "" if note is None else note.name

    def tied(self, i: int) -> bool:
        """Whether tone ``i`` is in a family."""
        return i in self._tied

    def reading(self, i: int) -> ToneReading:
        """Tone ``i`` with standard deviations that hold for one that does not stand still."""
        peak = (self.analysis.peaks or ())[i]
        level, std = self.analysis.amplitude(peak)
        line = self.analysis.lines[i]
        if not line.still or (peak.behaviour is not None and peak.behaviour.kind != "steady"):
            std = max(std, _UNSTEADY * level)
        return ToneReading(line.frequency, line.std, self.size * level, self.size * std)

    def span(self, i: int) -> tuple[float, float]:
        """Frequencies (Hz) between which tone ``i`` is."""
        peak, reading = (self.analysis.peaks or ())[i], self.reading(i)
        low, high = (reading.frequency + s * _APART * reading.frequency_std for s in (-1, 1))
        if peak.behaviour is not None and peak.behaviour.moved:
            low, high = min(low, peak.behaviour.low), max(high, peak.behaviour.high)
        return low, high

    def most(self, frequency: float, play: float) -> float:
        """The highest level that a tone near a frequency (Hz) can have had; inf beyond what was
        measured."""
        spectrum = self.analysis.spectrum
        if frequency > spectrum.frequency[-1]:
            return math.inf
        first, last = np.searchsorted(spectrum.frequency, (frequency - play, frequency + play))
        bins = spectrum.mean_square[max(first - 1, 0) : last + 2]
        level = self.analysis.method.shown.level
        factor = LEVEL_FACTORS[level] / LEVEL_FACTORS["rms"]
        return float(self.size * factor * _BETWEEN_BINS * math.sqrt(float(bins.max(initial=0.0))))

    def new(self, i: int, other: _Side) -> bool:
        """Whether tone ``i`` cannot have been in the ``other``."""
        reading = self.reading(i)
        play = (
            max(self.analysis.resolution.separable_hz, other.analysis.resolution.separable_hz) / 2
        )
        return reading.level - _APART * reading.level_std > other.most(reading.frequency, play)

    def power(self, low: float, high: float, *, noise: bool) -> tuple[float, float, int]:
        """The mean square between two frequencies (Hz), or that of the noise alone, its standard
        deviation, and how many bins it is of.

        A bin of noise N and line L varies by (N² + 2NL)/n in the mean of n averages.
        """
        a = self.analysis
        spectrum, floor = a.spectrum, a.floor
        pad = round(spectrum.frame_hz / spectrum.bin_hz)
        inside = slice(*np.searchsorted(spectrum.frequency, (max(low, spectrum.bin_hz), high)))
        power = spectrum.mean_square[inside]
        around = power if floor is None else np.minimum(floor[inside], power)
        averages = np.full(len(power), spectrum.effective_averages)
        if a.averages is not None:
            averages = np.minimum(averages, np.maximum(a.averages[inside], 1.0))
        value = around if noise else power
        spread = around**2 if noise else 2 * power * around - around**2
        # Bins lie closer than a window's noise bandwidth, and share what they tell.
        shared = spectrum.enbw_hz / spectrum.bin_hz
        total = float(value.sum()) / shared
        std = math.sqrt(float((spread / averages).sum()) / shared) * (_SMOOTHED if noise else 1)
        return total * self.size**2, std * self.size**2, len(power) // pad


def _levels(one: _Side, other: _Side) -> Iterator[SpectrumDifference]:
    """The overall level, and the bands that both methods name."""
    ends = [side.analysis.spectrum.frequency[-1] for side in (one, other)]
    yield from _compared_power(one, other, "level", "overall", 0.0, float(min(ends)) * 1.001)
    for band in other.analysis.method.levels:
        if band.unit and unit(band.unit).quantity != other.analysis.unit.quantity:
            continue  # figures here are those of what is shown
        yield from _compared_power(one, other, "band", band.called, band.low, band.high)


def _noise(one: _Side, other: _Side) -> Iterator[SpectrumDifference]:
    """The noise between the tones, by octaves from the top downwards; neighbours that changed
    alike are told as one."""

    def octaves(low: float, high: float) -> SpectrumDifference | None:
        name = f"{low:.4g}–{high:.4g} Hz"
        return next(_compared_power(one, other, "noise", name, low, high), None)

    high = float(min(side.analysis.spectrum.frequency[-1] for side in (one, other)))
    top, told = high, None
    while min(side.power(high / 2, high, noise=True)[2] for side in (one, other)) >= _FEWEST:
        difference = octaves(high / 2, high)
        if told is not None and not (difference is not None and _alike(told, difference)):
            yield told
            told = None
        if told is None:
            top = high
        told = difference and octaves(high / 2, top)
        high /= 2
    if told is not None:
        yield told


def _alike(one: SpectrumDifference, other: SpectrumDifference) -> bool:
    play = max(_ALIKE_DB, _APART * (one.change_db_std + other.change_db_std))
    return one.verdicts == other.verdicts and abs(one.change_db - other.change_db) < play


def _compared_power(
    one: _Side, other: _Side, kind: str, name: str, low: float, high: float
) -> Iterator[SpectrumDifference]:
    """The change of a band's level beyond both intervals, if there is one."""
    readings = []
    for side in (one, other):
        power, std, _ = side.power(low, high, noise=kind == "noise")
        level = math.sqrt(power)
        readings.append(ToneReading(math.nan, math.nan, level, std / (2 * level) if level else 0.0))
    if verdict := _level_verdict(*readings):
        before, now = readings
        limits = (math.nan, math.nan) if kind == "level" else (low, high)
        yield SpectrumDifference(kind, name, verdict, before, now, *limits)


def _level_verdict(before: ToneReading, now: ToneReading) -> tuple[Verdict, ...]:
    if abs(now.level - before.level) <= _APART * (now.level_std + before.level_std):
        return ()
    return ("grew",) if now.level > before.level else ("fell",)


def _paired(one: _Side, other: _Side) -> tuple[list[tuple[int, int]], list[SpectrumDifference]]:
    """Tones that are the same in both, by families first, and what families did."""
    pairs: list[tuple[int, int]] = []
    told: list[SpectrumDifference] = []
    rest = list(other.families)
    for comb in one.families:
        alike = [c for c in rest if _kin(comb, c)]
        if not alike:
            continue
        match = min(alike, key=lambda c: _off(comb, c))
        rest.remove(match)
        there = {tooth.number: tooth.line for tooth in match.teeth}
        pairs += [
            (tooth.line, line)
            for tooth in comb.teeth
            if tooth.line is not None
            and (line := there.get(tooth.number)) is not None
            and tooth.line not in {a for a, _ in pairs}
            and line not in {b for _, b in pairs}
        ]
        told += _family_moved(comb, match)
    left_a = [i for i in one.tones if i not in {a for a, _ in pairs}]
    left_b = [i for i in other.tones if i not in {b for _, b in pairs}]
    pairs += _nearest(one, other, left_a, left_b)
    return pairs, told


def _nearest(
    one: _Side, other: _Side, left_a: Sequence[int], left_b: Sequence[int]
) -> list[tuple[int, int]]:
    """Tones that are nearest to each other, and near enough to be one that moved."""
    apart = sorted(
        (abs(one.reading(a).frequency - other.reading(b).frequency), a, b)
        for a in left_a
        for b in left_b
    )
    pairs, taken_a, taken_b = [], set[int](), set[int]()
    least = max(side.analysis.resolution.separable_hz for side in (one, other))
    for off, a, b in apart:
        if a in taken_a or b in taken_b:
            continue
        was, is_now = one.reading(a), other.reading(b)
        change = 20 * abs(math.log10(is_now.level / was.level))
        near = off <= least or (off <= _NEAR * was.frequency and change < _ONE_TONE_DB)
        if near:
            pairs.append((a, b))
            taken_a.add(a)
            taken_b.add(b)
    return pairs


def _kin(one: Comb, other: Comb) -> bool:
    return (one.carrier is None) == (other.carrier is None) and _off(one, other) < _SAME_FAMILY


def _off(one: Comb, other: Comb) -> float:
    off = abs(other.spacing / one.spacing - 1)
    if one.carrier is not None and other.carrier is not None:
        off += abs(other.carrier / one.carrier - 1)
    return off


def _family_moved(one: Comb, other: Comb) -> list[SpectrumDifference]:
    told = []
    pairs = [("spacing", one.spacing, one.spacing_std, other.spacing, other.spacing_std)]
    if one.carrier is not None and other.carrier is not None:
        carriers = ("carrier", one.carrier, one.carrier_std, other.carrier, other.carrier_std)
        pairs.append(carriers)
    for what, was, was_std, is_now, now_std in pairs:
        play = _APART * (_known(was_std) + _known(now_std)) + one.moved / 2 + other.moved / 2
        if abs(is_now - was) > play:
            name = f"family {other.name}" + (f", {what}" if one.carrier is not None else "")
            before, now = ToneReading(was, was_std), ToneReading(is_now, now_std)
            told.append(SpectrumDifference("family", name, ("moved",), before, now))
    return told


def _known(std: float) -> float:
    return 0.0 if math.isnan(std) else std


def _changed(one: _Side, other: _Side, a: int, b: int, *, moves: bool) -> list[SpectrumDifference]:
    before, now = one.reading(a), other.reading(b)
    verdicts = list(_level_verdict(before, now))
    (low, high), (low_now, high_now) = one.span(a), other.span(b)
    far = _LEAST_MOVE * max(side.analysis.resolution.separable_hz for side in (one, other))
    if moves and (low_now > high + far or high_now < low - far):
        verdicts.insert(0, "moved")
    if not verdicts:
        return []
    return [SpectrumDifference("tone", _name(other, b), tuple(verdicts), before, now)]


def _alone(side: _Side, i: int, verdict: Verdict) -> SpectrumDifference:
    there, nothing = side.reading(i), ToneReading()
    before, now = (nothing, there) if verdict == "came" else (there, nothing)
    return SpectrumDifference("tone", _name(side, i), (verdict,), before, now)


def _name(side: _Side, i: int) -> str:
    """A tone by what the user calls it, or by its tooth; "" for any other."""
    peak = (side.analysis.peaks or ())[i]
    note = side.noted(peak)
    if note:
        return note
    for comb in side.families:
        for tooth in comb.teeth:
            if tooth.line == i:
                return comb.tooth_name(tooth)
    return ""
