"""Cautions: when a reading should not be trusted, why in figures, and what would help.

Each detector looks at an analysis (and at a survey of its stretch) and says nothing or one
thing. A remedy is an edit of the method, applied to the method as it is when the remedy is taken.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.averages import Mean
from tonecomb.core.find.comb import MAINS, mains
from tonecomb.core.find.hits import LEAST_SAMPLES, RepeatedHits, find_hits
from tonecomb.core.find.repeats import MOST_SAMPLES, exact_period
from tonecomb.core.method.method import Frames, Method
from tonecomb.core.record.recording import Array, Recording, Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.statistics import uncalibrated
from tonecomb.core.record.survey import survey
from tonecomb.core.record.windows import window
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.confidence import confidence_db
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.say import changing, coded, levels, repeating, samples
from tonecomb.core.say.caution import Caution, Detector, Edit, Seen, setting
from tonecomb.core.steps.comb_notch import CombNotch
from tonecomb.core.steps.envelope import Envelope
from tonecomb.core.steps.filters import LowPass
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step

_TOP = 0.95  # of the Nyquist frequency: what lies above may have been folded down
_BELOW_TOP = 0.8  # of it: what a steep filter leaves up to there lies far below it at the top
_NARROWEST = 15.0  # over a record's length: the width of a notch that settles in it
_WIDEST_NOTCH = 4.0  # Hz
_ALIASED_SHARE = 0.01  # of the power
_UNCOVERED = 0.5  # of the stretch
_HARDLY = 0.25  # of the mean weight: what weighs less hardly counts
_HARDLY_SHARE = 0.1  # of its peak, below which a line's width is hardly the window's
_BIN_OFF_DB = 0.5  # that the highest bin lies below the tone
_OFFSET = 10.0  # times the rms about it
_MAINS_OFF = 0.003  # relative, within which a line is one of the mains
_WIDE_DB = 1.5  # of a confidence band, from which it is told
_LISTENED = 1 << 19  # samples in which hits are looked for
_MANY = 40.0  # hits, from which they are told unasked
_FINER, _FINER_FRAMES = 4, 4  # times the frame, and so many of these
_STRONGEST = 5  # peaks that are looked at more closely
_OF_NOISE = 12.0  # times the median about it, above which a maximum of so few frames is no noise
_SURE_OF = 0.1  # of what shows as one, to which both of a pair are known
_PAIR_HEIGHT, _PAIR_DIP = 0.1, 0.25  # 10 dB below the higher; 6 dB below the lower


def look(
    analysis: Analysis,
    recording: Recording,
    progress: Progress = silent,
    heard: tuple[RepeatedHits, ...] | None = None,
) -> Seen:
    """Look over the analysis's stretch. ``heard`` are the hits of an earlier look at the same
    samples: they do not hang on frame or window."""
    method, source = analysis.method, analysis.method.source
    signal = prepare(recording, source.steps)
    start, stop = source.span(signal)
    found = survey(signal, source.channel, start, stop, part(progress, 0, 0.5))
    if heard is None:
        heard = _heard(signal, method, start, stop, part(progress, 0.5, 0.7))
    frame, fs = _FINER * method.frames.frame, signal.rate
    some = signal.samples.read(source.channel, start, min(stop, start + MOST_SAMPLES))
    block = exact_period(some)
    period = None if block is None else block / fs
    if frame > stop - start:
        return Seen(found, None, heard, period)
    first = Stretch(start / fs, (start + min(stop - start, _FINER_FRAMES * frame)) / fs)
    finer = Method(replace(source, stretch=first), Frames(frame=frame))
    spectrum = run_spectrum(finer, recording, part(progress, 0.7, 1)).spectrum
    return Seen(found, spectrum, heard, period)


def _heard(
    signal: Signal, method: Method, start: int, stop: int, progress: Progress
) -> tuple[RepeatedHits, ...]:
    """Hits that repeat; none are looked for in what grows, in an envelope, or in too little."""
    source = method.source
    envelope = any(isinstance(step, Envelope) for step in source.steps)
    if signal.recording.live or envelope or stop - start < LEAST_SAMPLES:
        return ()

    def read(first: int, last: int) -> Array:
        return signal.samples.read(source.channel, start + first, start + last)

    try:
        envelopes = find_hits(read, stop - start, signal.rate, progress, _LISTENED)
    except UserError:  # samples are missing, which the frames went around
        return ()
    every = (*envelopes.hits, *envelopes.swells)
    return tuple(one for one in every if one.frequency * envelopes.seconds >= _MANY)


def find_cautions(analysis: Analysis, recording: Recording, seen: Seen) -> tuple[Caution, ...]:
    """All that should be said about an analysis, the gravest first."""
    return tuple(_all(analysis, recording, seen))


def _all(analysis: Analysis, recording: Recording, seen: Seen) -> Iterator[Caution]:
    for problem in prepare(recording, analysis.method.source.steps).problems:
        text = problem.text
        if problem.code == "lossy" and (top := coded.limit(analysis.spectrum)) is not None:
            text += f" Nothing is left above {float(f'{top:.3g}'):g} Hz."
        yield Caution(problem.code, text)
    if (told := levels.of_a_vector(analysis, recording)) is not None:
        yield told
    # The survey and the frames are those of one channel.
    for detect in () if analysis.method.source.axes else DETECTORS:
        if (caution := detect(analysis, seen)) is not None:
            yield caution
    if (unknown := uncalibrated(analysis.channel)) is not None:
        yield Caution(unknown.code, unknown.text)


def short_stretch(method: Method, recording: Recording) -> Caution | None:
    """What there is to say when not one frame fits: there is no analysis to look at then."""
    signal = prepare(recording, method.source.steps)
    start, stop = method.source.span(signal)
    if method.frames.frame <= stop - start or stop - start < 2:
        return None
    frame, fs = 1 << int(math.log2(stop - start)), signal.rate
    return Caution(
        "short-stretch",
        f"The stretch of {(stop - start) / fs:.4g} s is shorter than a frame "
        f"({method.frames.frame} samples, {method.frames.frame / fs:.4g} s): "
        "nothing can be analysed.",
        f"Use {frame} samples",
        setting(frame=frame),
    )


def _clipped(a: Analysis, seen: Seen) -> Caution | None:
    if (
        not seen.survey.clipped
        or seen.survey.first_clipped is None
        or a.method.averaging.leave_clipped
    ):
        return None
    text = (
        f"{seen.survey.clipped} samples stand at the recorder's limit, the first "
        f"{seen.survey.first_clipped:.6g} s into the stretch: clipping adds harmonics that are "
        f"not there."
    )
    if not a.method.averaging.average.cut:
        return Caution("clipped", text)
    return Caution("clipped", text, "Leave those frames out", setting(leave_clipped=True))


def _alias_risk(a: Analysis, seen: Seen) -> Caution | None:
    s, nyquist = a.spectrum, a.fs / 2
    top = s.frequency > _TOP * nyquist
    total = float(s.mean_square[1:].sum())
    share = float(s.mean_square[top].sum()) / total if total > 0 else 0.0
    if share < _ALIASED_SHARE:
        return None
    edge = float(f"{_BELOW_TOP * nyquist:.3g}")
    return Caution(
        "alias-risk",
        f"{100 * share:.2g} % of the power lies within 5 % of the Nyquist frequency of "
        f"{nyquist:g} Hz: what is above it may have been folded down.",
        f"Take out above {edge:g} Hz",
        _with_step(LowPass(edge, 8)),
    )


def _one_frame(a: Analysis, seen: Seen) -> Caution | None:
    r, method = a.resolution, a.method
    if r.covered_fraction >= _UNCOVERED:
        return None
    used = r.covered_fraction * r.stretch_s
    text = f"Only {used:.4g} s of the {r.stretch_s:.4g} s chosen are analysed"
    better = setting(average=Mean(), overlap=max(method.frames.overlap, 50.0), struck=())
    return Caution(
        "one-frame", f"{text} ({100 * r.covered_fraction:.2g} %).", "Average all of it", better
    )


def _overlap_gap(a: Analysis, seen: Seen) -> Caution | None:
    """Samples that no frame gives a quarter of the mean weight hardly count."""
    framing, taper = a.spectrum.framing, window(a.method.frames.window)
    if framing.count < 2 or not taper.overlap:  # windows for single hits have none to recommend
        return None
    squares = taper.samples(framing.frame) ** 2
    # One period of the sum of all shifted windows.
    rows = -(-framing.frame // framing.hop)
    padded = np.zeros(rows * framing.hop)
    padded[: framing.frame] = squares
    weight = padded.reshape(rows, framing.hop).sum(axis=0)
    share = float(np.mean(weight < _HARDLY * weight.mean()))
    if share < _HARDLY_SHARE:
        return None
    return Caution(
        "overlap-gap",
        f"With {a.method.frames.overlap:g} % overlap the {taper.title} window hardly looks at "
        f"{100 * share:.0f} % of the record.",
        f"Overlap {taper.overlap:g} %",
        setting(overlap=taper.overlap),
    )


def _padding(a: Analysis, seen: Seen) -> Caution | None:
    if a.method.frames.pad == 1:
        return None
    return Caution(
        "padding",
        f"Zero padding ×{a.method.frames.pad} draws the line finer, but tones closer than "
        f"{a.resolution.separable_hz:.4g} Hz still show as one.",
        "Without padding",
        setting(pad=1),
    )


def _unresolved(a: Analysis, seen: Seen) -> Caution | None:
    pair = _close_pair(a, seen)
    if pair is None:
        return None
    low, high = pair
    longest = round(a.resolution.stretch_s * a.fs)
    frame = math.ceil(a.method.frames.frame * 1.1 * a.resolution.separable_hz / (high - low))
    text = (
        f"{low:.6g} and {high:.6g} Hz are {high - low:.3g} Hz apart, closer than the "
        f"{a.resolution.separable_hz:.4g} Hz that this frame and window tell apart"
    )
    if frame > longest:
        return Caution("unresolved", f"{text}; the stretch is too short for a frame that would.")
    return Caution("unresolved", f"{text}.", f"Use {frame} samples", setting(frame=frame))


def _close_pair(a: Analysis, seen: Seen) -> tuple[float, float] | None:
    """Two tones closer than can be told apart: among the peaks themselves, or where a longer
    frame shows two maxima with a dip between them under one of the strongest peaks. What moves
    is no two tones."""
    separable = a.resolution.separable_hz
    still = [
        peak
        for peak in a.peaks or ()
        if not (peak.behaviour and peak.behaviour.kind in changing.UNSTEADY)
        and not changing.swept(a, peak)
    ]
    sure = [one for one in still if one.tone.frequency_std < _SURE_OF * separable]
    frequencies = sorted(peak.tone.frequency for peak in sure)
    pairs = [(high - low, low, high) for low, high in pairwise(frequencies)]
    if pairs and min(pairs)[0] < separable:
        return min(pairs)[1:]
    if seen.finer is None:
        return None
    for peak in sorted(still, key=lambda p: -p.tone.amplitude)[:_STRONGEST]:
        near = np.flatnonzero(abs(seen.finer.frequency - peak.tone.frequency) < separable)
        around = np.flatnonzero(abs(seen.finer.frequency - peak.tone.frequency) < 16 * separable)
        x = seen.finer.mean_square[near]
        tops = np.flatnonzero((x[1:-1] > x[:-2]) & (x[1:-1] >= x[2:])) + 1
        if not len(tops):
            continue
        noise = _OF_NOISE * float(np.median(seen.finer.mean_square[around]))
        tops = tops[x[tops] > max(_PAIR_HEIGHT * x.max(), noise)]
        for one, other in pairwise(tops.tolist()):
            if x[one : other + 1].min() < _PAIR_DIP * min(x[one], x[other]):
                first, second = seen.finer.frequency[near[[one, other]]]
                return float(first), float(second)
    return None


def _scalloping(a: Analysis, seen: Seen) -> Caution | None:
    """Where no peak is refined, the highest bin is all that there is to read."""
    average, frames = a.method.averaging.average, a.method.frames
    if average.typical or a.method.shown.scaling != "amplitude" or frames.pad > 1:
        return None
    taper = window(frames.window)
    low_db = -20 * math.log10(float(taper.transform(np.array([0.5]))[0]))
    if low_db < _BIN_OFF_DB:
        return None
    return Caution(
        "scalloping",
        f"A tone between two bins reads {low_db:.2g} dB low, and no peak is refined in the "
        f"{average.title.lower()} of the frames.",
        "Use a flat-top",
        setting(window="flat-top", overlap=window("flat-top").overlap),
    )


def _offset(a: Analysis, seen: Seen) -> Caution | None:
    if a.method.frames.detrend != "none" or abs(seen.survey.mean) < _OFFSET * seen.survey.rms:
        return None
    symbol, mean, moving = a.channel.unit, seen.survey.mean, seen.survey.rms
    times = f"{abs(mean) / moving:.3g} times what moves" if moving > 0 else "all there is"
    return Caution(
        "offset",
        f"The offset of {mean:.4g} {symbol} is {times} about it ({moving:.4g} {symbol} rms) and "
        f"leaks into the low bins.",
        "Remove the mean",
        setting(detrend="mean"),
    )


def _hum(a: Analysis, seen: Seen) -> Caution | None:
    if seen.period is not None or any(
        isinstance(step, CombNotch) and not step.off for step in a.method.source.steps
    ):
        return None
    other = {
        line
        for comb in a.combs
        for line in comb.lines
        if comb.carrier is None
        and mains(comb) is None
        and any(_off_mains(tooth.frequency) for tooth in comb.teeth if tooth.found)
    }
    values = [
        peak.tone.frequency
        for i, peak in enumerate(a.peaks or ())
        if i not in other and not (peak.behaviour and peak.behaviour.kind in changing.UNSTEADY)
    ]
    for hz in MAINS:
        near = [
            n for n in (1, 2, 3, 5, 7) if any(abs(f / (n * hz) - 1) < _MAINS_OFF for f in values)
        ]
        if 1 in near and len(near) > 1:
            listed = ", ".join(f"{n * hz:g}" for n in near)
            text = (
                f"Peaks at {listed} Hz are those of {hz:g} Hz mains: hum, or a machine that runs "
                f"with it."
            )
            width = max(CombNotch.width, _NARROWEST / a.resolution.stretch_s)
            if width > _WIDEST_NOTCH:
                return Caution("hum", text)
            notch = CombNotch(_fundamental(values, hz, near), float(f"{width:.2g}"))
            return Caution("hum", text, "Take it out (comb notch)", _with_step(notch))
    return None


def _fundamental(found: list[float], hz: float, numbers: list[int]) -> float:
    """The mains' frequency as the highest of its harmonics has it."""
    last = numbers[-1]
    best = min(found, key=lambda f: abs(f / (last * hz) - 1))
    return float(f"{best / last:.7g}")


def _with_step(step: Step) -> Edit:
    """The edit that puts a step at the chain's end."""
    return lambda method: method.having(steps=(*method.source.steps, step))


def _off_mains(frequency: float) -> bool:
    """Whether a tone is no multiple of the mains."""
    return all(abs(frequency / hz - round(frequency / hz)) > _MAINS_OFF * 10 for hz in MAINS)


def _low_averages(a: Analysis, seen: Seen) -> Caution | None:
    if a.method.shown.scaling == "amplitude":
        return None  # a tone's amplitude does not hang on how many frames there are
    low, high = confidence_db(a.spectrum.effective_averages)
    if max(-low, high) <= _WIDE_DB:
        return None
    text = (
        f"{a.spectrum.effective_averages:.3g} effective averages: the true density lies within "
        f"{low:.1f} and +{high:.1f} dB with 95 % probability".replace("-", "−")
    )
    frame = a.method.frames.frame
    while frame > 256:
        frame //= 2
        averages = a.spectrum.effective_averages * a.method.frames.frame / frame
        low, high = confidence_db(averages)
        if max(-low, high) <= _WIDE_DB:
            return Caution(
                "low-averages",
                f"{text}.",
                f"Use {frame} samples",
                setting(frame=frame, average=Mean()),
            )
    return Caution("low-averages", f"{text}; only a longer stretch would narrow that.")


def _unfitted(analysis: Analysis, seen: Seen) -> Caution | None:
    """A fit that was asked for, and that the data does not bear out."""
    bad = analysis.unfitted
    if not bad:
        return None
    first = bad[0]
    modes = "one mode" if first.modes == 1 else "two modes"
    others = f", nor to {len(bad) - 1} other ranges" if len(bad) > 1 else ""
    return Caution(
        "unfitted",
        f"{modes.capitalize()} cannot be fitted to {first.low:.6g}–{first.high:.6g} Hz{others}: "
        "the spectrum there has another shape, or too few bins.",
        "Drop the fit" if len(bad) == 1 else "Drop these fits",
        lambda now: now.having(fits=tuple(fit for fit in now.search.fits if fit not in bad)),
    )


def _list_cut(a: Analysis, seen: Seen) -> Caution | None:
    """The list of peaks ends before what stands out does."""
    left = 0 if a.found is None else a.found.unlisted
    if not left:
        return None
    most = a.method.search.peaks.most
    every = replace(a.method.search.peaks, most=most + left)
    return Caution(
        "list-cut",
        f"{most + left} peaks stand out; the list holds the {most} highest, and combs are sought "
        "among those.",
        "List them all",
        lambda now: now.having(peaks=replace(now.search.peaks, most=every.most)),
    )


DETECTORS: tuple[Detector, ...] = (
    samples.constant,
    _clipped,
    samples.held,
    samples.zeroed,
    samples.offset_steps,
    samples.drifts,
    samples.spikes,
    samples.repeats,
    samples.quantised,
    _one_frame,
    levels.frames_level,
    levels.near_zero,
    levels.near_limit,
    levels.below_cut,
    _overlap_gap,
    changing.nonstationary,
    changing.moving,
    changing.comes_and_goes,
    changing.content_changes,
    changing.left_over,
    _unresolved,
    _low_averages,
    _offset,
    _alias_risk,
    _hum,
    _padding,
    _scalloping,
    changing.damping_limited,
    _unfitted,
    _list_cut,
    repeating.hits,
)


def cautions(
    analysis: Analysis, recording: Recording, progress: Progress = silent
) -> tuple[Caution, ...]:
    """Survey the stretch, then find what should be said: what the command line calls."""
    return find_cautions(analysis, recording, look(analysis, recording, progress))
