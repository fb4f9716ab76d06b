"""Unsaved work survives a kill: a session beside a lock that dies with the process."""

from __future__ import annotations

import uuid
from pathlib import Path

from PyQt6.QtCore import QLockFile, QObject, QTimer

from tonecomb.core.errors import UserError
from tonecomb.desktop.settings import data_folder
from tonecomb.desktop.store import Store
from tonecomb.formats import atomic, session

_DELAY_MS = 1500


def _folder() -> Path:
    return data_folder() / "autosave"


class Autosave(QObject):
    """Writes the document a moment after each change while it is unsaved."""

    def __init__(self, store: Store) -> None:
        super().__init__(store)
        self._store = store
        self._file = _folder() / f"{uuid.uuid4().hex[:8]}{session.SUFFIX}"
        self._lock: QLockFile | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self.write)
        store.changed.connect(self._timer.start)

    def write(self) -> None:
        """Write now if there is unsaved work; else remove what was written."""
        if not self._store.unsaved:
            self._file.unlink(missing_ok=True)
            return
        try:
            atomic.make_folder(_folder())
            if self._lock is None:
                self._lock = QLockFile(str(self._file.with_suffix(".lock")))
                self._lock.setStaleLockTime(0)
                self._lock.tryLock(0)
            session.save(self._file, self._store.document)
        except UserError:
            pass  # nothing is lost by it: the work itself is still open

    def finish(self) -> None:
        """The program ends in order: nothing is left to offer."""
        self._timer.stop()
        self._file.unlink(missing_ok=True)
        if self._lock is not None:
            self._lock.unlock()


def left_behind() -> list[Path]:
    """Autosaves of processes that are gone, the newest first."""
    found = []
    for path in _folder().glob(f"*{session.SUFFIX}"):
        lock = QLockFile(str(path.with_suffix(".lock")))
        lock.setStaleLockTime(0)
        if lock.tryLock(0):
            lock.unlock()
            found.append(path)
    return sorted(found, key=lambda path: path.stat().st_mtime, reverse=True)
