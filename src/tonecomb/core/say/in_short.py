"""What a recording holds, in a few sentences with figures: made of what was found, by the rules of
one table, and never more than the data bears."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.find.comb import MAINS, Comb, mains, matching
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.ratios import ratio_words
from tonecomb.core.find.ridge import Ridge
from tonecomb.core.method.machine import named
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.results.levels import level_readings
from tonecomb.core.say.behaviour import words as behaviour_words
from tonecomb.core.say.caution import Caution
from tonecomb.core.say.changing import ridge_span
from tonecomb.core.say.numbers import percent, plainly, runs, significant, span, with_std

_SINGLE, _MODES, _FAMILIES = 3, 4, 5  # that are told one by one
_CHANGES = ("content-changes", "nonstationary")
_UNSURE = ("lost", "clipped", "held", "spikes", "quantised", "short-stretch", "alias-risk", "lossy")
_MOST_UNSURE = 2  # cautions that stand in short
_MAINS_OFF = 0.003  # of it: no grid is further off
_NEAR = 0.03  # of its frequency, within which another makes a tone doubtful
_LIKE = 0.4  # of its amplitude, that such another has
_OF_ALL = 0.7  # of what it stands over the noise, that a tone rises from what is beside it
_TELLS = 64  # samples of a frame, in which a tone is told from noise
_IN_BAND = 0.3  # of all up to the Nyquist frequency, that a band of noise has at most
_NAMED = 0.01  # of the power, from which the share of resonances is told
_PART = 0.03  # of the power, from which a tone is told that is there in a few frames only
_ROUNDED = 0.05  # of the strongest tone, below which few steps make lines of their own
_STEPS = 8  # at which one tone stands, that are named
_HIGHEST = 200  # tooth of a family that a single tone may be


@dataclass(frozen=True)
class Sentence:
    """A sentence and the place that it is about: ``kind`` is ``level``, ``comb`` (``name`` says
    which), ``peak`` or ``resonance`` (at ``frequency`` Hz), or ``caution`` (``name`` is its
    code)."""

    text: str
    kind: str
    name: str = ""
    frequency: float = math.nan


@dataclass(frozen=True, eq=False)
class _Told:
    """What the rules look at. ``lines`` are the tones, not broad peaks, by number among peaks."""

    analysis: Analysis
    families: tuple[Comb, ...]
    said: Knowledge
    cautions: Sequence[Caution]

    @property
    def tones(self) -> dict[int, Peak]:
        """Peaks that are tones, and not set aside, by their numbers."""
        found = {}
        for i, peak in enumerate(self.analysis.peaks or ()):
            note = self.said.of(peak, self.analysis)
            broad = peak.behaviour is not None and peak.behaviour.kind == "hump"
            # A mode's own peak keeps no phase; a tone may stand on one.
            broad = broad or (not peak.tone.steady and self.analysis.resonance(peak) is not None)
            if not broad and not (note is not None and note.aside):
                found[i] = peak
        return found

    @property
    def single(self) -> dict[int, Peak]:
        """Those that are in no family, and beyond doubt."""
        return {
            i: one
            for i, one in self.tones.items()
            if i not in self.tied
            and (one.clear or self._weighs(i, one))
            and not self._crowded(one)
            and not self._is_step(one)
            and not self._passed(one)
        }

    def _weighs(self, number: int, peak: Peak) -> bool:
        """Whether a tone that is hardly ever there has a good part of all power nevertheless."""
        a = self.analysis
        if a.uneven and a.levels.whole < a.rms**2:
            return False  # what is loud at an end hardly counts in the frames
        return peak.stands_out and _power(a, number) > _PART * a.rms**2

    def _is_step(self, peak: Peak) -> bool:
        """Whether a tone that does not stand still is one of the steps of one tone, of which that
        is told."""
        ridge, near = self.analysis.ridge, 2 * self.analysis.spectrum.frame_hz
        if ridge is None or peak.tone.steady:
            return False
        doing = peak.behaviour
        low, high = (doing.low, doing.high) if doing else 2 * (peak.tone.frequency,)
        return any(low - near <= step <= high + near for step in ridge.steps)

    def _passed(self, peak: Peak) -> bool:
        """Whether a tone that moves, or stands in a part of the frames, is where a tooth of a
        family that moves passes, or holds its speed for a while: it looks like a tone there."""
        findings, doing, ridge = self.analysis.found, peak.behaviour, self.analysis.ridge
        if ridge is not None and not ridge.steps and not peak.tone.steady:
            return ridge.low <= peak.tone.frequency <= ridge.high
        if findings is None or findings.moving is None or peak.tone.steady or doing is None:
            return False
        stays = doing.kind not in ("moves", "hump") and doing.share > _STAYS
        return not stays and findings.moving.sweeps(peak.tone.frequency)

    def _crowded(self, peak: Peak) -> bool:
        """Whether a tone that does not stand still rises from others like it, or from what is well
        above the noise: where a tone that sweeps turns back it looks like some that come and go."""
        if not _unsteady(peak):
            return False
        place = peak.tone.frequency
        if peak.prominence_db < _OF_ALL * 10 * math.log10(peak.level / peak.floor):
            return True
        return any(
            one is not peak
            and _unsteady(one)
            and abs(one.tone.frequency - place) < _NEAR * place
            and one.tone.amplitude > _LIKE * peak.tone.amplitude
            for one in self.analysis.peaks or ()
        )

    @property
    def modes(self) -> list[Resonance]:
        """The resonances that are told: what lines that rounding makes stand under is none."""
        every = self.analysis.resonances
        return [one for one in every if one.kind != "ringing" or not self.coarse]

    @property
    def runs(self) -> bool:
        """Whether a family of harmonics goes so far that it has no mean."""
        findings = self.analysis.found
        if findings is None or findings.moving is None or findings.machine is not None:
            return False
        return findings.moving.runs

    @property
    def loop(self) -> Caution | None:
        """What is said of a record that is one block over and over: its lines are the block's."""
        return next((one for one in self.cautions if one.code == "repeats"), None)

    @property
    def coarse(self) -> bool:
        """Whether the samples have so few steps that rounding makes lines."""
        return any(one.code == "quantised" for one in self.cautions)

    @property
    def tied(self) -> set[int]:
        """Numbers of the peaks that are in a family."""
        return {i for comb in self.families for i in comb.lines}

    @property
    def broad_peaks(self) -> list[Peak]:
        """What is no single tone, no mode either, and beyond doubt."""
        return [
            peak
            for peak in self.analysis.peaks or ()
            if peak.behaviour is not None
            and peak.behaviour.kind == "hump"
            and peak.clear
            and not self._passed(peak)
            and self.analysis.resonance(peak) is None
        ]


_STAYS = 0.9  # of the frames, in which a tone stands that is no tooth on its way
_REPEATS = ("hits", "swells")


def _unsteady(peak: Peak) -> bool:
    return peak.behaviour is not None and peak.behaviour.kind in (
        "moves",
        "comes and goes",
        "modulated",
        "hump",
    )


def in_short(
    analysis: Analysis, cautions: Sequence[Caution] = (), said: Knowledge = NOTHING
) -> tuple[Sentence, ...]:
    """The sentences, most important first; none where nothing was looked for (as in the highest or
    a single one of the frames)."""
    untold = not analysis.method.averaging.average.typical or analysis.method.source.axes
    if analysis.found is None or untold:
        return ()
    told = _Told(analysis, _borne(said.families(analysis), analysis, cautions), said, cautions)
    rules = RULES if told.loop is None else (_level, _judged, _unsure)
    return tuple(part for rule in rules for part in rule(told))


def _borne(
    families: tuple[Comb, ...], a: Analysis, cautions: Sequence[Caution]
) -> tuple[Comb, ...]:
    """The families that can be told: of samples with few steps that of the strongest tone, for the
    lines that rounding makes lie in rows."""
    if not any(one.code == "quantised" for one in cautions):
        return families
    strongest = max(range(len(a.peaks or ())), key=lambda i: a.lines[i].amplitude, default=None)
    return tuple(one for one in families if one.carrier is None and strongest in one.lines)


def _level(told: _Told) -> list[Sentence]:
    """The overall level, and what share of its power is in families, tones and the rest."""
    a = told.analysis
    total = a.rms**2
    text = f"{significant(a.rms)} {a.unit.symbol} rms {a.rms_of}"
    if not total > 0:
        constant = next((one.text for one in told.cautions if one.code == "constant"), "")
        return [Sentence(constant or "Nothing moves: all samples are the same.", "level")]
    if told.loop is not None:
        return [Sentence(f"{text}. {told.loop.text}", "caution", told.loop.code)]
    if a.ridge is not None:
        return [Sentence(f"{text}: {_one_tone(a.ridge)}.", "level")]
    if not told.single and not told.families:
        if told.runs:
            return [Sentence(f"{text}: harmonics that run, no tone is seen beside them.", "level")]
        if a.estimate.averaged.framing.frame < _TELLS:
            place = plainly(float(a.spectrum.frequency[int(np.argmax(a.spectrum.mean_square))]))
            short = f"too few samples to tell a tone from noise, highest at about {place} Hz"
            return [Sentence(f"{text}: {short}.", "level")]
        return [Sentence(f"{text}: {_without_tones(told)}, no tones, no families.", "level")]
    account = a.account
    names = {comb.name for comb in told.families}
    families = [one for one in account.of_kind("family") if one.name in names]
    shares = [
        (sum(account.share(one) for one in families), "in families"),
        (account.of_peaks(set(told.single)) / account.whole, "in single tones"),
        *_beside_tones(told),
    ]
    rest = max(1 - sum(share for share, _ in shares), 0.0)
    shares.append((rest, "in harmonics that run and in noise" if told.runs else "broadband"))
    return [Sentence(f"{text}: {_listed(shares)}.", "level")]


def _beside_tones(told: _Told) -> list[tuple[float, str]]:
    """The shares of what is neither tone nor broad."""
    a, account = told.analysis, told.analysis.account
    modes = sum(account.share(one) for one in account.of_kind("mode")) if told.modes else 0.0
    where = "in a resonance" if len(told.modes) == 1 else "in resonances"
    ends = sum(account.share(one) for one in account.of_kind("ends"))
    shares = [(modes, where), (ends, _not_in_frames(a))]
    return [one for one in shares if one[0] > _NAMED]


def _without_tones(told: _Told) -> str:
    """What there is where there are no tones."""
    shares = _beside_tones(told)
    changing = any(one.code in _CHANGES for one in told.cautions)
    if told.modes and shares:
        rest = max(1 - sum(share for share, _ in shares), 0.0)
        return _listed([*shares, (rest, "broadband")]) + (", changing" if changing else "")
    shape = "with broad peaks" if told.broad_peaks or told.modes else _noise(told.analysis)
    if changing:
        shape = "broadband and changing" if shape.startswith("broad") else f"{shape}, changing"
    return f"{_listed(shares)}; the rest {shape}" if shares else shape


def _noise(a: Analysis) -> str:
    """Noise, with the band in which most of it is where that is no great part of all."""
    s = a.spectrum
    running = np.cumsum(s.mean_square)
    at = np.searchsorted(running, np.array([0.05, 0.95]) * running[-1])
    low, high = s.frequency[np.minimum(at, len(running) - 1)].tolist()
    if high - low > _IN_BAND * a.fs / 2:
        return "broadband noise"
    return f"noise, 90 % of it from {plainly(low)} to {plainly(high)} Hz"


def _listed(shares: Sequence[tuple[float, str]]) -> str:
    return ", ".join(f"{percent(share)} {where}" for share, where in shares if share > 0)


def _one_tone(ridge: Ridge) -> str:
    """What one tone does that holds most of the power."""
    if not ridge.steps:
        return f"one tone runs {ridge_span(ridge)} Hz, {percent(ridge.share)} of the power"
    places = ", ".join(plainly(step, 4, bare=True) for step in ridge.steps[:_STEPS])
    more = f" and {len(ridge.steps) - _STEPS} more" if len(ridge.steps) > _STEPS else ""
    return f"one tone at a time: {places}{more} Hz"


def _judged(told: _Told) -> list[Sentence]:
    """The level that is judged: the first with zones, else the first that is wholly known."""
    every = [one for one in level_readings(told.analysis) if one.value > 0]
    every.sort(key=lambda one: not one.band.limits)
    one = next((one for one in every if one.band.limits or not one.why_not), None)
    if one is None:
        return []
    words = one.band.words
    text = f"{words[:1].upper()}{words[1:]}: {significant(one.value)} {one.unit}"
    if one.why_not:
        return [Sentence(f"{text}, {one.lacks}: {one.why_not}.", "level")]
    text += f", zone {one.zone}" if one.zone else ""
    return [Sentence(f"{text}{', over its limit' if one.exceeded else ''}.", "level")]


def _not_in_frames(a: Analysis) -> str:
    """Where the power is that the frames do not have."""
    if a.other_ends:
        return "at a loud end"
    if a.uneven:
        return "slower than the first bin" if a.slow else "short, where frames hardly weigh"
    return "where frames hardly weigh"


def _power(a: Analysis, number: int) -> float:
    """Mean square of a peak's tone."""
    assert a.peaks is not None
    return (
        a.peaks[number].tone.amplitude ** 2 * LEVEL_FACTORS["rms"] ** 2 / LEVEL_FACTORS["peak"] ** 2
    )


def _combs(told: _Told) -> list[Sentence]:
    """Families, the strongest first."""
    ordered = sorted(told.families, key=lambda comb: -comb.power)
    parts = [Sentence(f"{_family(comb, told)}.", "comb", comb.name) for comb in ordered[:_FAMILIES]]
    if (more := len(ordered) - _FAMILIES) > 0:
        name = "family" if more == 1 else "families"
        parts.append(Sentence(f"{more} weaker {name} more.", "comb"))
    return parts


def _breathes(told: _Told) -> list[Sentence]:
    """What breathes together, as all does that turns with one machine: how far, and with what. That
    it is a machine is not said: a voice's harmonics breathe as well."""
    a = told.analysis
    if a.machine is None:
        return []
    turning = sum(peak.turns == "turns" for peak in a.peaks or ())
    swings = f"± {100 * a.machine.wander:.2g} % within {a.machine.seconds:.3g} s"
    if a.shaft is None:
        text = f"{turning} tones breathe together by {swings}."
        return [Sentence(text, "peak")]
    speed = with_std(a.shaft.spacing, a.shaft.spacing_std)
    text = f"{turning} tones breathe together by {swings}, with {speed} Hz."
    return [Sentence(text, "comb", a.shaft.name)]


def called(comb: Comb, told_families: Sequence[Comb], said: Knowledge) -> str:
    """What a family is: by the machine's names, the mains, or its letter."""
    frequency = comb.carrier if comb.carrier is not None else comb.spacing
    std = comb.carrier_std if comb.carrier is not None else comb.spacing_std
    std = std if math.isfinite(std) else 0.0
    name = named(said.known, said.shaft, frequency, 3 * std)
    if name:
        return name
    if (hz := mains(comb)) is not None:
        return f"{hz:g} Hz mains"
    if (
        comb.carrier is None
        and said.shaft
        and abs(comb.spacing - said.shaft) <= max(4 * std, 1e-3 * said.shaft)
    ):
        return "the shaft"
    return f"family {comb.name}"


def _family(comb: Comb, told: _Told) -> str:
    name = called(comb, told.families, told.said)
    name = name[:1].upper() + name[1:]
    a = told.analysis
    spacing = with_std(comb.spacing, comb.spacing_std)
    if comb.carrier is None:
        text = f"{name}: {spacing} Hz"
        if comb.low is not None and comb.high is not None:
            text += f", moving from {span(comb.low, comb.high)} Hz"
        numbers = [tooth.number for tooth in comb.teeth if tooth.found]
        text += f", harmonics {runs(numbers)}" if len(numbers) > 1 else ""
        for other in told.families:
            if other is comb or other.carrier is not None or other.spacing >= comb.spacing:
                continue
            if a.machine is not None and a.turning(other) and not a.turning(comb):
                continue  # it slips: what its ratio is on average says nothing
            if ratio := a.ratio(comb.spacing, comb.spacing_std, other):
                return f"{text} = {ratio_words(ratio)} × {called(other, told.families, told.said)}"
        return text
    parent = next((one for one in told.families if one.name == matching(comb, told.families)), None)
    text = f"{name}: {with_std(comb.carrier, comb.carrier_std)} Hz"
    if parent is None:
        return f"{text} with sidebands ± {spacing} Hz"
    of = called(parent, told.families, told.said)
    if ratio := a.ratio(comb.carrier, comb.carrier_std, parent):
        text += f" = {ratio_words(ratio).removesuffix('/1')} × {of}"
        return f"{text}, with sidebands ± {spacing} Hz"
    return f"{text} with sidebands ± {spacing} Hz, as {of}"


def _tones(told: _Told) -> list[Sentence]:
    """The strongest tones that are in no family."""
    ordered = sorted(told.single.values(), key=lambda peak: -peak.level)
    parts: list[Sentence] = []
    if told.coarse and told.analysis.peaks:
        least = _ROUNDED * max(one.tone.amplitude for one in told.analysis.peaks)
        made = sum(one.tone.amplitude < least for one in told.analysis.peaks)
        ordered = [one for one in ordered if one.tone.amplitude >= least]
        if made:
            lines = "line" if made == 1 else "lines"
            parts.append(Sentence(f"{made} weaker {lines}, as rounding leaves them.", "peak"))
    for peak in ordered[:_SINGLE]:
        tone, a = peak.tone, told.analysis
        note = told.said.of(peak, a)
        name = f"{note.name}: " if note is not None and note.name else "Single tone: "
        name = name[:1].upper() + name[1:]
        text = f"{name}{with_std(tone.frequency, tone.frequency_std)} Hz{_tie(peak, told)}"
        text += f", {significant(a.amplitude(peak)[0])} {a.amplitude_unit}"
        doing = peak.behaviour
        if peak.turns == "turns":
            text += ", breathing with the others"
        elif doing is not None and doing.kind != "steady":
            text += f", {behaviour_words(doing)}"
        parts.append(Sentence(f"{text}.", "peak", frequency=tone.frequency))
    if (more := len(ordered) - _SINGLE) > 0:
        tones = "tone" if more == 1 else "tones"
        parts.append(Sentence(f"{more} weaker single {tones} more.", "peak"))
    return parts


def _tie(peak: Peak, told: _Told) -> str:
    """Which multiple of a family's fundamental a tone is, or of the mains, where it is hum."""
    tone = peak.tone
    for comb in sorted(told.families, key=lambda one: one.carrier is not None):
        a = told.analysis
        if comb.carrier is not None or (comb.low is not None and not a.turning(comb)):
            continue
        if a.turning(comb) and peak.turns != "turns":
            continue
        number = round(tone.frequency / comb.spacing)
        std = math.hypot(tone.frequency_std, number * comb.spacing_std)
        if 2 <= number <= _HIGHEST and abs(tone.frequency - number * comb.spacing) < 3 * std:
            return f" = {number} × {called(comb, told.families, told.said)}"
    if any(one.code == "hum" for one in told.cautions):
        for hz in MAINS:
            number = max(1, round(tone.frequency / hz))
            if abs(tone.frequency / (number * hz) - 1) < _MAINS_OFF:
                return f", {number} × mains" if number > 1 else ", mains"
    return ""


def _modes(told: _Told) -> list[Sentence]:
    """Resonances, and broad peaks that are neither tones nor fitted."""
    parts = []
    for one in told.modes[:_MODES]:
        damping = with_std(100 * one.damping, 100 * one.damping_std)
        text = f"Resonance: {with_std(one.frequency, one.frequency_std)} Hz, damping {damping} %."
        parts.append(Sentence(text, "resonance", frequency=one.frequency))
    broad = [peak.tone.frequency for peak in told.broad_peaks]
    if broad:
        places = ", ".join(f"{one:.4g}" for one in broad[:_MODES])
        more = ", …" if len(broad) > _MODES else ""
        text = f"Broad peaks that are no single tones: about {places}{more} Hz."
        parts.append(Sentence(text, "peak", frequency=broad[0]))
    return parts


def _changes(told: _Told) -> list[Sentence]:
    """What is not the same all over the stretch."""
    codes = ("moving", *_CHANGES) if told.runs else _CHANGES
    return [Sentence(one.text, "caution", one.code) for one in told.cautions if one.code in codes]


def _hits(told: _Told) -> list[Sentence]:
    """Hits that repeat."""
    return [
        Sentence(one.text, "caution", one.code) for one in told.cautions if one.code in _REPEATS
    ]


def _unsure(told: _Told) -> list[Sentence]:
    """What could not be told, and why."""
    cautions = [one for code in _UNSURE for one in told.cautions if one.code == code]
    return [
        Sentence(f"Not sure: {one.text}", "caution", one.code) for one in cautions[:_MOST_UNSURE]
    ]


RULES: tuple[Callable[[_Told], list[Sentence]], ...] = (
    _level,
    _judged,
    _breathes,
    _combs,
    _tones,
    _modes,
    _hits,
    _changes,
    _unsure,
)
"""What is told, in this order. To tell something else: a rule and its place here."""
