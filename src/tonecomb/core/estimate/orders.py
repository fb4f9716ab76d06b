"""A run-up by the shaft's angle: what turns with the shaft stands still.

The record is resampled to even steps of the shaft's angle (band-limited interpolation, then a
low-pass over the angle, which is one over orders). What turns with the shaft has one order then,
however fast it turns; any analysis of such a record has orders where others have Hz, and turns
where they have s.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cache

import numpy as np
from scipy.interpolate import PchipInterpolator, make_smoothing_spline

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.synchronous import Sync, crossings
from tonecomb.core.record import sinc
from tonecomb.core.record.recording import Array, ArraySamples, Recording, Samples
from tonecomb.core.record.resampling import excerpt
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.decimate import Decimate, decimated

_REACH = 24  # samples on each side that take part in one between two
_OFFSETS = np.arange(-_REACH + 1, _REACH + 1)
_PHASES = 2048  # places between two samples that have their own taps
_BLOCK = 1 << 14  # places that are worked out at once
_AT_ONCE = 1 << 19  # samples that are read at once
_FINEST = 1 << 16  # steps of a turn
_MOST_STEPS = 1 << 27  # of the whole record
_KNOTS = 4  # of a speed, at least
_HELD = 0.3  # share of its frames that a track must hold to tell the speed
_SMOOTHED = 8  # turns from which a tachometer's pulses are smoothed
_FEWEST = 4  # frames
_MANY = 400  # turns from which orders are followed through longer frames
_USABLE = 0.8  # of the Nyquist frequency, up to which the low-pass leaves all as it is


@dataclass(frozen=True, eq=False)
class Turning:
    """How far a shaft has turned: ``turns`` at ``time`` (s), both rising, shape (knots,)."""

    time: Array
    turns: Array

    @classmethod
    def of_speed(cls, time: Array, frequency: Array) -> Turning:
        """From a track of the shaft's frequency (Hz), gaps (nan) bridged; ends where it does."""
        there = np.isfinite(frequency) & (frequency > 0)
        if there.sum() < max(_KNOTS, _HELD * len(time)):
            raise UserError(
                "The shaft's speed is not known well enough",
                f"its track holds {int(there.sum())} of {len(time)} frames",
                "follow a comb that stands out, or use a tachometer channel",
            )
        speed = PchipInterpolator(time[there], frequency[there])
        first, last = time[there][[0, -1]]
        # Fine enough for the turns to be smooth between the knots.
        knots = np.linspace(first, last, 4 * len(time) + 1)
        return cls(knots, np.asarray(speed.antiderivative()(knots)))

    @classmethod
    def of_pulses(
        cls,
        signal: Signal,
        sync: Sync,
        pulses: int,
        first: int,
        last: int,
        progress: Progress = silent,
    ) -> Turning:
        """From a tachometer channel that passes a level so many times a turn, between two
        samples of the recording."""
        values = np.array(list(crossings(sync, signal, first, last, progress)))
        if len(values) < max(_KNOTS, pulses + 1):
            raise UserError(
                f"The tachometer passes its level {len(values)} times only",
                remedy="choose another level or channel, or a longer stretch",
            )
        # Marks are never quite even on the shaft: only whole turns are.
        time = values[::pulses] / signal.rate
        if len(time) < _SMOOTHED:
            return cls(time, np.arange(len(time), dtype=np.float64))
        # A pulse is timed no better than the samples lie; a shaft turns more smoothly than that.
        smooth = make_smoothing_spline(time, np.arange(len(time), dtype=np.float64))
        return cls(time, np.asarray(smooth(time)))

    def time_at(self, turns: Array) -> Array:
        """When the shaft has turned so far, s."""
        return np.asarray(PchipInterpolator(self.turns, self.time)(turns))

    def speed_at(self, time: Array) -> Array:
        """The shaft's frequency at these times (s), Hz."""
        return np.asarray(PchipInterpolator(self.time, self.turns).derivative()(time))


@dataclass(frozen=True, eq=False)
class _Near:
    """Samples from the ``first`` of a recording on."""

    first: int
    samples: Array


class _AtAngles(Samples):
    """Samples at even steps of the shaft's angle, ``steps`` a turn, between those at ``fs`` Hz by
    a sinc of 48 taps under a Kaiser window, taken from a table of its values."""

    def __init__(self, near: _Near, fs: float, turning: Turning, steps: int) -> None:
        # Beyond the ends the last samples stand.
        padded = np.pad(near.samples, _REACH, mode="edge")
        self._around = np.lib.stride_tricks.sliding_window_view(padded, len(_OFFSETS))
        self._first, self._fs = near.first, fs
        self._turning, self._steps = turning, steps

    def read(self, channel: int, start: int, stop: int) -> Array:
        parts = [
            self._between(first, min(stop, first + _BLOCK)) for first in range(start, stop, _BLOCK)
        ]
        return np.concatenate(parts) if parts else np.empty(0)

    def _between(self, start: int, stop: int) -> Array:
        turns = self._turning.turns[0] + np.arange(start, stop) / self._steps
        places = self._turning.time_at(turns) * self._fs - self._first
        whole = np.floor(places).astype(int)
        around = self._around[np.clip(whole + 1, 0, len(self._around) - 1)]
        phase = (places - whole) * _PHASES
        number = phase.astype(int)
        share = phase - number
        table = _table()
        below = np.einsum("ij,ij->i", around, table[number])
        above = np.einsum("ij,ij->i", around, table[number + 1])
        return np.asarray(below + share * (above - below))


@cache
def _table() -> Array:
    """Taps for each of the places between two samples, shape (places + 1, taps)."""
    return sinc.taps(_OFFSETS - np.linspace(0, 1, _PHASES + 1)[:, None], _REACH)


def by_angle(
    signal: Signal,
    channel: int,
    turning: Turning,
    highest: float | None = None,
    progress: Progress = silent,
) -> Recording:
    """One channel by angle, held in memory: its "rate" is in samples a turn, so that what has a
    frequency in the analysis of it has an order, up to 0.8 × half of that.

    ``highest`` is the order that must be there, the one that the fastest speed leaves below the
    Nyquist frequency if None. It starts where the turning does.
    """
    speed = turning.speed_at(turning.time)
    slowest, fastest = float(speed.min()), float(speed.max())
    if slowest <= 0:
        raise UserError(
            "The shaft stands still or turns back", remedy="choose a part in which it turns"
        )
    if highest is None:
        highest = 0.9 * signal.rate / 2 / fastest
    alone = _no_finer(signal, channel, highest * fastest)
    fs = alone.rate
    # As many steps a turn as there are samples in the slowest one, so that nothing is folded down.
    wanted = max(4, math.ceil(2 * highest / _USABLE))
    factor = max(1, math.ceil(fs / slowest / wanted))
    fine = wanted * factor
    turns = float(turning.turns[-1] - turning.turns[0])
    if fine > _FINEST or turns * fine > _MOST_STEPS:
        raise UserError(
            f"The shaft turns too slowly: {slowest:.3g} Hz",
            f"a turn would take {fine} samples",
            "choose a part in which it turns faster, or a shorter one",
        )
    length = int(turns * fine)
    near = _near(alone, turning, part(progress, 0.0, 0.4))
    samples: Samples = _AtAngles(near, fs, turning, fine)
    if factor > 1:
        samples = decimated(samples, length, float(fine), factor)
        length //= factor
    parts, share = [], part(progress, 0.4, 1.0)
    for first in range(0, length, _AT_ONCE):
        stop = min(length, first + _AT_ONCE)
        parts.append(samples.read(0, first, stop))
        share(stop / length)
    return replace(
        alone,
        id=f"{signal.id} by angle",
        sample_rate=float(wanted),
        rate_found=f"{wanted} samples a turn of the shaft",
        length=length,
        samples=ArraySamples.of(np.concatenate(parts) if parts else np.empty(0)),
        problems=(),
        breaks=(),
    )


def _no_finer(signal: Signal, channel: int, highest_hz: float) -> Recording:
    """The channel alone, decimated as far as frequencies up to ``highest_hz`` allow."""
    alone = excerpt(signal.as_recording(), [channel], None)
    factor = int(_USABLE * signal.rate / 2 / highest_hz)
    if factor < 2 or factor > signal.length // _MANY:
        return alone
    return Decimate(factor).apply(Signal.of(alone)).as_recording()


def _near(alone: Recording, turning: Turning, progress: Progress) -> _Near:
    """The samples of the turning's time, and as many around it as interpolation reaches."""
    ends = turning.time[[0, -1]] * alone.rate
    first = max(math.floor(ends[0]) - _REACH, 0)
    stop = min(math.ceil(ends[1]) + _REACH + 1, alone.length)
    parts = []
    for a in range(first, stop, _AT_ONCE):
        parts.append(alone.samples.read(0, a, min(stop, a + _AT_ONCE)))
        progress((a - first) / (stop - first))
    return _Near(first, np.concatenate(parts))


@dataclass(frozen=True, eq=False)
class OrderLevels:
    """Complex rms amplitudes of ``orders`` (numbers), shape (orders, frames), against the shaft's
    mean ``speed`` (Hz) in each frame, shape (frames,), whose middle is at ``time`` (s); phases
    are of a cosine at angle 0. ``begin`` (turns) is where each frame begins, ``turns`` its length.
    """

    orders: tuple[float, ...]
    speed: Array
    time: Array
    amplitude: Array
    begin: Array
    turns: int


def hann(count: int) -> Array:
    """The window under which orders are followed, periodic, adding up to one."""
    weights = 0.5 - 0.5 * np.cos(2 * np.pi * np.arange(count) / count)
    return np.asarray(weights / weights.sum())


def order_levels(
    angled: Recording, turning: Turning, orders: tuple[float, ...], progress: Progress = silent
) -> OrderLevels:
    """Follow orders through frames of whole turns, four, or two where the run-up has few, half
    overlapped, under a Hann window: on whole orders none leaks into another."""
    steps = round(angled.rate)
    turns = 4 if angled.length >= _MANY * steps else 2
    frame = turns * steps
    hop = frame // 2
    count = 1 + (angled.length - frame) // hop
    if count < _FEWEST:
        raise UserError(
            f"The shaft turns {angled.length / steps:.3g} times only",
            remedy="choose a longer part",
        )
    for order in orders:
        if not 0 < order <= _USABLE * steps / 2:
            raise UserError(
                f"Order {order:g} cannot be followed",
                remedy=f"choose orders above 0 and up to {_USABLE * steps / 2:g}",
            )
    angle = np.arange(frame) / steps
    turning_back = np.exp(-2j * np.pi * np.outer(orders, angle)) * hann(frame) * math.sqrt(2)
    out = np.empty((len(orders), count), dtype=np.complex128)
    # The frame's angle 0 is not the shaft's, nor is that of the first sample: turns that were
    # smoothed begin a little off 0.
    begins = turning.turns[0] + np.arange(count) * hop / steps
    for i, begin in enumerate(begins):
        x = angled.samples.read(0, i * hop, i * hop + frame)
        there = np.exp(-2j * np.pi * np.asarray(orders) * begin)
        out[:, i] = (turning_back @ (x - x.mean())) * there
        progress((i + 1) / count)
    time = turning.time_at(begins + turns / 2)
    speed = turns / (turning.time_at(begins + turns) - turning.time_at(begins))
    return OrderLevels(orders, speed, time, np.asarray(out), begins, turns)
