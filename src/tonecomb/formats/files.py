"""Looking at source files, which are only ever opened for reading."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.document import Fingerprint
from tonecomb.formats import guard
from tonecomb.formats.atomic import reason

_END = 1 << 20
_WHOLE = 64 << 20  # bytes up to which a digest of all is quick
_PIECES, _PIECE = 256, 1 << 16  # of a longer one


@contextmanager
def opened(path: Path) -> Iterator[BinaryIO]:
    """A file open for reading; a :class:`UserError` says why that cannot be."""
    try:
        if path.is_dir():
            raise UserError(f"{path} is a folder", remedy="name a file in it")
        guard.regular(path)
    except ValueError as error:  # a name that no file can have
        raise UserError(f"{str(path)[:80]!r} is no name of a file") from error
    try:
        with path.open("rb") as file:
            yield file
    except FileNotFoundError as error:
        raise UserError(
            f"{path} does not exist", remedy="check the name, or whether it was moved"
        ) from error
    except PermissionError as error:
        raise UserError(
            f"{path} may not be read",
            "permission denied",
            "change the file's rights or copy it to a place of your own",
        ) from error
    except OSError as error:
        raise UserError(f"{path} could not be read", reason(error)) from error


def head(path: Path, size: int = 1 << 16) -> bytes:
    """The first bytes of a file, or a :class:`UserError` that says why there are none."""
    with opened(path) as file:
        start = file.read(size)
    if not start:
        raise UserError(f"{path} is empty", remedy="record or copy it again")
    return start


def fingerprint(path: Path) -> Fingerprint:
    """Size and a digest of the first and last mebibyte: quick for any size."""
    first = head(path, _END)
    digest = hashlib.sha256(first)
    with path.open("rb") as file:
        size = file.seek(0, 2)
        file.seek(max(0, size - _END))
        digest.update(file.read(_END))
    return Fingerprint(size, digest.hexdigest())


def mark(path: Path) -> str:
    """Something that is the same as long as a file is: its size and a digest of all of it; of a
    long one when it was changed last, and a digest of pieces from all over it."""
    head(path, 1)
    with path.open("rb") as file:
        size = file.seek(0, 2)
        if size <= _WHOLE:
            file.seek(0)
            return f"{size}:{hashlib.file_digest(file, 'sha256').hexdigest()}"
        digest = hashlib.sha256()
        for i in range(_PIECES):
            file.seek(i * (size - _PIECE) // (_PIECES - 1))
            digest.update(file.read(_PIECE))
        return f"{size}:{digest.hexdigest()}:{os.fstat(file.fileno()).st_mtime_ns}"


def sha256(path: Path, progress: Progress = silent) -> str:
    """SHA-256 of the whole file in hexadecimal."""
    head(path, 1)
    digest, done = hashlib.sha256(), 0
    size = max(1, path.stat().st_size)
    with path.open("rb") as file:
        while block := file.read(1 << 22):
            digest.update(block)
            done += len(block)
            progress(min(1.0, done / size))
    return digest.hexdigest()
