"""Samples made fit to be analysed: parts, filled holes, and an even time grid.

Each is a :class:`~tonecomb.core.record.recording.Samples` over another one and works block by
block, so that no recording has to fit into memory.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record import sinc
from tonecomb.core.record.recording import Array, Recording, Samples, Stretch
from tonecomb.core.record.timebase import TimeBase

_BLOCK = 1 << 20  # samples read at once: 8 MB
_HALF = 32  # taps on either side of the band-limited interpolation
_ON_GRID = 0.01  # of a step: closer than this to the grid, samples are taken as they are
_MARGIN = 16  # samples on either side that a spline sees beyond what it is asked for


@dataclass(frozen=True, eq=False)
class _Over(Samples):
    """Samples that are those of ``source``, taken or changed as they are read."""

    source: Samples

    @property
    def costly(self) -> bool:  # type: ignore[override]
        return self.source.costly

    @property
    def together(self) -> bool:  # type: ignore[override]
        return self.source.together

    @property
    def grain(self) -> int:
        return self.source.grain


@dataclass(frozen=True, eq=False)
class Columns(_Over):
    """Some of the columns of ``source``, in the order given."""

    chosen: tuple[int, ...]

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        return self.source.read_many([self.chosen[i] for i in channels], start, stop)

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.source.read(self.chosen[channel], start, stop)


@dataclass(frozen=True, eq=False)
class Affine(_Over):
    """``source`` with each channel multiplied by its factor, then its offset added."""

    factors: tuple[float, ...]
    offsets: tuple[float, ...]

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.read_many((channel,), start, stop)[0]

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        blocks = zip(channels, self.source.read_many(channels, start, stop), strict=True)
        return tuple(block * self.factors[i] + self.offsets[i] for i, block in blocks)


@dataclass(frozen=True, eq=False)
class ResampledPart(_Over):
    """``source`` from the sample ``first`` on."""

    first: int

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        return self.source.read_many(channels, self.first + start, self.first + stop)

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.source.read(channel, self.first + start, self.first + stop)


def excerpt(recording: Recording, channels: list[int], stretch: Stretch | None) -> Recording:
    """Some channels of a recording, over a stretch of it or over all."""
    first, stop = (0, recording.length) if stretch is None else stretch.indices(recording)
    return replace(
        recording,
        length=stop - first,
        channels=tuple(recording.channels[i] for i in channels),
        samples=ResampledPart(Columns(recording.samples, tuple(channels)), first),
        start=recording.start if first == 0 else "",
    )


@dataclass(frozen=True, eq=False)
class Filled(_Over):
    """``source`` with straight lines across the samples that are no numbers; before the first
    and after the last number their value is held."""

    length: int

    def read(self, channel: int, start: int, stop: int) -> Array:
        block = self.source.read(channel, start, stop)
        good = np.isfinite(block)
        if good.all():
            return block
        before = None if good[0] else self._search(channel, start, -1)
        after = None if good[-1] else self._search(channel, stop - 1, 1)
        at, values = np.flatnonzero(good) + start, block[good]
        if before is not None:
            at, values = np.append(before[0], at), np.append(before[1], values)
        if after is not None:
            at, values = np.append(at, after[0]), np.append(values, after[1])
        if not len(at):
            return block  # there is no number in the whole channel
        filled = np.interp(np.arange(start, stop), at, values)
        filled[good] = block[good]
        return filled

    def _search(self, channel: int, at: int, direction: int) -> tuple[int, float] | None:
        """The nearest number from ``at`` on, backward or forward, and its place."""
        size = 1 << 12
        while 0 <= at < self.length:
            low, high = (at, at + size) if direction > 0 else (at - size + 1, at + 1)
            low, high = max(0, low), min(self.length, high)
            block = self.source.read(channel, low, high)
            good = np.flatnonzero(np.isfinite(block))
            if len(good):
                i = int(good[0] if direction > 0 else good[-1])
                return low + i, float(block[i])
            at = high if direction > 0 else low - 1
            size = min(2 * size, _BLOCK)
        return None


def whole_parts(
    source: Samples, channels: int, first: int, stop: int, progress: Progress = silent
) -> list[tuple[int, int]]:
    """Parts from ``first`` to ``stop`` in which every channel has nothing but numbers."""
    parts, begin = [], first
    for start in range(first, stop, _BLOCK):
        end = min(stop, start + _BLOCK)
        good = np.ones(end - start, dtype=bool)
        for block in source.read_many(range(channels), start, end):
            good &= np.isfinite(block)
        for hole in (np.flatnonzero(~good) + start).tolist():
            if hole > begin:
                parts.append((begin, hole))
            begin = hole + 1
        progress((end - first) / (stop - first))
    if stop > begin:
        parts.append((begin, stop))
    return parts


@dataclass(frozen=True)
class _Piece:
    """Samples ``first`` to ``stop`` of the source between two gaps. ``place`` is where the first
    stands on the grid, in steps; ``low`` and ``high`` the grid points that the piece reaches."""

    first: int
    stop: int
    place: float
    low: int
    high: int
    even: bool


class Gridded(Samples):
    """Samples taken at ``stamps`` (s, rising but for those that ``base.back`` names) on the even
    grid of ``base.rate`` that starts with the first of them; grid points within gaps are nan.

    Where the stamps of a piece between gaps are even, values between samples come from
    band-limited interpolation: a sinc of 64 taps under a Kaiser window with β = 9 (flat within
    0.001 dB up to 0.9 of the Nyquist frequency; Oppenheim and Schafer, Discrete-Time Signal
    Processing, 7.5.3). Where they are uneven, from a cubic spline through the samples.
    """

    def __init__(self, source: Samples, stamps: Array, base: TimeBase) -> None:
        rising = stamps > np.concatenate([[-np.inf], np.maximum.accumulate(stamps)[:-1]])
        self._kept = None if rising.all() else np.flatnonzero(rising)
        self._source, self._stamps = source, stamps if self._kept is None else stamps[rising]
        self.costly = source.costly
        self._rate = base.rate
        places = (self._stamps - self._stamps[0]) * base.rate
        limit = 1.5 + base.digit * base.rate
        cuts = np.flatnonzero(np.diff(places) > limit) + 1
        edges = [0, *cuts.tolist(), len(places)]
        self._pieces = [self._piece(places[a:b], a, b, base) for a, b in pairwise(edges)]
        self.length = self._pieces[-1].high + 1

    @staticmethod
    def _piece(places: Array, first: int, stop: int, base: TimeBase) -> _Piece:
        offsets = places - np.arange(len(places))
        place = float(offsets.mean())
        play = 0.05 + base.digit * base.rate
        even = bool(np.abs(offsets - place).max() <= play)
        if not even:
            place = float(places[0])
        last = place + len(places) - 1 if even else float(places[-1])
        low = max(0, int(np.ceil(place - _ON_GRID)))
        return _Piece(first, stop, place, low, int(np.floor(last + _ON_GRID)), even)

    def read(self, channel: int, start: int, stop: int) -> Array:
        out = np.full(stop - start, np.nan)
        i = bisect_left(self._pieces, start, key=lambda piece: piece.high)
        while i < len(self._pieces) and self._pieces[i].low < stop:
            piece = self._pieces[i]
            low, high = max(piece.low, start), min(piece.high + 1, stop)
            if low < high:
                out[low - start : high - start] = self._values(channel, piece, low, high)
            i += 1
        return out

    def _samples(self, channel: int, first: int, stop: int) -> Array:
        if self._kept is None:
            return self._source.read(channel, first, stop)
        kept = self._kept[first:stop]
        block = self._source.read(channel, int(kept[0]), int(kept[-1]) + 1)
        result: Array = block[kept - kept[0]]
        return result

    def _values(self, channel: int, piece: _Piece, low: int, high: int) -> Array:
        """The piece's values at the grid points ``low`` to ``high``, all within the piece."""
        if not piece.even:
            return self._spline(channel, piece, low, high)
        shift = round(piece.place)
        late = piece.place - shift  # by so much the samples stand to the right of the grid
        count = piece.stop - piece.first
        if abs(late) <= _ON_GRID:
            return self._samples(channel, piece.first + low - shift, piece.first + high - shift)
        begin, end = low - shift - _HALF, high - shift + _HALF
        have = self._samples(channel, piece.first + max(begin, 0), piece.first + min(end, count))
        good = np.isfinite(have)
        if not good.all():
            have = _bridged(have, good)
        block = _reflected(have, max(-begin, 0), max(end - count, 0))
        values = np.convolve(block, _delay(late), mode="valid")[: high - low]
        if not good.all():
            holes = np.flatnonzero(~good) + max(begin, 0) + shift - low
            holes = np.concatenate([holes, holes + (1 if late > 0 else -1)])
            values[holes[(holes >= 0) & (holes < len(values))]] = np.nan
        return values

    def _spline(self, channel: int, piece: _Piece, low: int, high: int) -> Array:
        from scipy.interpolate import CubicSpline

        grid = self._stamps[0] + np.arange(low, high) / self._rate
        inside = self._stamps[piece.first : piece.stop]
        first = max(0, int(np.searchsorted(inside, grid[0])) - _MARGIN)
        stop = min(len(inside), int(np.searchsorted(inside, grid[-1])) + _MARGIN)
        times = inside[first:stop]
        values = self._samples(channel, piece.first + first, piece.first + stop)
        good = np.isfinite(values)
        if good.sum() < 2:
            nearest = np.clip(np.searchsorted(times, grid), 0, len(times) - 1)
            answer: Array = values[nearest]
            return answer
        result = np.asarray(CubicSpline(times[good], values[good])(grid))
        after = np.clip(np.searchsorted(times, grid), 0, len(times) - 1)
        result[~(good[after] & good[np.maximum(after - 1, 0)])] = np.nan
        return result


def _bridged(values: Array, good: np.ndarray) -> Array:
    if not good.any():
        return np.zeros_like(values)
    at = np.arange(len(values))
    result: Array = np.interp(at, at[good], values[good])
    return result


def _reflected(values: Array, before: int, after: int) -> Array:
    """The values with ``before`` and ``after`` more at the ends, turned about the end points so
    that value and slope go on."""
    if not before and not after:
        return values
    if len(values) <= max(before, after):
        return np.pad(values, (before, after), mode="edge")
    return np.pad(values, (before, after), mode="reflect", reflect_type="odd")


def _delay(late: float) -> Array:
    """Taps, for :func:`numpy.convolve`, of the value ``late`` steps to the left of a sample."""
    return sinc.taps(np.arange(-_HALF, _HALF + 1) - late, _HALF + 1)


def longest(parts: list[tuple[int, int]]) -> int:
    """Number of the longest part."""
    return max(range(len(parts)), key=lambda i: parts[i][1] - parts[i][0])
