"""A recording that is written while it is made, and can be read whatever ends it.

RF64 (EBU Tech 3306) with 32 bit float samples: its head promises more than will ever come until the
recording is ended, and is set right then. What was lost is not a number.
"""

from __future__ import annotations

import os
import shutil
import struct
from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Channel
from tonecomb.formats.atomic import reason
from tonecomb.formats.sound import OPEN_SIZE, said_of

LEAST_FREE = 64 << 20
"""Bytes of the disk that are left alone."""
_FLOAT = 3
_CHUNK = 1 << 16  # lost samples that are written at a time
_LOOK = 1 << 22  # bytes after which it is looked how full the disk is


class DiskFull(UserError):
    """There is no room for more; what was written is whole."""


class GrowingFile:
    """Open for more samples of ``channels`` at a whole ``rate`` (Hz). Every block is handed to the
    system at once, so that only what the system itself loses is lost."""

    def __init__(
        self,
        path: Path,
        rate: float,
        channels: Sequence[Channel],
        start: str = "",
        comment: str = "",
    ) -> None:
        if rate != round(rate) or not 1 <= rate < 1 << 31:
            raise UserError(
                f"{path.name} cannot hold a sample rate of {rate:g} Hz",
                "it holds whole numbers of hertz",
                "record into HDF5",
            )
        self.path, self.length, self._count = path, 0, len(channels)
        self._since = 0
        said = said_of(channels, (1.0,) * len(channels), start, comment).encode() + b"\0"
        said += b"\0" * (len(said) % 2)
        info = b"INFO" + b"ICMT" + struct.pack("<I", len(said)) + said
        block = 4 * self._count
        shape = struct.pack("<HHIIHH", _FLOAT, self._count, int(rate), int(rate) * block, block, 32)
        head = b"RF64" + b"\xff\xff\xff\xff" + b"WAVE"
        head += b"ds64" + struct.pack("<IQQQI", 28, OPEN_SIZE, OPEN_SIZE, 0, 0)
        head += b"fmt " + struct.pack("<I", len(shape)) + shape
        head += b"LIST" + struct.pack("<I", len(info)) + info
        self._head = head + b"data" + b"\xff\xff\xff\xff"
        self._look_for_room()
        try:
            self._file = path.open("xb", buffering=0)
        except FileExistsError as error:
            raise UserError(f"{path} is there already", remedy="choose another name") from error
        except OSError as error:
            raise UserError(
                f"{path} could not be written", reason(error), "choose another place"
            ) from error
        self._put(self._head)

    def write(self, frames: NDArray[np.float32]) -> None:
        """Samples, shape (samples, channels). Raises :class:`DiskFull` where there is no room: what
        was written before stays whole."""
        self._put(np.ascontiguousarray(frames, "<f4").tobytes())
        self.length += len(frames)

    def lose(self, count: int) -> None:
        """So many samples were lost."""
        hole = np.full((min(count, _CHUNK), self._count), np.nan, np.float32)
        for done in range(0, count, _CHUNK):
            self.write(hole[: min(_CHUNK, count - done)])

    def skip(self, count: int) -> None:
        """So many samples were lost, of which somebody else keeps account: they take no room, and
        read as 0."""
        self.length += count
        self._whole()

    def _put(self, data: bytes) -> None:
        self._since += len(data)
        if self._since > _LOOK:
            self._since = 0
            self._look_for_room()
        try:
            view = memoryview(data)
            while len(view):
                view = view[self._file.write(view) :]
        except OSError as error:
            self._whole()
            raise DiskFull(
                f"{self.path} could not be written on",
                reason(error),
                "what was recorded until then is in it",
            ) from error

    def _look_for_room(self) -> None:
        try:
            free = shutil.disk_usage(self.path.absolute().parent).free
        except OSError:
            return  # the folder is not there: opening says so
        if free < LEAST_FREE:
            raise DiskFull(
                f"The disk that holds {self.path.absolute().parent} is nearly full",
                f"{free >> 20} MB are left",
                "make room there, or choose a folder on another disk",
            )

    def _whole(self) -> None:
        """Leave no part of an instant at the end."""
        size = len(self._head) + self.length * 4 * self._count
        self._file.truncate(size)
        self._file.seek(size)

    def sync(self) -> None:
        """Have the disk hold what was written."""
        os.fdatasync(self._file.fileno())

    def close(self) -> None:
        """End it: its head tells how much it holds."""
        if self._file.closed:
            return
        data = self.length * 4 * self._count
        self._file.seek(12 + 8)
        sizes = struct.pack("<QQQ", len(self._head) + data - 8, data, self.length)
        self._file.write(sizes)
        os.fsync(self._file.fileno())
        self._file.close()
