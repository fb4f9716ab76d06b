"""The spectrogram that the stage shows: asked for by view, computed in a thread."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.errors import Cancelled, UserError
from tonecomb.core.method import Method
from tonecomb.core.peaks import PeakSearch
from tonecomb.core.progress import Progress
from tonecomb.core.recording import Samples
from tonecomb.core.spectrogram import Spectrogram, View, run_spectrogram
from tonecomb.desktop.jobs import Job, Jobs
from tonecomb.desktop.store import Store

_SETTLE_MS = 60  # that a view is waited for while it is moved


@dataclass(frozen=True)
class _Key:
    recording_id: str
    samples: Samples
    rate: float
    method: Method
    view: View


class Grams(QObject):
    """``changed`` carries the :class:`Spectrogram` that is to be seen, None for none; ``failed``
    a :class:`UserError`."""

    changed = pyqtSignal(object)
    failed = pyqtSignal(object)

    def __init__(self, store: Store, jobs: Jobs) -> None:
        super().__init__(store)
        self._store, self._jobs = store, jobs
        self._view: View | None = None
        self._key: _Key | None = None
        self._job: Job | None = None
        self.shown: Spectrogram | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SETTLE_MS)
        self._timer.timeout.connect(self._update)
        store.changed.connect(self._follow)

    @property
    def busy(self) -> bool:
        """Whether a spectrogram is awaited."""
        return self._timer.isActive() or self._job is not None

    def want(self, view: View | None) -> None:
        """Have this view of whatever is analysed; nothing any more for None."""
        self._view = view
        self._follow()

    def _follow(self) -> None:
        if self._view is not None or self._job is not None:
            self._timer.start()

    def _update(self) -> None:
        recording, method, view = self._store.current, self._store.method, self._view
        if recording is None or method is None or view is None:
            self._stop()
            self._key = None
            if self.shown is not None:
                self.shown = None
                self.changed.emit(None)
            return
        plain = replace(
            method.estimate(), search=PeakSearch(), fits=(), struck=(), leave_clipped=False,
            average="mean", at=None,
        )  # fmt: skip
        key = _Key(recording.id, recording.samples, recording.rate, plain, view)
        if key == self._key:
            return
        self._stop()
        self._key = key

        def work(progress: Progress) -> Spectrogram:
            return run_spectrogram(plain, recording, view, progress)

        self._job = self._jobs.submit("Drawing the spectrogram", work, self._done, self._failed)

    def _stop(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job = None

    def _done(self, made: Spectrogram) -> None:
        self._job, self.shown = None, made
        self.changed.emit(made)

    def _failed(self, error: Exception) -> None:
        self._job, self.shown = None, None
        self.changed.emit(None)
        if isinstance(error, Cancelled):
            error = UserError("The spectrogram was stopped", remedy="move the view to draw it")
        self._key = None
        self.failed.emit(error)
