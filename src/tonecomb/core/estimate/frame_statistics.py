"""How the frames of a stretch differ from one another.

A record may change while it is averaged. What its average is worth then follows from the frames
themselves: with gₖ the level of the noise in frame k, in a neighbourhood of bins, and ρₘ the
correlation of two frames m apart, the mean of the frames has the scatter of

    ν = (Σ gₖ)² / Σₖₗ ρ²₍ₖ₋ₗ₎ gₖ gₗ

independent ones (Welch 1967 for frames that differ in level).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.followed import (
    AROUND,
    CELL,
    LEVEL_QUANTILE,
    MOST_POWERS,
    Followed,
    FollowedBins,
    kept_bins,
)
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.record.parallel import Read, spread
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import overlap_correlation

_AT_ONCE = 64  # cells
_STEADY = 0.88  # of the nominal number of averages above which the noise counts as steady
ENBW = 1.5  # of the Hann window, bins


def line_offset(
    left: NDArray[np.complex64], middle: NDArray[np.complex64], right: NDArray[np.complex64]
) -> Array:
    """How far a line is from its highest bin, in bins, from three neighbours of a Hann frame about
    its centre: 2(X₊−X₋)/(2X₀+X₊+X₋), exact for a lone line. 0 where all are zero."""
    total = 2 * middle + left + right
    with np.errstate(divide="ignore", over="ignore", invalid="ignore"):
        return np.asarray(np.nan_to_num(np.real(2 * (right - left) / total)), dtype=np.float64)


@dataclass(frozen=True, eq=False)
class Courses:
    """``levels`` is the noise's mean square per bin of each frame and group of so many bins
    ``sharing`` a level (unit², shape (frames, groups)), ``powers`` that of all there is, of every
    :attr:`step` th frame and cell of :data:`CELL` bins; ``worth`` the
    number of independent frames that the mean is worth at each bin, and ``alike`` the mean over
    the frames of each frame's square over its level, in which loud frames count no more than
    others, both of shape (bins,) of a frame without padding. ``bins`` are the numbers of those
    that are kept whole, rising, and ``lines`` what they hold: complex values about each frame's
    centre, of which the squared magnitude is the mean square of a tone there (unit², shape
    (frames, kept)). ``share`` is what each frame stands for, of all frames together: those at the
    ends count for what lies beyond their centre."""

    framing: Framing
    bin_hz: float
    nominal: float
    levels: NDArray[np.float32]
    powers: NDArray[np.float32]
    worth: Array
    alike: Array
    bins: NDArray[np.int_]
    lines: NDArray[np.complex64]
    share: Array
    sharing: int

    @property
    def step(self) -> int:
        """Of so many frames one has its powers: more tell little more of what changes."""
        return max(1, self.framing.count // MOST_POWERS)

    def level(self, bin_number: int) -> Array:
        """Level of the noise about a bin in each frame, unit², shape (frames,)."""
        cell = min(bin_number // self.sharing, self.levels.shape[1] - 1)
        return np.asarray(self.levels[:, cell])

    def around(self, first: int, last: int) -> tuple[int, int]:
        """The kept columns of the bins from ``first`` to ``last``, as far as they are kept."""
        a, b = np.searchsorted(self.bins, [first, last + 1])
        return int(a), int(b)


def follow_frames(
    read: Read,
    spectrum: Spectrum,
    floor: Array,
    fs: float,
    out: float = 3.0,
    progress: Progress = silent,
) -> Followed:
    """Pass over the frames of a spectrum. ``floor`` is the noise's mean square per bin of that
    spectrum, shape (bins,): what stands ``out`` times above it is kept."""
    framing = spectrum.framing
    pad, bins = round(spectrum.frame_hz / spectrum.bin_hz), framing.frame // 2 + 1
    power = spectrum.mean_square[::pad][:bins]
    kept = kept_bins(power, floor[::pad][:bins], framing.count, out)
    work = FollowedBins(framing, fs, kept, float(power.max()))
    return spread(read, work, framing.count, framing.cost, progress)


def courses_of(followed: Followed, spectrum: Spectrum, nominal: float) -> Courses:
    """What the frames of a spectrum tell. ``nominal`` is how many averages they would be worth if
    their level were the same."""
    framing = spectrum.framing
    bins = framing.frame // 2 + 1
    worth = np.repeat(_worth(followed.levels, framing, nominal), followed.sharing)
    worth = np.concatenate([worth, np.full(max(bins - len(worth), 0), worth[-1])])[:bins]
    return Courses(
        framing,
        spectrum.frame_hz,
        nominal,
        followed.levels,
        followed.powers,
        worth,
        followed.alike / framing.count,
        followed.bins,
        followed.lines,
        _shares(framing),
        followed.sharing,
    )


def _worth(levels: NDArray[np.float32], framing: Framing, nominal: float) -> Array:
    """ν of each cell, never more than ``nominal``, shape (cells,)."""
    count = framing.count
    correlation = overlap_correlation("hann", framing.frame, framing.hop)
    # A quantile of so many bins scatters: part of what the levels seem to change is that.
    seen = min(CELL * (2 * AROUND + 1), framing.frame / 2) / 1.9
    scatter = LEVEL_QUANTILE / (1 - LEVEL_QUANTILE) / (np.log(1 - LEVEL_QUANTILE) ** 2 * seen)
    squares = _product(levels, levels) / (1 + scatter)
    even = float(count)
    for m, r in enumerate(correlation, start=1):
        if m >= framing.places:
            break
        pairs = np.searchsorted(framing.numbers, framing.pairs(m))
        later = np.searchsorted(framing.numbers, framing.numbers[pairs] + m)
        both = _lagged(levels, pairs, later) / (1 + scatter * r * r)
        squares = squares + 2 * r * r * both
        even += 2 * r * r * len(pairs)
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = np.sum(levels, axis=0, dtype=np.float64) ** 2 / squares / (count**2 / even)
    ratio = np.where(np.isfinite(ratio), ratio, 1.0)
    return np.where(ratio > _STEADY, nominal, np.maximum(ratio * nominal, 1.0))


def _product(one: NDArray[np.float32], other: NDArray[np.float32]) -> Array:
    """Σ over the frames of the product, shape (cells,)."""
    return np.asarray(np.einsum("fc,fc->c", one, other, dtype=np.float64))


def _lagged(levels: NDArray[np.float32], some: NDArray[np.int_], others: NDArray[np.int_]) -> Array:
    """Σ of the products of some frames with others, a few cells at a time: copies of all would be
    as large as what there is. Shape (cells,)."""
    parts = (levels[:, a : a + _AT_ONCE] for a in range(0, levels.shape[1], _AT_ONCE))
    return np.concatenate([_product(part[some], part[others]) for part in parts])


def _shares(framing: Framing) -> Array:
    """The part of the stretch that each frame stands for, shape (frames,), sum 1: between the
    middles of the gaps to its neighbours, and to the ends of the stretch."""
    share = np.full(framing.count, float(framing.hop))
    beyond = (framing.frame - framing.hop) / 2
    share[0] += beyond
    share[-1] += framing.length - (framing.places - 1) * framing.hop - framing.frame + beyond
    result: Array = share / share.sum()
    return result
