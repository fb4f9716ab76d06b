"""One look over a stretch: its level as it goes, its offset, and where it is clipped."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.dropouts import Held, HeldSamples
from tonecomb.core.record.parallel import Read, StretchRead, Tell, spread
from tonecomb.core.record.pyramid import Cells, cells_of, joined
from tonecomb.core.record.recording import Array
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.spikes import SpikeSearch
from tonecomb.core.record.zeroed import ZeroedSamples

_PARTS = 16  # of a record that are held against each other
_NEAR = 1 << 15  # samples that stay near while they are added up


@dataclass(frozen=True, eq=False)
class Survey:
    """``levels`` holds the rms about its mean of each sixteenth of the stretch, ``mean`` and
    ``rms`` (about the mean) are those of all; ``clipped`` counts samples at the limits, and
    ``first_clipped`` is the time in s of the first, None where there is none; ``held`` what is
    known of equal samples, and ``spikes`` are the numbers of samples that stand apart; ``means``
    are those of the sixteenths, and ``zeroed`` how many single samples are zero beyond chance, the
    first of them at the numbers ``zeroed_at``."""

    levels: Array
    mean: float
    rms: float
    clipped: int
    first_clipped: float | None
    held: Held
    spikes: tuple[int, ...] = ()
    means: Array = field(default_factory=lambda: np.zeros(0))
    zeroed: int = 0
    zeroed_at: tuple[int, ...] = ()


def survey(
    signal: Signal, channel: int, start: int, stop: int, progress: Progress = silent
) -> Survey:
    """Read the samples from ``start`` to ``stop`` once, and again where they may be clipped."""
    length = stop - start
    read = StretchRead(signal, channel, start)
    first = float(read(0, 1)[0]) if length else 0.0
    look = _Look(length, first if math.isfinite(first) else 0.0)
    seen = spread(read, look, length, 1, progress)
    built = seen.cells.pyramid(length)
    runs = clipped(read, built)
    sizes = np.maximum(np.diff(look.edges), 1)
    levels = np.sqrt(np.maximum(seen.squares / sizes - (seen.sums / sizes) ** 2, 0.0))
    mean = float(seen.sums.sum()) / length
    rms = math.sqrt(max(float(seen.squares.sum()) / length - mean * mean, 0.0))
    return Survey(
        levels=levels,
        mean=mean + look.shift,
        rms=rms,
        clipped=sum(b - a for a, b in runs),
        first_clipped=runs[0][0] / signal.rate if runs else None,
        held=seen.held.found(),
        spikes=seen.spikes.found(),
        means=seen.sums / sizes + look.shift,
        zeroed=seen.zeroed.count,
        zeroed_at=tuple(seen.zeroed.places),
    )


@dataclass(frozen=True, eq=False)
class _Seen:
    """Of some samples: the pyramid's cells, Σ and Σ² of each sixteenth about the shift, equal ones,
    what stands apart, and single zeros."""

    cells: Cells
    sums: Array
    squares: Array
    held: HeldSamples
    spikes: SpikeSearch
    zeroed: ZeroedSamples


@dataclass(frozen=True)
class _Look:
    """Looks over a stretch of so many samples, about ``shift``."""

    length: int
    shift: float

    @property
    def edges(self) -> Array:
        """First numbers of the sixteenths, and the last."""
        return np.linspace(0, self.length, _PARTS + 1).astype(int)

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> _Seen:
        samples = read(first, last)
        sums, squares, held = np.zeros(_PARTS), np.zeros(_PARTS), HeldSamples()
        held.take(first, samples)
        spikes, zeroed = SpikeSearch(), ZeroedSamples()
        spikes.take(first, samples)
        zeroed.take(first, samples)
        cells, edges = cells_of(samples, first, self.length), self.edges
        holes = cells.missing or cells.infinite
        finite = np.where(np.isfinite(samples), samples, 0.0) if holes else samples
        near = np.empty(_NEAR)
        for k in range(_PARTS):
            a, b = max(edges[k], first), min(edges[k + 1], last)
            for at in range(a, b, _NEAR):
                x = near[: min(_NEAR, b - at)]
                np.subtract(finite[at - first : at - first + len(x)], self.shift, out=x)
                sums[k] += x.sum()
                squares[k] += x @ x
        tell(last - first)
        return _Seen(cells, sums, squares, held, spikes, zeroed)

    def join(self, parts: Iterable[_Seen]) -> _Seen:
        cells, sums, squares, held = [], np.zeros(_PARTS), np.zeros(_PARTS), HeldSamples()
        spikes, zeroed = SpikeSearch(), ZeroedSamples()
        for one in parts:
            cells.append(one.cells)
            sums += one.sums
            squares += one.squares
            held.add(one.held)
            spikes.add(one.spikes)
            zeroed.add(one.zeroed)
        return _Seen(joined(cells), sums, squares, held, spikes, zeroed)
