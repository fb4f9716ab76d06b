"""Columns of Arrow IPC files in blocks, however long their batches are.

The library unpacks a column of a batch as a whole, which may be a thousand times what the file
takes. Where its bytes lie says the metadata (FlatBuffers; Arrow columnar format, "IPC File Format"
and "RecordBatch message"); each buffer begins with its length and is an LZ4 frame or Zstandard.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, BinaryIO

_MAGIC = b"ARROW1"
_MOST = 64 << 20  # bytes of metadata
_MOST_ROWS = 1 << 36
_CODECS = {0: "lz4", 1: "zstd"}


class _Table:
    """A table of a FlatBuffer: fields by their numbers."""

    def __init__(self, data: bytes, at: int) -> None:
        self._data, self._at = data, at
        self._fields = at - struct.unpack_from("<i", data, at)[0]

    @classmethod
    def root(cls, data: bytes) -> _Table:
        return cls(data, struct.unpack_from("<I", data)[0])

    def _place(self, field: int) -> int:
        size = struct.unpack_from("<H", self._data, self._fields)[0]
        if 4 + 2 * field >= size:
            return 0
        offset: int = struct.unpack_from("<H", self._data, self._fields + 4 + 2 * field)[0]
        return self._at + offset if offset else 0

    def number(self, field: int, form: str) -> int:
        """A plain field, 0 where it is not there."""
        place = self._place(field)
        return int(struct.unpack_from(form, self._data, place)[0]) if place else 0

    def table(self, field: int) -> _Table | None:
        """A table inside."""
        place = self._place(field)
        return _Table(self._data, place + self.number(field, "<I")) if place else None

    def structs(self, field: int, form: str) -> list[tuple[int, ...]]:
        """A vector of structures."""
        place = self._place(field)
        if not place:
            return []
        start = place + self.number(field, "<I")
        count, size = struct.unpack_from("<I", self._data, start)[0], struct.calcsize(form)
        if start + 4 + count * size > len(self._data):
            raise ValueError("a list in its metadata is longer than that")
        return list(struct.iter_unpack(form, self._data[start + 4 : start + 4 + count * size]))


@dataclass(frozen=True)
class RecordBatch:
    """``rows``, and where each buffer lies in the file (place and bytes); ``codec`` is "" where
    they are as they are."""

    rows: int
    buffers: tuple[tuple[int, int], ...]
    codec: str


def batches_of(path: Path) -> list[RecordBatch]:
    """What an IPC file says of its batches. Raises :class:`ValueError` or :class:`struct.error`
    where it is damaged."""
    record_batches = []
    with path.open("rb") as file:
        size = file.seek(0, 2)
        end = size - len(_MAGIC) - 4
        (length,) = struct.unpack("<i", _read(file, end, 4))
        footer = _Table.root(_read(file, end - length, length))
        for place, head, _, _ in footer.structs(3, "<qiiq"):
            message = _Table.root(_read(file, place + 8, head - 8))
            batch = message.table(2)
            if batch is None:
                raise ValueError("a batch has no head")
            packed = batch.table(3)
            codec = "" if packed is None else _CODECS[packed.number(0, "<b")]
            buffers = tuple((place + head + at, long) for at, long in batch.structs(2, "<qq"))
            if any(at < 0 or long < 0 or at + long > size for at, long in buffers):
                raise ValueError("a batch reaches beyond its end")
            rows = batch.number(0, "<q")
            if not 0 <= rows < _MOST_ROWS:
                raise ValueError(f"a batch has {rows} rows")
            record_batches.append(RecordBatch(rows, buffers, codec))
    return record_batches


def _read(file: BinaryIO, at: int, count: int) -> bytes:
    if not 0 <= count <= _MOST:
        raise ValueError("its metadata is too long")
    file.seek(at)
    return file.read(count)


def first_buffer(schema: Any, column: int) -> int | None:
    """The number of a plain column's first buffer, None where a column before it has a kind whose
    buffers are not known."""
    import pyarrow.types as kinds

    number = 0
    for field in list(schema)[:column]:
        if kinds.is_string(field.type) or kinds.is_binary(field.type):
            number += 3
        elif kinds.is_primitive(field.type) or kinds.is_dictionary(field.type):
            number += 2
        else:
            return None
    return number


def blocks(path: Path, batch: RecordBatch, first: int, kind: Any, rows: int) -> Iterator[Any]:
    """A plain column, whose buffers begin with number ``first``, in arrays of at most so many
    ``rows``."""
    import pyarrow

    with path.open("rb") as file:
        missing = b""
        for part in _unpacked(file, batch, first, 1 << 22):
            missing += part
            if 8 * len(missing) > batch.rows:
                break
        if missing and 8 * len(missing) < batch.rows:
            raise ValueError("a column does not say which values are missing")
        width = kind.bit_width // 8
        at, rest = 0, b""
        for part in _unpacked(file, batch, first + 1, rows * width):
            data = rest + part
            count = min(len(data) // width, batch.rows - at)
            rest = data[count * width :]
            bits = missing[at // 8 : (at + count) // 8 + 1]
            valid = pyarrow.py_buffer(bits) if missing else None
            # A bitmap can begin within a byte only: the values of that byte before are skipped.
            skip = at % 8
            held = pyarrow.py_buffer(bytes(skip * width) + data[: count * width])
            yield pyarrow.Array.from_buffers(kind, count, [valid, held], offset=skip)
            at += count
            if at == batch.rows:
                break  # whatever else it says it has
        if at < batch.rows:
            raise ValueError("a column is shorter than it says")


def _unpacked(file: BinaryIO, batch: RecordBatch, number: int, size: int) -> Iterator[bytes]:
    """A buffer's bytes, at most so many at once."""
    import pyarrow

    at, long = batch.buffers[number]
    file.seek(at)
    whole = -1  # as it is
    if batch.codec and long:
        (whole,) = struct.unpack("<q", file.read(8))
        long -= 8
    if whole == -1:
        while long > 0 and (part := file.read(min(size, long))):
            long -= len(part)
            yield part
        return
    source = pyarrow.PythonFile(_Part(file, long), mode="r")
    with pyarrow.CompressedInputStream(source, batch.codec) as stream:
        while whole > 0 and (part := stream.read(min(size, whole))):
            whole -= len(part)
            yield part


class _Part:
    """The next bytes of a file, and no more."""

    closed = False

    def __init__(self, file: BinaryIO, left: int) -> None:
        self._file, self._left = file, left

    def read(self, count: int = -1) -> bytes:
        found = self._file.read(self._left if count < 0 else min(count, self._left))
        self._left -= len(found)
        return found

    def readable(self) -> bool:
        return True

    def close(self) -> None:
        """The file stays open: it is another's."""
