"""Lines followed from frame to frame, each as a delay of time: its phase over 2π times its
frequency, which is the same for all lines of one shaft.

A line is a local maximum of a frame's Hann spectrum over the floor; its place is that of the
main lobe, 2 Re(Z₊−Z₋)/(2Z₀+Z₊+Z₋). Phases are those at the frames' middles.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.transform import rfft
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array

Phasors = NDArray[np.complex64]
Numbers = NDArray[np.int_]

_AT_ONCE = 1 << 19  # samples that are transformed at once
_FLOOR_FRAMES = 128  # spread over the record, from which the floor is told
_QUANTILE = 35  # percent of the bins about one, that lie below the floor: few lines reach it
_AROUND_HZ = 60.0  # to either side
_OVER = 16.0  # times the floor, that a line has at least in a frame: 12 dB
_LOWEST_HZ, _LEAST_TURNS = 5.0, 3.0  # of a line; turns in a frame
_NEAR = 1.1  # bins from where it was, within which a line goes on; +30 % a frame it was missed
_NEPER = 0.08  # bins that a change of the level by one neper counts as
_MISSED = 4  # frames that a line may be missed for
_SHARE = 0.75  # of the frames, in which a line is there
_MOST = 60  # lines, the surest


@dataclass(frozen=True, eq=False)
class LineTrack:
    """A line of the mean ``frequency`` (Hz): its ``delay`` (s) at each frame, less a straight line,
    shape (frames,), and the ``variance`` (s²) that noise gives it in a frame. Between the frames in
    which it is ``there`` the delay is drawn on, beyond them it is held."""

    frequency: float
    delay: Array
    variance: float
    there: NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Survey:
    """Lines followed in frames of ``seconds`` whose middles are at ``time`` (s)."""

    seconds: float
    time: Array
    tracks: tuple[LineTrack, ...]


@dataclass(frozen=True, eq=False)
class Frames:
    """Hann frames of ``size`` samples that overlap by three quarters, of ``length`` samples."""

    read: Read
    length: int
    fs: float
    size: int

    @classmethod
    def of(cls, read: Read, length: int, fs: float, seconds: float) -> Frames:
        """Frames of about so many seconds."""
        return cls(read, length, fs, 4 * max(2, round(seconds * fs / 4)))

    @property
    def hop(self) -> int:
        """Samples from frame to frame."""
        return self.size // 4

    @property
    def count(self) -> int:
        """How many there are."""
        return max(0, (self.length - self.size) // self.hop + 1)

    @property
    def time(self) -> Array:
        """Their middles, s."""
        return np.asarray((np.arange(self.count) * self.hop + self.size / 2) / self.fs)

    @property
    def weights(self) -> Array:
        """The window, shape (size,)."""
        return np.asarray(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(self.size) / self.size))

    def transforms(self, progress: Progress = silent) -> Iterator[tuple[int, Phasors]]:
        """Number of the first, and transforms (frames, bins) with phases at the middles, of some
        frames after the other."""
        some = max(1, _AT_ONCE // self.size)
        weights = self.weights.astype(np.float32)
        for first in range(0, self.count, some):
            last = min(first + some, self.count)
            yield first, self._of(range(first, last), weights)
            progress(last / self.count)

    def _of(self, numbers: range, weights: NDArray[np.float32]) -> Phasors:
        begin = numbers[0] * self.hop
        block = self.read(begin, numbers[-1] * self.hop + self.size).astype(np.float32)
        view = np.lib.stride_tricks.sliding_window_view(block, self.size)[:: self.hop]
        made = rfft(view[: len(numbers)] * weights)
        made[:, 1::2] *= -1
        return np.asarray(made, dtype=np.complex64)

    def floor(self) -> Array:
        """The noise's power (transforms squared) in each bin of a frame."""
        numbers = np.unique(np.linspace(0, self.count - 1, _FLOOR_FRAMES).astype(int))
        weights, total = self.weights.astype(np.float32), np.zeros(self.size // 2 + 1)
        for number in numbers.tolist():
            one = self._of(range(number, number + 1), weights)[0]
            total += one.real**2 + one.imag**2
        return running_floor(total / len(numbers), max(24, round(_AROUND_HZ * self.size / self.fs)))


def running_floor(power: Array, half: int) -> Array:
    """The quantile of a spectrum's power about each bin that few lines reach, ``half`` bins to
    either side; where those are many, of means over some bins."""
    from scipy.ndimage import percentile_filter

    every = max(1, half // 12)
    count = len(power) // every
    thin = np.exp(np.log(power[: count * every] + 1e-300).reshape(count, every).mean(axis=1))
    low = percentile_filter(thin, _QUANTILE, size=2 * (half // every) + 1, mode="reflect")
    middles = (np.arange(count) + 0.5) * every - 0.5
    return np.asarray(np.interp(np.arange(len(power)), middles, low))


@dataclass(frozen=True, eq=False)
class _Tops:
    """Maxima of all frames, by frame: its number, the frequency (Hz), power over the floor and
    phase (turns), shape (maxima,) each."""

    frame: Numbers
    frequency: Array
    snr: Array
    turns: Array


def survey(frames: Frames, progress: Progress = silent) -> Survey:
    """The lines that stand in most of the frames."""
    tops = _tops(frames, progress)
    track = _linked(tops, frames.count, frames.fs / frames.size)
    seconds, time = frames.size / frames.fs, frames.time
    counts = np.bincount(track) if len(track) else np.zeros(0, int)
    order, tracks = np.argsort(track, kind="stable"), []
    ends = np.cumsum(counts)
    for number in np.flatnonzero(counts >= _SHARE * frames.count).tolist():
        of = order[ends[number] - counts[number] : ends[number]]
        tracks.append(_unwrapped(tops, of, time))
    tracks.sort(key=lambda one: one.variance)
    return Survey(seconds, time, tuple(tracks[:_MOST]))


def _tops(frames: Frames, progress: Progress) -> _Tops:
    hz = frames.fs / frames.size
    floor = frames.floor()
    lowest = max(2, int(np.ceil(max(_LOWEST_HZ, _LEAST_TURNS * hz) / hz)))
    parts = []
    for first, z in frames.transforms(progress):
        power = z.real**2 + z.imag**2
        inner = power[:, lowest:-2]
        top = (inner > power[:, lowest - 1 : -3]) & (inner >= power[:, lowest + 1 : -1])
        at, k = np.nonzero(top & (inner > _OVER * floor[lowest:-2]))
        k += lowest
        below, here, above = z[at, k - 1], z[at, k], z[at, k + 1]
        offset = np.clip((2 * (above - below) / (2 * here + above + below)).real, -0.75, 0.75)
        turns = np.angle(here) / (2 * np.pi)
        parts.append((at + first, (k + offset) * hz, power[at, k] / floor[k], turns))
    columns = [np.concatenate(one) for one in zip(*parts, strict=True)]
    return _Tops(columns[0].astype(int), *(one.astype(float) for one in columns[1:]))


def _linked(tops: _Tops, count: int, hz: float) -> Numbers:
    """The number of the track that each maximum belongs to, shape (maxima,): from frame to frame
    each track takes the nearest, the nearest pairs first."""
    track = np.full(len(tops.frame), -1)
    ends = np.searchsorted(tops.frame, np.arange(count + 1))
    ids = np.zeros(0, int)
    place, seen, level = np.zeros(0), np.zeros(0, int), np.zeros(0)
    made = 0
    for number in range(count):
        first, last = ends[number], ends[number + 1]
        if first == last:
            continue
        going = seen >= number - _MISSED
        ids, place, seen, level = ids[going], place[going], seen[going], level[going]
        f, snr = tops.frequency[first:last], tops.snr[first:last]
        taken = np.zeros(last - first, bool)
        if len(ids):
            after = np.searchsorted(f, place)
            left, right = np.clip(after - 1, 0, len(f) - 1), np.clip(after, 0, len(f) - 1)
            near = np.where(np.abs(f[left] - place) <= np.abs(f[right] - place), left, right)
            far = np.abs(f[near] - place) + np.abs(np.log(snr[near] / level)) * _NEPER * hz
            good = far < _NEAR * hz * (1 + 0.3 * (number - seen - 1))
            order = np.argsort(far)
            order = order[good[order]]
            which, once = np.unique(near[order], return_index=True)
            goes = order[once]
            taken[which], track[first + which] = True, ids[goes]
            place[goes], seen[goes], level[goes] = f[which], number, snr[which]
        new = np.flatnonzero(~taken)
        begun = np.arange(made, made + len(new))
        made += len(new)
        track[first + new] = begun
        ids, place = np.concatenate([ids, begun]), np.concatenate([place, f[new]])
        seen = np.concatenate([seen, np.full(len(new), number)])
        level = np.concatenate([level, snr[new]])
    return track


def _unwrapped(tops: _Tops, of: Numbers, time: Array) -> LineTrack:
    """The delay of a line whose maxima these are."""
    frame, f = tops.frame[of], tops.frequency[of]
    every = np.interp(time, time[frame], f)
    expected = np.concatenate([[0.0], np.cumsum((every[1:] + every[:-1]) / 2 * np.diff(time))])
    ahead = np.diff(expected[frame])
    off = np.diff(tops.turns[of]) - ahead
    turns = np.concatenate([[0.0], np.cumsum(ahead + off - np.round(off))])
    mean = (turns[-1] - turns[0]) / (time[frame[-1]] - time[frame[0]])
    delay = np.interp(time, time[frame], turns - mean * time[frame]) / mean
    slope, level = np.polyfit(time, delay, 1)
    mean *= 1 + slope
    variance = float(np.mean(1 / (2 * tops.snr[of]))) / (2 * np.pi * mean) ** 2
    there = np.zeros(len(time), bool)
    there[frame[0] : frame[-1] + 1] = True
    return LineTrack(float(mean), delay - slope * time - level, variance, there)
