"""Cautions about records that change."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from tonecomb.core.estimate.averages import Single
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.find.changes import Changes
from tonecomb.core.find.comb import ON_TOOTH
from tonecomb.core.find.mode import half_power_width
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.ridge import Ridge
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Array, Stretch
from tonecomb.core.record.windows import window
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.caution import Caution, Edit, Seen, setting
from tonecomb.core.say.numbers import percent, plainly, span

UNSTEADY = ("moves", "wanders", "hump")
_CHANGE_DB = 6.0  # from part to part, from which a record changes
_SURE = 5.0  # standard deviations by which the level changes where there are few frames
_SLOWEST, _PERIODS_OF_LEVEL = 0.1, 6.0  # of the power; periods in a part whose level is told
_MOVED_BINS = 0.4  # of a bin that a tone moves before it is said
_MOVED = 0.004  # of its fundamental that a family does
_SWING_DB = 4.0  # by which a modulated tone changes before it is said
_AS_WIDE = 2.0  # times the window's line: between bins a width is known no better
_PERIODS = 6.0  # of a fundamental in a frame in which it is followed
_LEFT = 0.005  # of the power, from which it is said that it belongs to nothing
_SAME = 10  # samples, within which two times are the same
_LONGEST = 4  # frames in the shortest stretch that a remedy leaves


def _more(peaks: Sequence[Peak], one: str, several: str) -> str:
    """How many others there are, and what one or several of them do."""
    if len(peaks) < 2:
        return ""
    return f", and 1 other {one}" if len(peaks) == 2 else f", and {len(peaks) - 1} others {several}"


def strike(a: Analysis, spans: Sequence[tuple[float, float]]) -> Edit | None:
    """The edit that leaves out frames with these spans (s from the stretch's start); None where
    frames cannot be left out, or few would stay."""
    gone = sum(end - start for start, end in spans)
    average, stretch = a.method.averaging.average, a.method.source.stretch
    left = a.resolution.stretch_s - gone
    if not spans or not average.cut or left < _LONGEST * a.resolution.frame_s:
        return None
    begin = 0.0 if stretch is None else stretch.start
    struck = tuple(Stretch(max(begin + start, 0.0), begin + end) for start, end in spans)
    return lambda now: now.having(struck=(*now.averaging.struck, *struck))


def _following(wanted: Wanted, frame: int | None = None) -> Edit:
    """The edit that follows something from frame to frame, in frames of so many samples."""

    def edit(now: Method) -> Method:
        kept = tuple(one for one in now.follow.tracks if one != wanted)
        return now.having(tracks=(*kept, wanted), frame=frame or now.frames.frame)

    return edit


def nonstationary(a: Analysis, seen: Seen) -> Caution | None:
    """The level changes in most bands: what changes in a few is a tone, or slow drift."""
    if isinstance(a.method.averaging.average, Single):
        return None
    if a.ridge is not None:
        return None  # what is louder and softer is where its tone is
    changes = None if a.found is None else a.found.changes
    zeros = _heard_zeros(a, seen)
    silent = zeros or (() if changes is None else changes.silent)
    if silent and seen.survey.rms > 0:
        return _silent(a, silent)
    levels = _levels(a, seen)
    low, high = float(levels.min()), float(levels.max())
    by = 20 * math.log10(high / low) if low > 0 else 0.0
    what = "The level changes by {:.0f} dB over the stretch"
    if changes is None:
        if by < _CHANGE_DB or by < _SURE * _chance_db(a, len(levels)):
            return None
    elif min(by, changes.level_db) < _CHANGE_DB:
        # What is now here, now there, makes each band louder and softer, but not all of them; and
        # beside a strong tone the level of all hardly changes where that of the noise does.
        if changes.elsewhere or changes.band_db < _CHANGE_DB or changes.level_db < _CHANGE_DB:
            return None
        by, low, high = changes.band_db, changes.softest, changes.loudest
        place = "{} to {} Hz".format(*map(plainly, changes.band))
        what = f"The level of the noise from {place} changes by {{:.0f}} dB"
    text = (
        f"{what.format(by)} ({low:.3g} to {high:.3g} {a.channel.unit} rms): the average holds for "
        "no part of it."
    )
    if seen.survey.spikes and changes is not None and _of_spikes(seen.survey.spikes, changes, a.fs):
        return None
    edit = strike(a, changes.loud) if changes is not None else None
    return Caution("nonstationary", text, "Leave the loud part out" if edit else "", edit)


def _heard_zeros(a: Analysis, seen: Seen) -> tuple[tuple[float, float], ...]:
    """Spans of zeros (s from the stretch's start) that are not left out already."""
    stretch, out = a.method.source.stretch, a.method.averaging.struck
    begin, near = 0.0 if stretch is None else stretch.start, _SAME / a.fs
    every = [(first / a.fs, stop / a.fs) for first, stop in seen.survey.held.silent]
    return tuple(
        (start, end)
        for start, end in every
        if not any(
            one.start - near <= begin + start and begin + end <= one.end + near for one in out
        )
    )


def _of_spikes(spikes: Sequence[int], changes: Changes, fs: float) -> bool:
    """Whether all that is loud is so about single samples that stand apart, of which that is
    said."""
    return bool(changes.loud) and all(
        any(first <= spike / fs <= last for spike in spikes) for first, last in changes.loud
    )


def _silent(a: Analysis, spans: Sequence[tuple[float, float]]) -> Caution:
    """What there is to say of parts in which there is nothing."""
    begin = 0.0 if a.method.source.stretch is None else a.method.source.stretch.start
    start, end = (begin + at for at in spans[0])
    more = f", and in {len(spans) - 1} more parts" if len(spans) > 1 else ""
    text = f"From {start:.4g} to {end:.4g} s{more} there is nothing: the average counts silence."
    edit = strike(a, spans)
    return Caution("nonstationary", text, "Leave it out" if edit else "", edit)


def _levels(a: Analysis, seen: Seen) -> Array:
    """Rms about its mean of each part of the stretch, sixteen at most, each of several periods of
    the slowest thing that has a tenth of the power."""
    s, levels = a.estimate.spectrum, seen.survey.levels
    total = np.cumsum(s.mean_square[1:])
    slowest = float(s.frequency[1 + int(np.searchsorted(total, _SLOWEST * total[-1]))])
    periods = a.resolution.stretch_s * max(slowest, s.bin_hz)
    parts = len(levels)
    while parts > 1 and periods / parts < _PERIODS_OF_LEVEL:
        parts //= 2
    return np.asarray(np.sqrt((levels.reshape(parts, -1) ** 2).mean(axis=1)))


def _chance_db(a: Analysis, parts: int) -> float:
    """Standard deviation in dB of the level of one of so many parts, of noise as wide as what the
    spectrum holds."""
    power = a.estimate.spectrum.mean_square
    wide = float(power.sum() ** 2 / (power @ power)) * a.spectrum.bin_hz
    values = max(2 * wide * a.resolution.stretch_s / parts, 1.0)
    return 10 / math.log(10) * math.sqrt(2 / values)


def moving(a: Analysis, seen: Seen) -> Caution | None:
    """A family or a tone whose frequency moves."""
    if a.ridge is not None:
        return _ridge(a.ridge)
    family = None if a.found is None else a.found.moving
    if family is not None and (family.runs or family.moved > _MOVED * family.mean):
        what, between = "moves", f"from {span(family.low, family.high)} Hz"
        runs = family.runs and a.machine is None  # in machine time it has a mean
        if runs:  # it may go on beyond what is listened for
            what, between = "runs", f"from about {span(family.low, family.high)} Hz"
        rest = "no family has a mean there" if runs else f"its mean is {family.mean:.5g} Hz"
        wanted = Wanted(0.9 * family.low, 1.1 * family.high, family.teeth)
        # Some periods of it: in longer frames its teeth are smeared.
        short = 1 << math.ceil(math.log2(_PERIODS * a.fs / family.mean))
        shorter = short <= a.method.frames.frame // 2
        if a.machine is not None:
            step = a.machine.step
            return Caution(
                "moving",
                f"The fundamental of what breathes together moves {between} over the stretch: "
                f"{rest}, and its lines are as wide as that.",
                "Steady the speed",
                lambda now: now.having(steps=(*now.source.steps, step)),
            )
        return Caution(
            "moving",
            f"The fundamental of a family of harmonics {what} {between} over the stretch: {rest}, "
            "and its teeth are as wide as that.",
            f"Follow it ({short} samples)" if shorter else "Follow it",
            _following(wanted, short if shorter else None),
        )
    hz = a.spectrum.frame_hz
    moves = [
        peak
        for peak in a.peaks or ()
        if peak.behaviour
        and peak.stands_out
        and peak.behaviour.kind == "moves"
        and peak.behaviour.moved > _MOVED_BINS * hz
    ]
    if not moves:
        return None
    moves.sort(key=lambda peak: -peak.tone.amplitude)
    doing = moves[0].behaviour
    assert doing is not None
    while_it_stands = (
        "over the stretch"
        if doing.share >= 1
        else f"in the {100 * doing.share:.0f} % of the frames in which it stands"
    )
    return Caution(
        "moving",
        f"The tone at {moves[0].tone.frequency:.6g} Hz moves by {doing.moved:.3g} Hz "
        f"{while_it_stands} ({span(doing.low, doing.high)} Hz)"
        f"{_more(moves, 'moves as well', 'move as well')}: its frequency is the mean, its line as "
        "wide as that.",
        "Follow it",
        _following(Wanted(max(doing.low - 2 * hz, 0.0), doing.high + 2 * hz)),
    )


def _ridge(ridge: Ridge) -> Caution | None:
    """What there is to say of one tone that runs; one that stands now here, now there does not."""
    if ridge.steps:
        return None
    return Caution(
        "moving",
        f"One tone runs {ridge_span(ridge)} Hz and holds {100 * ridge.share:.0f} % of the "
        "power: the average shows where it went, not how strong it is.",
        "Follow it",
        _following(Wanted(0.9 * ridge.low, 1.1 * ridge.high)),
    )


def ridge_span(ridge: Ridge) -> str:
    """From where to where it runs."""
    first, last = (plainly(end) for end in ridge.ends)
    return f"from {first} to {last}" if ridge.one_way else f"up and down between {first} and {last}"


def swept(a: Analysis, peak: Peak) -> bool:
    """Whether a peak belongs to a family or a tone that runs, of which that is said already."""
    family = None if a.found is None else a.found.moving
    if a.ridge is not None and a.ridge.low <= peak.tone.frequency <= a.ridge.high:
        return True
    return family is not None and (family.runs or family.sweeps(peak.tone.frequency))


def comes_and_goes(a: Analysis, seen: Seen) -> Caution | None:
    """A tone that stands in a part of the frames, or swells and fades."""
    peaks = [
        peak
        for peak in a.peaks or ()
        if peak.behaviour
        and peak.stands_out
        and not swept(a, peak)
        and (
            peak.behaviour.kind == "comes and goes"
            or (peak.behaviour.kind == "modulated" and peak.behaviour.swing_db > _SWING_DB)
        )
    ]
    if not peaks:
        return None
    # A tone that is gone at times is graver than one that swells.
    peaks.sort(key=lambda p: (p.behaviour is None or p.behaviour.share >= 1, -p.tone.amplitude))
    peak, doing = peaks[0], peaks[0].behaviour
    assert doing is not None
    at = f"The tone at {peak.tone.frequency:.6g} Hz"
    if doing.share >= 1:
        return Caution(
            "comes-and-goes",
            f"{at} swells and fades by {doing.swing_db:.0f} dB over the stretch"
            f"{_more(peaks, 'does so, too', 'do so, too')}: its amplitude is what that is on "
            "average.",
        )
    goes = [one for one in peaks if one.behaviour and one.behaviour.share < 1]
    whole = a.amplitude(peak)[0]
    present = whole * a.present(peak) / peak.tone.amplitude
    edit = strike(a, doing.absent)
    return Caution(
        "comes-and-goes",
        f"{at} stands in {100 * doing.share:.0f} % of the frames, at {present:.4g} "
        f"{a.amplitude_unit} then ({whole:.4g} over the stretch)"
        f"{_more(goes, 'comes and goes', 'come and go')}.",
        "Leave out where it is not" if edit else "",
        edit,
    )


def content_changes(a: Analysis, seen: Seen) -> Caution | None:
    """What is in one part is not in the others, although the level may be the same."""
    changes = None if a.found is None else a.found.changes
    if changes is None or not changes.elsewhere:
        return None
    begin = 0.0 if a.method.source.stretch is None else a.method.source.stretch.start
    start, end = (begin + at for at in changes.at)
    return Caution(
        "content-changes",
        f"From {start:.4g} to {end:.4g} s, {100 * changes.elsewhere:.0f} % of the power lies at "
        "other frequencies than over the whole stretch: the average holds for no part of it.",
        "Analyse that part",
        lambda now: now.having(stretch=Stretch(start, end)),
    )


def left_over(a: Analysis, seen: Seen) -> Caution | None:
    """What rises from the noise and is nothing that was found."""
    every = a.account.of_kind("left")
    if not every or a.ridge is not None or seen.period is not None:
        return None
    left = every[0]
    share = a.account.share(left)
    if share < _LEFT or left.power < _SURE * left.std or seen.survey.held.step:
        return None
    begin = 0.0 if a.method.source.stretch is None else a.method.source.stretch.start
    at = None if a.found is None else a.found.left_at
    when, edit = "", None
    if at is not None:
        start, end = (begin + time for time in at)
        when = f", most of it from {start:.4g} to {end:.4g} s"
        edit = setting(stretch=Stretch(max(start, 0.0), end))
    what = percent(share)
    what = what[:1].upper() + what[1:]
    band = f"from {plainly(left.low, 4)} to {plainly(left.high, 4)} Hz"
    return Caution(
        "left",
        f"{what} of the power, {band}{when}, rises from the noise and belongs to "
        "nothing that was found.",
        "Analyse that part" if edit else "",
        edit,
    )


def damping_limited(a: Analysis, seen: Seen) -> Caution | None:
    """A line that is noise's; where it is no wider than the window's it may be a resonance that
    this frame cannot show."""
    if seen.period is not None:
        return None  # its lines are the block's
    line = window(a.method.frames.window).width_3db * a.spectrum.frame_hz
    teeth = {number for comb in a.combs for number in comb.lines}
    alone = [peak for i, peak in enumerate(a.peaks or ()) if i not in teeth]
    for peak in sorted(alone, key=lambda p: -p.tone.amplitude):
        width = half_power_width(a.spectrum, peak.tone.frequency)
        noise = not peak.tone.steady if peak.behaviour is None else peak.behaviour.kind == "hump"
        if not noise or swept(a, peak) or not width < _AS_WIDE * line:
            continue
        if any(_tooth(peak.tone.frequency, one.frequency) for one in seen.hits):
            continue  # of hits that slip
        if a.resonance(peak) is not None:
            continue
        longest = round(a.resolution.stretch_s * a.fs)
        text = (
            f"The line at {peak.tone.frequency:.6g} Hz wanders in phase and is {width:.3g} Hz wide "
            f"at half power, as the window's own ({line:.3g} Hz): its damping cannot be told"
        )
        frame = 4 * a.method.frames.frame
        if frame > longest // 2:
            return Caution("damping-limited", f"{text}; that takes a longer stretch.")
        return Caution("damping-limited", f"{text}.", f"Use {frame} samples", setting(frame=frame))
    return None


def _tooth(frequency: float, rate: float) -> bool:
    """Whether a frequency is a multiple of a rate, as near as teeth of hits that slip are."""
    turns = frequency / rate
    return turns > 0.5 and abs(turns - round(turns)) < ON_TOOTH
