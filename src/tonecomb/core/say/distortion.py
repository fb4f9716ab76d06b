"""How a family's harmonic distortion is put into words: of what quantity, and of which teeth."""

from __future__ import annotations

import math

from tonecomb.core.find.comb import Comb
from tonecomb.core.say.numbers import runs


def counted(comb: Comb) -> list[int]:
    """Numbers of the teeth whose level stands over the fundamental's in it."""
    return [tooth.number for tooth in comb.teeth if tooth.found and tooth.number != 1]


def distortion_words(comb: Comb, quantity: str) -> str:
    """``THD 54.7 % of acceleration, harmonics 2–6``; "" where there is none. Harmonics of an
    integral are lower by their number: 54.7 % of acceleration may be 25.9 % of velocity."""
    if math.isnan(comb.distortion):
        return ""
    teeth = counted(comb)
    which = f", harmonic{'s' if len(teeth) > 1 else ''} {runs(teeth)}" if teeth else ""
    return f"THD {100 * comb.distortion:.3g} % of {quantity.lower()}{which}"
