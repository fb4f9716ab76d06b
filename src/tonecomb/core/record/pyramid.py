"""Minimum and maximum of a long record at several zoom levels, so that extremes never get lost."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.progress import Progress, silent
from tonecomb.core.record.recording import Array, Samples

BASE = 256  # samples in a cell of the finest level
FACTOR = 16  # cells that one cell of the next level stands for
_MOST_HOLES = 1000
_SHORT = 32 * BASE  # samples of a record that is kept whole
_BLOCK = BASE << 12  # samples read at once


@dataclass(frozen=True, eq=False)
class Envelope:
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

    def envelope(self, start: int, stop: int, columns: int) -> Envelope:
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
            return Envelope(np.array([float(start)]), low, high)
        edges = np.append(cells + first, last) * cell
        return Envelope(
            np.minimum(edges, self.length).astype(np.float64),
            np.fmin.reduceat(low, cells),
            np.fmax.reduceat(high, cells),
        )


def envelope_of(samples: Array, start: int, columns: int) -> Envelope:
    """The envelope of ``samples``, whose first has the number ``start``, in ``columns`` columns.

    With fewer samples than columns every sample is a column of its own.
    """
    samples = _without_infinite(samples)
    count = min(columns, len(samples))
    edges = (np.arange(count + 1) * len(samples)) // max(count, 1)
    if count == 0:
        return Envelope(np.array([float(start)]), samples[:0], samples[:0])
    low = np.fmin.reduceat(samples, edges[:-1])
    high = np.fmax.reduceat(samples, edges[:-1])
    return Envelope((edges + start).astype(np.float64), low, high)


def _without_infinite(samples: Array) -> Array:
    """The samples with nan for infinities: neither has a place on the axis."""
    return np.where(np.isinf(samples), np.nan, samples)


def build(read: Callable[[int, int], Array], length: int, progress: Progress = silent) -> Pyramid:
    """Read ``length`` samples once, in blocks, and build the pyramid."""
    finest = _Finest(length)
    for start in range(0, length, _BLOCK):
        stop = min(length, start + _BLOCK)
        finest.take(start, read(start, stop))
        progress(stop / length)
    return finest.pyramid()


def build_many(
    samples: Samples, channels: Sequence[int], length: int, progress: Progress = silent
) -> tuple[Pyramid, ...]:
    """The pyramids of several channels, in one pass."""
    finest = [_Finest(length) for _ in channels]
    step = max(BASE, _BLOCK // max(len(channels), 1) // BASE * BASE)
    for start in range(0, length, step):
        stop = min(length, start + step)
        blocks = samples.read_many(channels, start, stop)
        for one, block in zip(finest, blocks, strict=True):
            one.take(start, block)
        progress(stop / length)
    return tuple(one.pyramid() for one in finest)


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


class _Finest:
    """The finest level while it is filled, block by block; blocks begin on cells."""

    def __init__(self, length: int) -> None:
        cells = -(-length // BASE)
        self.length = length
        self.low, self.high = np.empty(cells), np.empty(cells)
        self.missing = self.infinite = 0
        self.holes: list[tuple[int, int]] = []
        self.short: Array | None = None

    def take(self, start: int, samples: Array) -> None:
        if self.length <= _SHORT and len(samples) == self.length:
            self.short = samples
        edges = np.arange(0, len(samples), BASE)
        here = slice(start // BASE, start // BASE + len(edges))
        low, high = self.low[here], self.high[here]
        # What is no number spreads to its cell, which is a quicker test than one of its own.
        np.minimum.reduceat(samples, edges, out=low)
        np.maximum.reduceat(samples, edges, out=high)
        if not (np.isfinite(low).all() and np.isfinite(high).all()):
            self.missing += int(np.isnan(samples).sum())
            self.infinite += int(np.isinf(samples).sum())
            _add_holes(self.holes, ~np.isfinite(samples), start)
            samples = _without_infinite(samples)
            np.fmin.reduceat(samples, edges, out=low)
            np.fmax.reduceat(samples, edges, out=high)

    def pyramid(self) -> Pyramid:
        made = pyramid_of(self.low, self.high, self.length, tuple(self.holes))
        return replace(made, missing=self.missing, infinite=self.infinite, short=self.short)


def _add_holes(holes: list[tuple[int, int]], bad: np.ndarray, start: int) -> None:
    edges = np.flatnonzero(np.diff(np.concatenate([[False], bad, [False]]).astype(np.int8)))
    for first, stop in (edges.reshape(-1, 2) + start).tolist():
        if holes and holes[-1][1] == first:
            holes[-1] = (holes[-1][0], stop)
        elif len(holes) < _MOST_HOLES:
            holes.append((first, stop))
