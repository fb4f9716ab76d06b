"""Delimited text: finding the table in the lines, then reading it through pyarrow."""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tonecomb.core.errors import UserError
from tonecomb.core.progress import Progress
from tonecomb.core.recording import Array, ArraySamples, Channel, Problem, Recording
from tonecomb.core.units import FULL_SCALE, find_unit
from tonecomb.formats import files, time_column

_HEAD = 1 << 16
_COMMENTS = ("#", "%", "//")
_MISSING = ("", "nan", "NaN", "NAN", "NA", "n/a", "N/A", "null", "-", "--")
_INFINITE = {"inf", "-inf", "+inf", "infinity", "-infinity"}
_BRACKETED = re.compile(r"^(.*?)\s*[\[(]([^\])]*)[\])]\s*$")


@dataclass(frozen=True)
class Layout:
    """How the table stands in the file. ``first_row`` is the line (from 1) of the first row
    of numbers; ``names`` and ``units`` have one entry a column, "" where nothing is said."""

    encoding: str
    delimiter: str
    decimal: str
    first_row: int
    names: tuple[str, ...]
    units: tuple[str, ...]


def sniff(start: bytes) -> bool:
    """Whether the bytes look like text: no control characters but tab and line ends."""
    return not any(byte < 32 and byte not in (9, 10, 12, 13) for byte in start)


def open_table(path: Path, progress: Progress) -> Recording:
    """Read a table of numbers with a time column, or without (the rate then is unknown)."""
    layout = find_layout(path)
    columns = _read(path, layout, progress)
    if not columns or len(columns[0]) == 0:
        raise UserError(f"{path.name} has a header but no rows of numbers")
    at, factor, assumed = time_column.find(layout.names, layout.units, columns)
    problems: tuple[Problem, ...] = ()
    rate, source, found = None, "unknown", "the file has no time column"
    if at is not None:
        base = time_column.measure(
            columns[at] * factor, layout.names[at], layout.first_row, path.name, assumed
        )
        rate, source, found, problems = base.rate, "time column", base.found, base.problems
    data = [i for i in range(len(columns)) if i != at]
    if not data:
        raise UserError(
            f"{path.name} holds only a time column", remedy="export it with the measured values"
        )
    channels = tuple(
        Channel(layout.names[i] or f"column {i + 1}", find_unit(layout.units[i]) or FULL_SCALE)
        for i in data
    )
    return Recording(
        id="",
        name=path.stem,
        format="text table",
        sample_rate=rate,
        rate_source=source,  # type: ignore[arg-type]
        rate_found=found,
        length=len(columns[0]),
        channels=channels,
        samples=ArraySamples.of(*(columns[i] for i in data)),
        path=path,
        problems=problems,
    )


def number(text: str, decimal: str) -> float | None:
    """The number that a cell holds, nan for a missing one, None when it is a word."""
    text = text.strip().strip('"')
    if text in _MISSING:
        return float("nan")
    if text.lower() in _INFINITE:
        return float(text)
    if decimal == ",":
        if "." in text:
            return None
        text = text.replace(",", ".")
    if "_" in text:
        return None
    try:
        return float(text)
    except ValueError:
        return None


def split(line: str, delimiter: str) -> list[str]:
    """The cells of a line, quoted ones included."""
    return next(csv.reader([line], delimiter=delimiter), [])


def _is_row(cells: list[str], decimal: str) -> bool:
    numbers = [number(cell, decimal) for cell in cells]
    return None not in numbers and any(n == n for n in numbers if n is not None)


def find_layout(path: Path) -> Layout:
    """Find delimiter, decimal sign, header, unit row and first row from the file's start."""
    start = files.head(path, _HEAD)
    encoding = _encoding(start)
    text = start.decode(encoding, errors="replace")
    lines = text.splitlines()
    if len(start) == _HEAD and len(lines) > 1:
        lines.pop()  # it may be cut
    best: tuple[tuple[int, int, int], str, str, int] | None = None
    for delimiter, decimal in (("\t", "."), (";", "."), (",", "."), (";", ","), ("\t", ",")):
        rows = [
            (i, cells)
            for i, line in enumerate(lines)
            if line.strip() and not line.startswith(_COMMENTS)
            for cells in [split(line, delimiter)]
            if _is_row(cells, decimal)
        ]
        if not rows:
            continue
        width = len(rows[-1][1])
        rows = [row for row in rows if len(row[1]) == width]
        score = (len(rows), width, int(decimal == "."))
        if best is None or score > best[0]:
            best = (score, delimiter, decimal, rows[0][0])
    if best is None:
        raise _no_rows(path, lines)
    (_, width, _), delimiter, decimal, first = best
    headers = [
        split(line, delimiter)
        for line in lines[:first]
        if line.strip() and not line.startswith(_COMMENTS)
    ]
    names, units = _names(headers, width)
    return Layout(encoding, delimiter, decimal, first + 1, names, units)


def _encoding(start: bytes) -> str:
    try:
        # The last bytes may be half a character.
        start[:-4].decode("utf-8") if len(start) == _HEAD else start.decode("utf-8")
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8-sig"


def _no_rows(path: Path, lines: list[str]) -> UserError:
    filled = [line for line in lines if line.strip() and not line.startswith(_COMMENTS)]
    # A unit row may follow the header.
    if 0 < len(filled) <= 2:
        for delimiter in "\t;,":
            cells = split(filled[0], delimiter)
            if len(cells) > 1 and all(cell.strip() for cell in cells):
                return UserError(
                    f"{path.name} has a header but no rows of numbers",
                    f"it ends after line {len(lines)}",
                    "export it again with its values",
                )
    return UserError(
        f"{path.name} is text, but not a table of numbers",
        "no line holds numbers divided by commas, semicolons or tabs",
        "export it as CSV with a header and a row for each sample",
    )


def _names(headers: list[list[str]], width: int) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Names and units from the header lines above the first row."""
    fitting = [cells for cells in headers if len(cells) == width]
    if not fitting:
        return ("",) * width, ("",) * width
    unit_row = [""] * width
    if len(fitting) > 1 and all(_is_unit(cell) for cell in fitting[-1]):
        unit_row = [cell.strip().strip("[]()") for cell in fitting.pop()]
    names, units = [], []
    for cell, below in zip(fitting[-1], unit_row, strict=True):
        match = _BRACKETED.match(cell.strip())
        name, own = match.groups() if match else (cell.strip(), "")
        names.append(name)
        units.append(below or own)
    return tuple(names), tuple(units)


def _is_unit(cell: str) -> bool:
    text = cell.strip().strip("[]()").strip()
    return not text or text in time_column.TIME_UNITS or find_unit(text) is not None


def _read(path: Path, layout: Layout, progress: Progress) -> list[Array]:
    import pyarrow
    from pyarrow import csv as arrow_csv

    width = len(layout.names)
    keys = [str(i) for i in range(width)]
    size, done = max(1, path.stat().st_size), 0
    parts: list[list[Array]] = [[] for _ in keys]
    try:
        with arrow_csv.open_csv(
            path,
            arrow_csv.ReadOptions(
                column_names=keys,
                skip_rows=layout.first_row - 1,
                encoding="latin-1" if layout.encoding == "latin-1" else "utf-8",
                block_size=1 << 22,
            ),
            arrow_csv.ParseOptions(delimiter=layout.delimiter),
            arrow_csv.ConvertOptions(
                column_types={key: pyarrow.float64() for key in keys},
                null_values=list(_MISSING),
                decimal_point=layout.decimal,
            ),
        ) as reader:
            for batch in reader:
                for part, column in zip(parts, batch.columns, strict=True):
                    part.append(column.to_numpy(zero_copy_only=False))
                done += batch.nbytes
                progress(min(0.99, done / size))
    except pyarrow.ArrowInvalid as error:
        raise _first_bad_cell(path, layout) or UserError(
            f"{path.name} could not be read as a table", str(error).splitlines()[0]
        ) from error
    except OSError as error:
        raise UserError(f"{path} could not be read", str(error)) from error
    return [np.concatenate(part) for part in parts if part]


def _first_bad_cell(path: Path, layout: Layout) -> UserError | None:
    """Say in which line and column the table stops being one."""
    width = len(layout.names)
    with path.open(encoding=layout.encoding, errors="replace", newline="") as file:
        for line, cells in enumerate(csv.reader(file, delimiter=layout.delimiter), start=1):
            if line < layout.first_row or not cells:
                continue
            if len(cells) != width:
                return UserError(
                    f"Line {line} of {path.name} has {len(cells)} cells, but the lines before "
                    f"have {width}",
                    remedy="correct or delete that line",
                )
            for column, cell in enumerate(cells):
                if number(cell, layout.decimal) is None:
                    name = layout.names[column] or f"column {column + 1}"
                    return UserError(
                        f"Line {line} of {path.name} holds the word ‘{cell.strip()[:40]}’ where "
                        f"a number of ‘{name}’ should be",
                        remedy="correct the cell or leave it empty",
                    )
    return None
