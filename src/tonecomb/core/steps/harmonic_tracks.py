"""The teeth of a comb, followed along its drifting fundamental and rebuilt from slow amplitudes.

Each tooth is turned down to 0 Hz along the fundamental's phase and low-passed: what is left is its
amplitude as it wanders. How narrow that is and how far the fundamental drifts do not depend on each
other. The phase comes from the teeth themselves, low ones first, whose turns cannot be mistaken:
their phase increments over half a second, divided by their number, and of these the weighted
median, so that a tone which crosses a tooth does not lead it away.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.recording import Array, Samples
from tonecomb.core.steps.fir import smooth
from tonecomb.core.steps.recursive import bridged

Complex = NDArray[np.complex128]
_PER_TURN = 4  # cells in a period of the fundamental
_BLOCK = 1 << 17  # samples turned at once
_STAGES = (1, 3, 10, 40)  # numbers of the teeth by which the phase is followed, step by step
_WIDE = 1.0  # Hz beside a tooth that count while the phase is sought
_LAG = 0.5  # s over which its phase increments are taken
_SLOW = 0.4  # Hz: how quickly the fundamental's frequency may change
_COHERENT = 0.4  # of a tooth's power that keeps its phase, when it is taken to be there
_KEPT = 32  # values of an amplitude kept in a period of its fastest change
_ROOM = 64 << 20  # bytes of amplitudes at once


@dataclass(frozen=True)
class TrackCourse:
    """What is followed: a fundamental of about ``frequency`` Hz in a record of ``length`` samples
    at ``fs`` Hz; ``teeth`` are the harmonics' numbers, ``half`` how far (Hz) one reaches to each
    side. ``follow`` is whether the fundamental may drift."""

    fs: float
    length: int
    frequency: float
    teeth: tuple[int, ...]
    half: float
    follow: bool = True

    @property
    def cell(self) -> int:
        """Samples in a cell, over which the phase is as good as straight."""
        return max(1, round(self.fs / self.frequency / _PER_TURN))

    @property
    def rate(self) -> float:
        """Cells in a second."""
        return self.fs / self.cell

    @property
    def cells(self) -> int:
        return -(-self.length // self.cell) + 1


class ToothTracks:
    """The teeth of one channel. ``drift`` is the phase of the fundamental over that of its nominal
    frequency, rad, at each cell's start."""

    def __init__(self, source: Samples, channel: int, course: TrackCourse) -> None:
        self._source, self._channel, self._course = source, channel, course
        self.drift = np.zeros(course.cells)
        if course.follow:
            for most in _STAGES:
                self._follow(tuple(n for n in course.teeth if n <= most))
        self._step = max(1, int(course.rate / (_KEPT * 2 * course.half)))
        self._amplitudes = self._found()

    def read(self, start: int, stop: int) -> Array:
        """The sum of all teeth from sample ``start`` to ``stop``."""
        c = self._course.cell
        first, last = start // c, -(-stop // c)
        turn = self._turns(first, last)
        place = np.arange(first, last + 1) / self._step
        low = np.minimum(place.astype(int), self._amplitudes.shape[1] - 2)
        share = place - low
        out = np.zeros((last - first) * c)
        ramp = np.arange(c) / c
        weights = np.stack([1 - ramp, ramp])
        power = np.ones_like(turn)
        before = 0
        for number, tooth in zip(self._course.teeth, self._amplitudes, strict=True):
            for _ in range(number - before):
                power *= turn
            before = number
            at = tooth[low] * (1 - share) + tooth[low + 1] * share
            wave = (np.stack([at[:-1], at[1:]], axis=1) @ weights).ravel()
            out += wave.real * power.real - wave.imag * power.imag
        return out[start - first * c : stop - first * c]

    def _turns(self, first: int, last: int) -> Complex:
        """e^(iφ) of the fundamental at every sample of the cells from ``first`` to ``last``."""
        c, course = self._course.cell, self._course
        n = np.arange(first * c, last * c)
        drift = np.interp(n, np.arange(first, last + 1) * c, self.drift[first : last + 1])
        # Whole turns off first: a phase of millions of radians has lost digits.
        turns = np.mod(n * (course.frequency / course.fs), 1.0)
        return np.asarray(np.exp(1j * (2 * np.pi * turns + drift)))

    def _blocks(self) -> Iterator[tuple[int, int, Array]]:
        """First and last cell of each block, and its samples, with zeros after the last."""
        c, course = self._course.cell, self._course
        some, cells = max(1, _BLOCK // c), course.cells - 1
        for first in range(0, cells, some):
            last = min(first + some, cells)
            stop = min(last * c, course.length)
            x = bridged(self._source.read(self._channel, first * c, stop))
            yield first, last, np.pad(x, (0, last * c - stop))

    def _turned(self, teeth: Sequence[int]) -> Complex:
        """Amplitudes of teeth at the start of each cell, under a triangle of two cells; shape
        (teeth, cells)."""
        c, course = self._course.cell, self._course
        ramp = (np.arange(c) + 0.5) / c
        weights = np.stack([1 - ramp, ramp], axis=1) * (2 / c)
        out = np.zeros((len(teeth), course.cells), dtype=np.complex128)
        for first, last, x in self._blocks():
            back = np.conj(self._turns(first, last))
            power, before = x.astype(np.complex128), 0
            for row, number in zip(out, teeth, strict=True):
                for _ in range(number - before):
                    power *= back
                before = number
                sums = power.reshape(last - first, c) @ weights
                row[first:last] += sums[:, 0]
                row[first + 1 : last + 1] += sums[:, 1]
        out[:, 0] *= 2  # half of its triangle lies before the record
        whole = course.length // c
        out[:, whole:] = out[:, whole - 1 : whole]
        return out

    def _follow(self, teeth: tuple[int, ...]) -> None:
        """Better the phase by what these teeth say."""
        if not teeth:
            return
        course = self._course
        rate = course.rate
        wide = low_passed(self._turned(teeth), min(_WIDE, rate / 4), rate)
        lag = min(max(1, round(_LAG * rate)), wide.shape[1] // 4)
        step = wide[:, lag:] * np.conj(wide[:, :-lag])
        # A tooth that is there turns evenly: its steps keep their direction for a while.
        even = low_passed(step, _SLOW, rate)
        power = np.maximum(low_passed(np.abs(step), _SLOW, rate), np.finfo(float).tiny)
        there = np.abs(even) > _COHERENT * power
        numbers = np.array(teeth)[:, None]
        turn = np.angle(even) / numbers
        weight = np.where(there, numbers**2 * np.abs(even), 0.0)
        slope = weighted_median(turn, weight) / lag
        known = weight.sum(axis=0) > 0
        if not known.any():
            return
        places = np.arange(len(slope))
        slope = np.interp(places, places[known], slope[known])
        slope = low_passed(slope[None], _SLOW, rate)[0]
        at = np.interp(np.arange(course.cells) - lag / 2 + 0.5, places, slope)
        self.drift = self.drift + np.concatenate([[0.0], np.cumsum(at[:-1])])

    def _found(self) -> Complex:
        course, step = self._course, self._step
        room = max(1, _ROOM // (course.cells * 16))
        parts = []
        for first in range(0, len(course.teeth), room):
            turned = self._turned(course.teeth[first : first + room])
            kept = low_passed(turned, course.half, course.rate)[:, ::step]
            parts.append(kept)
        values = np.concatenate(parts)
        return np.concatenate([values, values[:, -1:], values[:, -1:]], axis=1)


def weighted_median(values: Array, weights: Array) -> Array:
    """Over the first axis."""
    order = np.argsort(values, axis=0)
    values = np.take_along_axis(values, order, axis=0)
    total = np.cumsum(np.take_along_axis(weights, order, axis=0), axis=0)
    middle = np.argmax(total >= total[-1] / 2, axis=0)
    return np.asarray(np.take_along_axis(values, middle[None], axis=0)[0])


def low_passed(x: NDArray[np.number], edge: float, rate: float) -> NDArray[np.number]:
    """Rows of ``x`` without what changes faster than ``edge`` (Hz): everything up to three quarters
    of it, half at it, nothing from five quarters on. Beyond its ends a row is turned back."""
    from scipy.fft import fft, ifft, next_fast_len

    count = x.shape[1]
    beyond = min(count - 1, math.ceil(6 * rate / edge))
    size = next_fast_len(count + 2 * beyond)
    hertz = np.abs(np.fft.fftfreq(size, 1 / rate))
    gain = smooth((1.25 * edge - hertz) / (0.5 * edge))
    out = np.empty_like(x)
    for row, made in zip(x, out, strict=True):
        longer = np.concatenate([row[beyond:0:-1], row, row[-2 : -beyond - 2 : -1]])
        passed = ifft(fft(longer, size) * gain)[beyond : beyond + count]
        made[:] = passed if np.iscomplexobj(x) else passed.real
    return out
