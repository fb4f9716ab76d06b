"""What a recording holds, in a few sentences with figures: made of what was found, by the rules of
one table, and never more than the data bears."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from tonecomb.core.find.comb import MAINS, Comb, mains, matching
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.ratios import ratio_words
from tonecomb.core.method.machine import named
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.results.levels import level_readings
from tonecomb.core.say.behaviour import words as behaviour_words
from tonecomb.core.say.caution import Caution
from tonecomb.core.say.numbers import runs, significant, span, with_std
from tonecomb.core.say.overview import CHANGES, Overview, Sentence
from tonecomb.core.say.shares import level

_SINGLE, _MODES, _FAMILIES = 3, 4, 5  # that are told one by one
_UNSURE = (
    *("lost", "clipped", "held", "zeroed", "spikes", "offset-step", "drift", "quantised"),
    *("short-stretch", "alias-risk", "lossy"),
)
_MOST_UNSURE = 2  # cautions that stand in short
_MAINS_OFF = 0.003  # of it: no grid is further off
_ROUNDED = 0.05  # of the strongest tone, below which few steps make lines of their own
_HIGHEST = 200  # tooth of a family that a single tone may be


_REPEATS = ("hits", "swells")


def in_short(
    analysis: Analysis, cautions: Sequence[Caution] = (), said: Knowledge = NOTHING
) -> tuple[Sentence, ...]:
    """The sentences, most important first; none where nothing was looked for (as in the highest or
    a single one of the frames)."""
    untold = not analysis.method.averaging.average.typical or analysis.method.source.axes
    if analysis.found is None or untold:
        return ()
    told = Overview(analysis, _borne(said.families(analysis), analysis, cautions), said, cautions)
    rules = RULES if told.loop is None else (level, _judged, _unsure)
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


def _judged(told: Overview) -> list[Sentence]:
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


def _combs(told: Overview) -> list[Sentence]:
    """Families, the strongest first."""
    ordered = sorted(told.families, key=lambda comb: -comb.power)
    parts = [Sentence(f"{_family(comb, told)}.", "comb", comb.name) for comb in ordered[:_FAMILIES]]
    if (more := len(ordered) - _FAMILIES) > 0:
        name = "family" if more == 1 else "families"
        parts.append(Sentence(f"{more} weaker {name} more.", "comb"))
    return parts


def _breathes(told: Overview) -> list[Sentence]:
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


def _family(comb: Comb, told: Overview) -> str:
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


def _tones(told: Overview) -> list[Sentence]:
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


def _tie(peak: Peak, told: Overview) -> str:
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


def _modes(told: Overview) -> list[Sentence]:
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


def _changes(told: Overview) -> list[Sentence]:
    """What is not the same all over the stretch."""
    codes = ("moving", *CHANGES) if told.runs else CHANGES
    return [Sentence(one.text, "caution", one.code) for one in told.cautions if one.code in codes]


def _hits(told: Overview) -> list[Sentence]:
    """Hits that repeat."""
    return [
        Sentence(one.text, "caution", one.code) for one in told.cautions if one.code in _REPEATS
    ]


def _unsure(told: Overview) -> list[Sentence]:
    """What could not be told, and why."""
    cautions = [one for code in _UNSURE for one in told.cautions if one.code == code]
    return [
        Sentence(f"Not sure: {one.text}", "caution", one.code) for one in cautions[:_MOST_UNSURE]
    ]


RULES: tuple[Callable[[Overview], list[Sentence]], ...] = (
    level,
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
