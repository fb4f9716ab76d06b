"""NumPy's NPY and NPZ, read as they are needed; arrays of Python objects are never unpickled."""

from __future__ import annotations

import tempfile
import warnings
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part
from tonecomb.core.method.given import Import
from tonecomb.core.record.recording import Array, Samples
from tonecomb.formats.contents import (
    MOST_COLUMNS,
    Contents,
    FileColumn,
    damaged,
    foreign,
    rate_of,
    series,
)
from tonecomb.formats.on_disk import ArraySeries, HeldFile, OnDisk

_BLOCK = 1 << 22  # bytes that are unpacked at a time
_SPARE = 1 << 28  # bytes that must stay free on the disk that a file is unpacked to
_HEADER = 1 << 16  # of an NPY member: room beside the numbers that the archive tells


def sniff_npy(start: bytes) -> bool:
    """Whether a file that starts so is an NPY."""
    return start.startswith(b"\x93NUMPY")


def sniff_npz(start: bytes) -> bool:
    """Whether a file that starts so is a ZIP whose first member is an NPY."""
    size = int.from_bytes(start[26:28], "little")
    return start.startswith(b"PK\x03\x04") and start[30 : 30 + size].endswith(b".npy")


def _npy(path: Path) -> OnDisk:
    """The array of an NPY file."""
    with path.open("rb") as file:
        version = np.lib.format.read_magic(file)
        head = (
            np.lib.format.read_array_header_1_0
            if version == (1, 0)
            else np.lib.format.read_array_header_2_0
        )
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", UserWarning)  # of Python 2's headers, which are read
            shape, fortran, dtype = head(file)
        return OnDisk(HeldFile(path), file.tell(), dtype, shape, fortran)


@dataclass(frozen=True, eq=False)
class ManySeries(Samples):
    """Series by their number."""

    all: tuple[ArraySeries, ...]

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.all[channel].read(start, stop)


def split_array(
    name: str, array: np.ndarray | OnDisk, rate: float | None
) -> list[tuple[FileColumn, ArraySeries]]:
    """The series in an array of numbers: one, or one for each field, column or row, whichever
    of the two there are fewer of. An array of another kind is a column that is left out."""
    if array.dtype.names:
        found = []
        for field in array.dtype.names[:MOST_COLUMNS]:
            numeric = array.dtype[field].kind in "iuf" and array.ndim == 1
            found.append((_column(field, array.size, array.dtype[field], numeric, rate), field))
        return [(column, ArraySeries(array, field)) for column, field in found]
    names = series(name, array.shape) if array.dtype.kind in "iuf" else None
    if names is None:
        return [(_column(name, array.size, array.dtype, False, None), ArraySeries(array))]
    if array.ndim == 1 or min(array.shape) == 1:
        return [(_column(name, array.size, array.dtype, True, rate), ArraySeries(array))]
    across = array.shape[1] <= array.shape[0]
    length = max(array.shape)
    return [
        (_column(title, length, array.dtype, True, rate), ArraySeries(array, i, across))
        for i, title in enumerate(names)
    ]


def _column(
    name: str, length: int, kind: np.dtype, numeric: bool, rate: float | None
) -> FileColumn:
    if not numeric:
        return FileColumn(
            name, "", length, role="leave out", note=f"{kind} of a shape or kind that is no series"
        )
    return FileColumn(name, "", length, rate, integer=kind.kind in "iu")


def contents(kind: str, found: Sequence[tuple[FileColumn, ArraySeries]]) -> Contents:
    """Contents of a file with these series."""
    columns = tuple(column for column, _ in found)
    return Contents(kind, columns, ManySeries(tuple(one for _, one in found)), row="sample")


def open_npy(path: Path, how: Import, progress: Progress) -> Contents:
    """Open an array of numbers: a series, a table, or a structured array."""
    with foreign(path, "NPY"):
        array = _npy(path)
    found = split_array("", array, None)
    if array.ndim == 2 and len(found) > 1:
        found = [(FileColumn("", "", c.length, integer=c.integer), one) for c, one in found]
    progress(1.0)
    return contents("NPY", found)


def open_npz(path: Path, how: Import, progress: Progress) -> Contents:
    """Open an archive of arrays; numbers named like ``fs`` or ``dt`` give the rate."""
    arrays: dict[str, OnDisk] = {}
    with foreign(path, "NPZ"), zipfile.ZipFile(path) as archive:
        members = [m for m in archive.infolist() if m.filename.endswith(".npy")][:MOST_COLUMNS]
        for i, member in enumerate(members):
            share = part(progress, i / len(members), (i + 1) / len(members))
            arrays[member.filename[:-4]] = _unpacked(path, archive, member, share)
    single = {name: array.flat(0, 1) for name, array in arrays.items() if array.size == 1}
    rate = rate_of(single)
    found = [
        one
        for name, array in arrays.items()
        if array.size != 1
        for one in split_array(name, array, rate)
    ]
    progress(1.0)
    return contents("NPZ", found)


def _unpacked(
    path: Path, archive: zipfile.ZipFile, member: zipfile.ZipInfo, progress: Progress
) -> OnDisk:
    """A member in a temporary file that has no name any more."""
    import shutil

    with tempfile.NamedTemporaryFile(prefix="tone-comb-", suffix=".npy") as file:
        if member.file_size + _SPARE > shutil.disk_usage(file.name).free:
            raise UserError(
                f"There is no room to unpack {path.name}",
                f"‘{member.filename}’ holds {member.file_size / 1e9:.3g} GB",
                "make room, or set TMPDIR to a folder on another disk",
            )
        done = 0
        with archive.open(member) as packed:
            while block := packed.read(_BLOCK):
                file.write(block)
                done += len(block)
                if done > member.file_size + _HEADER:
                    raise damaged(path, "NPZ", "it holds more than it says")
                progress(min(1.0, done / max(1, member.file_size)))
        file.flush()
        return _npy(Path(file.name))
