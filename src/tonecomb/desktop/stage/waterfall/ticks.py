"""Round values along an axis."""

from __future__ import annotations

import math

import numpy as np


def even_ticks(low: float, high: float, most: int) -> list[float]:
    """At most so many values in steps of 1, 2 or 5."""
    if not high > low:
        return []
    rough = (high - low) / max(most, 1)
    size = 10 ** math.floor(math.log10(rough))
    step = next(size * m for m in (1, 2, 5, 10) if size * m >= rough * (1 - 1e-9))
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return [round(k * step, 12) for k in range(first, last + 1)]


def log_ticks(low: float, high: float, most: int) -> list[float]:
    """1, 2 and 5 of each decade, or fewer of them."""
    decades = range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
    for digits in ((1, 2, 5), (1, 3), (1,)):
        found = [m * 10.0**d for d in decades for m in digits]
        found = [value for value in found if low <= value <= high * (1 + 1e-9)]
        if len(found) <= most:
            return found if len(found) > 1 else even_ticks(low, high, most)
    return found[:: math.ceil(len(found) / most)]


def words(values: list[float]) -> list[str]:
    """As they are read, with as many decimals as tells them apart."""
    if len(values) < 2:
        return [f"{v:g}" for v in values]
    step = float(np.min(np.diff(values)))
    digits = max(0, math.ceil(-math.log10(step) - 1e-9))
    texts = [f"{v:.{digits}f}" if abs(v) < 1e5 else f"{v:g}" for v in values]
    return [text.replace("-", "−") for text in texts]
