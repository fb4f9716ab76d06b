"""How numbers are written: as many digits as are known of them, everywhere the same."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import groupby

_MOST_DECIMALS = 9  # that a double may warrant
_LOW = 10.0  # Hz
_CLOCK = 1e-7  # of a value, below which no recorder's clock is known
_MINUTES_FROM = 300.0  # s


def borne(value: float, std: float) -> float:
    """A standard deviation as it is shown: no smaller than a ten-millionth of the value, as no
    recorder's clock keeps time better. How far that clock is off, often more, is not in it."""
    return max(std, _CLOCK * abs(value))


def span(low: float, high: float) -> str:
    """``119.96 to 120.04``: both ends of what moves, with the digits in which they differ."""
    moved = high - low
    decimals = max(0, 1 - math.floor(math.log10(moved))) if moved > 0 else 4
    decimals = min(decimals, _MOST_DECIMALS)
    return signed(f"{low:.{decimals}f} to {high:.{decimals}f}")


def with_std(value: float, std: float) -> str:
    """``24.3000(2)``: the value down to the first digit of its standard deviation, which
    stands in brackets in units of the last digit."""
    if not (math.isfinite(std) and std > 0):
        return significant(value)
    std = borne(value, std)
    decimals = _decimals(std)
    if decimals <= 0:
        return f"{value:.0f}({std:.0f})"
    decimals = min(decimals, _MOST_DECIMALS)
    return f"{value:.{decimals}f}({max(1, round(std * 10**decimals))})"


def warranted(value: float, std: float, most: int = 4) -> str:
    """``24.3000``: the value with the digits that its standard deviation warrants, ``most``
    decimals at the most; three where nothing is known of it."""
    if math.isnan(value):
        return "–"
    if not (math.isfinite(std) and std > 0):
        return signed(f"{value:.{min(3, most)}f}")
    return signed(f"{value:.{min(max(_decimals(std), 0), most)}f}")


def tone_text(frequency: float, std: float) -> str:
    """A frequency in Hz beside its peak: the digits that are known of it, two decimals at the most,
    of low ones four."""
    return warranted(frequency, std, 2 if frequency >= _LOW else 4)


def _decimals(std: float) -> int:
    """Decimals down to the first digit of a standard deviation; 0.096 rounds up to 0.1, one digit
    earlier."""
    return -math.floor(math.log10(float(f"{std:.0e}")))


def significant(value: float) -> str:
    """Four digits."""
    return signed(f"{value:.4g}")


def plainly(value: float, digits: int = 3, *, bare: bool = False) -> str:
    """So many digits, without an exponent: ``1970``, ``0.348``; ``bare`` without zeros at their
    end: ``0.5``."""
    if not math.isfinite(value) or value == 0:
        return whole(value)
    decimals = max(0, digits - 1 - math.floor(math.log10(abs(value))))
    text = f"{float(f'{value:.{digits - 1}e}'):.{decimals}f}"
    return signed(text.rstrip("0").rstrip(".") if bare and "." in text else text)


def percent(share: float) -> str:
    """A share as one says it: ``12 %``, ``under 1 %``, ``over 99 %``."""
    if 0.99 < share < 0.999:
        return "over 99 %"
    return "under 1 %" if share < 0.01 else f"{min(100 * share, 100):.0f} %"


def signed(text: str) -> str:
    """A number's text with a proper minus sign."""
    return text.replace("-", "−")


def whole(value: float) -> str:
    """Without decimals: – for nothing, ∞ for infinity, and no −0."""
    if math.isnan(value):
        return "–"
    return "∞" if math.isinf(value) else signed(f"{round(value)}")


def lasting(seconds: float) -> str:
    """How long something lasts, as one says it: ``62 s``, ``25 min``, ``1 h 20 min``."""
    if not seconds >= _MINUTES_FROM:
        return f"{seconds:.4g} s"
    if seconds < 3600:
        minutes, rest = divmod(round(seconds), 60)
        return f"{minutes} min {rest} s" if rest else f"{minutes} min"
    hours, minutes = divmod(round(seconds / 60), 60)
    return f"{hours} h {minutes} min" if minutes else f"{hours} h"


def level(value: float) -> str:
    """An amplitude in a narrow column: four digits, and an exponent where it is small."""
    if math.isnan(value):
        return "–"
    if 0 < abs(value) < 1e-3:
        return signed(f"{value:.2e}".replace("e-0", "e-"))
    return signed(f"{value:#.4g}".rstrip("."))


def clock(seconds: float) -> str:
    """A time since a start: ``0:04:26.2``."""
    tenths = int(10 * seconds)
    return f"{tenths // 36000}:{tenths // 600 % 60:02d}:{tenths // 10 % 60:02d}.{tenths % 10}"


def runs(numbers: Sequence[int]) -> str:
    """``1–4, 6``."""
    lines = []
    for _, run in groupby(enumerate(numbers), key=lambda pair: pair[1] - pair[0]):
        ones = [number for _, number in run]
        lines.append(
            str(ones[0])
            if len(ones) == 1
            else f"{ones[0]}–{ones[-1]}"
            if len(ones) > 2
            else f"{ones[0]}, {ones[1]}"
        )
    return ", ".join(lines)
