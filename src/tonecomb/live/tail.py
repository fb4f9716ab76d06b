"""The newest of what a spool holds, in memory, and the outline of all of it: what pictures are made
of many times a second without reading the disk, or a long record, again.

Arrays are only ever added to behind their end: a part that was handed out stays as it is.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.pyramid import BASE, Pyramid, pyramid_of
from tonecomb.core.record.recording import Array, Samples
from tonecomb.live.spool import Progressed, SpoolReader, SpoolSamples

ROOM = 32 << 20
"""Bytes of samples that are held in memory."""
_AT_ONCE = 1 << 16  # samples of all channels that are taken over at once

Floats = NDArray[np.float32]


class Tail:
    """Of one spool. ``catch_up`` first; then the rest answers for what had come by then."""

    def __init__(self, reader: SpoolReader, room: int = ROOM) -> None:
        self.reader = reader
        channels = len(reader.described.channels)
        self._most = max(4 * BASE, room // (4 * channels) // 2)  # samples that are kept for sure
        self._held: Floats = np.empty((channels, min(self._most, 1 << 16)), np.float32)
        self._from = self._filled = 0  # number of the first sample held, and how many are
        self._low, self._high = (_Growing(channels) for _ in range(2))
        self._gaps: list[tuple[int, int]] = []
        self.progressed = reader.progressed()

    def catch_up(self) -> Progressed:
        """Take over what came since; for what there is now."""
        now = self.progressed = self.reader.progressed()
        at = self._from + self._filled
        if now.first > at:  # it was let go before it was looked at
            self._from, self._filled, at = now.first, 0, now.first
        while at < now.end:
            stop = min(now.end, at + _AT_ONCE)
            self._add(self.reader.frames(at, stop).T)
            at = stop
        self._gaps += self.reader.gaps()
        self._outline()
        gone = now.first // BASE
        self._low.forget(gone)
        self._high.forget(gone)
        while self._gaps and self._gaps[0][1] <= now.first:
            del self._gaps[0]
        return now

    def _add(self, samples: Floats) -> None:
        count = samples.shape[1]
        if self._filled + count > self._held.shape[1]:
            keep = min(self._filled, self._most)
            wide = max(2 * (keep + count), 1 << 16)
            held = np.empty((len(samples), min(wide, 2 * self._most + count)), np.float32)
            held[:, :keep] = self._held[:, self._filled - keep : self._filled]
            self._from, self._filled, self._held = self._from + self._filled - keep, keep, held
        self._held[:, self._filled : self._filled + count] = samples
        self._filled += count

    def _outline(self) -> None:
        """Lowest and highest of the cells that are whole now."""
        first, end = self._low.end, (self._from + self._filled) // BASE
        first = max(first, -(-self._from // BASE))
        self._low.skip_to(first)
        self._high.skip_to(first)
        if end <= first:
            return
        part = self._held[:, first * BASE - self._from : end * BASE - self._from]
        cells = part.reshape(len(part), end - first, BASE)
        # fmin passes over samples that were lost; a cell of nothing else stays nan.
        self._low.add(np.fmin.reduce(cells, axis=2))
        self._high.add(np.fmax.reduce(cells, axis=2))

    def lost(self, first: int, end: int) -> tuple[tuple[int, int], ...]:
        """What was lost between two samples, counted from the first."""
        at = max(0, bisect_left(self._gaps, (first, first)) - 1)
        found = []
        for a, b in self._gaps[at:]:
            if a >= end:
                break
            if b > first:
                found.append((max(a, first) - first, min(b, end) - first))
        return tuple(found)

    def samples(self, first: int, end: int) -> Samples:
        """The samples of a stretch; from memory where they are held."""
        if first < self._from:
            part: Samples = SpoolSamples(self.reader, first)
            held = None
        else:
            held = self._held[:, first - self._from : end - self._from]
            part = _Held(held)
        return _Outlined(part, self, first, end) if first % BASE == 0 else part

    def pyramid(self, channel: int, first: int, end: int) -> Pyramid | None:
        """The outline of a stretch that begins with a cell, None where it is not known."""
        cells = slice(first // BASE, end // BASE)
        low, high = self._low.part(channel, cells), self._high.part(channel, cells)
        if low is None or high is None or not len(low):
            return None
        lost = self.lost(first, end)
        return pyramid_of(low, high, end - first, lost)


class _Growing:
    """Figures of cells, shape (channels, cells); those before ``first`` were let go."""

    def __init__(self, channels: int) -> None:
        self._data: Floats = np.empty((channels, 1024), np.float32)
        self.first = self.count = 0

    @property
    def end(self) -> int:
        return self.first + self.count

    def skip_to(self, cell: int) -> None:
        """Nothing is known of the cells before this one that are not there yet."""
        if cell > self.end:
            self.add(np.full((len(self._data), cell - self.end), np.nan, np.float32))

    def add(self, figures: Floats) -> None:
        count = figures.shape[1]
        if self.count + count > self._data.shape[1]:
            wide = np.empty((len(self._data), 2 * (self.count + count)), np.float32)
            wide[:, : self.count] = self._data[:, : self.count]
            self._data = wide
        self._data[:, self.count : self.count + count] = figures
        self.count += count

    def forget(self, before: int) -> None:
        """Let go of cells, once half of them may."""
        gone = before - self.first
        if gone > max(1024, self.count // 2):
            self._data = self._data[:, gone : self.count].copy()
            self.first, self.count = before, self.count - gone

    def part(self, channel: int, cells: slice) -> Array | None:
        if cells.start < self.first or cells.stop > self.end:
            return None
        part = self._data[channel, cells.start - self.first : cells.stop - self.first]
        return part.astype(np.float64)


@dataclass(frozen=True, eq=False)
class _Held(Samples):
    """Samples in memory, shape (channels, samples)."""

    held: Floats
    together = True

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.held[channel, start:stop].astype(np.float64)


@dataclass(frozen=True, eq=False)
class _Outlined(Samples):
    """``source`` with an outline that is there already."""

    source: Samples
    tail: Tail
    first: int
    end: int
    together = True
    _known: dict[int, Pyramid | None] = field(default_factory=dict)

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.source.read(channel, start, stop)

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        return self.source.read_many(channels, start, stop)

    def outline(self, channel: int) -> Pyramid | None:
        if channel not in self._known:
            self._known[channel] = self.tail.pyramid(channel, self.first, self.end)
        return self._known[channel]
