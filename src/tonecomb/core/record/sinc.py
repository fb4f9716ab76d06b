"""Band-limited interpolation: a sinc under a Kaiser window.

With β = 9 flat within 0.001 dB up to 0.9 of the Nyquist frequency with 64 taps, errors of a tone
below 2e-5 up to four fifths of it with 48 (Oppenheim and Schafer, Discrete-Time Signal Processing,
7.5.3).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.recording import Array


@dataclass(frozen=True)
class Kernel:
    """``half`` taps on either side of a place, under a Kaiser window of ``beta``; taps are kept for
    so many ``places`` between two samples, and interpolated between them or those of the
    ``nearest`` taken."""

    half: int
    beta: float
    places: int
    nearest: bool = False


USUAL = Kernel(32, 9.0, 4096)
EXACT = Kernel(32, 10.5, 2048)
"""Tones up to 0.44 of the rate come out with errors of −103 dB at most."""
QUICK = Kernel(8, 7.0, 4096, nearest=True)
"""−60 dB up to 0.35 of the rate: for what only looks for lines."""


def taps(offsets: NDArray[np.floating[Any]], reach: float, beta: float = USUAL.beta) -> Array:
    """Weights of samples that lie ``offsets`` samples from the place that is wanted, taps along
    the last axis; those from ``reach`` on do not count. They add up to one."""
    inside = np.sqrt(np.clip(1 - (offsets / reach) ** 2, 0, None))
    made = np.sinc(offsets) * np.i0(beta * inside)
    return np.asarray(made / made.sum(axis=-1, keepdims=True))


@cache
def _table(kernel: Kernel) -> Array:
    """Taps for every place between two samples, shape (places + 1, taps)."""
    late = np.arange(kernel.places + 1)[:, None] / kernel.places
    offsets = np.arange(-kernel.half + 1, kernel.half + 1) - late
    return taps(offsets, kernel.half, kernel.beta)


def interpolated(
    read: Callable[[int, int], Array], length: int, places: Array, kernel: Kernel = USUAL
) -> Array:
    """Values at any places of a record of ``length`` samples, counted in samples, of the curve
    below half the rate that goes through them; ``read(start, stop)`` gives samples. Beyond its ends
    the record is turned about its end points."""
    half = kernel.half
    whole = np.round(places)
    if np.abs(places - whole).max() < 1e-9:
        first = int(whole.min())
        return np.asarray(read(first, int(whole.max()) + 1)[whole.astype(int) - first])
    base = np.floor(places).astype(int)
    low, high = int(base.min()) - half + 1, int(base.max()) + half + 1
    block = read(max(low, 0), min(high, length))
    before, after = max(-low, 0), max(high - length, 0)
    if before or after:
        if len(block) > max(before, after):
            block = np.pad(block, (before, after), mode="reflect", reflect_type="odd")
        else:
            block = np.pad(block, (before, after), mode="edge")
    around = block[(base - low)[:, None] + np.arange(-half + 1, half + 1)]
    at = (places - base) * kernel.places
    if kernel.nearest:
        near: Array = np.einsum("ij,ij->i", around, _table(kernel)[np.round(at).astype(int)])
        return near
    left = np.minimum(at.astype(int), kernel.places - 1)
    share, known = (at - left)[:, None], _table(kernel)
    result: Array = np.einsum(
        "ij,ij->i", around, (1 - share) * known[left] + share * known[left + 1]
    )
    return result
