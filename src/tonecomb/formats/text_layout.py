"""Finding the table in a text file: what divides its cells, and where its numbers begin."""

from __future__ import annotations

import csv
import re
from collections import Counter
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import find_unit
from tonecomb.formats import clock, files, time_column
from tonecomb.formats.contents import bracketed

COMMENTS = ("#", "%", "//")
MISSING = ("", "nan", "NaN", "NAN", "NA", "n/a", "N/A", "null", "NULL", "-", "--", "---")
LINE_END = re.compile("\r\n|\n|\r")
NUMBER, GROUPED, STAMP, WORD = "number", "grouped", "stamp", "word"
_INFINITE = {"inf", "-inf", "+inf", "infinity", "-infinity", "+infinity"}
# Every repeat has a bound here: a line that nearly fits, again and again, is not tried for ever.
_WITH_UNIT = re.compile(r"[^\s\[(]+(?:\s?[\[(][^\])]{0,60}[\])])?")
_LINE, _NAME = 10_000, 200  # letters of a header's line, and of a name, that are looked into
_HEAD, _MOST_HEAD = 1 << 16, 1 << 22
_MOST_LINES = 2000
_MARKS = "'’ \u00a0\u202f\u2009"  # between thousands, besides the sign that is not decimal
_DELIMITERS = (("\t", "."), (";", "."), (",", "."), (";", ","), ("\t", ","), (" ", "."), (" ", ","))
_NUMBER, _BETWEEN = r"([\d.,]{1,40}(?:e[+-]?\d{1,4})?)\s{0,8}", r"(?![a-z])([^\d\n]{0,80})"
_RATE = re.compile(
    r"(?:\b(?:sampl\w{0,20}?[ _-]{0,4}(?:rate|freq\w{0,12})|fs|f_s|abtastrate)|^\W{0,20}rate)"
    rf"{_BETWEEN}{_NUMBER}(k?hz|k?s/s|k?sps|$|[;,\t])",
    re.I,
)
_STEP = re.compile(
    r"\b(?:sampl\w{0,20}?[ _-]{0,4}(?:interval|period)|dt|delta[ _]?t|time[ _-]?step)"
    rf"{_BETWEEN}{_NUMBER}([mµ\u03bcun]?s(?:ec)?\b|$|[;,\t])",
    re.I,
)
_STEP_UNIT = re.compile(r"[\[( _]([mµ\u03bcun]?s)\b", re.I)
_SENSITIVITY = re.compile(
    rf"\bsensitivity\b[^\d\n]{{0,80}}{_NUMBER}([mµu]?V)\s{{0,8}}(?:/|per)\s{{0,8}}"
    r"(\(?[^\s,;)]{1,40}\)?)",
    re.I,
)
_TOLD = re.compile(r"[^=:]{1,60}[=:]\s*\S")  # a line that tells a thing, and is no header
IN_WORDS = {"\t": "tabs", ";": "semicolons", ",": "commas", " ": "spaces"}


@dataclass(frozen=True)
class TableLayout:
    """How the table stands in the file.

    ``first_row`` is the line (from 1) of the first row of numbers. ``names``, ``units`` and
    ``kinds`` have an entry for each column, "" where nothing is said. ``rate`` is one that the
    header states in Hz, ``sensitivity`` one in V per the unit that follows, ``comment`` the rest
    of what it says. ``header`` are the lines with names and units, which may come again.
    """

    encoding: str
    delimiter: str
    decimal: str
    first_row: int
    names: tuple[str, ...]
    units: tuple[str, ...]
    kinds: tuple[str, ...]
    rate: float | None = None
    sensitivity: tuple[float, str] | None = None
    comment: str = ""
    header: tuple[str, ...] = ()


def encoding_of(start: bytes, whole: bool) -> str:
    """UTF-16 by its mark or its zero bytes, UTF-8 if it is, or else Latin-1."""
    if start[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16"
    even, odd = start[0:2000:2], start[1:2000:2]
    for name, low, high in (("utf-16-le", even, odd), ("utf-16-be", odd, even)):
        if len(high) > 1 and high.count(0) > 0.8 * len(high) and not low.count(0):
            return name
    try:
        # The last bytes may be half a character.
        start[: len(start) if whole else -4].decode("utf-8")
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8-sig"


def sniff(start: bytes) -> bool:
    """Whether the bytes look like text: no control characters but tab and line ends."""
    if encoding_of(start, whole=False).startswith("utf-16"):
        start = start[2:].replace(b"\0", b"")
    return not any(byte < 32 and byte not in (9, 10, 12, 13) for byte in start)


def number(text: str, decimal: str) -> float | None:
    """The number that a cell holds, nan for a missing one, None when it is a word."""
    text = text.strip().strip('"').strip()
    if text in MISSING:
        return float("nan")
    if text.lower() in _INFINITE:
        return float(text)
    if decimal == ",":
        if "." in text:
            return None
        text = text.replace(",", ".")
    if "_" in text or not text.isascii():
        return None
    try:
        return float(text)
    except ValueError:
        return None


@lru_cache(2)
def _grouped(decimal: str) -> re.Pattern[str]:
    marks = _MARKS + ("." if decimal == "," else ",")
    return re.compile(rf"^[+-]?\d{{1,3}}([{marks}])\d{{3}}(?:\1\d{{3}})*(?:\{decimal}\d*)?$")


def group_mark(text: str, decimal: str) -> str | None:
    """The mark between thousands in a cell such as 1.234.567,8, None where there is none."""
    match = _grouped(decimal).match(text.strip().strip('"'))
    return match[1] if match else None


_PLAIN = re.compile(r"[+-]?[0-9]+(?:\.[0-9]*)?(?:[eE][+-]?[0-9]+)?")  # as nearly every cell is


def kind(text: str, decimal: str) -> str:
    """What a cell holds; "" for a missing value."""
    if decimal == "." and _PLAIN.fullmatch(text):
        return NUMBER
    value = number(text, decimal)
    if value is not None:
        return NUMBER if value == value else ""
    if group_mark(text, decimal):
        return GROUPED
    return STAMP if clock.is_stamp(text.strip().strip('"')) else WORD


def split(line: str, delimiter: str) -> list[str]:
    """The cells of a line, quoted ones included; runs of spaces count as one."""
    if delimiter == " ":
        return line.split()
    try:
        return next(csv.reader([line], delimiter=delimiter), [])
    except csv.Error:  # a quote that never closes, a cell of a million characters
        return line.split(delimiter)


def find_layout(
    path: Path, delimiter: str | None = None, decimal: str | None = None
) -> TableLayout:
    """Find how the table stands in the file from its beginning; ``delimiter`` and ``decimal``
    where the user knows. Raises :class:`UserError` for a text without a table."""
    size = _HEAD
    while True:
        start = files.head(path, size)
        whole = len(start) < size
        encoding = encoding_of(start, whole)
        lines = LINE_END.split(start.decode(encoding, errors="replace"))
        if not whole and len(lines) > 1:
            lines.pop()  # it may be cut
        # What stands in no line divides none: one of those is as good as the others.
        text, absent = "".join(lines), set[str]()
        tables = []
        for between, point in _DELIMITERS:
            if delimiter not in (None, between) or decimal not in (None, point):
                continue
            if between not in text:
                if point in absent:
                    continue
                absent.add(point)
            if (table := _table(lines, between, point)) is not None:
                tables.append(table)
        if tables:
            return _layout(lines, encoding, max(tables, key=lambda table: table.score))
        if whole or size >= _MOST_HEAD:
            raise _no_rows(path, lines)
        size *= 8


@dataclass(frozen=True)
class _Table:
    """What a delimiter and a decimal sign make of the lines."""

    delimiter: str
    decimal: str
    first: int
    kinds: tuple[str, ...]
    score: tuple[int, int, int, bool, bool]


def _table(lines: list[str], delimiter: str, decimal: str) -> _Table | None:
    found: list[tuple[int, list[str]]] = []
    for i, line in enumerate(lines):
        if not line.strip() or line.startswith(COMMENTS):
            continue
        cells = [kind(cell, decimal) for cell in split(line, delimiter)]
        if NUMBER in cells or GROUPED in cells:
            found.append((i, cells))
            if len(found) == _MOST_LINES:
                break
    if not found:
        return None
    widths = Counter(len(cells) for _, cells in found)
    width = max(widths, key=lambda w: (widths[w], w))
    fitting = [(i, cells) for i, cells in found if len(cells) == width]
    kinds = tuple(_column_kind([cells[c] for _, cells in fitting]) for c in range(width))
    rows = [i for i, cells in fitting if all(map(conforms, cells, kinds))]
    numbers = sum(k in (NUMBER, GROUPED, STAMP) for k in kinds)
    if not rows or not any(k in (NUMBER, GROUPED) for k in kinds):
        return None
    score = (len(rows), -kinds.count(WORD), numbers, GROUPED not in kinds, decimal == ".")
    return _Table(delimiter, decimal, rows[0], kinds, score)


def _column_kind(cells: list[str]) -> str:
    counts = Counter(cell for cell in cells if cell)
    if not counts:
        return NUMBER  # nothing but missing values
    numbers = counts[NUMBER] + counts[GROUPED]
    if numbers >= max(counts[STAMP], counts[WORD]):
        return GROUPED if counts[GROUPED] else NUMBER
    return STAMP if counts[STAMP] >= counts[WORD] else WORD


def conforms(cell: str, column: str) -> bool:
    """Whether a cell of one kind can stand in a column of another."""
    return column == WORD or cell in ("", column) or (column == GROUPED and cell == NUMBER)


def _layout(lines: list[str], encoding: str, table: _Table) -> TableLayout:
    header = [line for line in lines[: table.first] if line.strip()]
    plain = [line for line in header if not line.startswith(COMMENTS)]
    remarks = [line.lstrip("#%/ \t") for line in header if line.startswith(COMMENTS)]
    names, units, used = _names(plain, table)
    if not any(names) and len(table.kinds) > 1:
        # A header may itself stand in a comment.
        names, units, used = _names(remarks[-1:], table)
    rest = [line for line in (*remarks, *plain) if line not in used]
    return TableLayout(
        encoding=encoding,
        delimiter=table.delimiter,
        decimal=table.decimal,
        first_row=table.first + 1,
        names=names,
        units=units,
        kinds=table.kinds,
        rate=_stated_rate(header),
        sensitivity=_stated_sensitivity(header),
        comment="\n".join(line.strip().strip(table.delimiter) for line in rest)[:2000],
        header=tuple(used),
    )


def _cells(line: str, delimiter: str, width: int) -> list[str]:
    cells = split(line, delimiter)
    if delimiter == " " and len(cells) != width:
        cells = re.split(r"\t+| {2,}", line.strip())  # names with spaces in them
    if delimiter == " " and len(cells) != width:
        cells = _WITH_UNIT.findall(line[:_LINE])
    return cells


def _names(header: list[str], table: _Table) -> tuple[tuple[str, ...], tuple[str, ...], list[str]]:
    """Names and units from the header lines above the first row, and the lines they stood in."""
    width = len(table.kinds)
    fitting = [
        (line, cells)
        for line in header
        if not _tells(line, table.delimiter)
        if len(cells := _cells(line, table.delimiter, width)) == width
    ]
    if not fitting:
        return ("",) * width, ("",) * width, []
    unit_row, used = [""] * width, [fitting[-1][0]]
    if len(fitting) > 1 and all(_is_unit(cell) for cell in fitting[-1][1]):
        unit_row = [cell.strip().strip("[]()") for cell in fitting.pop()[1]]
        used.append(fitting[-1][0])
    names, units = [], []
    for cell, below in zip(fitting[-1][1], unit_row, strict=True):
        name, own = bracketed(cell) or (cell, "")
        names.append(name.strip()[:_NAME])
        units.append(below or own)
    return tuple(names), tuple(units), used


def _is_unit(cell: str) -> bool:
    text = cell.strip().strip("[]()").strip()
    return not text or time_column.factor(text) is not None or find_unit(text) is not None


def _tells(line: str, delimiter: str) -> bool:
    """Whether a line says something like ``dt = 0.004`` and names no columns."""
    told = _TOLD.match(line[:_LINE])
    return told is not None and (delimiter == " " or delimiter not in line.strip().strip(delimiter))


def _stated_rate(header: list[str]) -> float | None:
    """A sample rate, in Hz if it has no unit, or an interval, in s if it has none."""
    for line in header:
        rate, step = _RATE.search(line[:_LINE]), _STEP.search(line[:_LINE])
        try:
            if rate:
                kilo = rate[3][:1].lower() == "k" or "khz" in rate[1].lower()
                value = _stated(rate[2]) * (1000 if kilo else 1)
            elif step:
                before = _STEP_UNIT.search(step[1])
                size = time_column.factor(step[3] or (before[1] if before else ""))
                value = 1 / (_stated(step[2]) * (size or 1))
            else:
                continue
        except (ValueError, ZeroDivisionError):
            continue
        if 0 < value < 1e12:
            return value
    return None


def _stated(text: str) -> float:
    return float(text.rstrip(".,").replace(",", "."))


def _stated_sensitivity(header: list[str]) -> tuple[float, str] | None:
    """Volts per unit, and the unit, where the header states them once."""
    found = [match for line in header if (match := _SENSITIVITY.search(line[:_LINE]))]
    if len(found) != 1:
        return None
    number, volts, per = found[0].groups()
    symbol = find_unit(per.strip("()"))
    try:
        size = _stated(number) * {"v": 1.0, "m": 1e-3}.get(volts[0].lower(), 1e-6)
    except ValueError:
        return None
    return (size, symbol) if symbol is not None and size > 0 else None


def _no_rows(path: Path, lines: list[str]) -> UserError:
    filled = [line for line in lines if line.strip() and not line.startswith(COMMENTS)]
    # A unit row may follow the header.
    if 0 < len(filled) <= 2:
        for delimiter in "\t;,":
            cells = split(filled[0], delimiter)
            if len(cells) > 1 and all(cell.strip() for cell in cells):
                count = len(lines) - (not lines[-1])
                return UserError(
                    f"{path.name} has a header but no rows of numbers",
                    f"it ends after line {count}",
                    "export it again with its values",
                )
    return UserError(
        f"{path.name} is text, but not a table of numbers",
        "no line holds numbers divided by commas, semicolons, tabs or spaces",
        "export it as CSV with a header and a row for each sample",
    )
