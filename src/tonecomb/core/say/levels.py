"""Cautions about levels: where frames, the lowest bins, or the length of a vector do not stand for
what there is."""

from __future__ import annotations

from dataclasses import replace

from tonecomb.core.analysis import Analysis
from tonecomb.core.record.recording import Recording
from tonecomb.core.say.caution import Caution, Seen, setting
from tonecomb.core.say.numbers import significant
from tonecomb.core.steps.chain import maker_of
from tonecomb.core.steps.combine import VectorSum
from tonecomb.core.steps.prepare import prepare

_LONGER = 4  # times the frame, that a remedy takes
_FEWEST_BINS, _LOW_SHARE = 3.0, 0.02  # from which one bin has one frequency; of the power


def frames_level(a: Analysis, seen: Seen) -> Caution | None:
    """The frames' own level is not that of the samples: an end is louder or softer, which windows
    hardly weigh, something is slower than a frame, which loses its own mean, or something short
    counts by its place in the frames."""
    if not a.uneven or a.method.frames.detrend == "none":
        return None
    symbol, level, frame = a.channel.unit, a.estimate.level, a.method.frames.frame
    text = (
        f"The samples have {significant(level.rms)} {symbol} rms, the frames "
        f"{significant(a.estimate.spectrum.rms)}: "
    )
    if a.other_ends:
        than = "louder" if level.ends > a.estimate.spectrum.rms else "softer"
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


def low_bins(a: Analysis, seen: Seen) -> Caution | None:
    """In velocity or displacement the lowest bins, as wide as what they show, have a level."""
    power, hz = a.spectrum.mean_square, a.spectrum.frame_hz
    if a.order <= 0 or not (total := float(power.sum())) > 0:
        return None
    limit = _FEWEST_BINS * hz
    share = float(power[a.spectrum.frequency < limit - hz / 2].sum()) / total
    if share < _LOW_SHARE:
        return None
    edge = float(f"{limit:.2g}")
    display = replace(a.method.shown.display, low_cut=edge if edge >= limit else edge * 1.05)
    return Caution(
        "low-bins",
        f"{100 * share:.2g} % of the {a.unit.quantity.lower()}'s power lies below {limit:.3g} Hz, "
        f"in the first {_FEWEST_BINS:g} bins: what they are divided by differs within each.",
        f"Low cut {display.low_cut:.3g} Hz", setting(display=display),
    )  # fmt: skip


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
