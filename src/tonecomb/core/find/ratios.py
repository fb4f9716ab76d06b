"""Ratios of small whole numbers between frequencies, as gears make them."""

from __future__ import annotations

from fractions import Fraction

_LARGEST = 8  # denominator
_REACH = 4.0  # standard deviations
_ALIKE = 1e-4  # of a ratio that it may be off in any case: no machine runs more evenly
_CHANCE = 0.02  # share of all ratios that may pass for such a one


def small_ratio(
    frequency: float, std: float, fundamental: float, alike: float = _ALIKE
) -> Fraction | None:
    """How many times ``fundamental`` goes into a frequency (both Hz), where that is above 1, a
    ratio of small whole numbers within what the standard deviation allows, and hardly so by
    chance; None where it is not. It may be off by ``alike`` of it in any case."""
    times = frequency / fundamental
    near = Fraction(times).limit_denominator(_LARGEST)
    play = max(_REACH * std / fundamental, alike * times)
    # Of those with a denominator up to q, about q² / 3 lie between two whole numbers.
    sure = 2 * play * max(near.denominator**2 / 3, 1.0) < _CHANCE
    return near if near > 1 and sure and abs(times - near) < play else None


def ratio_words(ratio: Fraction) -> str:
    """As it is written on gears: 17/1."""
    return f"{ratio.numerator}/{ratio.denominator}"
