"""Measuring a time base from the stamps of its samples."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.recording import Array, Problem

_GAP = 1.5  # a step this much longer than the usual one is a gap
_BLOCK = 1 << 20  # samples read at once: 8 MB
_SAMPLE = 1 << 18  # steps from whose median the usual one is taken
_RARE = 0.002  # share of the steps
_JITTER = 0.1  # share of a step from which uneven steps are told
_COARSE = 0.95  # share of steps that rise, below which stamps are coarser than samples

Indices = NDArray[np.int64]

TimeChoice = Literal["nominal", "resample", "cut"]


@dataclass(frozen=True, eq=False)
class TimeBase:
    """What the stamps say.

    ``rate`` is in Hz; ``mean`` the usual step in s and ``spread`` the most that a usual step
    differs from it; ``digit`` the last digit that the stamps are written with. ``gaps`` and
    ``back`` hold the number of the sample before each gap, and before each stamp that stands
    still or runs backward; ``lost`` the seconds that each gap is longer than a step.
    ``tick`` is the step in s of stamps that are coarser than the samples are apart, each of which
    stands for several; 0 for all others.
    """

    rate: float
    mean: float
    spread: float
    digit: float
    steps: int
    gaps: Indices
    lost: Array
    back: Indices
    repeated: int
    tick: float = 0.0

    @property
    def uneven(self) -> bool:
        """Whether the usual steps differ more than rounding explains."""
        return self.spread > _JITTER * self.mean + self.digit

    @property
    def irregular(self) -> bool:
        """Whether there is anything to choose about."""
        return self.uneven or bool(len(self.gaps) or len(self.back))

    def pieces(self, length: int) -> list[tuple[int, int]]:
        """First sample and the one after the last of each part without gap or backward step."""
        cuts = np.union1d(self.gaps, self.back) + 1
        edges = [0, *cuts.tolist(), length]
        return [(a, b) for a, b in pairwise(edges) if b > a]


def measure(
    read: Callable[[int, int], Array],
    length: int,
    where: str,
    file: str,
    row: Callable[[int], str],
    progress: Progress = silent,
) -> TimeBase:
    """Sample rate and irregularities from ``length`` stamps in s, read in blocks.

    ``where`` names the time column and ``row(i)`` the place of sample i in sentences. Raises
    :class:`UserError` where stamps are missing, or where time never runs forward.
    """
    if length < 2:
        raise UserError(f"{file} has a single row", "no sample rate can be found from one time")
    with np.errstate(invalid="ignore", over="ignore"):  # stamps may be anything yet
        first = np.diff(read(0, min(length, _SAMPLE)))
    rising = first[first > 0]
    usual = float(np.median(rising)) if len(rising) else 0.0
    digit = last_digit(rising) if len(rising) else 0.0

    def steps_from(start: int) -> Array:
        stamps = read(start, min(length, start + _BLOCK + 1))
        with np.errstate(over="ignore", invalid="ignore"):
            steps = np.diff(stamps)
            sound = np.isfinite(steps.sum())
        if not sound and (bad := np.flatnonzero(~np.isfinite(stamps))).size:
            raise _no_time(read, length, where, file, row(start + int(bad[0])))
        progress(min(1.0, (start + _BLOCK) / length))
        return steps

    if tick := _tick(first):
        return _counted(steps_from, length, tick)
    base = _stepped(steps_from, length, usual, digit)
    if base is None:
        raise UserError(
            f"Time never runs forward in {file}",
            f"{where} stands still or runs backward at {row(1)} and from there on",
            "choose another time column, or none and give the sample rate",
        )
    return base


def _stepped(
    steps_from: Callable[[int], Array], length: int, usual: float, digit: float
) -> TimeBase | None:
    """The rate by the mean of the steps that are no longer than about the ``usual`` one; None where
    time never runs forward."""
    limit = _GAP * usual + digit
    gaps: list[np.ndarray] = [np.zeros(0)]
    lost, back = list(gaps), list(gaps)
    total, count, low, high, repeated = 0.0, 0, np.inf, 0.0, 0
    for start in range(0, length - 1, _BLOCK):
        good = steps = steps_from(start)
        if not (steps.min() > 0 and steps.max() <= limit):  # as nearly all are
            long, behind = np.flatnonzero(steps > limit), np.flatnonzero(steps <= 0)
            gaps.append(long + start)
            lost.append(steps[long])
            back.append(behind + start)
            repeated += int((steps[behind] == 0).sum())
            good = steps[(steps > 0) & (steps <= limit)]
        if len(good):
            total, count = total + float(good.sum()), count + len(good)
            low, high = min(low, float(good.min())), max(high, float(good.max()))
    if not count:
        return None
    mean = total / count
    spread = max(high - mean, mean - low)
    return TimeBase(
        # Stamps are rounded: the rate is known no better than their scatter over the whole time.
        rate=shortest(1 / mean, spread / (mean * count)),
        mean=mean,
        spread=spread,
        digit=digit,
        steps=length - 1,
        gaps=np.concatenate(gaps).astype(np.int64),
        lost=np.concatenate(lost) - mean,
        back=np.concatenate(back).astype(np.int64),
        repeated=repeated,
    )


def _tick(steps: Array) -> float:
    """The step in s of stamps that stand still for as many samples each time, as those do that are
    written too coarsely; 0 for others."""
    changes = np.flatnonzero(steps)
    if len(changes) < 2 or len(changes) > _COARSE * len(steps) or not np.isfinite(steps).all():
        return 0.0
    rises, runs = steps[changes], np.diff(changes)
    tick, run = float(np.median(rises)), float(np.median(runs))
    alike = np.mean(np.abs(rises - tick) <= 0.01 * tick) if tick > 0 else 0.0
    even = np.mean(np.abs(runs - run) <= max(1.0, _JITTER * run))
    return tick if min(alike, even) >= 0.9 else 0.0


def _counted(steps_from: Callable[[int], Array], length: int, tick: float) -> TimeBase:
    """The rate by counting samples between stamps that rise by ``tick`` s; rises of more are
    gaps."""
    at, rises = [], []
    for start in range(0, length - 1, _BLOCK):
        steps = steps_from(start)
        changes = np.flatnonzero(steps)
        at.append(changes + start)
        rises.append(steps[changes])
    places, rise = np.concatenate(at), np.concatenate(rises)
    runs, ends = np.diff(places), np.abs(rise - tick) <= _GAP * tick - tick
    whole = ends[:-1] & ends[1:]
    mean = tick * int(whole.sum()) / int(runs[whole].sum())
    long = rise > _GAP * tick
    return TimeBase(
        rate=shortest(1 / mean, 1 / int(runs[whole].sum())),
        mean=mean,
        spread=0.0,
        digit=0.0,
        steps=length - 1,
        gaps=places[long].astype(np.int64),
        lost=rise[long] - tick,
        back=places[~(rise > 0)].astype(np.int64),
        repeated=0,
        tick=tick,
    )


def spread_out(stamps: Array, base: TimeBase) -> Array:
    """Stamps that are coarser than the samples, with each sample at its place after the stamp's
    beginning, in s; others as they are."""
    if not base.tick:
        return stamps
    starts = np.concatenate([[0], np.flatnonzero(np.diff(stamps)) + 1])
    sizes = np.diff(np.concatenate([starts, [len(stamps)]]))
    places = np.arange(len(stamps)) - np.repeat(starts, sizes)
    places[: sizes[0]] += max(0, round(base.tick / base.mean) - int(sizes[0]))
    return np.asarray(stamps + places * base.mean, dtype=np.float64)


def _no_time(
    read: Callable[[int, int], Array], length: int, where: str, file: str, first: str
) -> UserError:
    missing = sum(
        int((~np.isfinite(read(i, min(length, i + _BLOCK)))).sum())
        for i in range(0, length, _BLOCK)
    )
    return UserError(
        f"{first[0].upper()}{first[1:]} of {file} has no time",
        f"{missing} of {length} are missing in {where}",
        "correct them, or leave the column out and give the sample rate",
    )


def found(base: TimeBase, where: str, assumed: str) -> str:
    """How the rate was found, in words."""
    even = base.spread <= 1e-9 * base.mean
    if base.tick:
        return (
            f"from {where}: {assumed}stamps {base.tick:.6g} s apart that stand for "
            f"{base.tick * base.rate:.6g} samples each, so {base.rate:g} Hz"
        )
    return (
        f"from {where}: {assumed}{base.steps} steps of {base.mean * 1e3:.6g} ms, "
        + ("even" if even else f"even to {base.spread * 1e3:.2g} ms")
        + f", so {base.rate:g} Hz"
    )


_JOINED = "the samples are joined there as if nothing was missing"
_DONE: dict[tuple[str, TimeChoice], str] = {
    ("gaps", "nominal"): _JOINED,
    ("gaps", "resample"): "the samples that lack there count as missing",
    ("gaps", "cut"): "the recording is cut there",
    ("stamps", "nominal"): "they are ignored and the samples counted on at the nominal rate",
    ("stamps", "resample"): "those samples are left out",
    ("stamps", "cut"): "the recording is cut there",
    ("jitter", "nominal"): "the mean rate is used",
    ("jitter", "resample"): "the samples are interpolated onto an even grid",
    ("jitter", "cut"): "the mean rate is used",
}


def problems(base: TimeBase, choice: TimeChoice, row: Callable[[int], str]) -> list[Problem]:
    """What is wrong with the stamps, how much and where, and what was done about it."""
    told = []
    if base.tick:
        told.append(
            Problem(
                "stamps",
                f"Times are written in steps of {base.tick:.4g} s, each for "
                f"{base.tick * base.rate:.4g} samples: the rate is counted, and gaps shorter than "
                f"that do not show.",
            )
        )
    if count := len(base.gaps):
        longest = int(base.lost.argmax())
        at = row(int(base.gaps[longest]))
        lost = base.lost[longest]
        text = f"a gap of {lost:.4g} s after {at}"
        if count > 1:
            text = (
                f"{count} gaps, {base.lost.sum():.4g} s in all, the longest {lost:.4g} s after {at}"
            )
        told.append(Problem("gaps", f"The time column has {text}; {_DONE['gaps', choice]}."))
    if count := len(base.back):
        backward = count - base.repeated
        kinds = [
            f"{number} {verb}"
            for number, verb in (
                (base.repeated, "repeated" if base.repeated else ""),
                (backward, "backward"),
            )
            if number
        ]
        stamps = "stamp" if count == 1 else "stamps"
        first = "at" if count == 1 else "the first at"
        told.append(
            Problem(
                "stamps",
                f"The time column has {' and '.join(kinds)} {stamps}, {first} "
                f"{row(int(base.back[0]) + 1)}; {_DONE['stamps', choice]}.",
            )
        )
    if base.uneven:
        told.append(
            Problem(
                "jitter",
                f"Steps in the time column vary by up to {100 * base.spread / base.mean:.0f} % of "
                f"the mean; {_DONE['jitter', choice]}.",
            )
        )
    return told


def last_digit(steps: Array) -> float:
    """The smallest difference between steps that differ, at most half of the usual step; 0 for
    even steps. Steps that hardly occur are gaps, not rounding."""
    usual = float(np.median(steps))
    distinct, counts = np.unique(np.round(steps / usual, 6), return_counts=True)
    distinct = distinct[counts >= max(2, _RARE * len(steps))] * usual
    return float(min(np.diff(distinct).min(), usual / 2)) if len(distinct) > 1 else 0.0


def shortest(value: float, relative: float) -> float:
    """The number with the fewest digits within ``relative`` (at least 1e-9) of ``value``."""
    for digits in range(1, 16):
        rounded = float(f"{value:.{digits}g}")
        if abs(rounded - value) <= max(relative, 1e-9) * abs(value):
            return rounded
    return value
