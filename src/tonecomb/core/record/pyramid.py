"""Minimum and maximum of a long record at several zoom levels, so that extremes never get lost."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.base.runs import runs_of
from tonecomb.core.record.parallel import PART, Read, Tell, spread
from tonecomb.core.record.recording import Array, Samples

BASE = 256  # samples in a cell of the finest level
FACTOR = 16  # cells that one cell of the next level stands for
_MOST_HOLES = 1000  # that are told
_SHORT = 32 * BASE  # samples of a record that is kept whole


@dataclass(frozen=True, eq=False)
class WaveformEnvelope:
    """Lowest and highest sample in each of ``len(low)`` columns.

    Column i spans the samples ``edges[i]`` to ``edges[i+1]``; where all samples are missing
    both are nan.
    """

    edges: Array
    low: Array
    high: Array

    @property
    def single(self) -> bool:
        """Whether every column is one sample."""
        return len(self.low) > 0 and len(self.low) == round(self.edges[-1] - self.edges[0])


@dataclass(frozen=True, eq=False)
class Pyramid:
    """``levels[k]`` holds minima and maxima over BASE·FACTORᵏ samples each.

    ``missing`` and ``infinite`` count the samples that are no numbers; they are left out, and
    ``holes`` tells where they are (first sample and the one after the last, the first thousand).
    """

    length: int
    levels: tuple[tuple[Array, Array], ...]
    missing: int = 0
    infinite: int = 0
    holes: tuple[tuple[int, int], ...] = ()
    short: Array | None = None
    """All samples of a record of few, which has too few cells to be told from a block."""

    @property
    def nbytes(self) -> int:
        """What it takes in memory."""
        short = 0 if self.short is None else self.short.nbytes
        return short + sum(low.nbytes + high.nbytes for low, high in self.levels)

    def envelope(self, start: int, stop: int, columns: int) -> WaveformEnvelope:
        """The samples ``start`` to ``stop`` in ``columns`` columns or more, no wider than was
        asked for where the finest level allows it. Column edges lie on cells of a level, never
        inside one."""
        start, stop = max(0, start), min(self.length, stop)
        if self.short is not None:
            return envelope_of(self.short[start:stop], start, columns)
        wanted = max(1.0, (stop - start) / max(columns, 1))
        level = 0
        while level + 1 < len(self.levels) and BASE * FACTOR ** (level + 1) <= wanted:
            level += 1
        cell = BASE * FACTOR**level
        low, high = self.levels[level]
        first, last = start // cell, min(len(low), -(-stop // cell))
        low, high = low[first:last], high[first:last]
        cells = np.arange(0, last - first, max(1, int(wanted / cell)))
        if not len(cells):
            return WaveformEnvelope(np.array([float(start)]), low, high)
        edges = np.append(cells + first, last) * cell
        return WaveformEnvelope(
            np.minimum(edges, self.length).astype(np.float64),
            np.fmin.reduceat(low, cells),
            np.fmax.reduceat(high, cells),
        )


def envelope_of(samples: Array, start: int, columns: int) -> WaveformEnvelope:
    """The envelope of ``samples``, whose first has the number ``start``, in ``columns`` columns.

    With fewer samples than columns every sample is a column of its own.
    """
    samples = _without_infinite(samples)
    count = min(columns, len(samples))
    edges = (np.arange(count + 1) * len(samples)) // max(count, 1)
    if count == 0:
        return WaveformEnvelope(np.array([float(start)]), samples[:0], samples[:0])
    low = np.fmin.reduceat(samples, edges[:-1])
    high = np.fmax.reduceat(samples, edges[:-1])
    return WaveformEnvelope((edges + start).astype(np.float64), low, high)


def _without_infinite(samples: Array) -> Array:
    """The samples with nan for infinities: neither has a place on the axis."""
    return np.where(np.isinf(samples), np.nan, samples)


def build(read: Read, length: int, progress: Progress = silent) -> Pyramid:
    """Read ``length`` samples once, in blocks, and build the pyramid."""
    return spread(read, _Build(length), length, 1, progress).pyramid(length)


@dataclass(frozen=True)
class _Build:
    """Cells of a stretch of so many samples."""

    length: int

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> Cells:
        samples = read(first, last)
        tell(last - first)
        return cells_of(samples, first, self.length)

    def join(self, parts: Iterable[Cells]) -> Cells:
        return joined(parts)


def build_many(
    samples: Samples, channels: Sequence[int], length: int, progress: Progress = silent
) -> tuple[Pyramid, ...]:
    """The pyramids of several channels, in one pass."""
    found: list[list[Cells]] = [[] for _ in channels]
    step = max(BASE, PART // max(len(channels), 1) // BASE * BASE)
    for start in range(0, length, step):
        stop = min(length, start + step)
        blocks = samples.read_many(channels, start, stop)
        for one, block in zip(found, blocks, strict=True):
            one.append(cells_of(block, start, length))
        progress(stop / length)
    return tuple(joined(one).pyramid(length) for one in found)


def pyramid_of(
    low: Array, high: Array, length: int, holes: tuple[tuple[int, int], ...] = ()
) -> Pyramid:
    """The pyramid over ``length`` samples of which the lowest and highest in cells of
    :data:`BASE` are known, shape (cells,), and which samples (first, and one after the last) are
    missing."""
    levels = [(low, high)]
    while len(levels[-1][0]) > 4 * FACTOR:
        below = levels[-1]
        edges = np.arange(0, len(below[0]), FACTOR)
        levels.append((np.fmin.reduceat(below[0], edges), np.fmax.reduceat(below[1], edges)))
    missing = sum(stop - first for first, stop in holes)
    return Pyramid(length, tuple(levels), missing, holes=holes[:_MOST_HOLES])


@dataclass(frozen=True, eq=False)
class Cells:
    """Lowest and highest of neighbouring cells of :data:`BASE` samples, and what in them is no
    number, as of :class:`Pyramid`."""

    low: Array
    high: Array
    missing: int = 0
    infinite: int = 0
    holes: tuple[tuple[int, int], ...] = ()
    short: Array | None = None

    def pyramid(self, length: int) -> Pyramid:
        """Of all ``length`` samples, whose cells these are."""
        pyramid = pyramid_of(self.low, self.high, length, self.holes)
        return replace(pyramid, missing=self.missing, infinite=self.infinite, short=self.short)


def cells_of(samples: Array, start: int, length: int) -> Cells:
    """Of samples that begin with number ``start``, on a cell, of a stretch of ``length``."""
    short = samples if length <= _SHORT and len(samples) == length else None
    edges = np.arange(0, len(samples), BASE)
    # What is no number spreads to its cell, which is a quicker test than one of its own.
    low, high = np.minimum.reduceat(samples, edges), np.maximum.reduceat(samples, edges)
    if np.isfinite(low).all() and np.isfinite(high).all():
        return Cells(low, high, short=short)
    holes: list[tuple[int, int]] = []
    _add_holes(holes, ~np.isfinite(samples), start)
    missing, infinite = int(np.isnan(samples).sum()), int(np.isinf(samples).sum())
    samples = _without_infinite(samples)
    low, high = np.fmin.reduceat(samples, edges), np.fmax.reduceat(samples, edges)
    return Cells(low, high, missing, infinite, tuple(holes), short)


def joined(parts: Iterable[Cells]) -> Cells:
    """Neighbours in their order."""
    every = list(parts)
    if not every:
        return Cells(np.empty(0), np.empty(0))
    holes: list[tuple[int, int]] = []
    for one in every:
        for first, stop in one.holes:
            if holes and holes[-1][1] == first:
                holes[-1] = (holes[-1][0], stop)
            elif len(holes) < _MOST_HOLES:
                holes.append((first, stop))
    return Cells(
        np.concatenate([one.low for one in every]),
        np.concatenate([one.high for one in every]),
        sum(one.missing for one in every),
        sum(one.infinite for one in every),
        tuple(holes),
        every[0].short if len(every) == 1 else None,
    )


def _add_holes(holes: list[tuple[int, int]], bad: np.ndarray, start: int) -> None:
    for first, stop in (runs_of(bad) + start).tolist():
        if holes and holes[-1][1] == first:
            holes[-1] = (holes[-1][0], stop)
        elif len(holes) < _MOST_HOLES:
            holes.append((first, stop))
