"""Delimited text, read in blocks through pyarrow."""

from __future__ import annotations

import codecs
import csv
import re
import threading
from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.base.units import find_unit
from tonecomb.core.method.given import Import, Role
from tonecomb.core.record.recording import Array, Recording, Samples
from tonecomb.core.record.resampling import Affine
from tonecomb.formats import atomic, files, text_layout
from tonecomb.formats.clock import Clock
from tonecomb.formats.contents import Contents, FileColumn
from tonecomb.formats.spool import Spool
from tonecomb.formats.text_layout import GROUPED, MISSING, STAMP, WORD, TableLayout

_BLOCK = 1 << 24
_TAIL = 1 << 16  # bytes at a block's end in which the last line's end is looked for
_LONGEST = 16 << 20  # bytes of a line, beyond which it is none of a table
_START = re.compile(r"^start: *(\S+)$", re.MULTILINE)
_ROWS = 1 << 16  # written at once
_VOLTS = {"V": 1.0, "mV": 1e-3, "µV": 1e-6}


@dataclass(frozen=True)
class _Cells(Samples):
    """Spooled columns by their number in the file; those with words read as missing."""

    spool: Spool
    place: dict[int, int]

    def read(self, channel: int, start: int, stop: int) -> Array:
        if channel not in self.place:
            return np.full(stop - start, np.nan)
        return self.spool.read(self.place[channel], start, stop)


def open_table(path: Path, how: Import, progress: Progress) -> Contents:
    """Read a table of numbers, with times in one column or without."""
    layout = text_layout.find_layout(path, how.delimiter, how.decimal)
    width = len(layout.names)
    left_out = {i for i, said in enumerate(how.columns) if said.role == "leave out"}
    wanted = [i for i in range(width) if layout.kinds[i] != WORD and i not in left_out]
    reading = _Reading(path, layout, wanted)
    spool = reading.run(progress)
    if spool.length == 0:
        raise UserError(f"{path.name} has a header but no rows of numbers")
    place = {column: i for i, column in enumerate(wanted)}
    missing = tuple(reading.missing[place[i]] if i in place else 0 for i in range(width))
    columns = tuple(_column(layout, i, spool.length, missing[i]) for i in range(width))
    words = [layout.names[i] or f"{i + 1}" for i in range(width) if layout.kinds[i] == WORD]
    guesses: tuple[str, ...] = ()
    if reading.headers:
        guesses = (f"The header comes again {_times(reading.headers)}: left out.",)
    if words:
        named = ", ".join(f"‘{word}’" for word in words[:3])
        guesses += (f"{named} {'holds' if len(words) == 1 else 'hold'} words: left out.",)
    samples: Samples = _Cells(spool, place)
    if (volts := layout.sensitivity) is not None:
        columns, samples, lines = _sensed(columns, samples, *volts)
        guesses += lines
    return Contents(
        format="text table",
        columns=columns,
        samples=samples,
        row="line",
        first_row=layout.first_row,
        start=reading.start or (stated[1] if (stated := _START.search(layout.comment)) else ""),
        comment=_START.sub("", layout.comment).strip(),
        guesses=guesses,
        delimiter=layout.delimiter,
        decimal=layout.decimal,
        missing=missing,
        rate=layout.rate,
    )


def _column(layout: TableLayout, i: int, length: int, missing: int) -> FileColumn:
    """Column ``i`` as the table has it; one without a value is left out."""
    role: Role | None = None
    note, unit = "", layout.units[i]
    if layout.kinds[i] == STAMP:
        role, unit = "time", "s"
    elif layout.kinds[i] == WORD:
        role, note = "leave out", "words, not numbers"
    elif missing == length:
        role, note = "leave out", "empty"
    return FileColumn(layout.names[i], unit, length, role=role, note=note)


def _sensed(
    columns: tuple[FileColumn, ...], samples: Samples, sensitivity: float, symbol: str
) -> tuple[tuple[FileColumn, ...], Samples, tuple[str, ...]]:
    """Volts turned into what a sensor of the ``sensitivity`` in V per unit felt; all else stays,
    since nobody says whether it was applied before."""
    sizes = [_VOLTS.get(find_unit(column.unit) or "") for column in columns]
    text = f"{1000 * sensitivity:.6g} mV/{symbol}"
    if not any(sizes):
        return (
            columns,
            samples,
            (f"The header tells a sensitivity of {text}: not applied, for no column is in V.",),
        )
    factors = tuple(1.0 if size is None else size / sensitivity for size in sizes)
    columns = tuple(
        column if size is None else replace(column, unit=symbol)
        for column, size in zip(columns, sizes, strict=True)
    )
    told = (f"V is turned into {symbol} by the header's sensitivity, {text}.",)
    return columns, Affine(samples, factors, (0.0,) * len(columns)), told


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count} times"


def _whole_lines(file: BinaryIO) -> int:
    """Bytes of the whole lines in the next block, 0 where they cannot be told: so that it need not
    be cut and joined, which takes as long as reading it."""
    here, wide = file.tell(), min(_TAIL, _BLOCK // 2)
    file.seek(here + _BLOCK - wide)
    tail = file.read(wide)
    file.seek(here)
    end = tail.rfind(b"\n") + 1
    return _BLOCK - wide + end if end and len(tail) == wide else 0


class _Reading:
    """One pass over a table's rows into a spool."""

    def __init__(self, path: Path, layout: TableLayout, wanted: list[int]) -> None:
        self._path, self._layout, self._wanted = path, layout, wanted
        self._clocks = {i: Clock() for i in wanted if layout.kinds[i] == STAMP}
        self.missing = [0] * len(wanted)
        self.headers, self._lock = 0, threading.Lock()  # headers that came again
        encoding = "latin-1" if layout.encoding == "latin-1" else "utf-8"
        lines = (line.strip().encode(encoding, errors="replace") for line in layout.header)
        self._again = tuple(line for line in lines if line)

    @property
    def start(self) -> str:
        """When the first row was taken, if a column tells."""
        return next((clock.start for clock in self._clocks.values()), "")

    def run(self, progress: Progress) -> Spool:
        """All rows; raises :class:`UserError` with the first line that cannot be read.

        Blocks are converted while the next is read and the last put aside.
        """
        spool = Spool(len(self._wanted))
        under_way: deque[tuple[int, Future[list[Array]]]] = deque()

        def take() -> None:
            number, converted = under_way.popleft()
            columns = self._result(number, converted)
            for i, column in enumerate(columns):
                self.missing[i] += int(np.count_nonzero(~np.isfinite(column)))
            if columns:
                spool.add(*columns)

        # A clock counts on from block to block.
        threads = 1 if self._clocks else 2
        with spool, ThreadPoolExecutor(threads, "table") as pool:
            for number, (block, done) in enumerate(self._blocks()):
                progress(done)
                under_way.append((number, pool.submit(self._convert, block)))
                if len(under_way) > threads:
                    take()
            while under_way:
                take()
        return spool

    def _result(self, number: int, converted: Future[list[Array]]) -> list[Array]:
        import pyarrow

        try:
            return converted.result()
        except (pyarrow.ArrowInvalid, pyarrow.ArrowNotImplementedError) as error:
            line = self._layout.first_row
            for i, (block, _) in enumerate(self._blocks()):
                if i == number:
                    user_error = self._bad_cell(block, line)
                    break
                line += block.count(b"\n")
            raise user_error or UserError(
                f"{self._path.name} could not be read as a table", str(error).splitlines()[0]
            ) from error

    def _blocks(self) -> Iterator[tuple[bytes, float]]:
        """Whole lines from the first row on as UTF-8 with \\n, and the share read so far."""
        wide = self._layout.encoding.startswith("utf-16")  # all else can be cut at line ends
        decoder = codecs.getincrementaldecoder(self._layout.encoding)("replace") if wide else None
        skip, rest = self._layout.first_row - 1, b""
        with files.opened(self._path) as file:
            size = max(1, self._path.stat().st_size)
            while True:
                raw = file.read(_BLOCK if decoder else _whole_lines(file) or _BLOCK)
                block = rest + (decoder.decode(raw, not raw).encode() if decoder else raw)
                if b"\r" in block and (block[-1:] != b"\r" or not raw):
                    block = block.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
                cut = len(block) if not raw else block.rfind(b"\n") + 1
                whole, rest = block[:cut], block[cut:]
                if len(rest) > _LONGEST:
                    raise UserError(
                        f"A line of {self._path.name} is longer than {_LONGEST >> 20} MB",
                        f"it begins {file.tell() - len(rest)} bytes into the file",
                        "a table has a line a row: correct it, or cut the file off there",
                    )
                begin = 0
                while skip and begin < len(whole):
                    begin, skip = whole.find(b"\n", begin) + 1 or len(whole), skip - 1
                whole = whole[begin:]
                if whole:
                    yield whole, min(0.99, file.tell() / size)
                if not raw:
                    return

    def _convert(self, block: bytes) -> list[Array]:
        import pyarrow
        from pyarrow import csv as arrow_csv

        layout = self._layout
        keys = [str(i) for i in range(len(layout.names))]
        types = {
            str(i): pyarrow.string() if layout.kinds[i] in (GROUPED, STAMP) else pyarrow.float64()
            for i in self._wanted
        }
        block = self._tidied(block, counted=True)
        if not block or block.isspace() or not self._wanted:
            return []
        latin = layout.encoding == "latin-1"
        table = arrow_csv.read_csv(
            pyarrow.BufferReader(block),
            arrow_csv.ReadOptions(column_names=keys, encoding="latin-1" if latin else "utf-8"),
            arrow_csv.ParseOptions(delimiter=layout.delimiter),
            arrow_csv.ConvertOptions(
                column_types=types,
                include_columns=list(types),
                null_values=list(MISSING),
                decimal_point=layout.decimal,
                strings_can_be_null=True,
            ),
        )
        return [self._numbers(i, table.column(str(i))) for i in self._wanted]

    def _tidied(self, block: bytes, counted: bool = False) -> bytes:
        """Without comment lines and repeated headers, which are ``counted`` or not; runs of spaces
        made one where they divide cells."""
        marks = tuple(mark.encode() for mark in text_layout.COMMENTS)
        # A single byte is found much faster than two.
        if block.startswith(marks) or any(
            mark[:1] in block and b"\n" + mark in block for mark in marks
        ):
            # An empty line is skipped too, and keeps the count of lines.
            block = b"\n".join(
                b"" if line.startswith(marks) else line for line in block.split(b"\n")
            )
        if any(line in block for line in self._again):
            lines = block.split(b"\n")
            lines_of_names = sum(line.strip() == self._again[-1] for line in lines)
            lines = [b"" if line.strip() in self._again else line for line in lines]
            block = b"\n".join(lines)
            with self._lock:
                self.headers += lines_of_names * counted
        if self._layout.delimiter == " ":
            block = block.replace(b"\t", b" ")
            while b"  " in block:
                block = block.replace(b"  ", b" ")
            block = block.replace(b"\n ", b"\n").replace(b" \n", b"\n").strip(b" ")
        return block

    def _numbers(self, column: int, values: Any) -> Array:
        import pyarrow
        import pyarrow.compute as pc

        kind, decimal = self._layout.kinds[column], self._layout.decimal
        if kind == STAMP:
            texts = values.combine_chunks()
            seconds = self._clocks[column].seconds(texts)
            if np.isnan(seconds).sum() > texts.null_count:
                raise pyarrow.ArrowInvalid("a cell holds no time")
            return seconds
        if kind == GROUPED:
            for mark in "'’\u00a0\u202f\u2009 " + ("." if decimal == "," else ","):
                values = pc.replace_substring(values, mark, "")
            values = pc.cast(pc.replace_substring(values, decimal, "."), "float64")
        return np.asarray(values.to_numpy(), dtype=np.float64)

    def _bad_cell(self, block: bytes, first: int) -> UserError | None:
        """Say in which line and column the table stops being one; ``first`` is the block's first
        line."""
        layout, name = self._layout, self._path.name
        width = len(layout.names)
        encoding = "latin-1" if layout.encoding == "latin-1" else "utf-8"
        text = self._tidied(block).decode(encoding, errors="replace")
        for line, content in enumerate(text_layout.LINE_END.split(text), start=first):
            cells = text_layout.split(content, layout.delimiter)
            if not cells:
                continue
            if len(cells) != width:
                return UserError(
                    f"Line {line} of {name} has {len(cells)} cells, but the lines before "
                    f"have {width}",
                    remedy="correct or delete that line",
                )
            for column in self._wanted:
                cell, kind = cells[column], layout.kinds[column]
                found = text_layout.kind(cell, layout.decimal)
                if (
                    found
                    and found != kind
                    and not (kind == GROUPED and found == text_layout.NUMBER)
                ):
                    title = layout.names[column] or f"column {column + 1}"
                    wanted = "time" if kind == STAMP else "number"
                    return UserError(
                        f"Line {line} of {name} holds the word ‘{cell.strip()[:40]}’ where "
                        f"a {wanted} of ‘{title}’ should be",
                        remedy="correct the cell or leave it empty, or leave the column out",
                    )
        return None


def write_csv(path: Path, recording: Recording, progress: Progress) -> None:
    """Write time in s and every channel with its unit in brackets; commas, decimal points."""
    names = ["time [s]", *(f"{c.name} [{c.unit}]" for c in recording.channels)]
    remarks = recording.comment.splitlines()
    if recording.start:
        remarks.insert(0, f"start: {recording.start}")
    # So many digits that the rate can be read from the stamps again.
    digits = max(6, int(np.ceil(np.log10(recording.rate))) + 6)
    with (
        atomic.replacing(path) as partial,
        partial.open("w", encoding="utf-8", newline="") as file,
    ):
        file.writelines(f"# {' '.join(remark.split())}\r\n" for remark in remarks)
        csv.writer(file).writerow(names)
        for start in range(0, recording.length, _ROWS):
            stop = min(recording.length, start + _ROWS)
            columns = [np.arange(start, stop) / recording.rate]
            columns += [recording.samples.read(i, start, stop) for i in range(len(names) - 1)]
            # As many digits as it takes to read the same number again.
            form = ",".join([f"%.{digits}f", *["%r"] * (len(names) - 1)]) + "\r\n"
            file.writelines(form % row for row in zip(*(c.tolist() for c in columns), strict=True))
            progress(stop / recording.length)
