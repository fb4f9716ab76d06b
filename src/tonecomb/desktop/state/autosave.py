"""Unsaved work survives a kill: a session beside a lock that dies with the process.

Work is written a moment after the first edit that is not yet there, however many follow; while one
is written the next waits. The last few states are kept, a minute apart at least.
"""

from __future__ import annotations

import os
import time
import uuid
from contextlib import suppress
from pathlib import Path

from PyQt6.QtCore import QLockFile, QObject, QTimer, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.method.document import Document
from tonecomb.desktop.kit.settings import data_folder
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.store import Store
from tonecomb.formats import atomic
from tonecomb.formats.session import session

_DELAY_MS, _AGAIN_MS = 700, 5000
_GENERATIONS, _APART_S = 3, 60.0


def _folder() -> Path:
    return data_folder() / "autosave"


def generations(file: Path) -> list[Path]:
    """An autosave and the states before it, the newest first."""
    older = (file.with_name(f"{file.name}.{i}") for i in range(1, _GENERATIONS + 1))
    return [file, *(one for one in older if one.exists())]


class Autosave(QObject):
    """``failed`` carries the :class:`UserError` when it cannot write, once; it goes on trying."""

    failed = pyqtSignal(object)

    def __init__(self, store: Store, jobs: Jobs) -> None:
        super().__init__(store)
        self._store, self._jobs = store, jobs
        self.file = _folder() / f"{uuid.uuid4().hex[:8]}{session.SUFFIX}"
        self._lock: QLockFile | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.write_later)
        self._seen: Document | None = None
        self._writing = self._told = False
        self._rotated = time.monotonic()
        self._restored: list[Path] = []
        store.changed.connect(self._follow)

    def _follow(self) -> None:
        """A live signal changes all the time, and nothing that is saved."""
        if self._store.document is not self._seen and not self._timer.isActive():
            self._timer.start(_DELAY_MS)

    def adopt(self, restored: Path) -> None:
        """What was restored from goes once it is safe here."""
        self._restored += generations(restored)
        self._timer.start(0)

    def write_later(self) -> None:
        """Write in a thread: a slow disk must not hold up the bench."""
        if self._writing:  # what is being written is followed by what came since
            return
        self._take_lock()
        document = self._seen = self._store.document
        unsaved = self._store.unsaved
        self._writing = True

        def work(progress: Progress) -> None:
            self._write(document if unsaved else None)

        self._jobs.submit("Autosave", work, self._written, self._could_not, background=True)

    def _written(self, _: object) -> None:
        self._writing = self._told = False
        if self._restored and self._store.unsaved:
            for path in self._restored:
                with suppress(OSError):
                    path.unlink(missing_ok=True)
            self._restored = []
        self._follow()

    def _could_not(self, error: Exception) -> None:
        self._writing, self._seen = False, None
        self._timer.start(_AGAIN_MS)
        if not self._told and isinstance(error, UserError):
            self._told = True
            self.failed.emit(
                UserError(
                    "Unsaved work cannot be kept for the case that the program ends",
                    error.text.rstrip("."),
                    "make room there; it is tried again",
                )
            )

    def write(self) -> None:
        """Write here and now, when there may be no later."""
        self._take_lock()
        with suppress(UserError):
            self._write(self._store.document if self._store.unsaved else None)

    def _take_lock(self) -> None:
        if self._lock is None:
            with suppress(OSError):  # writing says why
                _folder().mkdir(parents=True, exist_ok=True)
            self._lock = QLockFile(str(self.file.with_suffix(".lock")))
            self._lock.setStaleLockTime(0)
            self._lock.tryLock(0)

    def _write(self, document: Document | None) -> None:
        """Write unsaved work; without any, remove what was written."""
        if document is None:
            for path in generations(self.file):
                with suppress(OSError):
                    path.unlink(missing_ok=True)
            return
        atomic.make_folder(self.file.parent)
        if self.file.exists() and time.monotonic() - self._rotated > _APART_S:
            self._rotate()
        session.save(self.file, document)

    def _rotate(self) -> None:
        """Keep the state that is there under another name too."""
        self._rotated = time.monotonic()
        for i in range(_GENERATIONS, 1, -1):
            older = self.file.with_name(f"{self.file.name}.{i - 1}")
            with suppress(OSError):
                older.replace(self.file.with_name(f"{self.file.name}.{i}"))
        with suppress(OSError):
            os.link(self.file, self.file.with_name(f"{self.file.name}.1"))

    def finish(self) -> None:
        """The program ends in order: nothing is left to offer."""
        self._timer.stop()
        self._write(None)
        for path in self._restored:
            with suppress(OSError):
                path.unlink(missing_ok=True)
        if self._lock is not None:
            self._lock.unlock()


def left_behind() -> list[Path]:
    """Autosaves of processes that are gone, the newest first."""
    paths = []
    for path in _folder().glob(f"*{session.SUFFIX}"):
        lock = QLockFile(str(path.with_suffix(".lock")))
        lock.setStaleLockTime(0)
        if lock.tryLock(0):
            lock.unlock()
            paths.append(path)
    return sorted(paths, key=lambda path: path.stat().st_mtime, reverse=True)
