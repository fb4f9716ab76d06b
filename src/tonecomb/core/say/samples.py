"""Cautions about samples that are not what was there: gaps, spikes, too few steps, loops."""

from __future__ import annotations

import math

from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.caution import Caution, Seen
from tonecomb.core.say.changing import strike
from tonecomb.core.say.numbers import plainly, significant
from tonecomb.core.steps.as_sampled import AsSampled

_STEPS, _UNDITHERED = 20.0, 0.42  # steps of the strongest tone; rms of the rest, in steps


def constant(a: Analysis, seen: Seen) -> Caution | None:
    """Samples that are all the same."""
    if seen.survey.rms > 0:
        return None
    text = f"All samples are {significant(seen.survey.mean)} {a.channel.unit}: nothing moves."
    return Caution("constant", text)


def repeats(a: Analysis, seen: Seen) -> Caution | None:
    """Samples that are one block over and over."""
    if seen.period is None:
        return None
    every, apart = (plainly(one, 4, bare=True) for one in (seen.period, 1 / seen.period))
    return Caution(
        "repeats",
        f"The record repeats itself exactly every {every} s, as a loop does: its lines, {apart} Hz "
        "apart, are those of the block.",
    )


def spikes(a: Analysis, seen: Seen) -> Caution | None:
    """Single samples that stand apart from their neighbours."""
    found = seen.survey.spikes
    if not found:
        return None
    start = a.estimate.spectrum.framing.frame / a.fs / 64  # to strike out a frame's middle
    spans = [(place / a.fs - start, place / a.fs + start) for place in found]
    edit = strike(a, spans)
    count = "A single sample stands" if len(found) == 1 else f"{len(found)} single samples stand"
    first = "" if len(found) == 1 else "the first "
    return Caution(
        "spikes",
        f"{count} apart from all others, {first}{found[0] / a.fs:.6g} s into the stretch: a spike "
        "of the recorder, whose power lies at all frequencies.",
        "Leave those frames out" if edit else "",
        edit,
    )


def held(a: Analysis, seen: Seen) -> Caution | None:
    """Runs of equal samples that a jump begins or ends: the recorder had nothing new."""
    found = seen.survey.held
    if not found.runs:
        return None
    runs = "a run" if found.runs == 1 else f"{found.runs} runs"
    spans = [(first / a.fs, stop / a.fs) for first, stop in found.places]
    edit = strike(a, spans) if found.runs == len(spans) else None
    return Caution(
        "held",
        f"{found.samples} samples in {runs} are equal to the one before, the first at "
        f"{spans[0][0]:.6g} s into the stretch: dropouts, which add noise at low frequencies.",
        "Leave those frames out" if edit else "",
        edit,
    )


def quantised(a: Analysis, seen: Seen) -> Caution | None:
    """Few steps and nothing that moves the signal across them: distortion that is tones."""
    step = seen.survey.held.step
    steps = [one for one in a.method.source.steps if not one.off]
    if not step or a.found is None or a.order or (steps and not isinstance(steps[-1], AsSampled)):
        return None
    tones = [peak.tone.amplitude for peak in a.peaks or ()]
    strongest = max(tones, default=0.0)
    rest = math.sqrt(max(seen.survey.rms**2 - sum(x * x for x in tones) / 2, 0.0))
    if strongest > _STEPS * step or rest > _UNDITHERED * step:
        return None
    return Caution(
        "quantised",
        f"The samples have steps of {step:.3g} {a.channel.unit}, {max(strongest / step, 1):.2g} of "
        f"them to the strongest tone's peak, and little noise across them: rounding makes tones "
        "that are not there. Record with more gain.",
    )
