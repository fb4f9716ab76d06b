"""HDF5 of any layout, and MATLAB 7.3, which is HDF5 too.

Only what lies in the file itself is read: soft and external links are not followed, and data
sets that keep their numbers in other files are left out.

What Tone Comb writes: attributes of the file ``format`` (``tone-comb recording``), ``version``,
``name``, ``sample_rate_hz``, ``start`` and ``comment``; a data set of float64 for each channel,
``/channels/01`` and on, with the attributes ``name`` and ``unit``.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from tonecomb.core.base.progress import Progress
from tonecomb.core.method.given import Import
from tonecomb.core.record.recording import Array, Recording, Samples
from tonecomb.formats import atomic
from tonecomb.formats.contents import (
    MOST_COLUMNS,
    Contents,
    FileColumn,
    damaged,
    foreign,
    plain,
    rate_of,
    scalar,
    series,
    words,
)
from tonecomb.formats.on_disk import ArraySeries, HeldFile, OnDisk

FORMAT = "tone-comb recording"
VERSION = 1
_SIGNATURE = b"\x89HDF\r\n\x1a\n"
_MOST_DEEP = 32
_MOST_CHUNK = 256 << 20  # bytes that one chunk may unpack to
_WRITE = 1 << 18
_LOCK = threading.Lock()  # the library has one of its own; this keeps files from being swapped


def sniff(start: bytes) -> bool:
    """Whether a file that starts so is HDF5, with a user block of up to 32 KiB or none."""
    return not sniff_matlab(start) and any(
        start[at : at + 8] == _SIGNATURE for at in (0, *(512 << i for i in range(7)))
    )


def sniff_matlab(start: bytes) -> bool:
    """Whether a file that starts so is MATLAB 7.3."""
    return start.startswith(b"MATLAB 7.3 MAT-file") and start[512:520] == _SIGNATURE


def open_hdf5(path: Path, how: Import, progress: Progress) -> Contents:
    """Open an HDF5 file: every data set of numbers is a series, or a table of series."""
    return _open(path, "HDF5", progress)


def open_matlab(path: Path, how: Import, progress: Progress) -> Contents:
    """Open a MATLAB 7.3 file: numeric variables, and those within structs."""
    return _open(path, "MATLAB 7.3", progress)


@dataclass(frozen=True)
class _Series:
    """A series in a data set: the field of a compound, the number of a column or row, or all."""

    dataset: str
    pick: str | int | None = None
    across: bool = False
    lies: ArraySeries | None = field(default=None, compare=False)
    """Where it lies in the file as it is in memory: it is read without the library, which opens
    the file anew for each part and lets one thread read at a time."""


@dataclass(frozen=True)
class _Samples(Samples):
    path: Path
    kind: str
    all: tuple[_Series, ...]

    def read(self, channel: int, start: int, stop: int) -> Array:
        one = self.all[channel]
        if one.lies is not None:
            with foreign(self.path, self.kind):
                return one.lies.read(start, stop)
        with foreign(self.path, self.kind), _LOCK, _opened(self.path) as file:
            data = file[one.dataset]
            if isinstance(one.pick, str):
                return plain(data.fields(one.pick)[start:stop])
            if one.pick is None:
                return plain(data[start:stop])
            if one.across:
                return plain(data[start:stop, one.pick])
            return plain(data[one.pick, start:stop])


def _opened(path: Path) -> Any:
    import h5py

    return h5py.File(os.fsencode(path), "r", locking=False)


def _open(path: Path, kind: str, progress: Progress) -> Contents:
    columns: list[FileColumn] = []
    found: list[_Series] = []
    with foreign(path, kind), _LOCK, _opened(path) as file:
        held = HeldFile(path)
        said = dict(file.attrs)
        for name, data, near in _datasets(file, {}, 0, set()):
            progress(min(0.9, len(columns) / MOST_COLUMNS))
            lies = _lies(data, held)
            for column, one in _split(name, data, near, kind):
                columns.append(column)
                read = None if lies is None else ArraySeries(lies, one.pick, one.across)
                found.append(replace(one, lies=read))
            if len(columns) > MOST_COLUMNS:
                raise damaged(path, kind, f"it holds more than {MOST_COLUMNS} series")
    progress(1.0)
    return Contents(
        kind,
        tuple(columns),
        _Samples(path, kind, tuple(found)),
        row="sample",
        start=words(said.get("start", said.get("start_time", ""))),
        comment=words(said.get("comment", said.get("description", ""))),
    )


def _datasets(
    group: Any, above: dict[str, object], depth: int, seen: set[int]
) -> Iterator[tuple[str, Any, dict[str, object]]]:
    """Every data set below ``group`` with its path and the single numbers that stand near it.

    Hard links only, and nothing twice, so that loops end.
    """
    import h5py

    near = above | _attributes(group)
    inside: list[Any] = []
    for name in group:
        if name.startswith("#") or not isinstance(group.get(name, getlink=True), h5py.HardLink):
            continue
        item = group.get(name)
        if item is None or (address := h5py.h5o.get_info(item.id).addr) in seen:
            continue
        seen.add(address)
        if isinstance(item, h5py.Dataset) and _is_number(item):
            near[name] = scalar(item[()])
        else:
            inside.append(item)
    for item in inside:
        if isinstance(item, h5py.Dataset):
            yield item.name, item, near | _attributes(item)
        elif isinstance(item, h5py.Group) and depth < _MOST_DEEP:
            yield from _datasets(item, near, depth + 1, seen)


def _attributes(item: Any) -> dict[str, object]:
    return {name: scalar(value) for name, value in item.attrs.items() if np.size(value) == 1}


def _is_number(data: Any) -> bool:
    return bool(data.size == 1 and data.dtype.kind in "iuf" and not _elsewhere(data))


def _elsewhere(data: Any) -> bool:
    """Whether a data set takes its numbers from other files."""
    return bool(data.external or data.is_virtual)


def _lies(data: Any, held: HeldFile) -> OnDisk | None:
    """Where in its file a data set lies in one piece and as it is in memory, None for any other."""
    import h5py

    if data.chunks or _elsewhere(data) or not data.shape or len(data.shape) > 2:
        return None
    offset = data.id.get_offset()
    if offset is None or h5py.h5t.py_create(data.dtype) != data.id.get_type():
        return None
    with suppress(ValueError):  # told where it is looked at
        return OnDisk(held, offset, data.dtype, data.shape)
    return None


def _split(
    path: str, data: Any, near: dict[str, object], kind: str
) -> Iterator[tuple[FileColumn, _Series]]:
    attributes = data.attrs
    name = words(attributes.get("name", attributes.get("long_name", ""))) or path.lstrip("/")
    if why := _unusable(data, attributes):
        yield FileColumn(name, "", int(data.size or 0), role="leave out", note=why), _Series(path)
        return
    unit = words(attributes.get("unit", attributes.get("units", "")))
    rate = rate_of(near)
    members = tuple(m for m in data.dtype.names or () if data.dtype[m].kind in "iuf")
    if members:
        for member in members:
            integer = data.dtype[member].kind in "iu"
            yield (
                FileColumn(member, "", data.shape[0], rate, integer=integer),
                _Series(path, member),
            )
        return
    integer = data.dtype.kind in "iu"
    names = series(name, data.shape) or ()
    if data.ndim == 1:
        yield FileColumn(name, unit, int(data.size), rate, integer=integer), _Series(path)
        return
    across = data.shape[1] <= data.shape[0]
    for i, title in enumerate(names):
        column = FileColumn(title, unit, max(data.shape), rate, integer=integer)
        yield column, _Series(path, i, across)


def _unusable(data: Any, attributes: Any) -> str:
    """Why a data set cannot be a series, "" when it can."""
    if _elsewhere(data):
        return "its numbers lie in another file"
    if data.shape is None or data.size == 0 or words(attributes.get("MATLAB_class", "")) == "char":
        return "no numbers"
    numeric = data.dtype.kind in "iuf" or any(
        data.dtype[member].kind in "iuf" for member in data.dtype.names or ()
    )
    if not numeric or "MATLAB_empty" in attributes:
        return "not numbers"
    if data.ndim > 2 or (data.dtype.names and data.ndim != 1) or series("", data.shape) is None:
        return f"{data.ndim} dimensions"
    if data.chunks and np.prod(data.chunks, dtype=np.float64) * data.dtype.itemsize > _MOST_CHUNK:
        return "stored in one piece too large to unpack"
    # What was never stored reads as zeros: that is not a measurement.
    if data.chunks:
        wanted = int(np.prod([-(-n // c) for n, c in zip(data.shape, data.chunks, strict=True)]))
        if data.id.get_num_chunks() < wanted:
            return f"{data.id.get_num_chunks()} of {wanted} parts were ever written"
    elif data.id.get_storage_size() < data.size * data.dtype.itemsize:
        return "it was never written in full"
    return ""


@contextmanager
def _kept_whole(path: Path, r: Recording) -> Iterator[None]:
    """The library must not run out of room: it cannot close what it cannot write."""
    atomic.need(path, 8 * r.length * len(r.channels) + (1 << 16) * (1 + len(r.channels)))
    try:
        yield
    except RuntimeError as error:
        raise OSError(str(error)) from error


def write_hdf5(path: Path, recording: Recording, progress: Progress) -> None:
    """Write all channels as float64, with names, units, rate, start and comment."""
    import h5py

    r = recording
    with (
        atomic.replacing(path) as partial,
        _kept_whole(partial, r),
        h5py.File(os.fsencode(partial), "w") as file,
    ):
        file.attrs.update(
            {"format": FORMAT, "version": VERSION, "name": r.name, "sample_rate_hz": r.rate}
        )
        file.attrs.update({k: v for k in ("start", "comment") if (v := getattr(r, k))})
        group = file.create_group("channels")
        sets = []
        for i, channel in enumerate(r.channels):
            data = group.create_dataset(f"{i + 1:02d}", (r.length,), np.float64)
            data.attrs.update({"name": channel.name, "unit": channel.unit})
            sets.append(data)
        for start in range(0, r.length, _WRITE):
            stop = min(r.length, start + _WRITE)
            for i, data in enumerate(sets):
                data[start:stop] = r.samples.read(i, start, stop)
            progress(stop / r.length)
