"""Numbers as they are read, with what is known of their last digits."""

from __future__ import annotations

import math


def with_std(value: float, std: float) -> str:
    """``24.3000(2)``: the value down to the first digit of its standard deviation, which
    stands in brackets in units of the last digit."""
    if not (math.isfinite(std) and std > 0):
        return significant(value)
    # 0.096 rounds up to 0.1, one digit earlier.
    decimals = -math.floor(math.log10(float(f"{std:.0e}")))
    if decimals <= 0:
        return f"{value:.0f}({std:.0f})"
    decimals = min(decimals, 9)
    return f"{value:.{decimals}f}({max(1, round(std * 10**decimals))})"


def significant(value: float) -> str:
    """Four digits."""
    return f"{value:.4g}".replace("-", "−")
