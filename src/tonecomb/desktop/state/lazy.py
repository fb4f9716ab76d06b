"""Results that are computed only while somebody looks at them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.errors import Cancelled, UserError
from tonecomb.core.progress import Progress
from tonecomb.desktop.state.jobs import Job, Jobs
from tonecomb.desktop.state.store import Store


class Task(Protocol):
    """What is to be computed: equal where the result would be the same."""

    def __call__(self, progress: Progress) -> Any: ...

    def __eq__(self, other: object, /) -> bool: ...


class Lazy(QObject):
    """Follows the store: asks ``task`` what is to be computed now (None for nothing), does it in
    a thread once edits have settled, and delivers it. ``changed`` carries the result, or None;
    ``failed`` a :class:`UserError`."""

    changed = pyqtSignal(object)
    failed = pyqtSignal(object)

    def __init__(
        self, store: Store, jobs: Jobs, title: str, task: Callable[[], Task | None], settle_ms: int
    ) -> None:
        super().__init__(store)
        self._jobs, self._title, self._task = jobs, title, task
        self._key: Task | None = None
        self._job: Job | None = None
        self.shown: Any = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(settle_ms)
        self._timer.timeout.connect(self._update)
        store.changed.connect(self.follow)

    @property
    def busy(self) -> bool:
        """Whether a result is awaited."""
        return self._timer.isActive() or self._job is not None

    def follow(self) -> None:
        """What is wanted may have changed."""
        self._timer.start()

    def _update(self) -> None:
        task = self._task()
        if task is not None and task == self._key:
            return
        if self._job is not None:
            self._job.cancel()
            self._job = None
        self._key = task
        if task is None:
            self._show(None)
        else:
            self._job = self._jobs.submit(self._title, task, self._done, self._stopped)

    def _done(self, result: Any) -> None:
        self._job = None
        self._show(result)

    def _show(self, result: Any) -> None:
        if result is not None or self.shown is not None:
            self.shown = result
            self.changed.emit(result)

    def _stopped(self, error: Exception) -> None:
        self._job = self._key = None
        self._show(None)
        if isinstance(error, Cancelled):
            error = UserError(f"{self._title} was stopped", remedy="change the method to go on")
        self.failed.emit(error)
