"""Numbers put aside on disk while a file is read, so that memory stays small."""

from __future__ import annotations

import mmap
import tempfile
from bisect import bisect_right

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array, Samples
from tonecomb.formats.atomic import reason
from tonecomb.formats.on_disk import need_room


class Spool(Samples):
    """Blocks of columns in a temporary file that has no name and goes with the object.

    Filled by :meth:`add` in a ``with`` statement; after it, it is read like any
    :class:`~tonecomb.core.record.recording.Samples`, by several threads at once.
    """

    def __init__(self, columns: int) -> None:
        self._columns = columns
        self._starts: list[int] = [0]  # first row of each block, and the row after the last
        self.file = tempfile.TemporaryFile(prefix="tone-comb-")  # noqa: SIM115
        self._map: mmap.mmap | None = None

    @property
    def length(self) -> int:
        """Rows so far."""
        return self._starts[-1]

    def add(self, *columns: Array) -> None:
        """Put a block of rows at the end, an array for each column."""
        rows = len(columns[0])
        if not rows:
            return
        need_room(8 * rows * self._columns)
        try:
            for column in columns:
                self.file.write(np.ascontiguousarray(column, dtype=np.float64).data)
        except OSError as error:
            raise UserError("The file could not be unpacked", reason(error)) from error
        self._starts.append(self._starts[-1] + rows)

    def __enter__(self) -> Spool:
        return self

    def __exit__(self, *failure: object) -> None:
        with self.file:
            if failure[0] is None and self.length:
                self.file.flush()
                self._map = mmap.mmap(self.file.fileno(), 0, access=mmap.ACCESS_READ)

    def read(self, channel: int, start: int, stop: int) -> Array:
        parts = []
        block = bisect_right(self._starts, start) - 1
        while start < stop and block < len(self._starts) - 1 and self._map is not None:
            first, after = self._starts[block], self._starts[block + 1]
            end = min(stop, after)
            offset = 8 * (first * self._columns + channel * (after - first) + start - first)
            parts.append(np.frombuffer(self._map, np.float64, end - start, offset))
            start, block = end, block + 1
        if len(parts) == 1:
            return parts[0]
        return np.concatenate(parts) if parts else np.empty(0)
