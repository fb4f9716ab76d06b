"""Work off the interface thread: one pool, queued delivery, progress, and a way to stop."""

from __future__ import annotations

import contextlib
import os
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.core.base.progress import Progress
from tonecomb.desktop.kit import turns

T = TypeVar("T")
_WORKERS = 3  # two long reads, and still one for what is wanted next
_REPORT_EVERY = 0.05  # s
_NICE = 1
"""By so much work stands back: the window, which waits for the interpreter a hundred times in each
picture, is woken sooner. More would help it little, and beside other busy programs work would
starve: by 5 the demo takes more than twice as long to open, by 1 a fifth longer."""


def _stand_back() -> None:
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)


class Job:
    """A piece of work under way. ``fraction`` is how far it is; what is in the ``background``
    is told only when nothing else is. Nothing is delivered to an ``owner`` that is gone."""

    def __init__(self, title: str, background: bool, owner: QObject | None = None) -> None:
        self.title, self.background, self.owner = title, background, owner
        self.fraction = 0.0
        self.started = time.monotonic()
        self.wanted = True
        self.stopped = False

    def stop(self) -> None:
        """The user stops the work: whoever asked for it is told by :class:`Cancelled`."""
        self.stopped = True

    def cancel(self) -> None:
        """The work stops at its next progress call and nothing is delivered."""
        self.wanted = False


class Jobs(QObject):
    """Runs work in threads and delivers on the interface thread.

    ``changed`` is emitted when a job starts, moves on or ends.
    """

    changed = pyqtSignal()
    _ended = pyqtSignal(object, object, object)
    _moved = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(_WORKERS, thread_name_prefix="job", initializer=_stand_back)
        self._running: dict[Job, tuple[Callable[[Any], None], Callable[[Exception], None]]] = {}
        self._closed = False
        self._ended.connect(self._arrive)
        self._moved.connect(self.changed)

    @property
    def running(self) -> list[Job]:
        """Jobs that are wanted and not yet delivered, oldest first."""
        return [job for job in self._running if job.wanted]

    def submit(
        self,
        title: str,
        work: Callable[[Progress], T],
        done: Callable[[T], None],
        failed: Callable[[Exception], None],
        *,
        background: bool = False,
        owner: QObject | None = None,
    ) -> Job:
        """Run ``work(progress)`` in a thread, then ``done(result)`` or ``failed(error)`` here;
        neither where the ``owner`` (a dialog) is gone by then."""
        job = Job(title, background, owner)
        if self._closed:  # the window is going away: nobody would see it
            job.cancel()
            return job
        self._running[job] = (done, failed)
        reported = [0.0]

        def progress(fraction: float) -> None:
            if job.stopped or not job.wanted:
                raise Cancelled
            job.fraction = fraction
            now = time.monotonic()
            if now - reported[0] > _REPORT_EVERY:
                reported[0] = now
                self._moved.emit()

        def call() -> None:
            try:
                progress(0.0)
                result, error = work(progress), None
            except Exception as caught:
                result, error = None, caught
            if not self._closed:
                self._ended.emit(job, result, error)

        self._pool.submit(call)
        self.changed.emit()
        return job

    def _arrive(self, job: Job, result: Any, error: Exception | None) -> None:
        turns.later(lambda: self._deliver(job, result, error))

    def _deliver(self, job: Job, result: Any, error: Exception | None) -> None:
        if job not in self._running:
            return  # it ended while the window was closing
        done, failed = self._running.pop(job)
        self.changed.emit()
        if not job.wanted or (job.owner is not None and sip.isdeleted(job.owner)):
            return
        if error is None:
            done(result)
        elif isinstance(error, (UserError, Cancelled)):
            failed(error)
        else:
            failed(Cancelled())  # nobody waits for it any more
            raise error  # a defect: the exception hook tells and logs it

    def close(self) -> None:
        """Stop everything and wait for the threads."""
        self._closed = True
        for job in self._running:
            job.cancel()
        self._pool.shutdown(wait=True, cancel_futures=True)
        self._running.clear()
