"""A spectrum whose frames are followed while they are averaged: one pass over the stretch for both.

Which bins are to be kept is known only when all frames are averaged. It is expected from a few of
them, from all over the stretch; what is missing then is gathered where it is needed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, part
from tonecomb.core.estimate.followed import Followed, FollowedBins, Room
from tonecomb.core.estimate.framing import Framing, effective_averages
from tonecomb.core.estimate.level import StretchLevel, stretch_level
from tonecomb.core.estimate.spectrum import (
    Bins,
    Spectrum,
    SumOfSquares,
    Sums,
    averaged_spectrum,
    spectrum_of,
)
from tonecomb.core.record.parallel import Read, Tell, spread
from tonecomb.core.record.windows import window

WORTH_IT = 1024
"""Frames from which on a few tell what to expect of all."""
_RUNS, _OF_EACH = 64, 4  # frames of which that is expected

Expect = Callable[[Spectrum, int], NDArray[np.int_]]
"""Which bins are to be kept of so many frames, from the spectrum of a few."""


def averaged_and_followed(
    read: Read, framing: Framing, fs: float, averages: float, expect: Expect, progress: Progress
) -> tuple[Spectrum, Followed]:
    """The mean of the spectra of all frames, Hann, without their mean, as ``averaged_spectrum`` has
    it; and the frames one by one."""
    taper = window("hann")
    weights, few = taper.samples(framing.frame), framing.sample(_RUNS, _OF_EACH)
    worth = effective_averages(few, taper.name)
    first = averaged_spectrum(
        read, few, fs, taper, averages=worth, progress=part(progress, 0, few.count / framing.count)
    )
    sums = SumOfSquares.of(read, framing, fs, weights, framing.frame, "mean")
    follow = FollowedBins(framing, fs, expect(first, framing.count), float(first.mean_square.max()))
    work = _Both(sums, follow, math.sqrt(2.0) / float(weights.sum()))
    progress = part(progress, few.count / framing.count, 1)
    (total, summed), followed = spread(read, work, framing.count, framing.cost, progress)

    def level() -> StretchLevel:
        return stretch_level(read, framing, "mean", summed)

    return spectrum_of(total, level, framing, fs, weights, framing.frame, averages), followed


_Made = tuple[Sums, Followed]


@dataclass(frozen=True, eq=False)
class _Both:
    """Σ|X|² over frames, and the frames followed; a tone's root mean square is ``scale`` |X|."""

    sums: SumOfSquares
    follow: FollowedBins
    scale: float

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> _Made:
        room = Room(self.follow, first, last - first)

        def take(bins: Bins) -> None:
            room.take(bins, self.scale)

        total = self.sums.summed(read, first, last, tell, take)
        return total, room.found()

    def join(self, parts: Iterable[_Made]) -> _Made:
        sums = _Summed(self.sums)
        followed = self.follow.join(sums.rest(parts))
        return sums.total, followed


class _Summed:
    """Adds up the first of each part, as it comes, and lets the rest pass."""

    def __init__(self, work: SumOfSquares) -> None:
        self._work = work
        self.total: Sums = (np.zeros(0), np.zeros(6))

    def rest(self, parts: Iterable[_Made]) -> Iterator[Followed]:
        for number, (total, followed) in enumerate(parts):
            self.total = self._work.join([self.total, total]) if number else total
            yield followed
