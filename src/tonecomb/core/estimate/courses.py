"""How the frames of a stretch differ from one another, in one pass over it.

A record may change while it is averaged. What its average is worth then follows from the frames
themselves: with gₖ the level of the noise in frame k, in a neighbourhood of bins, and ρₘ the
correlation of two frames m apart, the mean of the frames has the scatter of

    ν = (Σ gₖ)² / Σₖₗ ρ²₍ₖ₋ₗ₎ gₖ gₗ

independent ones (Welch 1967 for frames that differ in level). Levels are low quantiles over the
bins, which tones hardly move. All here is of Hann frames without their mean, whatever window the
spectrum has: the Hann window tells frequency and level of a line from three bins.
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
    Spectrum,
    frames_of,
    read_frames,
)
from tonecomb.core.estimate.transform import on_lines, rfft, rows_at_once
from tonecomb.core.estimate.windows import overlap_correlation, window
from tonecomb.core.progress import Progress, silent
from tonecomb.core.record.recording import Array
from tonecomb.core.spread import Read, Tell, spread

CELL = 32  # bins that share a level
_AROUND = 2  # cells to each side that are averaged with it
_QUANTILE = 0.4
_MOST_POWERS = 4096  # frames
_AT_ONCE = 64  # cells
_KEPT = 4 << 20  # complex values that are kept at most
_SMALL = 1e-16  # unit², below which, or above its inverse, single precision does not do
_BESIDE = 3  # bins beside those
_STEADY = 0.88  # of the nominal number of averages above which the noise counts as steady
ENBW = 1.5  # of the Hann window, bins


def line_offset(
    left: NDArray[np.complex64], middle: NDArray[np.complex64], right: NDArray[np.complex64]
) -> Array:
    """How far a line is from its highest bin, in bins, from three neighbours of a Hann frame about
    its centre: 2(X₊−X₋)/(2X₀+X₊+X₋), exact for a lone line. 0 where all are zero."""
    total = 2 * middle + left + right
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(np.nan_to_num(np.real(2 * (right - left) / total)), dtype=np.float64)


@dataclass(frozen=True, eq=False)
class Courses:
    """``levels`` is the noise's mean square per bin of each frame and cell of bins (unit², shape
    (frames, cells)), ``powers`` that of all there is, of every :attr:`step` th frame; ``worth`` the
    number of independent frames that the mean is worth at each bin, and ``alike`` the mean over
    the frames of each frame's square over its level, in which loud frames count no more than
    others, both of shape (bins,) of a frame without padding. ``bins`` are the numbers of those
    that are kept whole, rising, and ``lines`` what they hold: complex values about each frame's
    centre, of which the squared magnitude is the mean square of a tone there (unit², shape
    (frames, kept)). ``share`` is what each frame stands for, of all frames together: those at the
    ends count for what lies beyond their centre."""

    framing: Framing
    bin_hz: float
    nominal: float
    levels: NDArray[np.float32]
    powers: NDArray[np.float32]
    worth: Array
    alike: Array
    bins: NDArray[np.int_]
    lines: NDArray[np.complex64]
    share: Array

    @property
    def step(self) -> int:
        """Of so many frames one has its powers: more tell little more of what changes."""
        return max(1, self.framing.count // _MOST_POWERS)

    def level(self, bin_number: int) -> Array:
        """Level of the noise about a bin in each frame, unit², shape (frames,)."""
        return np.asarray(self.levels[:, min(bin_number // CELL, self.levels.shape[1] - 1)])

    def around(self, first: int, last: int) -> tuple[int, int]:
        """The kept columns of the bins from ``first`` to ``last``, as far as they are kept."""
        a, b = np.searchsorted(self.bins, [first, last + 1])
        return int(a), int(b)


def follow_frames(
    read: Read,
    spectrum: Spectrum,
    floor: Array,
    fs: float,
    nominal: float,
    out: float = 3.0,
    progress: Progress = silent,
) -> Courses:
    """Pass over the frames of a spectrum. ``floor`` is the noise's mean square per bin of that
    spectrum, shape (bins,): what stands ``out`` times above it is kept. ``nominal`` is how many
    averages its frames would be worth if their level were the same."""
    framing = spectrum.framing
    n, count = framing.frame, framing.count
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    bins = n // 2 + 1
    weights = window("hann").samples(n)
    # Single precision from here on: levels and offsets need no more, and it is twice as fast; but
    # not where their squares would be beyond what it holds.
    loud = float(spectrum.mean_square.max())
    real = np.float32 if _SMALL < loud < 1 / _SMALL else np.float64
    tapering = (weights * (np.sqrt(2.0) / weights.sum())).astype(real)
    kept = _kept_bins(spectrum.mean_square[::pad][:bins], floor[::pad][:bins], count, out)
    work = _Follow(framing, fs, tapering, kept)
    levels, powers, lines, alike = spread(read, work, count, framing.cost, progress)
    worth = np.repeat(_worth(levels, framing, nominal), CELL)
    worth = np.concatenate([worth, np.full(max(bins - len(worth), 0), worth[-1])])[:bins]
    return Courses(
        framing, spectrum.frame_hz, nominal, levels, powers, worth, alike / count, kept,
        lines, _shares(framing),
    )  # fmt: skip


_Squares = NDArray[np.floating[Any]]
_Followed = tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.complex64], Array]


@dataclass(frozen=True, eq=False)
class _Follow:
    """Levels, powers and kept lines of frames, and the sum of their squares over their levels."""

    framing: Framing
    fs: float
    tapering: NDArray[np.float32]
    kept: NDArray[np.int_]

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> _Followed:
        framing = self.framing
        rows = rows_at_once(framing.frame, self.tapering.dtype, CACHE_SAMPLES)
        room = _Room(self, min(rows, max(last - first, 1)), first, last - first)
        for numbers in framing.blocks(READ_SAMPLES, first, last):
            frames = frames_of(read_frames(read, framing, numbers, self.fs), framing)
            for begin in range(0, len(frames), room.rows):
                room.add(frames[begin : begin + room.rows])
            tell(len(numbers))
        return room.levels, np.concatenate(room.powers), room.lines, room.alike

    def join(self, parts: Iterable[_Followed]) -> _Followed:
        # Into memory for all, which is only taken as it is filled: it is the largest there is.
        every: list[NDArray[Any]] = []
        ends, total = [0, 0, 0], np.zeros(0)
        for *rows, alike in parts:
            if not every:
                total = np.zeros(len(alike))
                count = self.framing.count
                every = [np.empty((count, one.shape[1]), dtype=one.dtype) for one in rows]
            for k, one in enumerate(rows):
                every[k][ends[k] : ends[k] + len(one)] = one
                ends[k] += len(one)
            total += alike
        levels, powers, lines = (one[:end] for one, end in zip(every, ends, strict=True))
        return levels, powers, lines, total


class _Room:
    """Memory for so many ``rows`` of frames at once, and what ``count`` frames from ``first`` on
    add up to. What is done with a few rows after another stays near."""

    def __init__(self, work: _Follow, rows: int, first: int, count: int) -> None:
        frame, real = work.framing.frame, work.tapering.dtype
        whole, bins = np.result_type(real, np.complex64), frame // 2 + 1
        self.rows, self._few = rows, max(1, CACHE_SAMPLES // frame)
        self._work, self._at, self._first = work, 0, first
        self._cells = max(1, bins // CELL)
        self._step = max(1, work.framing.count // _MOST_POWERS)
        self._tapered, self._found = on_lines(rows, frame, real), on_lines(rows, bins, whole)
        self._power, self._beside = (on_lines(self._few, bins, real) for _ in range(2))
        self._turn = np.where(work.kept % 2 == 0, 1, -1).astype(real)
        self.levels = np.empty((count, self._cells), dtype=real)
        self.powers: list[Array] = []
        self.lines = np.empty((count, len(work.kept)), dtype=whole)
        self.alike = np.zeros(bins)

    def add(self, frames: Array) -> None:
        """Follow these, shape (frames, frame)."""
        tapered = self._tapered[: len(frames)]
        for a in range(0, len(frames), self._few):
            group, own = frames[a : a + self._few], tapered[a : a + self._few]
            # The offset goes in double precision: a record's may jump, and hide what is left.
            np.subtract(group, group.mean(axis=1, keepdims=True), out=own)
            own *= self._work.tapering
        found = rfft(tapered, out=self._found[: len(frames)])
        for a in range(0, len(frames), self._few):
            self._take(found[a : a + self._few])

    def _take(self, found: NDArray[np.complexfloating[Any, Any]]) -> None:
        """Take what these frames hold."""
        cells, at, count = self._cells, self._at, len(found)
        power, beside = self._power[:count], self._beside[:count]
        np.square(found.real, out=power)
        power += np.square(found.imag, out=beside)
        quiet = _levels(power, cells)
        self.levels[at : at + count] = quiet
        self.powers.append(_powers(power[-(self._first + at) % self._step :: self._step], cells))
        self.lines[at : at + count] = found[:, self._work.kept] * self._turn
        loud, whole = 1 / np.maximum(quiet, np.finfo(float).tiny), cells * CELL
        if power.shape[1] > CELL:
            squares = power[:, :whole].reshape(count, cells, CELL)
            self.alike[:whole] += np.einsum("fcb,fc->cb", squares, loud).ravel()
            self.alike[whole:] += (power[:, whole:] * loud[:, -1:]).sum(axis=0)
        else:
            self.alike += (power * loud).sum(axis=0)
        self._at += count


def _kept_bins(power: Array, floor: Array, count: int, least: float) -> NDArray[np.int_]:
    """Numbers of the bins that stand out and their neighbours, the highest where all would be
    too many."""
    over = power / np.maximum(floor, np.finfo(float).tiny)
    most = max(_KEPT // count, 16 * _BESIDE)
    while True:
        out = np.flatnonzero(over > least)
        near = np.zeros(len(power), dtype=bool)
        for shift in range(-_BESIDE, _BESIDE + 1):
            near[np.clip(out + shift, 0, len(power) - 1)] = True
        if near.sum() <= most:
            return np.flatnonzero(near)
        least *= 1.5


def _levels(power: _Squares, cells: int) -> Array:
    """The noise's level of each frame and cell, shape (frames, cells)."""
    frames, bins = power.shape
    if bins <= CELL:
        inside = power[:, 1:] if bins > 2 else power
        place = int(_QUANTILE * inside.shape[1])
        return np.sort(inside, axis=1)[:, place : place + 1] / -np.log(1 - _QUANTILE)
    place = int(_QUANTILE * CELL)
    parts = power[:, : cells * CELL].reshape(frames, cells, CELL)
    low = np.sort(parts, axis=2)[:, :, place] / -np.log(1 - (place + 0.5) / CELL)
    padded = np.pad(low, ((0, 0), (_AROUND, _AROUND)), mode="edge")
    total = sum(padded[:, k : k + cells] for k in range(2 * _AROUND + 1))
    return np.asarray(total) / (2 * _AROUND + 1)


def _powers(power: _Squares, cells: int) -> Array:
    """Mean square per bin of each frame and cell but for the offset's bins, shape (frames,
    cells)."""
    if not len(power):
        return np.empty((0, cells), dtype=power.dtype)
    if power.shape[1] <= CELL:
        return np.asarray(power[:, 2:].mean(axis=1, keepdims=True))
    parts = power[:, : cells * CELL].reshape(len(power), cells, CELL)
    total = parts.sum(axis=2)
    total[:, 0] -= parts[:, 0, :2].sum(axis=1)
    return np.asarray(total / CELL)


def _worth(levels: NDArray[np.float32], framing: Framing, nominal: float) -> Array:
    """ν of each cell, never more than ``nominal``, shape (cells,)."""
    count = framing.count
    correlation = overlap_correlation("hann", framing.frame, framing.hop)
    # A quantile of so many bins scatters: part of what the levels seem to change is that.
    seen = min(CELL * (2 * _AROUND + 1), framing.frame / 2) / 1.9
    scatter = _QUANTILE / (1 - _QUANTILE) / (np.log(1 - _QUANTILE) ** 2 * seen)
    squares = _product(levels, levels) / (1 + scatter)
    even = float(count)
    for m, r in enumerate(correlation, start=1):
        if m >= framing.places:
            break
        pairs = np.searchsorted(framing.numbers, framing.pairs(m))
        later = np.searchsorted(framing.numbers, framing.numbers[pairs] + m)
        both = _lagged(levels, pairs, later) / (1 + scatter * r * r)
        squares = squares + 2 * r * r * both
        even += 2 * r * r * len(pairs)
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = np.sum(levels, axis=0, dtype=np.float64) ** 2 / squares / (count**2 / even)
    ratio = np.where(np.isfinite(ratio), ratio, 1.0)
    return np.where(ratio > _STEADY, nominal, np.maximum(ratio * nominal, 1.0))


def _product(one: NDArray[np.float32], other: NDArray[np.float32]) -> Array:
    """Σ over the frames of the product, shape (cells,)."""
    return np.asarray(np.einsum("fc,fc->c", one, other, dtype=np.float64))


def _lagged(levels: NDArray[np.float32], some: NDArray[np.int_], others: NDArray[np.int_]) -> Array:
    """Σ of the products of some frames with others, a few cells at a time: copies of all would be
    as large as what there is. Shape (cells,)."""
    parts = (levels[:, a : a + _AT_ONCE] for a in range(0, levels.shape[1], _AT_ONCE))
    return np.concatenate([_product(part[some], part[others]) for part in parts])


def _shares(framing: Framing) -> Array:
    """The part of the stretch that each frame stands for, shape (frames,), sum 1: between the
    middles of the gaps to its neighbours, and to the ends of the stretch."""
    share = np.full(framing.count, float(framing.hop))
    beyond = (framing.frame - framing.hop) / 2
    share[0] += beyond
    share[-1] += framing.length - (framing.places - 1) * framing.hop - framing.frame + beyond
    return share / share.sum()
