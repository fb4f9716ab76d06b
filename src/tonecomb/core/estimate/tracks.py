"""Tones and combs followed from frame to frame.

*A tone:* in each frame the highest maxima of a range that stand above that frame's noise are
candidates. The path through them is the one with the most level for the least jumping, a gap where
none is likely (dynamic programming, A. Viterbi, IEEE Trans. Inf. Theory 13 (1967) 260–269).

*A comb:* each fundamental of a grid is given the levels over the noise at its teeth; the path
through the grid is found in the same way, and the fundamental fitted to the teeth that are there.

Both are refined in each frame: Newton's method on the squared windowed transform at continuous
frequency, whose first two derivatives are transforms of time × samples and time² × samples.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array

_CANDIDATES = 4  # maxima of a frame
_AROUND = 40  # bins on either side of a range that tell its noise
_CHANCE = 0.02  # that noise alone gives a candidate in a frame
_CAP_DB = 40.0  # over the noise, beyond which more does not count
_JUMP_DB = 3.0  # for a step of two bins, twice that for six, …
_BREAK_DB = 3.0  # for beginning or ending a gap
_STEPS = 3  # of Newton's method
_GRID = 1200  # fundamentals that are tried, at most
_REACH = 40  # steps of the grid from one frame to the next
_SLOPE_DB = 0.25  # a step of the grid
_TOOTH_DB = 30.0  # what a tooth counts at most
_LEAST_DB = 14.0  # what all teeth must have together
_FLOOR_BLOCK = 48  # bins over which a frame's noise is taken as even
MOST_TEETH = 40  # of a comb that is followed


@dataclass(frozen=True)
class Wanted:
    """The strongest tone between ``low`` and ``high`` (Hz), or, with ``teeth``, the fundamental
    in that range of the comb that has these teeth."""

    low: float
    high: float
    teeth: tuple[int, ...] = ()
    name: str = ""

    def check(self, nyquist: float) -> None:
        """Raise :class:`UserError` where nothing can be followed so."""
        if not 0 <= self.low < self.high <= nyquist * (1 + 1e-9):
            raise UserError(
                f"Nothing can be followed from {self.low:g} to {self.high:g} Hz",
                remedy=f"choose a range between 0 and {nyquist:g} Hz",
            )
        if self.teeth and (min(self.teeth) < 1 or len(self.teeth) > MOST_TEETH):
            raise UserError(
                "A comb is followed by its teeth from 1 up", remedy=f"name up to {MOST_TEETH}"
            )

    @property
    def title(self) -> str:
        """What it is called."""
        what = "comb" if self.teeth else "tone"
        return self.name or f"{what} {self.low:g}–{self.high:g} Hz"


@dataclass(frozen=True, eq=False)
class Track:
    """Frequency (Hz) and rms amplitude (the channel's unit; of a comb the root of its teeth's
    squares) in each frame, both of shape (frames,), nan in gaps."""

    wanted: Wanted
    frequency: Array
    amplitude: Array


@dataclass(frozen=True, eq=False)
class Bins:
    """What is known of the bins of a frame: their distance in Hz, how many there are, and what
    |X|² is multiplied by to become a mean square."""

    bin_hz: float
    count: int
    scale: float


class ToneFinder:
    """Collects candidates frame by frame, then finds the path."""

    def __init__(self, wanted: Wanted, bins: Bins) -> None:
        self.wanted, self._bins = wanted, bins
        self._first = max(1, math.ceil(wanted.low / bins.bin_hz))
        self._last = min(bins.count - 1, math.floor(wanted.high / bins.bin_hz) + 1)
        if self._last - self._first < 1:
            raise UserError(
                f"No bin lies between {wanted.low:g} and {wanted.high:g} Hz",
                remedy="choose a wider range or a longer frame",
            )
        self._places: list[NDArray[np.int_]] = []
        self._levels: list[Array] = []

    def add(self, squares: Array) -> None:
        """Take mean squares of frames, shape (frames, bins)."""
        low, high = max(self._first - _AROUND, 1), min(self._last + _AROUND, squares.shape[1])
        floor = _floor(squares[:, low:high])
        part = squares[:, self._first - 1 : self._last + 1]
        inner = part[:, 1:-1]
        top = (inner > part[:, :-2]) & (inner >= part[:, 2:])
        needed = -math.log(_CHANCE / inner.shape[1])
        ratio = np.where(top & (inner > needed * floor[:, None]), inner / floor[:, None], 0.0)
        count = min(_CANDIDATES, ratio.shape[1])
        order = np.argpartition(-ratio, count - 1, axis=1)[:, :count]
        best = np.take_along_axis(ratio, order, axis=1)
        with np.errstate(divide="ignore"):
            level = np.minimum(10 * np.log10(best), _CAP_DB)
        self._places.append(order + self._first)
        self._levels.append(level)

    def path(self) -> Array:
        """The bin of the tone in each frame, between bins not yet refined; nan in gaps."""
        places, levels = np.concatenate(self._places), np.concatenate(self._levels)
        count = len(places)
        # The last state is the gap.
        total = np.append(levels[0], 0.0)
        came = np.zeros((count, places.shape[1] + 1), dtype=int)
        for i in range(1, count):
            step = np.abs(places[i][:, None] - places[i - 1][None, :])
            cost = _JUMP_DB * np.log2(1 + step / 2)
            ways = np.full((places.shape[1] + 1, places.shape[1] + 1), -np.inf)
            ways[:-1, :-1] = total[:-1] - cost
            ways[:-1, -1] = total[-1] - _BREAK_DB
            ways[-1, :-1] = total[:-1] - _BREAK_DB
            ways[-1, -1] = total[-1]
            came[i] = np.argmax(ways, axis=1)
            total = ways[np.arange(len(ways)), came[i]] + np.append(levels[i], 0.0)
        state, out = int(np.argmax(total)), np.full(count, np.nan)
        for i in range(count - 1, -1, -1):
            if state < places.shape[1] and np.isfinite(levels[i, state]):
                out[i] = places[i, state]
            state = int(came[i, state])
        return out


class CombFinder:
    """Collects the levels that each fundamental of a grid would have, then finds the path."""

    def __init__(self, wanted: Wanted, bins: Bins) -> None:
        self.wanted, self._bins = wanted, bins
        step = max(0.5 * bins.bin_hz / max(wanted.teeth), (wanted.high - wanted.low) / (_GRID - 1))
        self.grid: Array = np.arange(wanted.low, wanted.high + step / 2, step)
        self.grid = self.grid[self.grid > 0]
        at = np.outer(wanted.teeth, self.grid) / bins.bin_hz
        self._there = at < bins.count - 2
        self._at = np.where(self._there, at, 0.0)
        self._scores: list[NDArray[np.float32]] = []

    def add(self, squares: Array) -> None:
        """Take mean squares of frames, shape (frames, bins)."""
        level = _over_floor_db(squares)
        score = np.zeros((len(squares), len(self.grid)), dtype=np.float32)
        for at, there in zip(self._at, self._there, strict=True):
            below = at.astype(int)
            share = (at - below).astype(np.float32)
            between = level[:, below] * (1 - share) + level[:, below + 1] * share
            score += np.where(there, between, 0)
        self._scores.append(score)

    def path(self) -> Array:
        """The fundamental (Hz) in each frame as the grid has it; nan in gaps."""
        score = np.concatenate(self._scores)
        count, width = score.shape
        total, came = score[0].copy(), np.zeros((count, width), dtype=np.int16)
        shifts = np.arange(-_REACH, _REACH + 1)
        cost = (_SLOPE_DB * np.abs(shifts)).astype(np.float32)
        # Nothing is made anew from frame to frame.
        padded = np.full(width + 2 * _REACH, -np.inf, dtype=np.float32)
        near = np.lib.stride_tricks.sliding_window_view(padded, len(shifts))
        ways, rows = np.empty((width, len(shifts)), dtype=np.float32), np.arange(width)
        for i in range(1, count):
            padded[_REACH : _REACH + width] = total
            np.subtract(near, cost, out=ways)
            best = ways.argmax(axis=1)
            came[i] = best
            np.add(ways[rows, best], score[i], out=total)
        state, out = int(np.argmax(total)), np.full(count, np.nan)
        for i in range(count - 1, -1, -1):
            if score[i, state] >= _LEAST_DB:
                out[i] = self.grid[state]
            if i:
                state = min(max(state + int(shifts[came[i, state]]), 0), width - 1)
        return out


def _floor(squares: Array) -> Array:
    """Mean of the noise among the bins of each frame, by a quantile that tones do not lift; a
    single frame's bins are exponentially distributed."""
    return np.asarray(np.quantile(squares, 0.3, axis=1) / -math.log(0.7))


def _over_floor_db(squares: Array) -> NDArray[np.float32]:
    """Levels over each frame's local noise in dB, from 0 to what a tooth counts at most."""
    count = squares.shape[1]
    blocks = max(1, count // _FLOOR_BLOCK)
    edges = np.arange(blocks + 1) * count // blocks
    floors = np.stack([_floor(squares[:, a:b]) for a, b in pairwise(edges)], axis=1)
    # A block that a wide line fills is no noisier than those beside it.
    if blocks > 2:
        beside = np.minimum(np.roll(floors, 1, axis=1), np.roll(floors, -1, axis=1))
        floors = np.minimum(floors, 4 * beside)
    floor = np.repeat(floors, np.diff(edges), axis=1)
    with np.errstate(divide="ignore"):
        level = 10 * np.log10(squares / np.maximum(floor, np.finfo(float).tiny))
    threshold = 10 * math.log10(-math.log(_CHANCE / 8))
    # Ever less of what stands out further, but no less for more: the top of a line stays its top.
    over = np.maximum(level - threshold, 0)
    return np.asarray(_TOOTH_DB * -np.expm1(-over / _TOOTH_DB), dtype=np.float32)


def refine(tapered: Array, omega: Array, limit: float) -> tuple[Array, Array]:
    """Frequency of the highest point of |Σ w·x·e^(−iωt)|² near ``omega`` (radians per sample,
    shape (frames,)) in tapered frames, shape (frames, samples), and the square there; no step
    goes further than ``limit``, and none downhill."""
    count, n = tapered.shape
    time = np.arange(n) - (n - 1) / 2
    weights = np.stack([np.ones(n), time, time**2], axis=1)
    at, before = omega.copy(), omega.copy()
    highest = np.zeros(count)
    for turn in range(_STEPS + 1):
        s, s1, s2 = ((tapered * _turning(at, n)) @ weights).T
        square = np.abs(s) ** 2
        uphill = square >= highest
        at, highest = np.where(uphill, at, before), np.maximum(square, highest)
        if turn == _STEPS:
            break
        slope = 2 * np.real(np.conj(s) * (-1j * s1))
        curve = 2 * (np.abs(s1) ** 2 - np.real(np.conj(s) * s2))
        bent = uphill & (curve < 0)
        step = np.where(bent, -slope / np.where(bent, curve, -1.0), 0.0)
        before, at = at, at + np.clip(step, -limit, limit)
    return at, highest


def parabola(squares: Array, rows: NDArray[np.int_], bins: NDArray[np.int_]) -> Array:
    """Where in bins the top of a parabola through the levels (dB) of a bin and its neighbours
    lies, for each of the ``rows``; within half a bin."""
    with np.errstate(divide="ignore", invalid="ignore"):
        left, middle, right = (np.log(squares[rows, bins + by]) for by in (-1, 0, 1))
        off = 0.5 * (left - right) / (left - 2 * middle + right)
    return np.asarray(bins + np.clip(np.nan_to_num(off), -0.5, 0.5))


def _turning(omega: Array, n: int) -> NDArray[np.complex128]:
    """e^(−iωk), k = 0 … n − 1, for each ω, as products of two short runs; shape (frames, n)."""
    step = math.isqrt(n) + 1
    short = np.exp(-1j * np.outer(omega, np.arange(step)))
    long = np.exp(-1j * np.outer(omega, step * np.arange(step)))
    return np.asarray((long[:, :, None] * short[:, None, :]).reshape(len(omega), -1)[:, :n])
