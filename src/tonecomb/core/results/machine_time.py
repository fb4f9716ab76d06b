"""A machine whose speed breathes, read in its own time: which lines turn with it and which stand.

Where several peaks of a record do not stand still, a warp of time is looked for that they share.
The lines that turn are those of the record in machine time, at the mean speed; those that stand
still are the ones of the record as it is. What lies where a turning line goes is a piece of it.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.framing import effective_averages, make_framing
from tonecomb.core.estimate.spectrum import averaged_spectrum
from tonecomb.core.find.behaviour import Behaviour
from tonecomb.core.find.both_ways import Turns, both_ways
from tonecomb.core.find.comb import MAINS, Comb, Line
from tonecomb.core.find.common_warp import MOST_SAMPLES, CommonWarp, find_warp
from tonecomb.core.find.families import families
from tonecomb.core.find.floor import find_noise
from tonecomb.core.find.peaks import Peak, find_peaks
from tonecomb.core.method.method import FramePlan, Method, plan
from tonecomb.core.record import sinc
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.steady import ENDS_S, Steady
from tonecomb.core.steps.warp import Warp

_UNSTEADY = 3  # peaks that do not stand still, from which a warp is looked for
_TURNING = 2  # lines that are sharper in it, at least
_REST = 12  # knots, after which a cubic spline rests: each takes nearly four parts of five
_OTHERS = 0.1  # of the lines that turn, that may be no teeth of hits
_SHARE_OF_BIN = 0.05  # of the whole stretch, to which a line that was followed is known
_STANDING, _HUM = 2, 0.003  # lines that stand still; of a frequency, within which it is hum
_FAMILY, _TOLD_APART = 4, 0.5  # teeth; of the spacing that a tooth may cover
WHOLE_FAMILY = 8  # teeth, from which every tooth is taken to be there
# Of the speed's change times a frame squared, that a delay is off at an end (benchmark
# machine_time: a quarter by theory, but the ends are smoothed)
_BEYOND = 0.4
_OVER_BINS = 1.0  # that a line moves over, before it is no line on average
_BESIDE = 2.0  # bins beside what a line covers, that are its own
_SCATTER = 1.14  # times the deviation of white noise: the phase of frames that overlap
_OFF, _FRAMES_OFF = 0.25, 5.0  # of the most that a speed is off; frames in which it is so
_EXACT, _WANDERS = 1e-6, 0.01  # of a frequency, no better than which one is where it wanders so


@dataclass(frozen=True, eq=False)
class MachineTime:
    """What is known of the time of a machine: ``warp`` from the start of the stretch, which begins
    at ``start`` (s) and lasts so many ``seconds`` of the record's ``duration``; its delay is known
    to ``std`` (s) in a frame of ``frame_s`` (s), with decades of ``evidence`` for it."""

    warp: Warp
    start: float
    seconds: float
    std: float
    evidence: float
    frame_s: float
    duration: float

    @cached_property
    def mean_std(self) -> float:
        """By what share the mean speed is unknown, which all that turns has in common: over half a
        frame at both ends the law goes straight on as it did in the last frames."""
        step = self.seconds / 2000
        swing = self.warp.swing(np.arange(0.0, self.seconds, step))
        bend = float(np.std(np.diff(swing))) / step
        return math.sqrt(2.0) * _BEYOND * bend * self.frame_s**2 / self.seconds

    @property
    def wander(self) -> float:
        """± by what share of the mean the speed is off it."""
        return self.warp.wander

    @classmethod
    def of(cls, found: CommonWarp, p: FramePlan) -> MachineTime:
        """A warp that was found in the stretch of a plan."""
        return cls(
            found.warp,
            p.start / p.fs,
            p.framing.length / p.fs,
            found.refined.std,
            found.evidence,
            found.refined.frame_s,
            p.signal.duration,
        )

    @cached_property
    def step(self) -> Steady:
        """The step that steadies the record; outside of the stretch it is left as it is."""
        duration = self.duration
        knots = [(self.start + time, delay) for time, delay in self.warp.knots]
        knots[-1] = (min(knots[-1][0], duration), 0.0)
        apart, before, after = knots[1][0] - knots[0][0], knots[0][0], knots[-1][0]
        # Close to its ends as many knots as let the spline come to rest.
        ahead = [before - apart * i for i in range(_REST, 0, -1)]
        behind = [after + apart * i for i in range(1, _REST + 1)]
        first = [0.0, *(time for time in ahead if time > 0)] if before > 0 else []
        last = [*(time for time in behind if time < duration), duration]
        last = last if after < duration else []
        resting = ([(time, 0.0) for time in some] for some in (first, last))
        start, end = resting
        return Steady(law=(*start, *knots, *end))

    def speed(self, frequency: float, count: int = 400) -> tuple[Array, Array]:
        """Times (s of the recording) and what turns at ``frequency`` (Hz) on average then."""
        time = np.linspace(0.0, self.seconds, count)
        return self.start + time, frequency * (1 + self.warp.swing(time))

    def with_common(
        self, peaks: Sequence[Peak], combs: Sequence[Comb]
    ) -> tuple[tuple[Peak, ...], tuple[Comb, ...]]:
        """What turns, with the uncertainty of the mean speed in that of its frequency, and how far
        families move."""
        common = self.mean_std

        def wider(peak: Peak) -> Peak:
            if peak.turns != "turns":
                return peak
            std = math.hypot(peak.tone.frequency_std, common * peak.tone.frequency)
            return replace(peak, tone=replace(peak.tone, frequency_std=std))

        def breathing(comb: Comb) -> Comb:
            if not most_turn(comb, peaks):
                return comb
            low, high = self.covers(comb.spacing)
            std = math.hypot(comb.spacing_std, common * comb.spacing)
            told = replace(comb, spacing_std=std)
            return replace(told, low=low, high=high) if comb.carrier is None else told

        return tuple(wider(one) for one in peaks), tuple(breathing(one) for one in combs)

    def covers(self, frequency: float) -> tuple[float, float]:
        """From where to where (Hz) a line that turns moves about its mean."""
        low, high = self.warp.range
        return frequency * (1 + low), frequency * (1 + high)


@dataclass(frozen=True, eq=False)
class _Machine:
    """A stretch in machine time without its ends: ``read`` of ``length`` samples, the clock
    ``time`` of which is off by ``delay`` at machine times ``at``, all in s."""

    read: Read
    length: int
    at: Array
    delay: Array

    @classmethod
    def of(cls, p: FramePlan, warp: Warp) -> _Machine:
        length, fs = p.framing.length, p.fs
        made = warp.samples(p.read, length, fs, sinc.EXACT)(0, length)
        ends = min(round(ENDS_S * fs), length // 8)
        at = np.arange(0, length - 2 * ends, max(1, round(fs / 200))) / fs
        delay = warp.delay(warp.to_clock(at + ends / fs))

        def read(start: int, stop: int) -> Array:
            return made[ends + start : ends + stop]

        return cls(read, length - 2 * ends, at, delay)


def is_steadied(signal: Signal) -> bool:
    """Whether a signal is in machine time already."""
    return any(isinstance(step, Steady) and not step.off for step in signal.steps)


def reads_both_ways(peaks: Sequence[Peak], p: FramePlan) -> bool:
    """Whether a warp is worth looking for: several peaks do not stand still."""
    if p.framing.kept is not None or p.framing.length > MOST_SAMPLES or is_steadied(p.signal):
        return False
    moving = (one for one in peaks if one.behaviour and not one.tone.steady)
    return sum(one.behaviour is not None and one.behaviour.kind != "hump" for one in moving) >= (
        _UNSTEADY
    )


def steadied(method: Method, recording: Recording, progress: Progress = silent) -> Steady:
    """The step that steadies the speed by which the lines of a method's channel and stretch breathe
    together. Raises :class:`UserError` where nothing does, or the stretch is too long."""
    p = plan(method, recording)
    found = None
    if p.framing.length <= MOST_SAMPLES:
        found = find_warp(p.read, p.framing.length, p.fs, progress)
    if found is None:
        long = p.framing.length > MOST_SAMPLES
        raise UserError(
            f"No speed can be read from ‘{p.channel.name}’",
            f"over {MOST_SAMPLES / 1e6:.1f} million samples are too many to look through"
            if long
            else "no tones breathe together in it",
            "choose a shorter stretch" if long else "leave it as it is, or name its shaft",
        )
    return MachineTime.of(found, p).step


def machine_peaks(
    peaks: tuple[Peak, ...], method: Method, p: FramePlan, progress: Progress = silent
) -> tuple[tuple[Peak, ...], MachineTime | None]:
    """The peaks with those that turn read in machine time; as they are, and None, where nothing
    breathes together."""
    length, fs = p.framing.length, p.fs
    at = np.arange(0, length, max(1, round(fs / 200))) / fs
    frequencies = [one.tone.frequency for one in peaks]

    refused: list[Comb] = []

    def hits(members: Sequence[float], warp: Callable[[], Warp], std: float) -> bool:
        if any(all(comb.beside_tooth(f) for f in members) for comb in refused):
            return True
        comb = _one_family([Line(f, _SHARE_OF_BIN * fs / length, 1.0) for f in members], p)
        if comb is None:
            return False
        late = warp().delay(at)
        does = both_ways(p.read, length, fs, frequencies, late, at, machine=False, std=std)
        still = (i for i in range(len(peaks)) if does.turns(i, machine=False) == "stands still")
        if _stand([frequencies[i] for i in still]):
            refused.append(comb)
        return comb in refused

    found = find_warp(p.read, length, fs, part(progress, 0, 0.6), hits)
    if found is None or _jolts(found, at):
        return peaks, None
    machine = _Machine.of(p, found.warp)
    turning = _turning(machine, found, method, p, part(progress, 0.6, 0.9))
    if len(turning) < _TURNING:
        return peaks, None
    time = MachineTime.of(found, p)
    delay = found.warp.delay(at)
    still = both_ways(p.read, length, fs, frequencies, delay, at, machine=False, std=time.std)
    bins = p.fs / p.framing.frame
    ranges = [
        time.covers(f)
        for f in (*(one.tone.frequency for one in turning), *_teeth(turning, time, p))
    ]
    kept = []
    for i, one in enumerate(peaks):
        does: Turns = still.turns(i, machine=False)
        f, beside = one.tone.frequency, _BESIDE * bins
        swept = any(low - beside <= f <= high + beside for low, high in ranges)
        if (
            does in ("stands still", "either")
            and one.tone.steady
            and not (swept and does == "either")
        ):
            kept.append(replace(one, turns=does))
        elif not swept and does != "turns":
            kept.append(replace(one, turns="" if _broad(one) else does))
    if _slips(turning, kept, p):
        return peaks, None
    every = sorted((*kept, *turning), key=lambda one: one.tone.frequency)
    return tuple(every), time


def _jolts(found: CommonWarp, at: Array) -> bool:
    """Whether the speed is off its mean for some frames only: what is louder or softer at once, in
    all lines together, looks so."""
    swing = np.abs(found.warp.swing(at))
    away = float(np.mean(swing > _OFF * swing.max())) * float(at[-1])
    return away < _FRAMES_OFF * found.refined.frame_s


def _slips(turning: Sequence[Peak], kept: Sequence[Peak], p: FramePlan) -> bool:
    """Whether what breathes are hits that slip: the teeth of one family and nothing else, while
    other lines of the machine stand still."""
    still = [one.tone.frequency for one in kept if one.turns == "stands still"]
    return _stand(still) and _one_family(as_lines(turning), p) is not None


def _stand(still: Sequence[float]) -> bool:
    """Whether lines of a machine are among those (Hz) that stand still."""
    return sum(not any(_hum(f, hz) for hz in MAINS) for f in still) >= _STANDING


def _one_family(lines: Sequence[Line], p: FramePlan) -> Comb | None:
    """The family of which all lines but a few are teeth."""
    for comb in families(lines, p.fs / 2, None, p.fs / p.framing.frame):
        if comb.carrier is None and len(comb.lines) >= WHOLE_FAMILY:
            others = [one for one in lines if not comb.beside_tooth(one.frequency)]
            return comb if len(others) <= _OTHERS * len(lines) else None
    return None


def _hum(frequency: float, hz: float) -> bool:
    number = max(1, round(frequency / hz))
    return abs(frequency / (number * hz) - 1) < _HUM


def as_lines(peaks: Sequence[Peak]) -> list[Line]:
    return [Line(one.tone.frequency, one.tone.frequency_std, one.tone.amplitude) for one in peaks]


def _teeth(turning: Sequence[Peak], time: MachineTime, p: FramePlan) -> list[float]:
    """Frequencies (Hz) of the teeth of families among lines that turn, as far as one can be told
    from the next while they move."""
    low, high = time.warp.range
    teeth: list[float] = []
    for comb in families(as_lines(turning), p.fs / 2, None, p.fs / p.framing.frame):
        if comb.carrier is None and len(comb.lines) >= _FAMILY:
            most = min(p.fs / 2 / comb.spacing, _TOLD_APART / max(high - low, 1e-12))
            teeth += [n * comb.spacing for n in range(1, int(most) + 1)]
    return teeth


def most_turn(comb: Comb, peaks: Sequence[Peak]) -> bool:
    """Whether most lines of a family turn."""
    turns = sum(peaks[i].turns == "turns" for i in comb.lines if i < len(peaks))
    return 2 * turns > len(comb.lines) > 0


def _broad(peak: Peak) -> bool:
    return peak.behaviour is not None and peak.behaviour.kind == "hump"


def _turning(
    machine: _Machine, found: CommonWarp, method: Method, p: FramePlan, progress: Progress
) -> list[Peak]:
    """The peaks in machine time that turn, as lines that move in clock time."""
    fs, frames = p.fs, method.frames
    if machine.length < frames.frame:
        return []
    framing = make_framing(machine.length, frames.frame, frames.overlap, fs)
    spectrum = averaged_spectrum(
        machine.read, framing, fs, p.taper, pad=frames.pad, detrend=frames.detrend
    )
    nominal = effective_averages(framing, p.taper.name)
    noise = find_noise(machine.read, spectrum, fs, nominal, None, part(progress, 0, 0.4))
    search = replace(method.search.peaks, by_hand=())
    peaks, _ = find_peaks(
        spectrum, search, machine.read, fs, p.taper, noise, part(progress, 0.4, 1)
    )
    lines = [one for one in peaks if not _broad(one)]
    if not lines:
        return []
    told = both_ways(
        machine.read,
        machine.length,
        fs,
        [one.tone.frequency for one in lines],
        machine.delay,
        machine.at,
        machine=True,
        std=found.refined.std,
    )
    return [
        _in_clock_time(one, found.warp, spectrum.frame_hz)
        for i, one in enumerate(lines)
        if told.turns(i, machine=True) == "turns" and one.clear
    ]


def _in_clock_time(peak: Peak, warp: Warp, bin_hz: float) -> Peak:
    """A line of machine time as a peak of the record: it turns, and moves about its mean."""
    tone, (low, high) = peak.tone, warp.range
    least = _EXACT * tone.frequency if warp.wander > _WANDERS else 0.0
    std = max(_SCATTER * tone.frequency_std, least)
    low, high = tone.frequency * (1 + low), tone.frequency * (1 + high)
    moves = high - low > _OVER_BINS * bin_hz
    tone = replace(
        tone,
        frequency_std=std,
        steady=tone.steady and not moves,
        phase_deg=math.nan if moves else tone.phase_deg,
    )
    doing = peak.behaviour
    share = 1.0 if doing is None else doing.share
    present = tone.amplitude if doing is None else doing.present
    doing = Behaviour("moves" if moves else "steady", share, present, low, high)
    return replace(peak, tone=tone, behaviour=doing, turns="turns")
