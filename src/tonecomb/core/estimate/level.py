"""The rms of a stretch from its samples, and whether frames under a window can stand for it.

Windows give the first and the last half of a frame hardly any weight, and each frame loses its own
mean: what is loud at an end, or slower than a frame, is missing in an average of frames.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import Detrend
from tonecomb.core.progress import Progress, part
from tonecomb.core.record.recording import Array
from tonecomb.core.spread import Read, StretchRead, Tell, spread

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


def stretch_level(
    read: Read, framing: Framing, detrend: Detrend, progress: Progress
) -> StretchLevel:
    """The level of the samples that take part: of all in the stretch, or where frames are left out
    of those that a frame holds. Samples that are no number do not count."""
    if framing.kept is None:
        runs = [(0, framing.length)]
    else:
        held = [(a * framing.hop, (b - 1) * framing.hop + framing.frame) for a, b in framing.runs]
        runs = _apart(held)
    first, last = runs[0][0], runs[-1][1]
    half = min(framing.frame // 2, (last - first) // 2)
    end = max(last - half - (framing.length - framing.covered if framing.kept is None else 0), half)
    begins = read(first, min(first + _NEAR, last))
    finite = begins[np.isfinite(begins)]
    look = _Sums((first + last) / 2, float(finite[0]) if len(finite) else 0.0)
    total, head, tail = np.zeros(6), np.zeros(6), np.zeros(6)
    for a, b in runs:
        edges = sorted({a, b, *(one for one in (first + half, end) if a < one < b)})
        for low, high in pairwise(edges):
            share = part(progress, (low - first) / (last - first), (high - first) / (last - first))
            sums = _Sums(look.middle - low, look.shift)
            own = spread(_from(read, low), sums, high - low, 1, share)
            total += own
            if high <= first + half:
                head += own
            elif low >= end:
                tail += own
    rms = _about(total, *_line(total, detrend, look.shift))
    count = float(head[0] + tail[0])
    if not count:
        return StretchLevel(rms)
    squares = [one[0] * _about(one, *_line(one, "mean", 0.0)) ** 2 for one in (head, tail)]
    return StretchLevel(rms, math.sqrt(sum(squares) / count), count / float(total[0]))


def _from(read: Read, start: int) -> Read:
    """The same from a sample on."""
    if isinstance(read, StretchRead):
        return StretchRead(read.signal, read.channel, read.start + start)
    return lambda first, last: read(start + first, start + last)


def level_of(samples: Array, detrend: Detrend) -> StretchLevel:
    """The same of few samples, shape (samples,), which are one frame."""
    sums = _Sums((len(samples) - 1) / 2, float(samples[0]))
    total = sums(lambda a, b: samples[a:b], 0, len(samples), lambda done: None)
    return StretchLevel(_about(total, *_line(total, detrend, sums.shift)))


def _apart(runs: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Runs of samples, those that overlap or touch as one."""
    joined = [runs[0]]
    for a, b in runs[1:]:
        if a <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(b, joined[-1][1]))
        else:
            joined.append((a, b))
    return joined


@dataclass(frozen=True)
class _Sums:
    """How many samples there are, and Σ of u, u², t, t², t·u: of samples u about ``shift``, at
    numbers t from ``middle`` on. Shape (6,)."""

    middle: float
    shift: float

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> Array:
        samples, sums = read(first, last), np.zeros(6)
        for at in range(0, len(samples), _NEAR):
            x = samples[at : at + _NEAR]
            t = np.arange(first + at, first + at + len(x)) - self.middle
            if not math.isfinite(float(x.sum())):
                good = np.isfinite(x)
                x, t = x[good], t[good]
            u = x - self.shift
            sums += np.array([len(u), u.sum(), u @ u, t.sum(), t @ t, t @ u])
        tell(last - first)
        return sums

    def join(self, parts: Iterable[Array]) -> Array:
        return np.sum(list(parts), axis=0)


def _line(sums: Array, detrend: Detrend, shift: float) -> tuple[float, float]:
    """What is taken off u: the level where t is 0, and the slope."""
    count, u, _, t, tt, tu = sums
    if not count or detrend == "none":
        return -shift, 0.0
    spread_ = tt - t * t / count
    slope = (tu - t * u / count) / spread_ if detrend == "line" and spread_ > 0 else 0.0
    return (u - slope * t) / count, slope


def _about(sums: Array, level: float, slope: float) -> float:
    """Rms of u about a line."""
    count, u, uu, t, tt, tu = sums
    square = (
        uu - 2 * level * u - 2 * slope * tu + level * level * count + 2 * level * slope * t
        + slope * slope * tt
    )  # fmt: skip
    return math.sqrt(max(square / count, 0.0)) if count else 0.0
