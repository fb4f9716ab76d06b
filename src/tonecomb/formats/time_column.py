"""Finding a table's time column and measuring the sample rate from it."""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np

from tonecomb.core.errors import UserError
from tonecomb.core.recording import Array, Problem

TIME_UNITS = {
    "s": 1.0, "sec": 1.0, "second": 1.0, "seconds": 1.0,
    "ms": 1e-3, "msec": 1e-3, "millisecond": 1e-3, "milliseconds": 1e-3,
    "us": 1e-6, "µs": 1e-6, "\u03bcs": 1e-6,
}  # fmt: skip
_NAME = re.compile(r"^(time|t|timestamp|elapsed|elapsed time|zeit|temps)(?:[ _/,.-]+(\S+))?$", re.I)
_GAP = 1.5  # a step this much longer than the usual one is a gap


@dataclass(frozen=True)
class TimeBase:
    """The rate in Hz, how it was found in words, and what is wrong with the stamps."""

    rate: float
    found: str
    problems: tuple[Problem, ...]


def find(
    names: tuple[str, ...], units: tuple[str, ...], columns: list[Array]
) -> tuple[int | None, float, str]:
    """Number of the time column (None without one), its unit in s, and what was assumed.

    A column counts as time by its name, or without any names by rising in even steps.
    """
    for i, (name, unit) in enumerate(zip(names, units, strict=True)):
        match = _NAME.match(name.strip())
        if match is None:
            continue
        told = (unit or match.group(2) or "").strip("[]() ").lower()
        if told in TIME_UNITS:
            return i, TIME_UNITS[told], ""
        if not told:
            return i, 1.0, "its header gives no unit, so seconds are assumed; "
    if len(columns) > 1 and not any(names) and len(columns[0]) > 2:
        steps = np.diff(columns[0])
        usual = float(np.median(steps))
        # Steps of exactly one are a row number, not a time.
        if usual > 0 and usual != 1 and bool(np.all(np.abs(steps - usual) < 0.01 * usual)):
            return 0, 1.0, "it has no name but rises evenly, so it is taken as time in seconds; "
    return None, 1.0, ""


def measure(time: Array, name: str, first_row: int, file: str, assumed: str) -> TimeBase:
    """Sample rate from stamps in s, shape (rows,).

    Raises :class:`UserError` for stamps that are missing, or that stand still or run backward.
    """
    where = f"the time column ‘{name}’" if name else "the first column"
    if len(time) < 2:
        raise UserError(f"{file} has a single row", "no sample rate can be found from one time")
    bad = np.flatnonzero(~np.isfinite(time))
    if bad.size:
        raise UserError(
            f"Line {first_row + int(bad[0])} of {file} has no time",
            f"{bad.size} of {len(time)} are missing in {where}",
            "correct them, or leave the column out and give the sample rate",
        )
    steps = np.diff(time)
    back = np.flatnonzero(steps <= 0)
    if back.size:
        raise UserError(
            f"Time stands still or runs backward at line {first_row + int(back[0]) + 1} of {file}",
            f"{back.size} such steps in {where}",
            "sort or correct the rows",
        )
    usual = float(np.median(steps))
    # Stamps written with few digits step unevenly by their last digit: that is no gap.
    digit = _last_digit(steps)
    regular = steps <= _GAP * usual + digit
    mean = float(steps[regular].mean())
    gaps = np.flatnonzero(~regular)
    spread = float(np.abs(steps[regular] - mean).max())
    # Stamps are rounded: the rate is known no better than their scatter over the whole time.
    rate = _shortest(1 / mean, spread / (mean * max(int(regular.sum()), 1)))
    found = (
        f"from {where}: {assumed}{len(steps)} steps of {mean * 1e3:.6g} ms, "
        + (f"even to {spread * 1e3:.2g} ms" if spread > 1e-9 * mean else "even")
        + f", so {rate:g} Hz"
    )
    problems = []
    if gaps.size:
        first = int(gaps[0])
        problems.append(
            Problem(
                "gaps",
                f"The time column has {_gaps(gaps.size)} of {steps[first] - mean:.4g} s after "
                f"line {first_row + first}; the samples are joined there as if nothing was "
                f"missing.",
            )
        )
    if spread > 0.1 * mean + digit:
        problems.append(
            Problem(
                "jitter",
                f"Steps in the time column vary by up to {100 * spread / mean:.0f} % of the mean; "
                f"the mean rate is used.",
            )
        )
    return TimeBase(rate, found, tuple(problems))


def _last_digit(steps: Array) -> float:
    """The smallest difference between steps that differ, at most half of the usual step; 0 for
    even steps."""
    usual = float(np.median(steps))
    distinct = np.unique(np.round(steps / usual, 6)) * usual
    return float(min(np.diff(distinct).min(), usual / 2)) if len(distinct) > 1 else 0.0


def _gaps(count: int) -> str:
    return "a gap" if count == 1 else f"{count} gaps, the first"


def _shortest(value: float, relative: float) -> float:
    """The number with the fewest digits within ``relative`` (at least 1e-9) of ``value``."""
    for digits in range(1, 16):
        rounded = float(f"{value:.{digits}g}")
        if abs(rounded - value) <= max(relative, 1e-9) * value:
            return rounded
    return value
