"""A run-up in one step: speed, order spectrum and map, order amplitudes, and the modes met."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.orders import OrderLevels, Turning, by_angle, order_levels
from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.speed import smoothed
from tonecomb.core.find.crossings import Crossing, find_crossings
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.method import Frames, Method, Shown, frame_plan
from tonecomb.core.method.sentence import DETRENDS, seconds, shown_as
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import window
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run
from tonecomb.core.results.spectrogram import Spectrogram, View, run_spectrogram
from tonecomb.core.results.trend import run_trend

_OVERLAP = 75.0  # percent with which the speed is followed
_TURNS_SLOWEST = 4  # turns of the slowest speed in a frame that finds the speed
_SMOOTHED = 4.0  # frames to either side over which the speed is smoothed
_SPREAD = 4.0  # bins that the highest tooth may sweep over in such a frame
_LONGEST = 64  # turns in a frame of the order spectrum
_FRAMES = 12  # of it that there should be
_MAP_TURNS = 8  # in a frame of the map
_MORE, _MORE_ORDERS = 1.5, 2.0  # times the highest order, and more, that is shown
_BESIDE = 1.0  # orders on either side that tell the noise about one
_STANDS = 10.0  # times that noise from which it stands out in a row
_NEAR = 0.15  # of an order, within which it is looked at from row to row
_ROWS, _COLUMNS = 400, 900  # of the map


@dataclass(frozen=True, eq=False)
class RunUp:
    """What is known of a channel by its shaft's angle.

    ``levels`` of the orders over the speed, the ``crossings`` they show, ``spectrum``, an analysis
    by the angle, whose frequencies are orders, ``orders``, those of its peaks that stay, and
    ``map``, a spectrogram of the same kind whose rows end at ``map_time`` (s of the recording,
    shape (rows + 1,)). ``turning`` is the shaft's, in s of the recording; ``sentence`` tells the
    method.
    """

    shaft: Shaft
    turning: Turning
    levels: OrderLevels
    crossings: tuple[Crossing, ...]
    spectrum: Analysis
    orders: tuple[Peak, ...]
    map: Spectrogram
    map_time: Array
    sentence: str

    def speed_at(self, time: Array) -> Array:
        """The shaft's frequency at times (s) within the run-up, Hz."""
        known = self.turning.time
        return self.turning.speed_at(np.clip(time, known[0], known[-1]))


def analyse_run_up(method: Method, recording: Recording, progress: Progress = silent) -> RunUp:
    """Analyse the method's stretch by the angle of its shaft. Window, detrending and level hold
    for the order spectrum, which is one of amplitudes in the channel's unit; frames are whole
    turns, as many as suit the run-up.

    Raises :class:`UserError` where the speed is not known well enough.
    """
    shaft = method.shaft
    if shaft is None:
        raise UserError(
            "No shaft is named", remedy="name the comb or the tachometer that tells its speed"
        )
    signal = frame_plan(method, recording, frame=2).signal
    shaft.check(signal)
    teeth = shaft.comb.teeth if shaft.comb is not None else ()
    highest = _MORE * max(*shaft.orders, *teeth, 0) + _MORE_ORDERS
    turning = _turning(method, recording, signal, shaft, part(progress, 0.0, 0.4))
    angled = by_angle(signal, method.source.channel, turning, highest, part(progress, 0.4, 0.8))
    levels = order_levels(angled, turning, shaft.orders, part(progress, 0.8, 0.85))
    plain = _by_turns(method, angled)
    spectrum = run(plain, angled, part(progress, 0.85, 0.95))
    picture = plain.having(frame=min(_MAP_TURNS * round(angled.rate), angled.length), overlap=75.0)
    view = View(_ROWS, _COLUMNS, low=0.0, high=highest)
    gram = run_spectrogram(picture, angled, view, part(progress, 0.95, 1.0))
    ends = np.clip(turning.turns[0] + gram.time, turning.turns[0], turning.turns[-1])
    ends = turning.time_at(ends)
    speed = turning.speed_at((ends[:-1] + ends[1:]) / 2)
    orders = tuple(
        peak
        for peak in spectrum.peaks or ()
        if peak.tone.frequency <= highest and _stays(gram, speed, peak.tone.frequency)
    )
    return RunUp(
        shaft,
        turning,
        levels,
        find_crossings(levels, turning),
        spectrum,
        orders,
        gram,
        ends,
        _sentence(method, signal, shaft, turning, spectrum),
    )


def _turning(
    method: Method, recording: Recording, signal: Signal, shaft: Shaft, progress: Progress
) -> Turning:
    """The shaft's turning as the tachometer or the comb in the spectra of short frames has it."""
    others = (None if shaft.tacho is None else shaft.tacho.channel, shaft.channel)
    first, stop = method.source.span(signal, [one for one in others if one is not None])
    if shaft.tacho is not None:
        return Turning.of_pulses(signal, shaft.tacho, shaft.pulses, first, stop, progress)
    comb = shaft.comb
    assert comb is not None
    fs, seconds_long = signal.rate, (stop - first) / signal.rate
    # Long enough to tell the teeth apart, short enough for the highest not to sweep away.
    sweep = max((comb.high - comb.low) / seconds_long, 1e-9) * max(comb.teeth)
    wanted = min(_TURNS_SLOWEST / comb.low, math.sqrt(_SPREAD / sweep))
    frame = 1 << round(math.log2(max(wanted * fs, 16)))
    frame = min(frame, 1 << int(math.log2(stop - first)))
    channel = method.source.channel if shaft.channel is None else shaft.channel
    tracked = Method(
        replace(method.source, channel=channel),
        Frames(detrend=method.frames.detrend, frame=frame, overlap=_OVERLAP),
    )
    trend = run_trend(tracked, recording, (comb,), progress)
    speed = trend.tracks[0].frequency
    steady = smoothed(speed, max(2, round(_SMOOTHED * trend.frame_s / trend.hop_s)))
    # Gaps stay gaps: how much of the speed is known is judged by what was found.
    return Turning.of_speed(trend.time, np.where(np.isfinite(speed), steady, np.nan))


def _by_turns(method: Method, angled: Recording) -> Method:
    """How the record by the angle is analysed: frames of whole turns, so that whole orders lie
    on bins."""
    turns = angled.length / angled.rate
    each = 1 << int(math.log2(max(1.0, min(_LONGEST, 2 * turns / (_FRAMES + 1)))))
    frames = Frames(method.frames.detrend, method.frames.window, each * round(angled.rate))
    return Method(frames=frames, shown=Shown(level=method.shown.level))


def _stays(gram: Spectrogram, speed: Array, order: float) -> bool:
    """Whether something stays at an order while the speed (Hz, a value a row of the map) changes.
    What stays at a frequency passes the order once, moving as one over the speed."""
    middles = gram.centres
    near = np.flatnonzero(np.abs(middles / order - 1) < _NEAR)
    if len(near) < 3 or np.ptp(speed) < _NEAR * speed.mean():
        return True  # there is nothing to tell by
    cells = gram.mean_square[:, near]
    at = cells.argmax(axis=1)
    floor = np.median(gram.mean_square[:, np.abs(middles - order) < _BESIDE], axis=1)
    stands = (cells.max(axis=1) > _STANDS * floor) & (at > 0) & (at < len(near) - 1)
    power = np.where(stands, cells.max(axis=1), 0.0)
    if not power.any():
        return True  # too weak to be seen in a single row
    place = np.log(middles[near[at]] / order)
    slope = np.polyfit(np.log(speed), place, 1, w=np.sqrt(power))[0]
    return bool(slope > -0.5)


def _sentence(
    method: Method, signal: Signal, shaft: Shaft, turning: Turning, spectrum: Analysis
) -> str:
    """The method in one line, for pictures and reports."""
    channel, plain = signal.channels[method.source.channel], spectrum.method
    first, last = (seconds(float(t), 100.0) for t in turning.time[[0, -1]])
    each = plain.frames.frame / spectrum.fs
    scaling, level = shown_as(plain.shown, channel)
    return " · ".join(
        (
            channel.name,
            f"{first}–{last} s",
            f"by shaft angle, {shaft.words(signal)}",
            DETRENDS[method.frames.detrend],
            f"{window(plain.frames.window).title}, frames of {each:g} turns, "
            f"{plain.frames.overlap:g} % overlap",
            f"{spectrum.resolution.frames} frames averaged",
            f"{scaling}, {level}",
        )
    )
