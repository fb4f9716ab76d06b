"""Cautions about samples that are not what was there: gaps, spikes, too few steps, loops."""

from __future__ import annotations

import math

import numpy as np

from tonecomb.core.record.recording import Stretch
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.caution import Caution, Seen, setting
from tonecomb.core.say.changing import strike
from tonecomb.core.say.numbers import plainly, significant
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.steps.filters import HighPass

_FEW_ZEROS = 20  # samples, whose frames may be left out
_PARTS = 16  # whose means are held against each other
_UNEXPLAINED = 0.02  # of the means' variance, that a step or a straight line leaves
_GOES = 1.0  # times the usual rms within a part, that the mean goes
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


def zeroed(a: Analysis, seen: Seen) -> Caution | None:
    """Single samples that are zero more often than chance makes them."""
    count, places = seen.survey.zeroed, seen.survey.zeroed_at
    if not count:
        return None
    spans = [(place / a.fs, place / a.fs) for place in places]
    edit = strike(a, spans) if count <= _FEW_ZEROS else None
    return Caution(
        "zeroed",
        f"{count} single samples are 0 where their neighbours are not, the first at "
        f"{places[0] / a.fs:.6g} s into the stretch: lost samples, which add noise at all "
        "frequencies.",
        "Leave those frames out" if edit else "",
        edit,
    )


def offset_steps(a: Analysis, seen: Seen) -> Caution | None:
    """A mean that jumps once and stays there."""
    means, seconds = seen.survey.means, a.resolution.stretch_s
    if len(means) < _PARTS or not _wanders(seen):
        return None
    fits = []
    for k in range(1, len(means) - 1):  # it may be anywhere within a part
        before, after = means[:k], means[k + 1 :]
        left = float(((before - before.mean()) ** 2).sum() + ((after - after.mean()) ** 2).sum())
        fits.append((left, k, float(after.mean() - before.mean())))
    left, k, by = min(fits)
    if left > _UNEXPLAINED * float(((means - means.mean()) ** 2).sum()):
        return None
    begin = 0.0 if a.method.source.stretch is None else a.method.source.stretch.start
    start, end = k * seconds / len(means), (k + 1) * seconds / len(means)
    longer = (end, seconds) if seconds - end > start else (0.0, start)
    return Caution(
        "offset-step",
        f"The mean steps by {significant(by)} {a.channel.unit} between {begin + start:.4g} and "
        f"{begin + end:.4g} s, and stays there: a fault of sensor or cable. The level over the "
        "stretch holds it.",
        "Analyse the longer part",
        setting(stretch=Stretch(begin + longer[0], begin + longer[1])),
    )


def drifts(a: Analysis, seen: Seen) -> Caution | None:
    """A mean that goes one way all over the stretch."""
    means = seen.survey.means
    if len(means) < _PARTS or not _wanders(seen) or offset_steps(a, seen) is not None:
        return None
    at = np.arange(len(means))
    line = np.polyval(np.polyfit(at, means, 1), at)
    if float(((means - line) ** 2).sum()) > _UNEXPLAINED * float(
        ((means - means.mean()) ** 2).sum()
    ):
        return None
    by = float(line[-1] - line[0]) * len(means) / (len(means) - 1)
    step = HighPass(a.resolution.bin_hz)
    return Caution(
        "drift",
        f"The mean drifts by {significant(by)} {a.channel.unit} over the stretch: the level over "
        "the stretch holds it, the frames do not.",
        "Take it out",
        lambda now: now.having(steps=(*now.source.steps, step)),
    )


def _wanders(seen: Seen) -> bool:
    """Whether the mean goes further than what is within the parts."""
    means = seen.survey.means
    return float(np.ptp(means)) > _GOES * float(np.median(seen.survey.levels))


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
