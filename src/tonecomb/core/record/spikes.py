"""Single samples that stand apart from their neighbours as no others do: a fault of the recorder.

What is looked at is how far a sample lies off the middle of its two neighbours, less how far those
are apart: a step is none. The largest of these are spikes where they are many times the next: of
noise, even with heavy tails, the largest of many values is hardly ever so far from those that
follow it, and what rings after a hit goes on.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.recording import Array

_MOST, _KEPT = 8, 64  # spikes; and largest deviations that are kept of a stretch
_TIMES = 8.0  # the next, that they are
_NEAR = 2  # samples about a spike, whose deviations are its


class SpikeSearch:
    """Looks for them block by block; ``places`` and ``sizes`` are of the largest deviations."""

    def __init__(self) -> None:
        self.places: NDArray[np.int_] = np.zeros(0, dtype=int)
        self.sizes: Array = np.zeros(0)

    def take(self, start: int, samples: Array) -> None:
        """Look at samples that begin with number ``start``."""
        if len(samples) < 3:
            return
        off = samples[1:-1] - samples[:-2]
        off += samples[1:-1]
        off -= samples[2:]
        np.abs(off, out=off)
        off -= np.abs(samples[2:] - samples[:-2])
        some = min(_KEPT, len(off))
        largest = np.argpartition(off, len(off) - some)[len(off) - some :]
        self._keep(start + 1 + largest, off[largest] / 2)

    def add(self, later: SpikeSearch) -> None:
        """What was seen in other samples as well."""
        self._keep(later.places, later.sizes)

    def _keep(self, places: NDArray[np.int_], sizes: Array) -> None:
        good = np.isfinite(sizes)
        places = np.concatenate([self.places, places[good]])
        sizes = np.concatenate([self.sizes, sizes[good]])
        order = np.argsort(-sizes, kind="stable")[:_KEPT]
        self.places, self.sizes = places[order], sizes[order]

    def found(self) -> tuple[int, ...]:
        """Numbers of the samples, rising; none where the largest are like the next."""
        apart: list[tuple[int, float]] = []
        for place, size in zip(self.places.tolist(), self.sizes.tolist(), strict=True):
            if all(abs(place - other) > _NEAR for other, _ in apart):
                apart.append((place, size))
        for count in range(1, min(_MOST, len(apart) - 1) + 1):
            if apart[count - 1][1] > _TIMES * apart[count][1] > 0:
                return tuple(sorted(place for place, _ in apart[:count]))
        return ()
