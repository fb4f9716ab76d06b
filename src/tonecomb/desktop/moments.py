"""The single frame about a moment: its spectrum, for the stage to show beside the average."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.analysis import Analysis, run_spectrum
from tonecomb.core.errors import Cancelled, UserError
from tonecomb.core.method import Method
from tonecomb.core.progress import Progress
from tonecomb.core.recording import Recording, whole
from tonecomb.desktop.jobs import Job, Jobs
from tonecomb.desktop.store import Store


class Moments(QObject):
    """``changed`` carries the :class:`Analysis` of the frame about :attr:`time` (s), None for
    none; ``moved`` the frame's start and end in s, or None, as soon as it is known."""

    changed = pyqtSignal(object)
    moved = pyqtSignal(object)

    def __init__(self, store: Store, jobs: Jobs) -> None:
        super().__init__(store)
        self._store, self._jobs = store, jobs
        self.time: float | None = None
        self.shown: Analysis | None = None
        self._job: Job | None = None
        self._waiting = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._compute)
        store.changed.connect(self._follow)

    @property
    def busy(self) -> bool:
        """Whether a frame's spectrum is awaited."""
        return self._timer.isActive() or self._job is not None

    def _now(self) -> tuple[Recording, Method] | None:
        recording, method = self._store.current, self._store.method
        return None if recording is None or method is None else (recording, method)

    def places(self) -> tuple[float, float, float] | None:
        """Middle of the first frame, of the last, and the step between two, in s; None where no
        frame fits."""
        now = self._now()
        if now is None:
            return None
        recording, method = now
        stretch, fs = method.stretch or whole(recording), recording.rate
        first, last = stretch.start + method.frame / 2 / fs, stretch.end - method.frame / 2 / fs
        hop = max(1, round(method.frame * (1 - method.overlap / 100))) / fs
        if last < first - 1e-9:
            return None
        return first, first + hop * int((last - first) / hop + 1e-6), hop

    def go(self, time: float | None) -> None:
        """Show the frame nearest to a time in s, or none."""
        places = self.places() if time is not None else None
        if time is None or places is None:
            self.time = None
            self.moved.emit(None)
            self._show(None)
            return
        first, last, hop = places
        self.time = min(max(first + hop * round((time - first) / hop), first), last)
        now = self._now()
        if now is not None:
            half = now[1].frame / 2 / now[0].rate
            self.moved.emit((self.time - half, self.time + half))
        if not self.busy:
            self._timer.start(0)
        else:
            self._waiting = True

    def step(self, by: int) -> bool:
        """Go ``by`` frames on, from the first where none is shown; False at either end."""
        places = self.places()
        if places is None:
            return False
        first, last, hop = places
        if self.time is None:
            self.go(first if by > 0 else last)
            return True
        there = self.time + by * hop
        if not first - hop / 2 < there < last + hop / 2:
            return False
        self.go(there)
        return True

    def _follow(self) -> None:
        if self.time is not None:
            self.go(self.time)

    def _compute(self) -> None:
        now = self._now()
        if now is None or self.time is None:
            self._show(None)
            return
        recording, method = now
        single = replace(method, average="single", at=self.time, bands=(), fits=())

        def work(progress: Progress) -> Analysis:
            return run_spectrum(single, recording, progress).with_display(single, recording)

        self._waiting = False
        self._job = self._jobs.submit("Transforming a frame", work, self._done, self._failed)

    def _done(self, analysis: Analysis) -> None:
        self._job = None
        self._show(analysis if self.time is not None else None)
        if self._waiting:
            self._timer.start(0)

    def _failed(self, error: Exception) -> None:
        assert isinstance(error, (UserError, Cancelled))
        self._job = None  # what does not fit is told by the analysis itself
        self._show(None)
        if self._waiting:
            self._timer.start(0)

    def _show(self, analysis: Analysis | None) -> None:
        if analysis is not self.shown:
            self.shown = analysis
            self.changed.emit(analysis)
