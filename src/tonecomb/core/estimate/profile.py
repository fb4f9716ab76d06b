"""A test spectrum: the density that a test asks for, with what it may be off by."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit
from tonecomb.core.record.recording import Array

MOST_POINTS = 200  # of a test's spectrum


@dataclass(frozen=True)
class Profile:
    """``points`` (Hz, mean square per Hz) between which it is straight on logarithmic axes, in
    ``unit``² per Hz, "" for what was measured. The density may lie ``below`` and ``above`` it by
    so many dB."""

    points: tuple[tuple[float, float], ...]
    unit: str = ""
    below: float = 3.0
    above: float = 3.0

    def check(self) -> None:
        """Raise :class:`UserError` where this is no test spectrum."""
        places = [f for f, _ in self.points]
        if not 2 <= len(places) <= MOST_POINTS or places != sorted(set(places)):
            raise UserError(
                "A test spectrum has two points or more by rising frequency",
                f"it has at most {MOST_POINTS}",
                "like g:20=0.01,80=0.04,350=0.04,2000=0.007",
            )
        if not all(0 < one < math.inf for point in self.points for one in point):
            raise UserError("A test spectrum has frequencies and densities above 0")
        if not all(0 < one < math.inf for one in (self.below, self.above)):
            raise UserError("The tolerances of a test spectrum are dB above 0")
        if self.unit:
            unit(self.unit)

    @property
    def span(self) -> tuple[float, float]:
        """From where to where it goes, Hz."""
        return self.points[0][0], self.points[-1][0]

    def density(self, frequency: Array) -> Array:
        """The mean square per Hz at frequencies (Hz) within its span, same shape."""
        f, value = np.log(np.array(self.points)).T
        return np.asarray(np.exp(np.interp(np.log(frequency), f, value)))

    @property
    def rms(self) -> float:
        """The root of all that it asks for: each piece a·fᵇ integrated in closed form."""
        total = 0.0
        for (f, a), (g, b) in zip(self.points, self.points[1:], strict=False):
            slope = math.log(b / a) / math.log(g / f)
            if abs(slope + 1) < 1e-9:
                total += a * f * math.log(g / f)
            else:
                total += a * f / (slope + 1) * ((g / f) ** (slope + 1) - 1)
        return math.sqrt(total)

    @property
    def text(self) -> str:
        """As :func:`parsed` reads it."""
        points = ",".join(f"{f:.6g}={value:.6g}" for f, value in self.points)
        return f"{self.unit}:{points}:{self.below:g},{self.above:g}"


def parsed(text: str) -> Profile:
    """UNIT:HZ=DENSITY,HZ=DENSITY,…[:BELOW,ABOVE]; raises :class:`UserError` where it is none."""
    try:
        symbol, points, *rest = (one.strip() for one in text.split(":"))
        pairs = [one.split("=") for one in points.split(",")]
        places = tuple((float(f), float(value)) for f, value in pairs)
        below, above = (float(one) for one in rest[0].split(",")) if rest else (3.0, 3.0)
        if len(rest) > 1:
            raise ValueError
    except ValueError as error:
        raise UserError(
            f"‘{text[:80]}’ is no test spectrum",
            remedy="give its unit, points and dB, like g:20=0.01,80=0.04,2000=0.007:3,3",
        ) from error
    profile = Profile(places, symbol, below, above)
    profile.check()
    return profile
