"""Parquet and Feather (Arrow's IPC file), read a row group or batch at a time.

What Tone Comb keeps in them: each field's unit in the field's metadata under ``unit``; the rate,
the start and a remark in the schema's under ``sample_rate_hz``, ``start`` and ``comment``.
"""

from __future__ import annotations

import threading
from bisect import bisect_right
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from tonecomb.core.base.progress import Progress
from tonecomb.core.method.given import Import
from tonecomb.core.record.blocks import BLOCKS
from tonecomb.core.record.recording import Array, Recording, Samples
from tonecomb.formats import arrow_blocks, atomic
from tonecomb.formats.contents import MOST_COLUMNS, Contents, FileColumn, damaged, foreign, rate_of
from tonecomb.formats.spool import Spool

_ROWS = 1 << 18  # in a row group or batch that we write


def sniff_parquet(start: bytes) -> bool:
    """Whether a file that starts so is Parquet."""
    return start.startswith(b"PAR1")


def sniff_feather(start: bytes) -> bool:
    """Whether a file that starts so is Feather version 2, which is Arrow's IPC file."""
    return start.startswith(b"ARROW1\0\0")


_LARGE = 1 << 24  # rows of a group, beyond which it is not held as a whole
_PIECE, _BATCH = 1 << 22, 1 << 20  # rows that are read, and unpacked, at once


class _Groups(Samples):
    """Rows in groups that are loaded when wanted; the last ones used are kept."""

    def __init__(self, rows: list[int], load: Callable[[int, int], Array]) -> None:
        self._starts = [0, *np.cumsum(rows, dtype=np.int64).tolist()]
        self._load, self._lock = load, threading.Lock()
        self._owner = BLOCKS.owner(self)

    @property
    def length(self) -> int:
        return int(self._starts[-1])

    def read(self, channel: int, start: int, stop: int) -> Array:
        parts = []
        group = bisect_right(self._starts, start) - 1
        while start < stop and group < len(self._starts) - 1:
            first, after = self._starts[group], self._starts[group + 1]
            if after > start:
                end = min(stop, after)
                parts.append(self._group(channel, group)[start - first : end - first])
                start = end
            group += 1
        if len(parts) == 1:
            return parts[0]
        return np.concatenate(parts) if parts else np.empty(0)

    def _group(self, channel: int, group: int) -> Array:
        key = (self._owner, channel, group)
        with self._lock:
            values = BLOCKS.get(key)
            if values is None:
                values = self._load(channel, group)
                values.flags.writeable = False
                BLOCKS.keep(key, values)
            return values


def _file(path: Path, mode: str = "rb") -> Any:
    """A file as the library takes it, which knows no names but those in UTF-8."""
    import pyarrow

    try:
        return pyarrow.OSFile(str(path), mode)
    except UnicodeEncodeError:
        with path.open(mode) as file:  # has a name by its number
            return pyarrow.OSFile(f"/proc/self/fd/{file.fileno()}", mode)


def open_parquet(path: Path, how: Import, progress: Progress) -> Contents:
    """Open a table of numbers; a column of times becomes seconds from its first."""
    import pyarrow.parquet as parquet

    with foreign(path, "Parquet"):
        file = parquet.ParquetFile(_file(path))
        schema, meta = file.schema_arrow, file.metadata
        rows = [meta.row_group(i).num_rows for i in range(meta.num_row_groups)]
        if min(rows, default=0) < 0 or sum(rows) != meta.num_rows:
            raise damaged(path, "Parquet", "its row groups do not add up")
    names = list(schema.names)

    def batches(channel: int, group: int) -> Iterator[Any]:
        for batch in file.iter_batches(
            _BATCH, row_groups=[group], columns=[names[channel]], use_threads=False
        ):
            yield batch.column(0)

    def whole(channel: int, group: int) -> Any:
        return file.read_row_group(group, [names[channel]], use_threads=False).column(0)

    return _contents(path, "Parquet", schema, _Rows(rows, whole, batches), progress)


def open_feather(path: Path, how: Import, progress: Progress) -> Contents:
    """Open a table of numbers; a column of times becomes seconds from its first."""
    import pyarrow

    readers: dict[int, Any] = {}

    def reader(channel: int) -> Any:
        """One that unpacks this column only. By calls: a map of a file that is cut off behind our
        back ends the process."""
        if channel not in readers:
            options = pyarrow.ipc.IpcReadOptions(included_fields=[channel], use_threads=False)
            readers[channel] = pyarrow.ipc.open_file(_file(path), options=options)
        return readers[channel]

    def whole(channel: int, group: int) -> Any:
        batch = reader(channel).get_batch(group)
        batch.validate()
        return batch.column(0)

    with foreign(path, "Feather"):
        schema = pyarrow.ipc.open_file(_file(path)).schema
        if not len(schema):
            raise damaged(path, "Feather", "it has no columns")
        held = arrow_blocks.batches_of(path)

    def batches(channel: int, group: int) -> Iterator[Any]:
        first, kind = arrow_blocks.first_buffer(schema, channel), schema.field(channel).type
        if first is not None:
            yield from arrow_blocks.blocks(path, held[group], first, kind, _BATCH)
            return
        column = whole(channel, group)
        for start in range(0, len(column), _BATCH):
            yield column.slice(start, _BATCH)

    rows = [one.rows for one in held]
    return _contents(path, "Feather", schema, _Rows(rows, whole, batches), progress)


@dataclass(frozen=True)
class _Rows:
    """Rows of each group or batch; ``whole`` gives a column of one, ``batches`` in parts."""

    count: list[int]
    whole: Callable[[int, int], Any]
    batches: Callable[[int, int], Iterator[Any]]

    @property
    def pieces(self) -> list[tuple[int, int, int]]:
        """Group, first row and rows of what is held at once."""
        return [
            (group, first, min(_PIECE, count - first) if count > _LARGE else count)
            for group, count in enumerate(self.count)
            for first in (range(0, count, _PIECE) if count > _LARGE else (0,))
        ]


def _contents(path: Path, kind: str, schema: Any, table: _Rows, progress: Progress) -> Contents:
    first: dict[int, int] = {}  # of each column of times
    unpacked: dict[tuple[int, int], Spool] = {}
    pieces = table.pieces
    rows = [count for _, _, count in pieces]

    def numbers(channel: int, piece: int) -> Array:
        group, begin, count = pieces[piece]
        with foreign(path, kind):
            if table.count[group] <= _LARGE:
                values = _numbers(table.whole(channel, group), channel, first)
            else:  # too large to be held: put aside on disk
                if (channel, group) not in unpacked:
                    unpacked[channel, group] = spool = Spool(1)
                    with spool:
                        for part in table.batches(channel, group):
                            spool.add(_numbers(part, channel, first))
                values = np.array(unpacked[channel, group].read(0, begin, begin + count))
            if len(values) != count:
                raise damaged(path, kind, "a column is shorter than it says")
            return values

    length = sum(rows)
    said = _text(schema.metadata)
    rate = rate_of({key: _float(value) for key, value in said.items()})
    columns = tuple(
        _column(field, length, rate, doubled=schema.names.count(field.name) > 1)
        for field in list(schema)[:MOST_COLUMNS]
    )
    groups = _Groups(rows, numbers)
    for i, column in enumerate(columns):
        if column.role == "time" and rows:
            groups.read(i, 0, 1)  # all times count from the first
    progress(1.0)
    return Contents(
        kind, columns, groups, start=said.get("start", ""), comment=said.get("comment", "")
    )


def _column(field: Any, length: int, rate: float | None, doubled: bool) -> FileColumn:
    import pyarrow.types as kinds

    kind, unit = field.type, _text(field.metadata).get("unit", "")
    if doubled:
        return FileColumn(
            field.name, "", length, role="leave out", note="two columns have this name"
        )
    if kinds.is_timestamp(kind) or kinds.is_duration(kind) or kinds.is_time(kind):
        return FileColumn(field.name, "s", length, rate, role="time")
    if kinds.is_integer(kind) or kinds.is_floating(kind):
        return FileColumn(field.name, unit, length, rate, integer=kinds.is_integer(kind))
    return FileColumn(field.name, "", length, role="leave out", note=f"{kind}, not numbers")


def _numbers(values: Any, channel: int, first: dict[int, int]) -> Array:
    import pyarrow
    import pyarrow.compute as pc
    import pyarrow.types as kinds

    kind = values.type
    if kinds.is_timestamp(kind) or kinds.is_duration(kind) or kinds.is_time(kind):
        per_second = {"s": 1, "ms": 10**3, "us": 10**6, "ns": 10**9}[kind.unit]
        width = pyarrow.int32() if kinds.is_time32(kind) else pyarrow.int64()
        counts = values.cast(width).cast(pyarrow.int64())
        if channel not in first:
            known = counts.drop_null()
            first[channel] = known[0].as_py() if len(known) else 0
        counts = pc.subtract(counts, first[channel])
        return np.array(counts.to_numpy(zero_copy_only=False), dtype=np.float64) / per_second
    if kinds.is_float16(kind):
        values = values.cast(pyarrow.float32())
    if kinds.is_integer(kind):
        values = values.cast(pyarrow.float64(), safe=False)
    if isinstance(values, pyarrow.ChunkedArray):
        return np.array(values.to_numpy(), dtype=np.float64)
    return np.array(values.to_numpy(zero_copy_only=False), dtype=np.float64)


def _text(metadata: Any) -> dict[str, str]:
    return {
        key.decode("utf-8", "replace"): value.decode("utf-8", "replace")
        for key, value in (metadata or {}).items()
    }


def _float(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


@dataclass(frozen=True)
class _Table:
    """A recording as Arrow sees it, batch by batch."""

    recording: Recording

    @property
    def schema(self) -> Any:
        import pyarrow

        r = self.recording
        said = {"sample_rate_hz": repr(float(r.rate)), "start": r.start, "comment": r.comment}
        fields = [
            pyarrow.field(name, pyarrow.float64(), metadata={"unit": channel.unit})
            for name, channel in zip(distinct(r), r.channels, strict=True)
        ]
        return pyarrow.schema(fields, metadata={k: v for k, v in said.items() if v})

    def write(self, writer: Any, progress: Progress) -> None:
        import pyarrow

        r, schema = self.recording, self.schema
        for start in range(0, r.length, _ROWS):
            stop = min(r.length, start + _ROWS)
            columns = [
                pyarrow.array(r.samples.read(i, start, stop)) for i in range(len(r.channels))
            ]
            writer.write_batch(pyarrow.record_batch(columns, schema=schema))
            progress(stop / r.length)


def distinct(recording: Recording) -> list[str]:
    """The channels' names, with a number where two are the same."""
    names: list[str] = []
    for channel in recording.channels:
        name, count = channel.name, 2
        while name in names:
            name, count = f"{channel.name} ({count})", count + 1
        names.append(name)
    return names


def write_parquet(path: Path, recording: Recording, progress: Progress) -> None:
    """Write all channels as float64, with units and rate in the metadata."""
    import pyarrow.parquet as parquet

    table = _Table(recording)
    with (
        atomic.replacing(path) as partial,
        _file(partial, "wb") as sink,
        parquet.ParquetWriter(sink, table.schema, compression="zstd") as writer,
    ):
        table.write(writer, progress)


def write_feather(path: Path, recording: Recording, progress: Progress) -> None:
    """Write all channels as float64, with units and rate in the metadata."""
    import pyarrow

    table = _Table(recording)
    with (
        atomic.replacing(path) as partial,
        _file(partial, "wb") as sink,
        pyarrow.ipc.new_file(sink, table.schema) as writer,
    ):
        table.write(writer, progress)
