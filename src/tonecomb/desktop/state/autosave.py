"""Unsaved work survives a kill: a session beside a lock that dies with the process."""

from __future__ import annotations

import uuid
from contextlib import suppress
from pathlib import Path

from PyQt6.QtCore import QLockFile, QObject, QTimer

from tonecomb.core.document import Document
from tonecomb.core.errors import UserError
from tonecomb.core.progress import Progress
from tonecomb.desktop.kit.settings import data_folder
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.store import Store
from tonecomb.formats.session import session

_DELAY_MS = 1500


def _folder() -> Path:
    return data_folder() / "autosave"


class Autosave(QObject):
    """Writes the document a moment after each change while it is unsaved."""

    def __init__(self, store: Store, jobs: Jobs) -> None:
        super().__init__(store)
        self._store, self._jobs = store, jobs
        self.file = _folder() / f"{uuid.uuid4().hex[:8]}{session.SUFFIX}"
        self._lock: QLockFile | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_DELAY_MS)
        self._timer.timeout.connect(self.write_later)
        self._seen: Document | None = None
        store.changed.connect(self._follow)

    def _follow(self) -> None:
        """A live signal changes all the time, and nothing that is saved."""
        if self._store.document is not self._seen:
            self._seen = self._store.document
            self._timer.start()

    def write_later(self) -> None:
        """Write in a thread: a slow disk must not hold up the bench."""
        self._take_lock()
        document = self._store.document if self._store.unsaved else None

        def work(progress: Progress) -> None:
            self._write(document)

        self._jobs.submit("Autosave", work, lambda _: None, lambda _: None, background=True)

    def write(self) -> None:
        """Write here and now, when there may be no later."""
        self._take_lock()
        self._write(self._store.document if self._store.unsaved else None)

    def _take_lock(self) -> None:
        if self._lock is None:
            with suppress(OSError):  # then nothing is written either
                _folder().mkdir(parents=True, exist_ok=True)
            self._lock = QLockFile(str(self.file.with_suffix(".lock")))
            self._lock.setStaleLockTime(0)
            self._lock.tryLock(0)

    def _write(self, document: Document | None) -> None:
        """Write unsaved work; without any, remove what was written."""
        if document is None:
            with suppress(OSError):
                self.file.unlink(missing_ok=True)
            return
        with suppress(UserError):  # nothing is lost by it: the work itself is still open
            session.save(self.file, document)

    def finish(self) -> None:
        """The program ends in order: nothing is left to offer."""
        self._timer.stop()
        self._write(None)
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
