"""A warp that is roughly known is made sharp by all lines that it makes sharp, the lowest first.

In each frame the delay that is left is told by the phases of the lines, as far as it is known well
enough to say how often a line has turned: a scalar Kalman filter over the lines by rising
frequency. What is common to the lines is smoothed and added to the warp, while the spectrum
becomes sharper by it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.find.delay_smoothing import slower_than, smoothed
from tonecomb.core.find.line_tracks import Frames, running_floor
from tonecomb.core.find.sharp_lines import SharpLines, coherence, sharp_lines
from tonecomb.core.record import sinc
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.steps.warp import Warp

_MOST = 12  # passes
_LONG_S, _OF_RECORD = 4.0, 6.0  # s of the frames that show lines; frames in a record at least
_BAND_HZ, _OF_LOWEST = 4.0, 0.2  # of a warp: so fast, and that share of the lowest line, at most
_TURNS = 3.0  # in a frame, of a line that is used
_LEAST_SNR = 4.0  # of a line in a frame
_SURE_RAD = 0.9  # to which a line's phase has to be known before it is used
_THERE = 4.0  # times the floor, below which a line is not there in a frame
_COHERENT = 0.3  # share of a line's power
_NEIGHBOUR = 0.01, 2.6  # power of another line so many bins of a frame beside, that spoils it
_OUTLIER, _OUTLIER_WEIGHT = 4.0, 1e-4  # standard deviations, and what a frame beyond counts
_STRANGER = 25.0  # times the variance, that a line is off the lower ones and does not count
_NOISE = 1.9  # times the variance of a frame: three quarters overlap
_DONE = 0.35  # of its standard deviation, that a step is small
_BLURS = 0.003  # of sharpness lost, at which a pass is taken back
_TANGENT = 2  # frames from which a delay goes straight on beyond its ends
_KNOT_S, _MOST_GRID = 0.02, 20_000  # between knots of the law


@dataclass(frozen=True, eq=False)
class Refined:
    """A warp with what is known of it: how many lines it was read from, the highest one (Hz), the
    standard deviation of the delay in a frame (s), the mean square by which lines are off each
    other in units of their noise, how sharp the spectrum is in it, and how long frames were (s)."""

    warp: Warp
    lines: int = 0
    highest: float = 0.0
    std: float = 0.0
    misfit: float = 1.0
    sharpness: float = math.inf
    frame_s: float = 0.0


@dataclass(frozen=True, eq=False)
class Record:
    """What a warp is sought in: ``length`` samples at ``fs`` Hz."""

    read: Read
    length: int
    fs: float

    @property
    def duration(self) -> float:
        """In s."""
        return self.length / self.fs

    @property
    def grid(self) -> Array:
        """Times (s) of the knots of a warp."""
        count = min(_MOST_GRID, max(8, math.ceil(self.duration / _KNOT_S)))
        return np.linspace(0.0, self.duration, count + 1)

    def warped(self, warp: Warp | None) -> Record:
        """The same in machine time, worked out once, for looking at lines."""
        if warp is None:
            return self
        made = warp.samples(self.read, self.length, self.fs, sinc.QUICK)(0, self.length)
        made = made.astype(np.float32)

        def read(start: int, stop: int) -> Array:
            return made[start:stop]

        return replace(self, read=read)

    def lines(self) -> SharpLines:
        """Its sharp lines."""
        return sharp_lines(
            self.read, self.length, self.fs, min(_LONG_S, self.duration / _OF_RECORD)
        )


def plus(warp: Warp, machine: Array, more: Array, grid: Array) -> Warp:
    """A warp and a further delay ``more`` (s) that is known at machine times (s)."""
    return Warp.of(grid, warp.delay(grid) + continued(machine, more, warp.to_machine(grid)))


def continued(time: Array, delay: Array, at: Array) -> Array:
    """A delay known at some times, at others: a spline between them, straight on beyond."""
    from scipy.interpolate import CubicSpline

    inside = CubicSpline(time, delay)(np.clip(at, time[0], time[-1]))
    over = max(1, min(_TANGENT, len(time) // 4))
    first = (delay[over] - delay[0]) / (time[over] - time[0])
    last = (delay[-1] - delay[-1 - over]) / (time[-1] - time[-1 - over])
    before, after = np.minimum(at - time[0], 0), np.maximum(at - time[-1], 0)
    return np.asarray(inside + before * first + after * last)


def refined(record: Record, warp: Warp, seconds: float, variance: float) -> Refined:
    """The warp made sharp in frames of so many seconds; ``variance`` (s²) is how well its delay is
    known."""
    best, now = Refined(warp), warp
    before, grid = 0, record.grid
    for number in range(_MOST):
        in_it = record.warped(now)
        lines = in_it.lines()
        if lines.sharpness > best.sharpness + _BLURS:
            break
        step = _Step.of(in_it, lines, now, seconds, variance)
        if step is None or not step.used:
            break
        frequency = lines.frequency[step.used]
        misfit = float(max(1.0, np.median(step.misfits)))
        std = float(np.sqrt(np.median(step.variance)))
        if lines.sharpness < best.sharpness + _BLURS / 6:
            highest = float(frequency[-1])
            best = Refined(now, len(step.used), highest, std, misfit, lines.sharpness, seconds)
        common = step.common(_NOISE * misfit, min(_BAND_HZ, _OF_LOWEST * float(frequency[0])))
        now = plus(now, step.time, common, grid)
        line = np.polyval(np.polyfit(step.time, common, 1), step.time)
        moved = float(np.sqrt(np.mean((common - line) ** 2)))
        omega = 2 * np.pi * float(frequency[-1])
        left = max(-math.log(min(step.coherent, 0.9999)), 0.004) / omega**2 * 1.5
        variance = max(0.05 * variance, min(variance, left if number else 0.5 * variance))
        if number and moved < _DONE * std and len(step.used) <= 1.05 * before:
            break
        before = len(step.used)
    if best.lines:
        sharpness = record.warped(now).lines().sharpness
        if sharpness <= best.sharpness:
            best = replace(best, warp=now, sharpness=sharpness)
    return best


@dataclass(eq=False)
class _Step:
    """The delay that is left in each frame, in machine time: its middle ``time`` (s), the delay
    and its ``variance``, shape (frames,); ``known`` is the warp's own there. ``used`` are numbers
    of lines, ``misfits`` how far each is off the lower ones, ``coherent`` is of the highest."""

    time: Array
    delay: Array
    variance: Array
    known: Array
    used: list[int]
    misfits: list[float]
    coherent: float = 1.0

    @classmethod
    def of(
        cls, record: Record, lines: SharpLines, warp: Warp, seconds: float, variance: float
    ) -> _Step | None:
        """From the lines of a record that is in machine time by ``warp``."""
        frames = Frames.of(record.read, record.length, record.fs, seconds)
        time = frames.time
        if len(time) < 8 or not len(lines.frequency):
            return None
        bins = np.round(lines.frequency * frames.size / record.fs).astype(int)
        inside = np.minimum(bins, frames.size // 2)
        total, parts = np.zeros(frames.size // 2 + 1), []
        for _, z in frames.transforms():
            total += (z.real**2 + z.imag**2).sum(axis=0)
            parts.append(z[:, inside])
        floor = running_floor(total / len(time), max(24, round(60 * frames.size / record.fs)))
        step = cls(
            time,
            np.zeros(len(time)),
            np.full(len(time), variance),
            warp.delay(warp.to_clock(time)),
            [],
            [],
        )
        phasors = np.concatenate(parts)
        sums = float(frames.weights.sum()) ** 2 / 2
        for j, f in enumerate(lines.frequency.tolist()):
            k = int(bins[j])
            if f < _TURNS / seconds or k >= len(floor) - 2 or _spoiled(lines, j, seconds):
                continue
            snr = float(lines.power[j]) * sums / float(floor[k])
            if snr >= _LEAST_SNR:
                step.take(j, 2 * np.pi * f, phasors[:, j], float(floor[k]))
        return step

    def take(self, number: int, omega: float, z: NDArray[np.complex64], floor: float) -> None:
        """Learn from a line what delay is left, where that is sure enough to count its turns."""
        if omega * math.sqrt(float(np.median(self.variance))) > _SURE_RAD:
            return
        turned = z * np.exp(-1j * omega * self.time)
        off = turned * np.exp(-1j * omega * self.delay)
        coherent, slope = coherence(off)
        plain, _ = coherence(turned * np.exp(1j * omega * self.known))
        if coherent < _COHERENT or (np.any(self.known) and plain > coherent):
            return
        error = _phase(off * np.exp(-1j * slope * np.arange(len(off)))) / omega
        power = np.maximum(np.abs(z) ** 2, 1e-3 * floor)
        own = np.maximum(floor / (2 * power), 1e-5) / omega**2
        own = np.where(power > _THERE * floor, own, own / _OUTLIER_WEIGHT)
        total = self.variance + own
        misfit = float(np.median(error**2 / total)) / 0.455 if self.used else 1.0
        if misfit > _STRANGER:
            return
        own = np.where(np.abs(error) > _OUTLIER * np.sqrt(total), own / _OUTLIER_WEIGHT, own)
        gain = self.variance / (self.variance + own)
        self.delay = self.delay + gain * error
        self.variance = self.variance * (1 - gain)
        self.used.append(number)
        self.misfits.append(misfit)
        self.coherent = coherent

    def common(self, noise: float, band: float) -> Array:
        """What of the delay that is left is no noise, and slow enough for a warp."""
        whole = smoothed(self.delay + self.known, np.maximum(self.variance, 1e-20), 2, noise)
        return slower_than(whole - self.known, float(self.time[1] - self.time[0]), band)


def _phase(phasors: NDArray[np.complexfloating]) -> Array:
    """Phases of a line (rad) less a straight line, weighted by the phasors' size."""
    size, at = np.abs(phasors), np.arange(len(phasors)) - len(phasors) / 2
    off = np.angle(phasors * np.exp(-1j * np.angle(phasors.sum())))
    columns = np.stack([np.ones(len(at)), at], axis=1)
    fit = np.linalg.lstsq(columns * size[:, None], off * size, rcond=None)[0]
    return np.asarray((off - columns @ fit + np.pi) % (2 * np.pi) - np.pi)


def _spoiled(lines: SharpLines, number: int, seconds: float) -> bool:
    """Whether another line lies within the main lobe of a frame's."""
    share, bins = _NEIGHBOUR
    far = np.abs(lines.frequency - lines.frequency[number])
    near = (far < bins / seconds) & (far > 0)
    return bool(np.any(lines.power[near] > share * lines.power[number]))
