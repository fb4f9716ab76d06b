"""Numbers drawn by chance that are the same whichever part of them is wanted first."""

from __future__ import annotations

import numpy as np

from tonecomb.core.record.recording import Array

BLOCK = 1 << 16
"""Numbers that are drawn together."""


def normal(seed: tuple[int, ...], start: int, stop: int) -> Array:
    """Numbers ``start`` to ``stop`` (not included) of a row of independent ones, with mean 0 and
    variance 1, that belongs to ``seed``."""
    if stop <= start:
        return np.zeros(0)
    parts = []
    for number in range(start // BLOCK, (stop - 1) // BLOCK + 1):
        drawn = np.random.default_rng((*seed, number)).standard_normal(BLOCK)
        parts.append(drawn[max(start - number * BLOCK, 0) : stop - number * BLOCK])
    return np.concatenate(parts)
