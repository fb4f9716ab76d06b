"""Samples that are what they are because a recorder stopped, or has too few steps."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.runs import runs_of
from tonecomb.core.record.recording import Array

_EQUAL = 8  # samples in a row from which they are held
_SILENCE = 1000  # zeros in a row that are silence, and no dropout
_JUMP = 1.5  # times the smallest step from sample to sample, that such a run begins or ends with
_OF_USUAL = 0.1  # and times the usual one
_VALUES = 256  # different values from which a record is not coarse
_MOST = 100  # places that are kept
_LOOKED = 1 << 16  # samples of a block whose values are counted


@dataclass(frozen=True)
class Held:
    """``runs`` of equal samples and how many ``samples`` they hold, with the ``places`` (first,
    and one after the last) of the first of them; ``step`` is the distance of a coarse record's
    values, 0 where it is not coarse; ``silent`` are places of zeros, too long for a gap."""

    runs: int = 0
    samples: int = 0
    places: tuple[tuple[int, int], ...] = ()
    step: float = 0.0
    silent: tuple[tuple[int, int], ...] = ()


def _in_a_row(true: NDArray[np.bool_], count: int) -> bool:
    """Whether so many neighbours are true: each turn asks for twice as many, of ever fewer."""
    have = 1
    while have < count and true.any():
        step = min(have, count - have)
        true = true[step:] & true[:-step]
        have += step
    return bool(true.any())


class HeldSamples:
    """Looks for them block by block."""

    def __init__(self) -> None:
        self.runs = self.samples = 0
        self.places: list[tuple[int, int]] = []
        self.zeros: list[tuple[int, int]] = []
        self.values: Array | None = np.zeros(0)

    def take(self, start: int, samples: Array) -> None:
        """Look at samples that begin with number ``start``."""
        if self.values is not None:
            several = np.union1d(self.values, samples[:_LOOKED][np.isfinite(samples[:_LOOKED])])
            self.values = several if len(several) <= _VALUES else None
        equal = samples[1:] == samples[:-1]
        if not _in_a_row(equal, _EQUAL - 1):
            return
        runs = runs_of(equal)
        runs = runs[runs[:, 1] - runs[:, 0] >= _EQUAL - 1]
        self._take_zeros(start, samples, runs)
        change = np.abs(np.diff(samples))
        moving = change[change > 0]
        if not len(moving):
            return
        # More than the smallest step, by which a slow signal of few steps goes on.
        usual = max(_JUMP * float(moving.min()), _OF_USUAL * float(np.median(moving)))
        low, high = float(np.nanmin(samples)), float(np.nanmax(samples))
        padded = np.concatenate([[0.0], change, [0.0]])
        for a, b in runs.tolist():
            # What stands at the extremes is a limit, and no gap.
            jump = max(padded[a], padded[b + 1])
            if samples[a] == 0 and b - a >= _SILENCE:
                continue  # nothing was there to record
            if jump > usual and low < samples[a] < high:
                self.runs += 1
                self.samples += b - a + 1
                if len(self.places) < _MOST:
                    self.places.append((start + a, start + b + 1))

    def _take_zeros(self, start: int, samples: Array, runs: NDArray[np.int_]) -> None:
        """Keep runs of zeros that are silence, or may be with what lies beyond the block."""
        last = len(samples)
        silent = [
            (start + a, start + b + 1)
            for a, b in runs.tolist()
            if samples[a] == 0 and (b - a >= _SILENCE or a == 0 or b + 1 == last)
        ]
        self.zeros = _joined([*self.zeros, *silent])

    def add(self, later: HeldSamples) -> None:
        """What was seen in later samples as well."""
        self.runs += later.runs
        self.samples += later.samples
        self.places = (self.places + later.places)[:_MOST]
        self.zeros = _joined([*self.zeros, *later.zeros])
        if self.values is None or later.values is None:
            self.values = None
        else:
            several = np.union1d(self.values, later.values)
            self.values = several if len(several) <= _VALUES else None

    def found(self) -> Held:
        """What was seen."""
        step = 0.0
        if self.values is not None and len(self.values) > 2:
            gaps = np.diff(self.values)
            least = float(gaps.min())
            whole = np.abs(gaps / least - np.round(gaps / least)).max() < 0.01
            step = least if whole and math.isfinite(least) else 0.0
        silent = tuple((a, b) for a, b in self.zeros if b - a >= _SILENCE)
        return Held(self.runs, self.samples, tuple(self.places), step, silent)


def _joined(runs: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Runs that rise, those that touch made one: a block may end with too few to be seen."""
    joined: list[tuple[int, int]] = []
    for first, stop in runs:
        if joined and first <= joined[-1][1] + _EQUAL:
            joined[-1] = (joined[-1][0], stop)
        else:
            joined.append((first, stop))
    return joined
