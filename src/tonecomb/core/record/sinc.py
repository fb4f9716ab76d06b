"""Band-limited interpolation: a sinc under a Kaiser window with β = 9.

Flat within 0.001 dB up to 0.9 of the Nyquist frequency with 64 taps, errors of a tone below 2e-5
up to four fifths of it with 48 (Oppenheim and Schafer, Discrete-Time Signal Processing, 7.5.3).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.recording import Array

_BETA = 9.0


def taps(offsets: NDArray[np.floating[Any]], reach: float) -> Array:
    """Weights of samples that lie ``offsets`` samples from the place that is wanted, taps along
    the last axis; those from ``reach`` on do not count. They add up to one."""
    inside = np.sqrt(np.clip(1 - (offsets / reach) ** 2, 0, None))
    made = np.sinc(offsets) * np.i0(_BETA * inside)
    return np.asarray(made / made.sum(axis=-1, keepdims=True))
