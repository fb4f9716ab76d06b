"""Numbers that lie in a file as they are in memory, read by calls: a map of a file that is cut off
behind our back ends the process."""

from __future__ import annotations

import math
import os
import shutil
import tempfile
import weakref
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array
from tonecomb.formats.atomic import reason
from tonecomb.formats.contents import plain

_BLOCK = 1 << 22
_SPARE = 1 << 26  # bytes that are left free
_SMALL = 1 << 15  # bytes that are not worth a file


class HeldFile:
    """A file that stays ours, whatever becomes of its name."""

    def __init__(self, path: Path) -> None:
        self.name = path.name
        self._file = os.open(path, os.O_RDONLY | getattr(os, "O_CLOEXEC", 0))
        weakref.finalize(self, os.close, self._file)

    @property
    def size(self) -> int:
        """Bytes that it has now."""
        return os.fstat(self._file).st_size

    def fill(self, memory: memoryview, start: int) -> None:
        """Fill ``memory`` with the bytes from ``start`` on."""
        done = 0
        while done < len(memory):
            got = os.preadv(self._file, [memory[done:]], start + done)
            if not got:
                raise UserError(
                    f"{self.name} has become shorter since it was opened",
                    remedy="open it again, or bring back what it was",
                )
            done += got


@dataclass(frozen=True, eq=False)
class OnDisk:
    """An array of one or two dimensions from byte ``start`` of a file on, its rows one after the
    other or, in ``fortran``'s order, its columns. Raises :class:`ValueError` where it cannot be
    read."""

    file: HeldFile
    start: int
    dtype: np.dtype
    shape: tuple[int, ...]
    fortran: bool = False

    def __post_init__(self) -> None:
        if self.dtype.hasobject:
            raise ValueError("it holds Python objects")
        if self.file.size < self.start + self.size * self.dtype.itemsize:
            raise ValueError("it is shorter than it says")

    @property
    def size(self) -> int:
        """How many numbers there are."""
        return math.prod(self.shape)

    @property
    def ndim(self) -> int:
        return len(self.shape)

    def flat(self, start: int, stop: int) -> np.ndarray:
        """Values ``start`` to ``stop`` in the order in which they lie in the file."""
        values = np.empty(stop - start, self.dtype)
        if len(values):
            self.file.fill(values.view(np.uint8).data, self.start + start * self.dtype.itemsize)
        return values

    def line(self, axis: int, number: int, start: int, stop: int) -> np.ndarray:
        """Of a table, row (``axis`` 0) or column ``number``, from ``start`` to ``stop``."""
        rows, columns = self.shape
        inner = columns if not self.fortran else rows  # how many lie beside each other
        beside = axis == (0 if not self.fortran else 1)
        if beside:
            return self.flat(number * inner + start, number * inner + stop)
        found, step = [], max(1, _BLOCK // max(1, inner * self.dtype.itemsize))
        for first in range(start, stop, step):
            last = min(stop, first + step)
            found.append(self.flat(first * inner, last * inner).reshape(-1, inner)[:, number])
        return np.concatenate(found) if found else np.zeros(0, self.dtype)


def aside(array: np.ndarray) -> np.ndarray | OnDisk:
    """An array in a temporary file that has no name and goes with the object: a shelf of many
    recordings would fill the memory. Small ones, and what is no array of numbers, stay."""
    if array.nbytes <= _SMALL or array.ndim > 2 or array.dtype.hasobject:
        return array
    fortran = array.ndim == 2 and array.flags.f_contiguous and not array.flags.c_contiguous
    need_room(array.nbytes)
    try:
        with tempfile.NamedTemporaryFile(prefix="tone-comb-") as file:
            file.write(np.ascontiguousarray(array.T if fortran else array).data)
            file.flush()
            return OnDisk(HeldFile(Path(file.name)), 0, array.dtype, array.shape, fortran)
    except OSError as error:
        raise UserError("The file could not be unpacked", reason(error)) from error


def need_room(size: int) -> None:
    """A :class:`UserError` where ``size`` bytes more do not fit where temporary files are."""
    if shutil.disk_usage(tempfile.gettempdir()).free < size + _SPARE:
        raise UserError(
            "There is no room to unpack the file",
            f"the disk that holds {tempfile.gettempdir()} is full",
            "make room there, or set TMPDIR to a folder on another disk",
        )


@dataclass(frozen=True, eq=False)
class ArraySeries:
    """One series of an array that may lie on disk: ``pick`` is the field of a structured array,
    or the number of the column (``across``) or row of a table."""

    array: np.ndarray | OnDisk
    pick: str | int | None = None
    across: bool = False

    def read(self, start: int, stop: int) -> Array:
        """Samples ``start`` to ``stop`` as float64."""
        if isinstance(self.array, OnDisk):
            if isinstance(self.pick, int):
                return plain(self.array.line(int(self.across), self.pick, start, stop))
            part = self.array.flat(start, stop)
            return plain(part[self.pick] if isinstance(self.pick, str) else part)
        if isinstance(self.pick, str):
            return plain(self.array[start:stop][self.pick])
        if self.pick is None:
            return plain(self.array.reshape(-1)[start:stop])
        if self.across:
            return plain(self.array[start:stop, self.pick])
        return plain(self.array[self.pick, start:stop])
