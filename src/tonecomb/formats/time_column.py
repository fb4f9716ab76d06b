"""Which column of a file holds the time, and in which unit."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

import numpy as np

from tonecomb.core.record.recording import Array
from tonecomb.formats.contents import Column

TIME_UNITS = {
    "s": 1.0, "sec": 1.0, "secs": 1.0, "second": 1.0, "seconds": 1.0,
    "ms": 1e-3, "msec": 1e-3, "millisecond": 1e-3, "milliseconds": 1e-3,
    "us": 1e-6, "µs": 1e-6, "\u03bcs": 1e-6, "usec": 1e-6, "microseconds": 1e-6,
    "ns": 1e-9, "min": 60.0, "mins": 60.0, "minute": 60.0, "minutes": 60.0,
    "h": 3600.0, "hr": 3600.0, "hour": 3600.0, "hours": 3600.0,
    "d": 86400.0, "day": 86400.0, "days": 86400.0,
}  # fmt: skip
IN_WORDS = {
    1.0: "seconds", 1e-3: "milliseconds", 1e-6: "microseconds", 1e-9: "nanoseconds",
    60.0: "minutes", 3600.0: "hours", 86400.0: "days",
}  # fmt: skip
SYMBOLS = {1.0: "s", 1e-3: "ms", 1e-6: "µs", 1e-9: "ns", 60.0: "min", 3600.0: "h", 86400.0: "d"}
_NAME = re.compile(
    r"^(?:.*[/.])?(time|t|times|timestamps?|date ?time|date[/_ ]time|elapsed|elapsed time|"
    r"rel(?:ative)?[ _]time|clock|zeit|uhrzeit|temps|tid)(?:[ _/,.-]+(\S+))?$",
    re.I,
)
_PROBE = 4096


def factor(text: str) -> float | None:
    """The unit ``text`` in s, None when it is none of time."""
    return TIME_UNITS.get(text.strip("[]() ").lower())


def find(
    columns: Sequence[Column], read: Callable[[int, int, int], Array]
) -> tuple[int | None, float, str]:
    """Number of the time column (None without one), its unit in s, and what was assumed.

    A column counts as time when its reader knows it to be, by its name, or without any names by
    rising in even steps. Columns to be left out do not count.
    """
    told = [i for i, column in enumerate(columns) if column.role == "time"]
    if told:
        return told[0], factor(columns[told[0]].unit) or 1.0, ""
    for i, column in enumerate(columns):
        match = _NAME.match(column.name.strip())
        if match is None or column.role is not None:
            continue
        unit = column.unit or match.group(2) or ""
        size = factor(unit)
        if size is not None:
            return i, size, ""
        if not unit:
            return i, 1.0, "its header gives no unit, so seconds are assumed; "
    wanted = [column for column in columns if column.role != "leave out"]
    if len(wanted) > 1 and not any(c.name for c in columns) and columns[0].role is None:
        first = read(0, 0, min(columns[0].length, _PROBE))
        with np.errstate(invalid="ignore", over="ignore"):
            steps = np.diff(first)
        usual = float(np.median(steps)) if len(steps) > 1 else 0.0
        # Steps of exactly one are a row number, not a time.
        if 0 < usual < np.inf and usual != 1 and bool(np.all(np.abs(steps - usual) < 0.01 * usual)):
            return 0, 1.0, "it has no name but rises evenly, so it is taken as time in seconds; "
    return None, 1.0, ""
