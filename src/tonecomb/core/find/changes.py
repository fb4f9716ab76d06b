"""What changes over a stretch, band by band, beyond what chance does to each."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.runs import runs_of
from tonecomb.core.estimate.followed import CELL
from tonecomb.core.estimate.frame_statistics import ENBW, Courses
from tonecomb.core.record.recording import Array

_PARTS = 12  # at most, into which the stretch is cut
_FRAMES = 3  # of each, at least
_SHARE = 0.3  # of the bands whose level has to change
_LOUD = 4.0  # times the usual level from which a frame is loud
_MOST_LOUD = 0.45  # of the frames that may be loud, and be left out
_MOST_SPANS = 30  # beyond which it is a record that changes all the time
_NOTHING = 1e-8  # of the mean power, 80 dB down, below which there is nothing
_AT_ONCE = 128  # cells, or frames
_CALM = 0.25  # of the parts, that are calm
_CONTENT, _TIMES = 0.08, 4.0  # of the power, and times what chance moves, that lies elsewhere
_BORNE = 0.5  # of what moved in a part, that both its halves say
_KERNEL = np.array([1.0, 2.0, 3.0, 2.0, 1.0]) / 9.0  # a tone between two bands is in both


@dataclass(frozen=True)
class Changes:
    """``level_db`` is by how much the level of most bands changes from part to part, and
    ``band`` (Hz) the widest one that changes, with its rms where it is softest and loudest;
    ``elsewhere`` the share of the power that lies at other frequencies in the part between the
    times ``at`` (s from the stretch's start) than in all, 0 where that could be chance. ``loud``
    are the spans (s) of frames that are much louder than most, ``silent`` those in which there is
    nothing."""

    level_db: float = 0.0
    band: tuple[float, float] = (0.0, 0.0)
    softest: float = 0.0
    loudest: float = 0.0
    elsewhere: float = 0.0
    at: tuple[float, float] = (0.0, 0.0)
    loud: tuple[tuple[float, float], ...] = ()
    silent: tuple[tuple[float, float], ...] = ()

    @property
    def band_db(self) -> float:
        """By how much that band's own rms changes."""
        return 20 * math.log10(self.loudest / self.softest) if self.softest > 0 else 0.0


def find_changes(courses: Courses, fs: float) -> Changes | None:
    """Compare the parts of a stretch; None with too few frames."""
    framing = courses.framing
    count = min(_PARTS, framing.count // _FRAMES)
    if count < 2:
        return None
    edges = np.linspace(0, framing.count, count + 1).astype(int)
    parts = [slice(int(a), int(b)) for a, b in pairwise(edges)]
    levels = np.stack([courses.levels[part].mean(axis=0, dtype=np.float64) for part in parts])
    there = levels[levels.max(axis=1) >= _NOTHING * levels.max()]
    known = there.min(axis=0) > 0
    changing = np.zeros(levels.shape[1])
    changing[known] = 10 * np.log10(there.max(axis=0)[known] / there.min(axis=0)[known])
    level_db = float(np.quantile(changing[known], 1 - _SHARE)) if known.any() else 0.0
    step = courses.step
    thinned = [slice(a // step, max(b // step, a // step + 1)) for a, b in pairwise(edges.tolist())]
    elsewhere, worst = _elsewhere(courses.powers, thinned)
    starts = framing.numbers * framing.hop / fs
    at = (float(starts[edges[worst]]), float(starts[edges[worst + 1] - 1] + framing.frame / fs))
    band, softest, loudest = _band(courses, there, changing >= level_db / 2)
    return Changes(
        level_db,
        band,
        softest,
        loudest,
        elsewhere,
        at,
        _loud(courses, fs, step),
        _silent(courses, fs, step),
    )


def loud_between(
    courses: Courses, low: float, high: float, fs: float
) -> tuple[float, float] | None:
    """When what is between two frequencies (Hz) is far louder than at most times (s from the
    stretch's start, from first to last); None where it is not."""
    cell = CELL * courses.bin_hz
    first, stop = int(low // cell), min(int(high // cell) + 1, courses.powers.shape[1])
    power = courses.powers[:, first:stop].sum(axis=1, dtype=np.float64)
    if len(power) < _PARTS or not power.any():
        return None
    over = power > _LOUD * np.median(power)
    if not over.any() or over.mean() > _MOST_LOUD:
        return None
    at = np.flatnonzero(over)
    framing = courses.framing
    starts = framing.numbers[:: courses.step][: len(power)] * framing.hop / fs
    # A frame is loud if what is about its middle is.
    near = framing.frame / fs / 4
    return float(starts[at[0]] + near), float(starts[at[-1]] + 3 * near)


def _band(
    courses: Courses, levels: Array, changing: NDArray[np.bool_]
) -> tuple[tuple[float, float], float, float]:
    """The longest run of groups of bins that change, in Hz, and the least and the greatest rms of
    its noise in the parts."""
    runs = runs_of(changing)
    if not len(runs):
        return (0.0, 0.0), 0.0, 0.0
    first, stop = max(runs.tolist(), key=lambda run: int(run[1] - run[0]))
    wide = courses.sharing * courses.bin_hz
    rms = np.sqrt(levels[:, first:stop].sum(axis=1) * courses.sharing / ENBW)
    highest = min(stop * wide, courses.framing.frame / 2 * courses.bin_hz)
    return (first * wide, highest), float(rms.min()), float(rms.max())


def _silent(courses: Courses, fs: float, step: int) -> tuple[tuple[float, float], ...]:
    """Spans of frames that hold nothing beside the others."""
    power = courses.powers.sum(axis=1, dtype=np.float64)
    framing = courses.framing
    starts = framing.numbers[::step][: len(power)] * framing.hop / fs
    nothing = power <= _NOTHING * power.mean()
    runs = runs_of(nothing)
    if len(runs) > _MOST_SPANS or nothing.all():
        return ()
    return tuple(
        (float(starts[a]), float(starts[b - 1] + framing.frame / fs)) for a, b in runs.tolist()
    )


def _elsewhere(powers: NDArray[np.floating[Any]], parts: list[slice]) -> tuple[float, int]:
    """Largest share of the power that lies elsewhere in a part than in all, and which part."""
    from scipy.ndimage import convolve1d

    if powers.shape[1] < 2 * len(_KERNEL):
        return 0.0, 0
    means, halves, chance, totals_of = [], [], [], []
    for part in parts:  # one at a time: all of a long record are large
        own = powers[part].astype(np.float64)
        totals = own.sum(axis=1, keepdims=True)
        shares = own / np.maximum(totals, np.finfo(float).tiny)
        inside = convolve1d(shares, _KERNEL, axis=1, mode="constant")
        loud = totals / max(float(totals.mean()), np.finfo(float).tiny)
        means.append(_by_power(inside, loud))
        middle = (len(own) + 1) // 2
        halves.append([_by_power(inside[h], loud[h]) for h in (slice(middle), slice(middle, None))])
        totals_of.append(float(totals.mean()))
        # Overlapped frames: two are worth about one and a half.
        scatter = (loud * (inside - means[-1])).std(axis=0, ddof=1) / np.sqrt(0.75 * len(inside))
        chance.append(0.4 * float(scatter.sum()))
    # By power: what a soft part holds is hardly in the average, and does not contradict it.
    counts = np.array([part.stop - part.start for part in parts]) * np.array(totals_of)
    if not counts.sum() > 0:
        return 0.0, 0
    mean = np.average(means, axis=0, weights=counts)
    moved = [0.5 * float(np.abs(one - mean).sum()) for one in means]
    heard = np.minimum(np.array(totals_of) / np.mean(totals_of), 1.0)
    worst = int(np.argmax(moved * heard))
    # A knock in a part has a spectrum of its own by chance. What the part is like, both its halves
    # are: what one half says, the other bears out.
    first, second = (half - mean for half in halves[worst])
    borne = 0.25 * float(np.sign(first) @ second + np.sign(second) @ first)
    # What changes within a part scatters as well, and is no chance: the calmer parts tell that.
    by_chance = _TIMES * float(np.quantile(chance, _CALM))
    real = moved[worst] * heard[worst] > max(_CONTENT, by_chance) and borne > _BORNE * moved[worst]
    return (moved[worst], worst) if real else (0.0, worst)


def _by_power(shares: Array, loud: Array) -> Array:
    """The mean of frames, the louder the more; shapes (frames, bands) and (frames, 1)."""
    return np.asarray((loud * shares).sum(axis=0) / max(float(loud.sum()), np.finfo(float).tiny))


def _loud(courses: Courses, fs: float, step: int) -> tuple[tuple[float, float], ...]:
    """Spans of the frames whose noise is much louder than most; none where those are many."""
    framing = courses.framing
    levels, cells = courses.levels[::step], courses.levels.shape[1]
    middle = np.concatenate(
        [np.median(levels[:, a : a + _AT_ONCE], axis=0) for a in range(0, cells, _AT_ONCE)]
    )
    known = middle > 0
    if not known.any():
        return ()
    louder = np.concatenate(
        [
            np.median(levels[a : a + _AT_ONCE, known] / middle[known], axis=1) > _LOUD
            for a in range(0, len(levels), _AT_ONCE)
        ]
    )
    if not louder.any() or louder.mean() > _MOST_LOUD:
        return ()
    return spans(louder, framing.numbers[::step] * framing.hop / fs, framing.frame / fs)


def spans(frames: np.ndarray, starts: Array, seconds: float) -> tuple[tuple[float, float], ...]:
    """The middles of frames that are so, run by run, as times (s); none where they are too
    many. To leave a frame out it is enough to strike out its middle."""
    runs = runs_of(frames)
    if len(runs) > _MOST_SPANS:
        return ()
    near = seconds / 8
    return tuple(
        (float(starts[a] + seconds / 2 - near), float(starts[b - 1] + seconds / 2 + near))
        for a, b in runs
    )
