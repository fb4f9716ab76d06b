"""The file of the open session: whether another window has it open, or saved it since."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from pathlib import Path

from PyQt6.QtCore import QLockFile

from tonecomb.core.base.errors import UserError
from tonecomb.desktop.kit.settings import data_folder
from tonecomb.formats import atomic, files


class SessionFile:
    """Held by a lock in the program's own folder, which ends with it however it ends."""

    def __init__(self) -> None:
        self._lock: QLockFile | None = None
        self._path: Path | None = None
        self._mark = ""

    def take(self, path: Path | None, mark: str = "") -> bool:
        """Have this file, and no other; ``mark`` is of what was read of it, else it is as it is
        now. Whether nobody else has it."""
        if self._lock is not None:
            self._lock.unlock()
        self._lock, self._path = None, path
        if path is None:
            return True
        self._mark = mark or _mark(path)
        folder = data_folder() / "open"
        try:
            atomic.make_folder(folder)
        except UserError:  # saving says why
            return True
        name = hashlib.sha256(str(path.resolve()).encode("utf-8", "surrogateescape")).hexdigest()
        self._lock = QLockFile(str(folder / f"{name[:16]}.lock"))
        self._lock.setStaleLockTime(0)
        return self._lock.tryLock(0) or self._lock.error() != QLockFile.LockError.LockFailedError

    def changed(self, path: Path) -> bool:
        """Whether it is the file that is held, and no longer what was read or saved here last."""
        return path == self._path and path.exists() and _mark(path) != self._mark


def _mark(path: Path) -> str:
    with suppress(UserError, OSError):
        return files.mark(path)
    return ""
