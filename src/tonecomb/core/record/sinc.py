"""Band-limited interpolation: a sinc under a Kaiser window with β = 9.

Flat within 0.001 dB up to 0.9 of the Nyquist frequency with 64 taps, errors of a tone below 2e-5
up to four fifths of it with 48 (Oppenheim and Schafer, Discrete-Time Signal Processing, 7.5.3).
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.recording import Array

_BETA = 9.0  # of the Kaiser window: −90 dB beside the band
_HALF = 32  # taps on either side of a place
_PLACES = 4096  # between two samples, for which taps are kept; between them errors are below 3e-8


def taps(offsets: NDArray[np.floating[Any]], reach: float) -> Array:
    """Weights of samples that lie ``offsets`` samples from the place that is wanted, taps along
    the last axis; those from ``reach`` on do not count. They add up to one."""
    inside = np.sqrt(np.clip(1 - (offsets / reach) ** 2, 0, None))
    made = np.sinc(offsets) * np.i0(_BETA * inside)
    return np.asarray(made / made.sum(axis=-1, keepdims=True))


@cache
def _table() -> Array:
    """Taps for every place between two samples, shape (places + 1, taps)."""
    late = np.arange(_PLACES + 1)[:, None] / _PLACES
    return taps(np.arange(-_HALF + 1, _HALF + 1) - late, _HALF)


def interpolated(read: Callable[[int, int], Array], length: int, places: Array) -> Array:
    """Values at any places of a record of ``length`` samples, counted in samples, of the curve
    below half the rate that goes through them; ``read(start, stop)`` gives samples. Beyond its ends
    the record is turned about its end points."""
    whole = np.round(places)
    if np.abs(places - whole).max() < 1e-9:
        first = int(whole.min())
        return np.asarray(read(first, int(whole.max()) + 1)[whole.astype(int) - first])
    base = np.floor(places).astype(int)
    low, high = int(base.min()) - _HALF + 1, int(base.max()) + _HALF + 1
    block = read(max(low, 0), min(high, length))
    before, after = max(-low, 0), max(high - length, 0)
    if before or after:
        if len(block) > max(before, after):
            block = np.pad(block, (before, after), mode="reflect", reflect_type="odd")
        else:
            block = np.pad(block, (before, after), mode="edge")
    around = block[(base - low)[:, None] + np.arange(-_HALF + 1, _HALF + 1)]
    at = (places - base) * _PLACES
    left = np.minimum(at.astype(int), _PLACES - 1)
    share, known = (at - left)[:, None], _table()
    result: Array = np.einsum(
        "ij,ij->i", around, (1 - share) * known[left] + share * known[left + 1]
    )
    return result
