"""One tone that holds most of the power at each moment, wherever it is: a sweep, or steps.

In a frame the highest bin of a Hann spectrum and its neighbours are held against all there is. A
tone that moves is in few bins only in frames that are short enough: at each moment the longest
frame is taken in which it holds nearly as much as in any.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.runs import runs_of
from tonecomb.core.estimate.frame_statistics import line_offset
from tonecomb.core.estimate.transform import rfft
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array

_SHORTER = (1, 2, 4, 8, 16, 32)  # parts of the frame that are tried
_SHORTEST = 32  # samples of a frame
_TRIED, _MOST = 24, 300  # moments, spread over the stretch, that are tried; and followed
_LEAST, _MOMENTS = 12, 12  # frames in which anything can be followed; moments in each
_HOLDS, _NEARLY = 0.5, 0.03  # of a frame's power that a tone holds; less than in the best frame
_ALL = 0.9  # of it that tones hold that are there one at a time
_AT_ONCE = 1 << 18  # samples that are transformed at once
_CYCLES = 2.5  # in a frame, from which a tone's place can be told
_ABOUT = 2  # bins to each side of the highest that are a tone's
_NOTHING = 1e-290  # of a power, below which digits are lost
_SILENT = 1e-3  # of the mean power, below which a frame holds nothing
_GOES_BINS, _GOES = 4.0, 0.02  # bins, and share of its frequency, that it goes at least
_AT_ENDS = 4  # moments by which it is drawn on to the ends of the stretch
_SMOOTH = 0.04  # of the range that it covers, that it is off the line between its neighbours
_JUMP, _JUMPS = 0.3, 0.4  # of that range, from moment to moment; of all that it moves
_SAME_BINS = 0.75  # bins within which a tone stands from frame to frame
_STANDS = 0.85  # of the frames that lie in steps
_STEP_FRAMES = 3  # moments of a step
_ONE_WAY = 0.9  # of all that it moves, that it gets on by
_STEPS = (2, 40)  # steps that are named as such
_APART_BINS, _OF_ALL = 4.0, 0.02  # bins between two steps; share of the moments that each has


@dataclass(frozen=True, eq=False)
class Ridge:
    """Where the tone is: ``frequency`` (Hz) at ``time`` (s from the stretch's start), of shape
    (frames,) each; it holds a ``share`` of the power. ``steps`` are the frequencies (Hz) at which
    it stands one after the other, empty where it runs on."""

    time: Array
    frequency: Array
    share: float
    steps: tuple[float, ...] = ()

    @property
    def low(self) -> float:
        """The lowest frequency, Hz."""
        return float(self.frequency.min())

    @property
    def high(self) -> float:
        """The highest, Hz."""
        return float(self.frequency.max())

    @property
    def one_way(self) -> bool:
        """Whether it only rises or only falls, but for what chance does."""
        change = np.diff(self.frequency)
        return bool(abs(float(change.sum())) > _ONE_WAY * float(np.abs(change).sum()))

    @property
    def ends(self) -> tuple[float, float]:
        """Where it begins and ends (Hz), where it goes one way; else the lowest and highest."""
        first, last = float(self.frequency[0]), float(self.frequency[-1])
        return (first, last) if self.one_way else (self.low, self.high)


def find_ridge(read: Read, length: int, fs: float, frame: int) -> Ridge | None:
    """The tone in ``length`` samples at ``fs`` (Hz) that are analysed in frames of ``frame``
    samples; None where none holds most of the power, or where it stands."""
    sizes = [frame // part for part in _SHORTER if frame // part >= _SHORTEST]
    count = min(_MOST, _MOMENTS * length // sizes[0]) if sizes else 0
    if count < _MOMENTS * _LEAST // 4 or _followed(read, length, sizes, _TRIED).holds < _HOLDS:
        return None
    course = _followed(read, length, sizes, count)
    there = course.there & (course.share > _HOLDS)
    if course.holds < _HOLDS or there.mean() < _STANDS:
        return None
    time, place, hz = course.middle[there] / fs, course.place[there] * fs, fs / course.size[there]
    if course.holds > _ALL and (steps := _steps(place, hz, course.share[there])):
        return Ridge(time, place, course.holds, steps)
    low, high = np.quantile(place, [0.05, 0.95])
    between = place[1:-1] - (place[:-2] + place[2:]) / 2
    goes = high - low > max(_GOES_BINS * float(np.median(hz)), _GOES * high)
    if not goes or float(np.quantile(np.abs(between), 0.8)) > _SMOOTH * (high - low):
        return None
    moved = np.abs(np.diff(place))
    if moved[moved > _JUMP * (high - low)].sum() > _JUMPS * moved.sum():
        return None  # from one tone to another
    # Half of the longest frame may not be seen at both ends: it goes on as it did.
    unseen, last = 0.55 * frame / fs, length / fs
    ends = np.array(
        [0.0 if time[0] < unseen else time[0], last if time[-1] > last - unseen else time[-1]]
    )
    some = min(_AT_ENDS, len(place))
    lines = [np.polyfit(time[at], place[at], 1) for at in (slice(some), slice(-some, None))]
    beyond = [max(float(np.polyval(*one)), 0.0) for one in zip(lines, ends, strict=True)]
    time = np.concatenate([ends[:1], time, ends[1:]])
    place = np.concatenate([beyond[:1], place, beyond[1:]])
    return Ridge(time, place, course.holds)


@dataclass(frozen=True, eq=False)
class _Course:
    """At each moment its ``middle`` (samples), the tone's ``place`` (cycles a sample), the
    ``share`` of the power that it holds, the ``power`` and the ``size`` of the frame."""

    middle: Array
    place: Array
    share: Array
    power: Array
    size: Array

    @property
    def there(self) -> NDArray[np.bool_]:
        """Where it is not silent."""
        return np.asarray(self.power > _SILENT * self.power.mean())

    @property
    def holds(self) -> float:
        """The share of the power that a tone holds at most moments."""
        there = self.there
        return float(np.median(self.share[there])) if there.any() else 0.0


def _followed(read: Read, length: int, sizes: list[int], count: int) -> _Course:
    """The highest line at so many moments, each in the frame that fits."""
    middle = np.linspace(sizes[-1] / 2, length - sizes[-1] / 2, count)
    every = [_frames(read, np.clip(middle, s / 2, length - s / 2), s) for s in sizes]
    edge = np.minimum(middle, length - middle)
    seen = [(edge >= s / 2) & (one[0] * s > _CYCLES) for s, one in zip(sizes, every, strict=True)]
    share = np.stack([np.where(at, one[1], 0.0) for at, one in zip(seen, every, strict=True)])
    # The longest is the first of those that hold nearly as much as the best.
    best = np.argmax(share > share.max(axis=0) - _NEARLY, axis=0)
    at = np.arange(count)
    return _Course(
        middle,
        np.stack([one[0] for one in every])[best, at],
        share[best, at],
        every[0][2],
        np.array(sizes, dtype=np.float64)[best],
    )


def _frames(read: Read, middle: Array, size: int) -> tuple[Array, Array, Array]:
    """Place of the highest line (cycles a sample), the share of the power that it holds, and the
    power, of frames of ``size`` samples about these middles; shape (frames,) each."""
    weights = 0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size)
    starts = np.round(middle - size / 2).astype(int)
    some = max(1, _AT_ONCE // size)
    parts = []
    for first in range(0, len(starts), some):
        rows = np.stack([read(at, at + size) for at in starts[first : first + some].tolist()])
        bins = rfft((rows - rows.mean(axis=1, keepdims=True)) * weights)
        bins[:, 1::2] *= -1  # phases about the middle
        squares = bins.real**2 + bins.imag**2
        squares[:, 0] = 0
        top = 1 + np.argmax(squares[:, 1:-1], axis=1)
        running = np.cumsum(np.pad(squares, ((0, 0), (1, 0))), axis=1)
        row = np.arange(len(rows))
        last = np.minimum(top + _ABOUT + 1, squares.shape[1])
        held = running[row, last] - running[row, np.maximum(top - _ABOUT, 0)]
        power = running[:, -1]
        offset = line_offset(bins[row, top - 1], bins[row, top], bins[row, top + 1])
        place = (top + np.clip(offset, -0.75, 0.75)) / size
        share = np.divide(held, power, out=np.zeros(len(held)), where=power > _NOTHING)
        parts.append((place, share, power / size**2))
    place, share, power = (np.concatenate(column) for column in zip(*parts, strict=True))
    return place, share, power


def _steps(place: Array, hz: Array, share: Array) -> tuple[float, ...]:
    """The places at which a tone stands one after the other, rising; empty where it does not,
    stands at one only, or where others sound with it. ``hz`` is the width of a bin at each moment,
    and ``share`` what it holds of the power then."""
    same = _SAME_BINS * hz
    stands = np.abs(np.diff(place)) < np.minimum(same[1:], same[:-1])
    runs = [(a, b + 1) for a, b in runs_of(stands).tolist() if b - a >= _STEP_FRAMES - 1]
    runs = [(a, b) for a, b in runs if np.ptp(place[a:b]) < 2 * same[a]]
    if sum(b - a for a, b in runs) < _STANDS * len(place):
        return ()
    order = sorted(runs, key=lambda run: float(np.median(place[slice(*run)])))
    middles = np.array([float(np.median(place[a:b])) for a, b in order])
    apart = np.flatnonzero(np.diff(middles) > np.median(same)) + 1
    groups = [range(a, b) for a, b in pairwise([0, *apart.tolist(), len(order)])]
    counts = [sum(order[i][1] - order[i][0] for i in group) for group in groups]
    steps = tuple(float(np.mean(middles[group])) for group in groups)
    far = bool(np.all(np.diff(steps) > _APART_BINS * np.median(hz)))
    borne = min(counts) >= _OF_ALL * len(place)
    shares = [np.concatenate([share[slice(*order[i])] for i in group]) for group in groups]
    borne = borne and all(float(np.median(one)) > _ALL for one in shares)
    return steps if far and borne and _STEPS[0] <= len(steps) <= _STEPS[1] else ()
