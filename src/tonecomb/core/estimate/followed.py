"""The frames of a stretch one by one: the noise's level in each, and the lines that stand out.

All here is of Hann frames without their mean, whatever window the spectrum has: the Hann window
tells frequency and level of a line from three bins. Levels are low quantiles over the bins, which
tones hardly move.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import (
    CACHE_SAMPLES,
    READ_SAMPLES,
    frames_of,
    read_frames,
)
from tonecomb.core.estimate.transform import on_lines, rfft, rows_at_once
from tonecomb.core.record.parallel import Read, Tell
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window

CELL = 32  # bins that share a level
AROUND = 2  # cells to each side that are averaged with it
LEVEL_QUANTILE = 0.4  # of the frames' powers in a bin: below where tones that come and go stand
MOST_POWERS = 2048  # frames
_KEPT = 4 << 20  # complex values that are kept at most
_LEVELS = 4 << 20  # of the levels; above, neighbouring cells share one
_SMALL = 1e-16  # unit², below which, or above its inverse, single precision does not do
_BESIDE = 3  # bins beside those
_STANDS = 1.5  # times the floor, that a peak that is listed stands over it

_Squares = NDArray[np.floating[Any]]
_Whole = NDArray[np.complexfloating[Any, Any]]


@dataclass(frozen=True, eq=False)
class Followed:
    """``levels``, ``powers`` and ``lines`` of the frames as :class:`Courses` has them, the sum over
    the frames of each frame's square over its level (shape (bins,)), the numbers of the ``bins``
    whose lines are kept, and how many bins are ``sharing`` a level."""

    bins: NDArray[np.int_]
    sharing: int
    levels: NDArray[np.float32]
    powers: NDArray[np.float32]
    lines: NDArray[np.complex64]
    alike: Array

    @property
    def nbytes(self) -> int:
        """What it holds in memory."""
        return self.levels.nbytes + self.powers.nbytes + self.lines.nbytes + self.alike.nbytes


@dataclass(frozen=True, eq=False)
class FollowedBins:
    """Follows frames; ``bins`` are those that are kept whole. In single precision where ``loud``,
    the mean square of the loudest bin (unit²), lets it: levels and offsets need no more, and it is
    twice as fast; but squares may be beyond what it holds."""

    framing: Framing
    fs: float
    bins: NDArray[np.int_]
    loud: float

    @property
    def every(self) -> int:
        """Of so many cells one has its level kept: each is the mean over more."""
        cells = self.framing.count * (self.framing.frame // 2 // CELL)
        return min(max(1, -(-cells // _LEVELS)), 2 * AROUND)

    @property
    def real(self) -> type[np.floating[Any]]:
        """What is reckoned with."""
        return _precision(self.loud)

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> Followed:
        framing = self.framing
        rows = rows_at_once(framing.frame, self.real, CACHE_SAMPLES)
        room = Room(self, first, last - first)
        frames_room = _Frames(min(rows, max(last - first, 1)), framing.frame, self.real)
        for numbers in framing.blocks(READ_SAMPLES, first, last):
            frames = frames_of(read_frames(read, framing, numbers, self.fs), framing)
            for begin in range(0, len(frames), frames_room.rows):
                room.take(frames_room.transformed(frames[begin : begin + frames_room.rows]))
            tell(len(numbers))
        return room.found()

    def join(self, parts: Iterable[Followed]) -> Followed:
        # Into memory for all, which is only taken as it is filled: it is the largest there is.
        every: list[NDArray[Any]] = []
        ends, total = [0, 0, 0], np.zeros(0)
        for one in parts:
            rows = (one.levels, one.powers, one.lines)
            if not every:
                total = np.zeros(len(one.alike))
                count = self.framing.count
                every = [np.empty((count, own.shape[1]), dtype=own.dtype) for own in rows]
            for k, own in enumerate(rows):
                every[k][ends[k] : ends[k] + len(own)] = own
                ends[k] += len(own)
            total += one.alike
        levels, powers, lines = (own[:end] for own, end in zip(every, ends, strict=True))
        return Followed(self.bins, CELL * self.every, levels, powers, lines, total)


@dataclass(frozen=True, eq=False)
class Gather:
    """Gathers the lines of these ``bins`` of the frames, as :class:`Followed` has them; ``loud`` is
    as of :class:`FollowedBins`."""

    framing: Framing
    fs: float
    bins: NDArray[np.int_]
    loud: float

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> NDArray[np.complex64]:
        framing, turn = self.framing, np.where(self.bins % 2 == 0, 1, -1)
        real = _precision(self.loud)
        lines = np.empty((last - first, len(self.bins)), dtype=np.complex64)
        rows = min(rows_at_once(framing.frame, real, CACHE_SAMPLES), max(last - first, 1))
        room, at = _Frames(rows, framing.frame, real), 0
        for numbers in framing.blocks(READ_SAMPLES, first, last):
            frames = frames_of(read_frames(read, framing, numbers, self.fs), framing)
            for begin in range(0, len(frames), rows):
                values = room.transformed(frames[begin : begin + rows])
                lines[at : at + len(values)] = values[:, self.bins] * turn
                at += len(values)
            tell(len(numbers))
        return lines

    def join(self, parts: Iterable[NDArray[np.complex64]]) -> NDArray[np.complex64]:
        every = np.empty((self.framing.count, len(self.bins)), dtype=np.complex64)
        end = 0
        for one in parts:
            every[end : end + len(one)] = one
            end += len(one)
        return every[:end]


class _Frames:
    """Memory for so many ``rows`` of frames and their transforms."""

    def __init__(self, rows: int, frame: int, real: type[np.floating[Any]]) -> None:
        weights = window("hann").samples(frame)
        self.rows, self._few = rows, max(1, CACHE_SAMPLES // frame)
        self._level = weights / weights.sum()
        self._tapering = (weights * (np.sqrt(2.0) / weights.sum())).astype(real)
        self._tapered = on_lines(rows, frame, real)
        self._found = on_lines(rows, frame // 2 + 1, np.result_type(real, np.complex64))

    def transformed(self, frames: Array) -> _Whole:
        """Of which the squared magnitude is the mean square of a tone there."""
        tapered = self._tapered[: len(frames)]
        for a in range(0, len(frames), self._few):
            group, own = frames[a : a + self._few], tapered[a : a + self._few]
            # The offset goes in double precision: a record's may jump, and hide what is left.
            np.subtract(group, (group @ self._level)[:, None], out=own)
            own *= self._tapering
        return rfft(tapered, out=self._found[: len(frames)])


class Room:
    """What ``count`` frames from ``first`` on add up to. What is done with a few of them after
    another stays near."""

    def __init__(self, work: FollowedBins, first: int, count: int) -> None:
        frame, real = work.framing.frame, work.real
        whole, bins = np.result_type(real, np.complex64), frame // 2 + 1
        self._few = max(1, CACHE_SAMPLES // frame)
        self._work, self._at, self._first = work, 0, first
        self._cells = max(1, bins // CELL)
        self._step = max(1, work.framing.count // MOST_POWERS)
        self._power, self._beside = (on_lines(self._few, bins, real) for _ in range(2))
        self._single = on_lines(self._few, bins, whole)
        self._turn = np.where(work.bins % 2 == 0, 1.0, -1.0)
        self._own = slice(min(work.every // 2, self._cells - 1), None, work.every)
        self._levels = np.empty((count, len(range(self._cells)[self._own])), dtype=real)
        self._powers: list[NDArray[Any]] = []
        self._lines = np.empty((count, len(work.bins)), dtype=whole)
        self._alike = np.zeros(bins)

    def found(self) -> Followed:
        """What there is of them."""
        powers = np.concatenate(self._powers)
        work = self._work
        return Followed(
            work.bins, CELL * work.every, self._levels, powers, self._lines, self._alike
        )

    def take(self, bins: _Whole, scale: float = 1.0) -> None:
        """Take what these frames hold, shape (frames, bins); times ``scale`` it is as of
        :class:`Followed`."""
        for a in range(0, len(bins), self._few):
            values = bins[a : a + self._few]
            # A factor that is rounded is off alike in all frames: before it is single precision.
            kept = values[:, self._work.bins] * (self._turn * scale)
            self._lines[self._at : self._at + len(values)] = kept
            if values.dtype != self._single.dtype:
                own = self._single[: len(values)]
                np.copyto(own, values, casting="same_kind")
                values = own
            self._take(values, scale**2)

    def _take(self, found: _Whole, square: float) -> None:
        at, count = self._at, len(found)
        power, beside = self._power[:count], self._beside[:count]
        np.square(found.real, out=power)
        power += np.square(found.imag, out=beside)
        quiet = self._quiet(power, beside)
        self._levels[at : at + count] = quiet[:, self._own] * square
        some = power[-(self._first + at) % self._step :: self._step]
        self._powers.append(_powers(some, self._cells) * square)
        loud, whole = 1 / np.maximum(quiet, np.finfo(float).tiny), self._cells * CELL
        if power.shape[1] > CELL:
            squares = power[:, :whole].reshape(count, -1, CELL)
            self._alike[:whole] += np.einsum("fcb,fc->cb", squares, loud).ravel()
            self._alike[whole:] += (power[:, whole:] * loud[:, -1:]).sum(axis=0)
        else:
            self._alike += (power * loud).sum(axis=0)
        self._at += count

    def _quiet(self, power: _Squares, beside: _Squares) -> Array:
        """The noise's level of each frame and cell, shape (frames, cells); ``beside`` is memory of
        the shape of ``power``."""
        frames, bins = power.shape
        if bins <= CELL:
            inside = power[:, 1:]  # the first holds nothing
            place = int(LEVEL_QUANTILE * inside.shape[1])
            result: Array = np.sort(inside, axis=1)[:, place : place + 1] / -np.log(
                1 - LEVEL_QUANTILE
            )
            return result
        place, cells = int(LEVEL_QUANTILE * CELL), self._cells
        np.copyto(beside, power)
        parts = beside[:, : cells * CELL].reshape(frames, cells, CELL)
        parts.sort(axis=2)
        padded = np.empty((frames, cells + 2 * AROUND), dtype=power.dtype)
        inside = padded[:, AROUND:-AROUND]
        np.multiply(parts[:, :, place], -1 / np.log(1 - (place + 0.5) / CELL), out=inside)
        padded[:, :AROUND], padded[:, -AROUND:] = inside[:, :1], inside[:, -1:]
        total = sum(padded[:, k : k + cells] for k in range(2 * AROUND + 1))
        return np.asarray(total) / (2 * AROUND + 1)


def _precision(loud: float) -> type[np.floating[Any]]:
    return np.float32 if _SMALL < loud < 1 / _SMALL else np.float64


def most_bins(count: int) -> int:
    """Bins that are kept at most of so many frames."""
    return max(_KEPT // count, 16 * _BESIDE)


def kept_bins(power: Array, floor: Array, count: int, least: float) -> NDArray[np.int_]:
    """Numbers of the bins that stand ``least`` times over the ``floor`` (shape (bins,) both) and
    of their neighbours; only of the highest tops that stand well out where all would be too many
    for ``count`` frames."""
    most, over = most_bins(count), power / np.maximum(floor, np.finfo(float).tiny)
    kept = _beside(np.flatnonzero(over > least), len(power))
    if len(kept) <= most:
        return kept
    inner, stands = power[1:-1], over[1:-1] > max(least, _STANDS)
    tops = 1 + np.flatnonzero((inner > power[:-2]) & (inner >= power[2:]) & stands)
    tops = tops[np.argsort(-power[tops], kind="stable")]
    return _beside(tops[: most // (2 * _BESIDE + 1)], len(power))


def _beside(bins: NDArray[np.int_], count: int) -> NDArray[np.int_]:
    """These of so many bins, and their neighbours."""
    near = bins[:, None] + np.arange(-_BESIDE, _BESIDE + 1)
    return np.unique(np.clip(near, 0, count - 1))


def _powers(power: _Squares, cells: int) -> Array:
    """Mean square per bin of each frame and cell but for the offset's bins, shape (frames,
    cells)."""
    if not len(power):
        return np.empty((0, cells), dtype=power.dtype)
    if power.shape[1] <= CELL:
        if power.shape[1] <= 2:  # a frame of three has no others
            return np.zeros((len(power), 1), dtype=power.dtype)
        return np.asarray(power[:, 2:].mean(axis=1, keepdims=True))
    parts = power[:, : cells * CELL].reshape(len(power), cells, CELL)
    total = np.einsum("fcb->fc", parts)
    total[:, 0] -= parts[:, 0, :2].sum(axis=1)
    return np.asarray(total / CELL)
