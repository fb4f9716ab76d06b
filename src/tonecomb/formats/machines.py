"""A machine's known frequencies as a CSV table that any spreadsheet writes.

Its first row names the columns: ``name``; ``frequency [Hz]`` or ``times shaft``, one of them
filled in each row; ``tolerance [%]``, which may be missing. Columns are known by the word they
begin with.
"""

from __future__ import annotations

import csv
import io
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.machine import Known
from tonecomb.formats import atomic, files

HEADER = ("name", "frequency [Hz]", "times shaft", "tolerance [%]")
_LARGEST = 1 << 20  # bytes of a table of names


def read(file: Path) -> tuple[Known, ...]:
    """The known frequencies in a table. Raises :class:`UserError` that names the row."""
    files.head(file, 1)
    try:
        if file.stat().st_size > _LARGEST:
            raise ValueError("it is too large for one")
        text = file.read_text("utf-8-sig")
        rows = list(csv.reader(io.StringIO(text), delimiter=";" if _semicolons(text) else ","))
    except (ValueError, OSError, csv.Error) as error:
        raise _wrong(file, str(error).splitlines()[0]) from error
    rows = [[cell.strip() for cell in row] for row in rows]
    filled = [(i, row) for i, row in enumerate(rows, start=1) if any(row) and row[0][:1] != "#"]
    if not filled:
        raise _wrong(file, "it is empty")
    titles = [title.lower() for title in filled[0][1]]
    place = {
        title: next((i for i, found in enumerate(titles) if found.startswith(title)), None)
        for title in ("name", "frequency", "times", "tolerance")
    }
    if place["name"] is None or (place["frequency"] is None and place["times"] is None):
        raise _wrong(file, "its first row does not name its columns")
    return tuple(_known(file, number, row, place) for number, row in filled[1:])


def _semicolons(text: str) -> bool:
    return ";" in text.partition("\n")[0]


def _known(file: Path, number: int, row: list[str], place: dict[str, int | None]) -> Known:
    def cell(title: str) -> str:
        at = place[title]
        return row[at] if at is not None and at < len(row) else ""

    hertz, times = cell("frequency"), cell("times")
    try:
        if bool(hertz) == bool(times):
            raise ValueError("one of frequency and times shaft must be given")
        value = float((hertz or times).replace(",", "."))
        tolerance = float((cell("tolerance") or "0.5").replace(",", "."))
        one = Known(cell("name"), value, bool(times), tolerance)
        one.check()
    except (ValueError, UserError) as error:
        text = error.text if isinstance(error, UserError) else str(error)
        raise _wrong(file, f"row {number}: {text.rstrip('.')}") from error
    return one


def _wrong(file: Path, why: str) -> UserError:
    return UserError(
        f"{file.name} is no table of known frequencies",
        why,
        "its columns are name, frequency [Hz] or times shaft, tolerance [%]",
    )


def write(file: Path, known: tuple[Known, ...]) -> None:
    """Write a table; it is either wholly written or the old one stays."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(HEADER)
    for one in known:
        value = f"{one.value:.10g}"
        cells = ("", value) if one.of_shaft else (value, "")
        writer.writerow([one.name, *cells, f"{one.tolerance:g}"])
    atomic.make_folder(file.parent)
    atomic.write_text(file, out.getvalue())
