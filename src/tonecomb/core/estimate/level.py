"""The rms of a stretch from its samples, and whether frames under a window can stand for it.

Windows give the first and the last half of a frame hardly any weight, and each frame loses its own
mean: what is loud at an end, or slower than a frame, is missing in an average of frames.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.record.parallel import Read, Tell, spread
from tonecomb.core.record.recording import Array

Detrend = Literal["none", "mean", "line"]
_READ = 1 << 20  # samples read at once
_NEAR = 1 << 15  # samples that stay near while they are added up


@dataclass(frozen=True)
class StretchLevel:
    """``rms`` of the samples of a stretch, detrended as a whole, in the channel's unit; ``ends``
    that of the first and the last half of a frame (and what no frame holds), each about its own
    mean, which are ``share`` of all samples."""

    rms: float
    ends: float = 0.0
    share: float = 0.0

    def with_even_weights(self, frames: float) -> float:
        """What the ``frames``, of this rms, would have if the ends counted like the rest."""
        return math.sqrt((1 - self.share) * frames**2 + self.share * self.ends**2)


@dataclass(frozen=True)
class LevelSums:
    """How many samples the frames hold, and Σ of u, u², t, t², t·u, shape (6,): of samples u about
    ``shift``, at numbers t from the stretch's middle on. The last three are 0 where no line is
    taken off. A sample that several frames hold counts with the last of them."""

    framing: Framing
    detrend: Detrend
    shift: float

    @classmethod
    def of(cls, read: Read, framing: Framing, detrend: Detrend) -> LevelSums:
        """About the first sample, so that a large offset does not eat the digits."""
        start = framing.runs[0][0] * framing.hop
        first = float(read(start, start + 1)[0])
        return cls(framing, detrend, first if math.isfinite(first) else 0.0)

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> Array:
        total = np.zeros(6)
        for numbers in self.framing.blocks(_READ, first, last):
            start, stop = self.own(numbers)
            total += self.add(read(start, stop), start)
            tell(len(numbers))
        return total

    def join(self, parts: Iterable[Array]) -> Array:
        result: Array = np.sum(list(parts), axis=0)
        return result

    def own(self, numbers: range) -> tuple[int, int]:
        """First sample of those that count with frames that follow each other, and the one after
        the last."""
        framing, after = self.framing, numbers[-1] + 1
        end = (after - 1) * framing.hop + framing.frame
        later = [max(first, after) for first, stop in framing.runs if stop > after]
        return numbers[0] * framing.hop, min([end, *(first * framing.hop for first in later[:1])])

    def add(self, samples: Array, start: int) -> Array:
        """The sums of samples that begin with number ``start``; what is no number does not
        count."""
        total, near = np.zeros(6), np.empty(min(_NEAR, len(samples)))
        with np.errstate(over="ignore", invalid="ignore"):  # told once, of the spectrum
            for at in range(0, len(samples), _NEAR):
                x = samples[at : at + _NEAR]
                u = np.subtract(x, self.shift, out=near[: len(x)])
                t = None
                if self.detrend == "line":
                    t = np.arange(start + at, start + at + len(u)) - self.framing.length / 2
                if not math.isfinite(float(u.sum())):
                    good = np.isfinite(u)
                    u, t = u[good], None if t is None else t[good]
                total[:3] += np.array([len(u), u.sum(), u @ u])
                if t is not None:
                    total[3:] += np.array([t.sum(), t @ t, t @ u])
        return total

    def rms(self, sums: Array, detrend: Detrend) -> float:
        """Of samples that were added up, about what is taken off them."""
        count, u, uu, t, tt, tu = sums
        if not count:
            return 0.0
        if detrend == "none":
            level, slope = -self.shift, 0.0
        else:
            across = tt - t * t / count
            slope = (tu - t * u / count) / across if detrend == "line" and across > 0 else 0.0
            level = (u - slope * t) / count
        square = uu - 2 * level * u + level * level * count
        square += slope * (slope * tt + 2 * level * t - 2 * tu)
        return math.sqrt(max(square / count, 0.0))


def stretch_level(
    read: Read,
    framing: Framing,
    detrend: Detrend,
    summed: Array | None = None,
    progress: Progress = silent,
) -> StretchLevel:
    """The level of the samples that take part: of all in the stretch, or where frames are left out
    of those that a frame holds. ``summed`` is what :class:`LevelSums` makes of all frames, where
    that is known. Samples that are no number do not count."""
    sums = LevelSums.of(read, framing, detrend)
    if summed is None:
        summed = spread(read, sums, framing.count, framing.cost, progress)
    first = framing.runs[0][0] * framing.hop
    held = (framing.runs[-1][1] - 1) * framing.hop + framing.frame
    last = framing.length if framing.kept is None else held
    half = min(framing.frame // 2, (held - first) // 2)
    over = sums.add(read(held, last), held)
    start, end = sums.add(read(first, first + half), first), sums.add(read(held - half, held), held)
    pieces = (start, end + over)
    rms, count = sums.rms(summed + over, detrend), float(sum(one[0] for one in pieces))
    if not count:
        return StretchLevel(rms)
    squares = sum(one[0] * sums.rms(one, "mean") ** 2 for one in pieces)
    return StretchLevel(rms, math.sqrt(squares / count), count / float(summed[0] + over[0]))
