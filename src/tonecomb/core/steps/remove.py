"""Take the mean, the best straight line, or all slow drift off every channel of the record."""

from __future__ import annotations

import math
import threading
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.setting import setting
from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.fir import Shaped, compact, smooth
from tonecomb.core.steps.step import Step, rounded, unfit

_BLOCK = 1 << 20  # samples read at once: 8 MB
_TAPS = 14  # periods of the limit that the filter lasts
_FADE = 0.44  # of the limit, over which it fades in, from half of it on
_SETTLES = 4.4  # periods, after which a step at an end has left a thousandth
_LONGEST = 1 / 3  # of a record that settling may take, of what is put into a chain first


@dataclass(frozen=True)
class RemoveMean(Step):
    """The mean of the whole record."""

    key: ClassVar[str] = "remove-mean"
    title: ClassVar[str] = "Remove the mean"
    tip: ClassVar[str] = "Take the mean of the whole record off each channel"

    def words(self, names: Sequence[str]) -> str:
        return "mean of the record removed"

    def apply(self, signal: Signal) -> Signal:
        return replace(signal, samples=Straight(signal.samples, signal.length, sloped=False))


@dataclass(frozen=True)
class RemoveLine(Step):
    """The straight line that fits the whole record best, by least squares."""

    key: ClassVar[str] = "remove-line"
    title: ClassVar[str] = "Remove the best straight line"
    tip: ClassVar[str] = "Take the straight line that fits the record best off each channel"

    def words(self, names: Sequence[str]) -> str:
        return "line of the record removed"

    def apply(self, signal: Signal) -> Signal:
        return replace(signal, samples=Straight(signal.samples, signal.length, sloped=True))


@dataclass(frozen=True)
class RemoveDrift(Step):
    """All that is slower than ``below`` (Hz): nothing is left up to half of it, everything from
    it on."""

    key: ClassVar[str] = "remove-drift"
    title: ClassVar[str] = "Remove drift"
    tip: ClassVar[str] = "Take what is slower than a limit off each channel"

    below: float = setting("below", "number", 0.5, unit="Hz", help="what is slower goes")

    @classmethod
    def put(cls, signal: Signal) -> dict[str, Any]:
        return {"below": max(0.5, rounded(2 * _SETTLES / (_LONGEST * signal.duration)))}

    def words(self, names: Sequence[str]) -> str:
        ends = _SETTLES / self.below
        return f"drift below {self.below:g} Hz removed, {ends:.3g} s left out at each end"

    def note(self, fs: float) -> str:
        """How long it takes to settle."""
        return f"settles in {_SETTLES / self.below:.3g} s at each end"

    def apply(self, signal: Signal) -> Signal:
        fs = signal.rate
        if not 0 < self.below < fs / 4:
            raise unfit(
                f"Drift below {self.below:g} Hz cannot be removed",
                f"choose a limit above 0 and below {fs / 4:g} Hz",
            )
        settles = math.ceil(_SETTLES * fs / self.below)
        if 2 * settles >= signal.length:
            lowest = 2 * _SETTLES / (_LONGEST * signal.duration)
            raise unfit(
                f"Drift below {self.below:g} Hz is too slow for this record",
                f"choose a limit of {lowest:.2g} Hz or more, or remove the best straight line",
                f"it takes {settles / fs:.3g} s to settle at each end, and there are "
                f"{signal.duration:.3g} s",
            )
        # Where the record stands at an end is told by half a period, which no tone moves.
        level = max(1, round(0.5 * fs / self.below))
        make = partial(_high_pass, fs, self.below)
        shaped = Shaped(signal.samples, signal.length, make, level=level)
        return replace(
            signal, samples=shaped, edge_samples=signal.more_edge_samples(settles, settles)
        )


def _high_pass(fs: float, cut: float) -> Array:
    """Nothing up to half of ``cut``, everything from ``cut`` on."""
    return compact(fs, lambda f: smooth((f / cut - 0.5) / _FADE), _TAPS / cut)


class Straight(Samples):
    """``source`` without its mean, or the straight line that fits best by least squares; both
    are found in one pass over the finite samples when channels are first read."""

    def __init__(self, source: Samples, length: int, sloped: bool) -> None:
        self._source, self._length, self._sloped = source, length, sloped
        self.costly, self.together = source.costly, source.together
        self._found: dict[int, tuple[float, float]] = {}
        self._lock = threading.Lock()

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.read_many((channel,), start, stop)[0]

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        with self._lock:
            lacking = [channel for channel in channels if channel not in self._found]
            if lacking:
                self._found |= self._fit(lacking)
        return tuple(
            self._without(block, self._found[channel], start)
            for channel, block in zip(
                channels, self._source.read_many(channels, start, stop), strict=True
            )
        )

    def _without(self, block: Array, line: tuple[float, float], start: int) -> Array:
        level, slope = line
        samples = block - level
        if slope:
            samples -= slope * (np.arange(start, start + len(block)) - (self._length - 1) / 2)
        return samples

    def _fit(self, channels: list[int]) -> dict[int, tuple[float, float]]:
        """Level in the middle of the record, and slope per sample, of each channel."""
        sums = np.zeros((len(channels), 5))  # of 1, t, t², x, t·x
        middle, shifts = (self._length - 1) / 2, [np.nan] * len(channels)
        for start in range(0, self._length, _BLOCK):
            stop = min(self._length, start + _BLOCK)
            for k, x in enumerate(self._source.read_many(channels, start, stop)):
                good = np.isfinite(x)
                t = np.arange(start, stop) - middle
                if not good.all():
                    x, t = x[good], t[good]
                if not len(x):
                    continue
                shifts[k] = float(x[0]) if np.isnan(shifts[k]) else shifts[k]
                y = x - shifts[k]
                sums[k] += np.array([len(y), t.sum(), t @ t, y.sum(), t @ y])
        return {
            channel: self._line(row, shift)
            for channel, row, shift in zip(channels, sums, shifts, strict=True)
        }

    def _line(self, sums: Array, shift: float) -> tuple[float, float]:
        count, t1, t2, x1, tx = sums
        if not count:
            return 0.0, 0.0
        spread = t2 - t1 * t1 / count
        slope = (tx - t1 * x1 / count) / spread if self._sloped and spread > 0 else 0.0
        return shift + (x1 - slope * t1) / count, slope
