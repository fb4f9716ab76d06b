"""Times of day and dates with times, as loggers write them, turned into seconds."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from tonecomb.core.record.recording import Array

# One pattern for Python and for pyarrow's RE2: a date or none, a time of day, a zone or none.
# A date with slashes may be day or month first and is not used: the days are counted instead.
_PATTERN = (
    r"^\s*(?:(?P<y>\d{4})[-/.](?P<mo>\d{1,2})[-/.](?P<d>\d{1,2})[T ]+"
    r"|(?P<d2>\d{1,2})\.(?P<mo2>\d{1,2})\.(?P<y2>\d{4})[ ,]+"
    r"|\d{1,2}/\d{1,2}/\d{2,4}[ ,]+)?"
    r"(?P<h>\d{1,2}):(?P<mi>\d{2}):(?P<s>\d{2}(?:[.,]\d*)?)"
    r"\s*(?P<p>[AaPp][Mm])?\s*(?P<z>Z|UTC|[+-]\d{2}(?::?\d{2})?)?\s*$"
)
_STAMP = re.compile(_PATTERN)
_DAY = 86400.0


def is_stamp(text: str) -> bool:
    """Whether a cell holds a time of day, with a date or without."""
    match = _STAMP.match(text)
    return match is not None and float(match["s"].replace(",", ".")) < 61 and int(match["mi"]) < 60


class Clock:
    """Turns stamps into seconds since the first one, block after block. Without a date, a time
    of day that falls by more than half a day begins another day."""

    def __init__(self) -> None:
        self.start = ""  # of the first stamp, ISO 8601, where there is a date
        self._first_day: int | None = None
        self._zero: float | None = None
        self._last = 0.0
        self._turns = 0.0

    def seconds(self, column: Any) -> Array:
        """Seconds of a pyarrow array of strings; nan where a cell is no stamp."""
        import pyarrow.compute as pc

        parts = pc.extract_regex(column, _PATTERN)

        def numbers(name: str) -> Array:
            text = pc.struct_field(parts, name)
            text = pc.replace_with_mask(text, pc.equal(text, ""), "nan")
            text = pc.replace_substring(text, ",", ".")
            found = pc.cast(text, "float64").to_numpy(zero_copy_only=False)
            return np.asarray(found, dtype=np.float64)

        hours, minutes, rest = numbers("h"), numbers("mi"), numbers("s")
        seconds = hours * 3600 + minutes * 60 + rest
        seconds[~((hours <= 24) & (minutes < 60) & (rest < 61))] = np.nan
        half = pc.utf8_lower(pc.struct_field(parts, "p")).to_numpy(zero_copy_only=False)
        if (half == "pm").any() or (half == "am").any():
            late = (seconds >= _DAY / 2) & (seconds < _DAY / 2 + 3600)  # 12:xx
            seconds = np.where(late & (half == "am"), seconds - _DAY / 2, seconds)
            seconds = np.where(~late & (half == "pm"), seconds + _DAY / 2, seconds)
        year = np.fmax(numbers("y"), numbers("y2"))
        if np.isfinite(year).any():
            month = np.fmax(numbers("mo"), numbers("mo2"))
            days = _days(year, month, np.fmax(numbers("d"), numbers("d2")))
            seconds = self._dated(days, seconds - _offsets(pc.struct_field(parts, "z")))
        else:
            seconds = self._undated(seconds)
        if self._zero is None and np.isfinite(seconds).any():
            self._zero = float(seconds[np.isfinite(seconds)][0])
        return seconds - (self._zero or 0.0)

    def _dated(self, days: Array, seconds: Array) -> Array:
        good = np.flatnonzero(np.isfinite(days + seconds))
        if self._first_day is None and len(good):
            self._first_day = int(days[good[0]])
            moment = datetime(1970, 1, 1, tzinfo=UTC) + timedelta(
                days=self._first_day, seconds=float(seconds[good[0]])
            )
            self.start = moment.replace(tzinfo=None).isoformat()
        return (days - (self._first_day or 0)) * _DAY + seconds

    def _undated(self, seconds: Array) -> Array:
        good = np.isfinite(seconds)
        known = seconds[good]
        if len(known):
            steps = np.diff(np.concatenate([[self._last], known]))
            turns = self._turns + _DAY * np.cumsum(steps < -_DAY / 2)
            self._last, self._turns = float(known[-1]), float(turns[-1])
            seconds = seconds.copy()
            seconds[good] = known + turns
        return seconds


def _days(year: Array, month: Array, day: Array) -> Array:
    """Days since 1970-01-01, nan for a date that does not exist."""
    good = np.isfinite(year + month + day) & (month >= 1) & (month <= 12) & (day >= 1)
    months = np.where(good, (year - 1970) * 12 + month - 1, 0).astype(np.int64)
    first = months.astype("datetime64[M]")
    result = first.astype("datetime64[D]").astype(np.int64) + day - 1
    length = ((first + 1).astype("datetime64[D]") - first.astype("datetime64[D]")).astype(np.int64)
    return np.asarray(np.where(good & (day <= length), result, np.nan), dtype=np.float64)


def _offsets(zones: Any) -> Array:
    """Seconds to take off for each time zone."""
    texts = zones.to_numpy(zero_copy_only=False)
    known = {text: _offset(text) for text in set(texts.tolist())}
    if len(known) == 1:
        return np.full(len(texts), next(iter(known.values())))
    return np.array([known[text] for text in texts.tolist()], dtype=np.float64)


def _offset(zone: str | None) -> float:
    if not zone or zone in ("Z", "UTC"):
        return 0.0
    sign = -1 if zone[0] == "-" else 1
    digits = zone[1:].replace(":", "").ljust(4, "0")
    return sign * (int(digits[:2]) * 3600 + int(digits[2:]) * 60.0)
