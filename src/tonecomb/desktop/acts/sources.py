"""Files behind open recordings that change on disk: noticed, told, and read anew where that is
wanted."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.method.document import Fingerprint
from tonecomb.desktop.acts.opening import Opening
from tonecomb.desktop.edits.context import Context
from tonecomb.formats import files

_SETTLE_MS = 500  # that a file is written to in a row


class Sources(QObject):
    """Watches the files of all recordings on the shelf."""

    def __init__(self, context: Context, opening: Opening) -> None:
        super().__init__(context.window)
        self._store, self._jobs = context.store, context.jobs
        self._notices, self._opening = context.notices, opening
        self._watcher: QFileSystemWatcher | None = None
        self._changed: set[str] = set()
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SETTLE_MS)
        self._timer.timeout.connect(self._look)
        context.store.changed.connect(self._follow)

    def _follow(self) -> None:
        wanted = {ref.path for ref in self._store.document.recordings if ref.path}
        if self._watcher is None:
            if not wanted:
                return
            self._watcher = QFileSystemWatcher(self)
            self._watcher.fileChanged.connect(self._tell)
        known = set(self._watcher.files())
        if gone := known - wanted:
            self._watcher.removePaths(list(gone))
        if new := [path for path in wanted - known if Path(path).exists()]:
            self._watcher.addPaths(new)

    def _tell(self, path: str) -> None:
        self._changed.add(path)
        self._timer.start()

    def _look(self) -> None:
        changed, self._changed = self._changed, set()
        self._follow()  # a file that was replaced is another to the watcher
        for path in changed:
            known = {
                ref.id: ref.fingerprint
                for ref in self._store.document.recordings
                if ref.path == path
            }
            if not known:
                continue

            def work(progress: Progress, path: str = path) -> Fingerprint:
                return files.fingerprint(Path(path))

            def done(
                now: Fingerprint, path: str = path, known: dict[str, Fingerprint] = known
            ) -> None:
                stale = [one for one, before in known.items() if before != now]
                if stale:
                    self._offer(Path(path), "has changed since it was opened", stale)

            def failed(
                error: Exception, path: str = path, known: dict[str, Fingerprint] = known
            ) -> None:
                if isinstance(error, UserError):
                    self._offer(Path(path), "is gone, or cannot be read any more", list(known))

            self._jobs.submit(f"Looking at {Path(path).name}", work, done, failed, background=True)

    def _offer(self, path: Path, what: str, stale: list[str]) -> None:
        def anew() -> None:
            for one in stale:
                self._opening.read_file_anew(one)

        self._notices.show_notice(
            f"{path.name} {what}: figures may be partly of what it was.",
            fault=True,
            remedy="Read it anew" if path.exists() else "",
            action=anew if path.exists() else None,
        )
