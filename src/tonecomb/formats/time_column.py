"""Which column of a file holds the time, in which unit, and which only count the rows."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from tonecomb.core.record.recording import Array
from tonecomb.formats.contents import FileColumn

TIME_UNITS = {
    "s": 1.0,
    "sec": 1.0,
    "secs": 1.0,
    "second": 1.0,
    "seconds": 1.0,
    "ms": 1e-3,
    "msec": 1e-3,
    "millisecond": 1e-3,
    "milliseconds": 1e-3,
    "millis": 1e-3,
    "us": 1e-6,
    "µs": 1e-6,
    "\u03bcs": 1e-6,
    "usec": 1e-6,
    "microseconds": 1e-6,
    "micros": 1e-6,
    "ns": 1e-9,
    "nsec": 1e-9,
    "nanoseconds": 1e-9,
    "min": 60.0,
    "mins": 60.0,
    "minute": 60.0,
    "minutes": 60.0,
    "h": 3600.0,
    "hr": 3600.0,
    "hour": 3600.0,
    "hours": 3600.0,
    "d": 86400.0,
    "day": 86400.0,
    "days": 86400.0,
}
IN_WORDS = {
    1.0: "seconds",
    1e-3: "milliseconds",
    1e-6: "microseconds",
    1e-9: "nanoseconds",
    60.0: "minutes",
    3600.0: "hours",
    86400.0: "days",
}
SYMBOLS = {1.0: "s", 1e-3: "ms", 1e-6: "µs", 1e-9: "ns", 60.0: "min", 3600.0: "h", 86400.0: "d"}
_NAME = re.compile(
    r"^(?:.*[/.])?(time|t|times|timestamps?|time ?stamp|ts|date ?time|date[/_ ]time|elapsed|"
    r"elapsed time|rel(?:ative)?[ _]time|clock|zeit|uhrzeit|temps|tid|epoch|unix[ _]time)"
    r"(?:[ _/,.-]+(\S+))?$",
    re.I,
)
_UNIT_NAME = re.compile(
    r"^(s|secs?|seconds?|ms|msec|millis\w*|[uµ\u03bc]s|micros\w*|ns|nanos\w*)$", re.I
)
_SHORT_NAME = re.compile(r"^(t|ts|tid|temps)$", re.I)  # may name something else as well
_COUNT_NAME = re.compile(
    r"^(no|nr|num|number|#|n|i|id|idx|index|row|line|count|counter|sample|point|scan|record)"
    r"\.?(?:[ _]?(?:no|nr|number|index|id|#))?\.?$",
    re.I,
)
_LONGEST = 200  # letters of a name that are looked into
_PROBE = 4096
_FEW = 8  # values that tell a count from data
_EVEN = 0.01  # of a step
_MANY = 200  # values that rise one and all, which measured ones do not
_PLACES = 3  # columns among which an unnamed time is looked for
_SLOWEST = 5.0  # Hz; below it a smaller unit is more likely, where nobody says which it is
_SLOWEST_LOGGED, _FASTEST = 0.2, 1e6  # Hz
_RISE = 20  # last digits by which rounded stamps must rise to be any
_EPOCHS = ((1.0, 1e9), (1e-3, 1e12), (1e-6, 1e15), (1e-9, 1e18))  # since 1970, from 2001 to 2096


@dataclass(frozen=True)
class Found:
    """``at`` is the number of the time column, None without one, ``size`` its unit in s, and
    ``assumed`` a clause on what nobody said. ``counting`` are columns that count the rows."""

    at: int | None
    size: float = 1.0
    assumed: str = ""
    counting: tuple[int, ...] = ()


def factor(text: str) -> float | None:
    """The unit ``text`` in s, None when it is none of time."""
    return TIME_UNITS.get(text.strip("[]() ").lower())


def find(
    columns: Sequence[FileColumn],
    read: Callable[[int, int, int], Array],
    stated: float | None = None,
) -> Found:
    """The time column among ``columns``, whose values ``read(column, start, stop)`` gives.

    A column counts as time when its reader knows it to be, by its name, or by rising in even
    steps where it is of no other unit. Where nobody tells its unit, the one is taken that gives
    the ``stated`` rate in Hz, or a likely one. Columns to be left out do not count.
    """
    values: dict[int, Array] = {}

    def first(i: int) -> Array:
        if i not in values:
            values[i] = read(i, 0, min(columns[i].length, _PROBE))
        return values[i]

    wanted = [i for i, c in enumerate(columns) if c.role in (None, "data")]
    unknown = [i for i in wanted if columns[i].role is None and columns[i].rate is None]
    counting = tuple(i for i in unknown if _may_count(columns[i], i) and _counts(first(i)))
    number = next((i for i, column in enumerate(columns) if column.role == "time"), None)
    if number is None:
        number = next((i for i in unknown if _named(columns[i], first(i))), None)
    why = ""
    if number is None and len(wanted) - len(counting) > 1:
        number = next(
            (i for i in unknown if i not in counting and _looks(columns, i, first(i))), None
        )
        why = "nothing is named as time, but it rises evenly; "
    counting = tuple(i for i in counting if i != number)
    if len(counting) == len([i for i in wanted if i != number]):
        counting = counting[1:]  # something is to be left
    if number is None:
        return Found(None, counting=counting)
    size = factor(columns[number].unit or _own_unit(columns[number].name) or "")
    if size is not None:
        return Found(number, size, why, counting)
    size, rate = likely(first(number), stated)
    if columns[number].name and not why:
        why = "its header gives no unit; "
    return Found(number, size, why + _taken(size, rate), counting)


def _taken(size: float, rate: float) -> str:
    """What was made of stamps of no unit, and what else they could be."""
    text = f"taken as {IN_WORDS[size]}"
    if not rate:
        return f"{text}; "
    also = next(
        (
            f", in {SYMBOLS[other]} it would be {rate * size / other:.6g} Hz"
            for other in (1.0, 1e-3, 1e-6)
            if other != size and _SLOWEST / 10 <= rate * size / other <= _FASTEST
        ),
        "",
    )
    return f"{text}, for {rate:.6g} Hz is likely{also}; "


def _own_unit(name: str) -> str | None:
    """The unit that is part of a time column's name, "" for none; None for another name."""
    if match := _NAME.match(name.strip()[:_LONGEST]):
        return match.group(2) or ""
    return name.strip() if _UNIT_NAME.match(name.strip()[:_LONGEST]) else None


def _named(column: FileColumn, values: Array) -> bool:
    """Whether a column is named as time. A name that may be of something else needs values that
    rise."""
    own = _own_unit(column.name)
    if own is None or (factor(column.unit or own) is None and (column.unit or own)):
        return False
    name = column.name.strip()[:_LONGEST]
    plain = _UNIT_NAME.match(name) or _SHORT_NAME.match(name)
    if not plain or column.unit or not len(values):
        return True
    with np.errstate(invalid="ignore", over="ignore"):
        return bool(np.mean(np.diff(values) < 0) < 0.1 and values[-1] != values[0])


def likely(values: Array, stated: float | None = None) -> tuple[float, float]:
    """The unit in s, and the rate in Hz in it, that stamps of no unit count in: the one that gives
    the ``stated`` rate, that of an epoch by their size, or else the largest by which they are not
    slower than a measurement of vibration ever is."""
    good = values[np.isfinite(values)]
    with np.errstate(over="ignore"):
        steps = np.diff(good)
    rising = steps[steps > 0]
    if not len(rising):
        return 1.0, 0.0
    # Repeated stamps are rounded ones: the step is the mean of all.
    repeats = len(rising) < 0.95 * len(steps)
    step = float((good[-1] - good[0]) / (len(good) - 1)) if repeats else float(np.median(rising))
    if not 0 < step < np.inf:
        return 1.0, 0.0
    rates = {size: 1 / (step * size) for size in IN_WORDS}
    if stated:
        nearest = min(rates, key=lambda size: abs(np.log(rates[size] / stated)))
        if abs(rates[nearest] / stated - 1) < 0.1:
            return nearest, rates[nearest]
    for size, least in _EPOCHS:
        if least <= good[0] < 4 * least and rates[size] >= _SLOWEST_LOGGED:
            return size, rates[size]
    fast = [size for size in (1.0, 1e-3, 1e-6, 1e-9) if rates[size] >= _SLOWEST] or [1e-9]
    size = fast[0]
    if not np.any(good % 1):  # of a counter: it was set to a rate in whole Hz
        whole = (s for s in fast if abs(rates[s] - round(rates[s])) <= 1e-3 * rates[s] <= 1e3)
        size = next(whole, size)
    return size, rates[size]


def _may_count(column: FileColumn, at: int) -> bool:
    """Whether a column may number the rows: named so, or one of the first without a name."""
    name = column.name.strip()[:_LONGEST]
    return not column.unit and bool(_COUNT_NAME.match(name) if name else at < _PLACES)


def _counts(values: Array) -> bool:
    """Whether values are whole numbers that rise by one."""
    if len(values) < _FEW:
        return False
    with np.errstate(invalid="ignore", over="ignore"):
        return bool(np.all(np.diff(values) == 1) and values[0] == np.rint(values[0]))


def _looks(columns: Sequence[FileColumn], at: int, values: Array) -> bool:
    """Whether a column that nobody names as time looks like one."""
    column = columns[at]
    if (column.unit and factor(column.unit) is None) or at >= _PLACES:
        return False
    if _COUNT_NAME.match(column.name.strip()[:_LONGEST]):
        return False
    if len(values) < (_FEW if column.name else 2):
        return False
    with np.errstate(invalid="ignore", over="ignore"):
        steps = np.diff(values)
        if not np.all(np.isfinite(steps)) or np.any(steps < 0) or values[-1] == values[0]:
            return False
        usual = float(np.median(steps))
        room = _EVEN * usual + 2 * np.spacing(np.abs(values).max())
        # Steps of exactly one are a row number, or nobody knows what.
        if usual not in (0, 1) and np.mean(np.abs(steps - usual) <= room) >= 0.98:
            return True
    if len(values) >= _MANY and np.all(steps > 0) and steps.std() < 0.5 * steps.mean():
        return True
    half = len(values) // 2  # there may be a gap in one of them
    return any(_rounded(part) for part in (values, values[:half], values[half:]))


def _rounded(values: Array) -> bool:
    """Whether values lie on a straight line but for a last digit that they are rounded to."""
    if len(values) < _FEW:
        return False
    steps = np.diff(values)
    sizes = np.unique(np.round(steps / steps.max(), 6)) * steps.max() if steps.max() > 0 else steps
    digit = float(np.diff(sizes).min()) if len(sizes) > 1 else 0.0
    if digit <= 0 or values[-1] - values[0] < _RISE * digit:
        return False
    line = np.linspace(values[0], values[-1], len(values))
    return bool(np.abs(values - line).max() <= 1.5 * digit and np.mean(steps > 0) > 0.04)
