"""Regions of time and frequency that are kept or taken out, and how they are written in a line.

A region is written ``box START END LOW HIGH``, ``outline TIME FREQUENCY TIME FREQUENCY …``, or
``tooth NUMBER HALF TIME FREQUENCY …``: harmonic so-and-so of a fundamental that goes through these
points, and what lies HALF Hz beside it (0 for as much as its neighbours leave).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array

MOST_POINTS = 5000  # of an outline or a track
Points = tuple[tuple[float, float], ...]


@dataclass(frozen=True)
class Region:
    """A region of time (s) and frequency (Hz)."""

    def check(self, duration: float, nyquist: float) -> None:
        """Raise :class:`UserError` where it lies outside of a record, or is none."""

    def words(self) -> str:
        """What it is, for the sentence."""
        raise NotImplementedError

    def written(self) -> str:
        """As files and the command line have it."""
        raise NotImplementedError


class Marked(Region):
    """A region that is a range of frequencies at each time."""

    @property
    def span(self) -> tuple[float, float]:
        """Its first and last time, s."""
        raise NotImplementedError

    def ranges(self, time: float) -> Sequence[tuple[float, float]]:
        """The ranges of frequencies (Hz) that it covers at a time within its span."""
        raise NotImplementedError


def _figures(*values: float) -> str:
    return " ".join(f"{one:.10g}" for one in values)


@dataclass(frozen=True)
class RegionBox(Marked):
    """From ``start`` to ``end`` and from ``low`` to ``high``."""

    start: float
    end: float
    low: float
    high: float

    @property
    def span(self) -> tuple[float, float]:
        return self.start, self.end

    def ranges(self, time: float) -> Sequence[tuple[float, float]]:
        return ((self.low, self.high),)

    def check(self, duration: float, nyquist: float) -> None:
        if not (self.start < self.end and self.low < self.high):
            raise UserError(
                "A region is empty",
                f"{self.start:g}–{self.end:g} s, {self.low:g}–{self.high:g} Hz",
                "give its start before its end, and its lower limit first",
            )
        if self.end <= 0 or self.start >= duration or self.high <= 0 or self.low >= nyquist:
            raise _outside(self.words(), duration, nyquist)

    def words(self) -> str:
        return f"{self.low:.5g}–{self.high:.5g} Hz at {self.start:.4g}–{self.end:.4g} s"

    def written(self) -> str:
        return f"box {_figures(self.start, self.end, self.low, self.high)}"


@dataclass(frozen=True)
class Outline(Marked):
    """A polygon of times and frequencies."""

    points: Points

    @property
    def span(self) -> tuple[float, float]:
        times = [time for time, _ in self.points]
        return min(times), max(times)

    def ranges(self, time: float) -> Sequence[tuple[float, float]]:
        """Where a line of that time crosses the polygon, in pairs."""
        crossed = []
        ends = (*self.points[1:], self.points[0])
        for (t0, f0), (t1, f1) in zip(self.points, ends, strict=True):
            if min(t0, t1) <= time < max(t0, t1):
                crossed.append(f0 + (f1 - f0) * (time - t0) / (t1 - t0))
        crossed.sort()
        return tuple(zip(crossed[::2], crossed[1::2], strict=False))

    def check(self, duration: float, nyquist: float) -> None:
        frequencies = [frequency for _, frequency in self.points]
        start, end = self.span
        if len(self.points) < 3 or start == end or min(frequencies) == max(frequencies):
            raise UserError("An outline is empty", "it needs three corners", "draw it wider")
        if end <= 0 or start >= duration or max(frequencies) <= 0 or min(frequencies) >= nyquist:
            raise _outside(self.words(), duration, nyquist)

    def words(self) -> str:
        start, end = self.span
        return f"an outline at {start:.4g}–{end:.4g} s"

    def written(self) -> str:
        return f"outline {_figures(*(one for point in self.points for one in point))}"


@dataclass(frozen=True)
class RegionTooth(Region):
    """Harmonic ``number`` of a fundamental that goes through ``points``, in straight lines of
    frequency and level before the first and after the last, with ``half`` Hz to each side; with 0,
    45 % of the fundamental."""

    number: int
    half: float
    points: Points

    @property
    def fundamentals(self) -> Array:
        return np.array([frequency for _, frequency in self.points])

    @property
    def reach(self) -> float:
        """How far it reaches to each side, Hz."""
        return self.half or 0.45 * float(self.fundamentals.min())

    def check(self, duration: float, nyquist: float) -> None:
        times = np.array([time for time, _ in self.points])
        fundamentals = self.fundamentals
        if not len(times) or self.number < 1 or fundamentals.min() <= 0 or self.half < 0:
            raise UserError(
                "There is no such tooth", "", "give a fundamental above 0, a number from 1"
            )
        if (np.diff(times) <= 0).any():
            raise UserError("A track goes back in time", "", "give its points in their order")
        if self.number * fundamentals.max() + self.reach >= nyquist:
            raise _outside(self.words(), duration, nyquist)

    def words(self) -> str:
        mean = float(np.mean(self.fundamentals))
        return f"tooth {self.number} of {mean:.5g} Hz ± {self.reach:.3g} Hz"

    def written(self) -> str:
        figures = (one for point in self.points for one in point)
        return f"tooth {self.number} {_figures(self.half, *figures)}"

    def turns(self, time: Array) -> Array:
        """Turns of the tooth since the first point, at times in s."""
        knots = np.array([one for one, _ in self.points])
        f = self.fundamentals
        if len(knots) == 1:
            result: Array = self.number * f[0] * (time - knots[0])
            return result
        steps = np.diff(knots)
        before = np.concatenate([[0.0], np.cumsum(steps * (f[1:] + f[:-1]) / 2)])
        at = np.clip(np.searchsorted(knots, time, side="right") - 1, 0, len(knots) - 1)
        late = time - knots[at]
        slope = np.append(np.diff(f) / steps, 0.0)[at]
        slope = np.where(time < knots[0], 0.0, slope)
        return np.asarray(self.number * (before[at] + late * (f[at] + slope * late / 2)))


def _outside(what: str, duration: float, nyquist: float) -> UserError:
    return UserError(
        f"The region {what} lies outside the record",
        f"it lasts {duration:.5g} s and its frequencies end at {nyquist:g} Hz",
        "choose a region within it",
    )


def parsed(text: str) -> Region:
    """The region that a line says; :class:`ValueError` where it says none."""
    kind, *rest = text.replace("/", " ").split()
    values = [float(one) for one in rest]
    if not np.isfinite(values).all() or len(values) > 2 * MOST_POINTS + 2:
        raise ValueError(text)
    if kind == "box" and len(values) == 4:
        return RegionBox(*values)
    if kind == "outline" and len(values) >= 6 and len(values) % 2 == 0:
        return Outline(tuple(zip(values[::2], values[1::2], strict=True)))
    if (
        kind == "tooth"
        and len(values) >= 4
        and len(values) % 2 == 0
        and values[0] == int(values[0])
    ):
        points = tuple(zip(values[2::2], values[3::2], strict=True))
        return RegionTooth(int(values[0]), values[1], points)
    raise ValueError(text)
