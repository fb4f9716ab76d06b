"""Cautions about levels: where frames, the lowest bins, or the length of a vector do not stand for
what there is."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.display import LEAST_BINS, LevelGain
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.levels import content_of
from tonecomb.core.say.caution import Caution, Seen, setting
from tonecomb.core.say.numbers import significant
from tonecomb.core.steps.chain import maker_of
from tonecomb.core.steps.combine import VectorSum
from tonecomb.core.steps.prepare import prepare

_LONGER = 4  # times the frame, that a remedy takes
_SHARE = 0.02  # of a level's power, from which a line is strong
_NEAR_ZERO, _NEAR_LIMIT = 8.0, 2.0  # bins
_LISTED = 4  # places that are named


def frames_level(a: Analysis, seen: Seen) -> Caution | None:
    """The frames' own level is not that of the samples: an end is louder or softer, which windows
    hardly weigh, something is slower than a frame, which loses its own mean, or something short
    counts by its place in the frames."""
    if not a.uneven or a.method.frames.detrend == "none":
        return None
    symbol, level, frame = a.channel.unit, a.estimate.level, a.method.frames.frame
    text = (
        f"The samples have {significant(level.rms)} {symbol} rms, the frames "
        f"{significant(a.estimate.averaged.rms)}: "
    )
    if a.other_ends:
        than = "louder" if level.ends > a.estimate.averaged.rms else "softer"
        text += f"an end of the stretch is {than} than the rest, and windows hardly weigh it"
        return Caution("frames-level", f"{text}; peaks and bands are those of the rest.")
    if not a.slow:
        text += "something short is louder than the rest, and counts by its place in the frames"
        return Caution("frames-level", f"{text}.")
    text += f"something is slower than the first bin ({a.spectrum.frame_hz:.3g} Hz)"
    longest = round(a.resolution.stretch_s * a.fs)
    if 2 * frame > longest:
        return Caution("frames-level", f"{text}; that takes a longer stretch.")
    longer = min(_LONGER * frame, longest)
    return Caution("frames-level", f"{text}.", f"Use {longer} samples", setting(frame=longer))


def near_zero(a: Analysis, seen: Seen) -> Caution | None:
    """A strong line of velocity or displacement lies in the first bins, of which only lines
    count."""
    hz, whole = a.spectrum.frame_hz, a.levels.whole
    strong = a.levels.frequency[a.levels.power > _SHARE * whole]
    if not a.order or not len(strong) or (line := float(strong.min())) >= _NEAR_ZERO * hz:
        return None
    text = (
        f"{line:.4g} Hz lies {line / hz:.2g} bins from zero: it counts by its fitted amplitude, "
        f"and of what is no line the {a.unit.quantity.lower()} from {LEAST_BINS * hz:.3g} Hz on"
    )
    frame = a.method.frames.frame
    longer = frame * 2 ** math.ceil(math.log2(_NEAR_ZERO * hz / line))
    if longer > round(a.resolution.stretch_s * a.fs):
        return Caution("near-zero", f"{text}.")
    return Caution("near-zero", f"{text}.", f"Use {longer} samples", setting(frame=longer))


def near_limit(a: Analysis, seen: Seen) -> Caution | None:
    """A strong line lies so near to a band's limit that a little makes it count or not."""
    hz = a.spectrum.frame_hz
    for band in a.method.levels:
        try:
            wider = replace(band, low=max(band.low - _NEAR_LIMIT * hz, 0.0))
            levels = content_of(a, LevelGain(wider, a.channel.unit, a.display.cut))
        except UserError:  # told of the level itself
            continue
        inside = levels.band(band.low, band.high)
        for limit in (band.low, band.high):
            near = np.abs(levels.frequency - limit) < _NEAR_LIMIT * hz
            strong = np.flatnonzero(near & (levels.power > _SHARE * inside))
            if not limit or not len(strong):
                continue
            line = float(levels.frequency[strong[levels.power[strong].argmax()]])
            counts = "counts" if band.low <= line < band.high else "does not count"
            if band.detector != "rms":  # which has filters at its limits
                counts = "counts in part"
            return Caution(
                "near-limit",
                f"{line:.5g} Hz lies {abs(line - limit) / hz:.1f} bins from {limit:g} Hz, where "
                f"the level {band.words} ends: it {counts}.",
            )
    return None


def below_cut(a: Analysis, seen: Seen) -> Caution | None:
    """Something that was found lies below the frequency from which on there is a level."""
    cut, findings = a.display.cut, a.found
    if not a.order or findings is None:
        return None
    surely = max(cut, LEAST_BINS * a.spectrum.frame_hz)
    modes = [one.frequency for one in findings.resonances if one.frequency < surely]
    every = a.content.converted(a.as_low_as(0.0), 0.0)
    loud = (every.frequency < cut) & (every.power > _SHARE * a.levels.whole)
    places = sorted([*modes, *every.frequency[loud].tolist()])
    if not places:
        return None
    listed = ", ".join(f"{one:.4g}" for one in places[:_LISTED])
    lie = "lies" if len(places) == 1 else "lie"
    text = f"{listed} Hz {lie} below {surely:.3g} Hz, from where on there is a level"
    if a.method.shown.display.low_cut is not None and places[0] < cut:
        freed = replace(a.method.shown.display, low_cut=None)
        return Caution("below-cut", f"{text}.", "Begin below it", setting(display=freed))
    return Caution("below-cut", f"{text}; that takes a longer frame.")


def of_a_vector(a: Analysis, recording: Recording) -> Caution | None:
    """The length of a vector has other frequencies than its components."""
    source = a.method.source
    made = maker_of(source.steps, len(recording.channels), source.channel)
    if not isinstance(made, VectorSum):
        return None
    names = [one.name for one in prepare(recording, source.steps).channels]
    axes = ", ".join(names[i] for i in made.channels)
    return Caution(
        "vector-sum",
        f"{a.channel.name} is the length of a vector, which is never below 0: a tone of the axes "
        f"shows at twice its frequency, or not at all. The spectrum of {axes} together is the sum "
        "of their mean squares.",
        "Add their mean squares",
        lambda now: now.having(channel=made.channels[0], axes=made.channels[1:]),
    )
