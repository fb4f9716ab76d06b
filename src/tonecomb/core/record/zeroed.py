"""Single samples that are exactly zero where their neighbours are not, more of them than chance
makes: a recorder wrote them for samples that it lost."""

from __future__ import annotations

import numpy as np

from tonecomb.core.record.recording import Array

_NEAR = 1e-3  # of the rms: values so near to zero tell how often a sample is zero by chance
_LEAST, _SURE = 3, 6.0  # such samples; standard deviations by which they are too many
_MOST = 100  # places that are kept


class ZeroedSamples:
    """Looks for them block by block."""

    def __init__(self) -> None:
        self.zeros, self.chance = 0, 0.0
        self.coarse = False
        self.places: list[int] = []

    def take(self, start: int, samples: Array) -> None:
        """Look at samples that begin with number ``start``."""
        zero = samples == 0
        alone = np.flatnonzero(zero[1:-1] & ~zero[:-2] & ~zero[2:]) + 1
        if not alone.size:
            return
        size = np.abs(samples)
        limit = _NEAR * float(np.sqrt(np.nanmean(samples * samples)))
        least = float(np.min(size, where=size > 0, initial=np.inf))
        if least <= limit:
            near = int(((size > 0) & (size <= limit)).sum())
            self.chance += near * least / (2 * limit)
        self.coarse |= not least <= limit
        self.zeros += len(alone)
        self.places = [*self.places, *(start + alone).tolist()][:_MOST]

    def add(self, later: ZeroedSamples) -> None:
        """What was seen in later samples as well."""
        self.zeros += later.zeros
        self.chance += later.chance
        self.coarse |= later.coarse
        self.places = [*self.places, *later.places][:_MOST]

    @property
    def count(self) -> int:
        """How many there are, 0 where chance makes as many: as there are values about zero, of
        which one in so many is zero as there are steps, none smaller than the least value. A coarse
        record tells nothing."""
        least = max(_LEAST, self.chance + _SURE * np.sqrt(self.chance + 1))
        return self.zeros if self.zeros >= least and not self.coarse else 0
