"""Averaging in step with a trigger or a known period: what does not keep step averages away.

The frames are averaged as samples, before any transform (S. Braun, "The extraction of periodic
waveforms by time domain averaging", Acustica 32 (1975) 69–77), so that n of them lower noise,
and tones out of step, by √n in amplitude. A frame that starts between two samples is moved by
band-limited interpolation (a Kaiser-windowed sinc).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part
from tonecomb.core.record import sinc
from tonecomb.core.record.recording import Array, Channel
from tonecomb.core.record.signal import Signal

_REACH = 24  # samples to each side that take part in the interpolation
_BLOCK = 1 << 18  # samples read at once: 2 MB
_HYSTERESIS = 0.05  # of the trigger's range: it has to fall back by so much to count again


@dataclass(frozen=True)
class Sync:
    """What frames start with: every ``period`` s from the stretch's start, or, where
    ``channel`` (from 0) is given, whenever that channel passes ``level`` (its unit) upward, or
    downward with ``falling``."""

    period: float = 0.0
    channel: int | None = None
    level: float = 0.0
    falling: bool = False

    def check(self, channels: tuple[Channel, ...]) -> None:
        """Raises :class:`UserError` where this says nothing."""
        if self.channel is None and not 0 < self.period < math.inf:
            raise UserError(
                "Averaging in step needs a period or a trigger",
                remedy="give the period in s, or a channel and the level it passes",
            )
        if self.channel is not None and not 0 <= self.channel < len(channels):
            raise UserError(
                f"There is no channel {self.channel + 1} to trigger on",
                f"the recording has {len(channels)}",
            )

    def words(self, channels: tuple[Channel, ...]) -> str:
        """What the frames are in step with."""
        if self.channel is None:
            return f"in step with {self.period:.10g} s"
        known = self.channel < len(channels)
        trigger = channels[self.channel] if known else Channel("a missing channel", "FS")
        way = "falling" if self.falling else "rising"
        level = f"{self.level:.6g}".replace("-", "−")
        return f"in step with {trigger.name} {way} through {level} {trigger.unit}"


def starts(
    sync: Sync, signal: Signal, first: int, last: int, frame: int, progress: Progress
) -> Array:
    """Where frames start, in samples of the signal and fractions of them; shape (frames,).

    None begins more than half a sample before the one before it has ended, and each lies within
    ``first`` to ``last``.
    """
    if sync.channel is None:
        step = sync.period * signal.rate
        every = max(1, math.ceil(frame / step - 1e-9))
        count = max(0, math.floor((last - first - frame) / (every * step) + 1e-9) + 1)
        return np.asarray(first + np.arange(count) * (every * step), dtype=np.float64)
    values: list[float] = []
    for at in crossings(sync, signal, first, last, progress):
        if at + frame > last:
            break
        if not values or at >= values[-1] + frame - 0.5:
            values.append(at)
    return np.array(values)


def crossings(
    sync: Sync, signal: Signal, first: int, last: int, progress: Progress
) -> Iterator[float]:
    """Times, in samples, at which the trigger passes its level, between samples by a line."""
    assert sync.channel is not None
    sign = -1.0 if sync.falling else 1.0
    blocks = [(a, min(last, a + _BLOCK)) for a in range(first, last, _BLOCK)]
    low, high = math.inf, -math.inf
    for i, (a, b) in enumerate(blocks):
        x = signal.samples.read(sync.channel, a, b)
        if not np.isfinite(x).all():
            raise UserError(
                f"The trigger {signal.channels[sync.channel].name} holds missing values",
                remedy="choose a stretch without them, or have them interpolated",
            )
        low, high = min(low, float(x.min())), max(high, float(x.max()))
        progress(0.5 * (i + 1) / len(blocks))
    back, armed, before = _HYSTERESIS * (high - low), False, math.nan
    for i, (a, b) in enumerate(blocks):
        x = sign * (signal.samples.read(sync.channel, a, b) - sync.level)
        joined = np.concatenate([[before], x])
        above = np.flatnonzero((joined[:-1] < 0) & (joined[1:] >= 0))
        below = np.flatnonzero(joined <= -back)
        seen = 0
        for k in above:
            armed = armed or bool(np.searchsorted(below, k, side="right") > seen)
            if armed:
                yield a + k - 1 + joined[k] / (joined[k] - joined[k + 1])
                armed, seen = False, int(np.searchsorted(below, k, side="right"))
        armed = armed or len(below) > seen
        before = float(joined[-1])
        progress(0.5 + 0.5 * (i + 1) / len(blocks))


def averaged_frame(
    sync: Sync,
    signal: Signal,
    channel: int,
    first: int,
    last: int,
    frame: int,
    progress: Progress,
) -> tuple[Array, int]:
    """Mean of the frames in step, shape (frame,), in the channel's unit, and how many.

    Raises :class:`UserError` when none lies in the stretch from sample ``first`` to ``last``.
    """
    share = 0.3 if sync.channel is not None else 0.0
    places = starts(sync, signal, first, last, frame, part(progress, 0, share))
    report = part(progress, share, 1)
    total, count = np.zeros(frame), 0
    for i, place in enumerate(places):
        samples = _moved(signal, channel, float(place), frame)
        if samples is not None:
            if not np.isfinite(samples).all():
                raise UserError(
                    f"The frame at {place / signal.rate:.6g} s holds missing values",
                    remedy="choose a stretch without them, or have them interpolated",
                )
            total += samples
            count += 1
        report((i + 1) / len(places))
    if not count:
        raise UserError(
            "No frame in step lies in the stretch",
            "the trigger never passes its level, or no whole frame follows",
            "change the level, the period or the frame length",
        )
    return total / count, count


def _moved(signal: Signal, channel: int, place: float, frame: int) -> Array | None:
    """The samples from a place between two samples on; None too near an end of the record."""
    whole = math.floor(place + 1e-9)
    rest = place - whole
    if rest < 1e-9:
        return signal.samples.read(channel, whole, whole + frame)
    start, stop = whole - _REACH + 1, whole + frame + _REACH
    if start < 0 or stop > signal.length:
        return None
    around = signal.samples.read(channel, start, stop)
    taps = sinc.taps(np.arange(-_REACH + 1, _REACH + 1) - rest, _REACH)
    return np.convolve(around, taps[::-1], mode="valid")
