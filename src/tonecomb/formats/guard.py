"""What may not be written over: files that were opened as recordings, and files of others.

Two names are one file where the system says so, by links or by letters that it takes for the same.
"""

from __future__ import annotations

import os
import stat
from pathlib import Path

from tonecomb.core.base.errors import UserError

_MARK = b"Tone Comb"
_HEAD = 1 << 16  # bytes in which what we write says that it is ours,
_TAIL = 1 << 13  # at the end, for files that are compressed

_SOURCES: dict[tuple[int, int], Path] = {}


def _identity(path: Path) -> tuple[int, int] | None:
    try:
        found = path.stat()
    except (OSError, ValueError):
        return None
    return found.st_dev, found.st_ino


def is_source(path: Path) -> None:
    """From now on this file is never written to by this program."""
    if (known := _identity(path)) is not None:
        _SOURCES[known] = path


def check_target(path: Path, source: Path | None = None) -> None:
    """Raise :class:`UserError` where ``path`` is a file that was opened as a recording, or this
    ``source``."""
    known = _identity(path)
    if known in _SOURCES and _identity(_SOURCES[known]) != known:
        del _SOURCES[known]  # it is gone, and the system gave its number to another
    if known is not None and (known in _SOURCES or (source and _identity(source) == known)):
        raise UserError(
            f"{path.name} is the recording's own file",
            "sources are never written to",
            "choose another name",
        )


def regular(path: Path) -> None:
    """Raise :class:`UserError` where ``path`` is there and no ordinary file: a pipe or a device
    would be waited for for ever, or never end."""
    try:
        mode = path.stat().st_mode
    except (OSError, ValueError):
        return  # opening it says why
    if not stat.S_ISREG(mode) and not stat.S_ISDIR(mode):
        what = "pipe" if stat.S_ISFIFO(mode) else "socket" if stat.S_ISSOCK(mode) else "device"
        raise UserError(f"{path} is a {what}, not a file", remedy="name a file")


def is_ours(path: Path) -> bool:
    """Whether an ordinary file says that this program wrote it."""
    try:
        regular(path)
        with path.open("rb") as file:
            head = file.read(_HEAD)
            file.seek(max(path.stat().st_size - _TAIL, 0))
            return _MARK in head or _MARK in file.read(_TAIL)
    except (OSError, UserError):
        return False


def refuse_others(path: Path, force: bool = False) -> None:
    """Raise :class:`UserError` where ``path`` is there and this program did not write it, unless
    that is wanted by ``force``."""
    check_target(path)
    if not force and os.path.lexists(path) and not is_ours(path):
        raise UserError(
            f"{path} is there already, and Tone Comb did not write it",
            remedy="choose another place, or give --force to replace it",
        )


def refuse_existing(path: Path, force: bool = False) -> None:
    """Raise :class:`UserError` where ``path`` is there, unless it is wanted replaced."""
    check_target(path)
    if not force and os.path.lexists(path):
        raise UserError(
            f"{path} is there already",
            remedy="choose another name, or give --force to replace it",
        )
