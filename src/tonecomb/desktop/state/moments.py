"""The single frame about a moment: its spectrum, for the stage to show beside the average; stepping
and playing."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.analysis import Analysis, run_spectrum
from tonecomb.core.errors import Cancelled, UserError
from tonecomb.core.estimate.slices import Slices
from tonecomb.core.method import Method
from tonecomb.core.progress import Progress
from tonecomb.core.record.recording import Recording, Stretch, whole
from tonecomb.desktop.state.grams import SliceResults
from tonecomb.desktop.state.jobs import Job, Jobs
from tonecomb.desktop.state.store import Store

SPEEDS = (2, 5, 10, 25)  # frames a second


@dataclass(frozen=True)
class Places:
    """Middles (s) of the frames that are stepped through: ``count``, ``hop`` s apart from the
    ``first`` on, or where slices were cut. Each is ``width`` s of the recording long."""

    first: float
    hop: float
    count: int
    width: float
    chosen: tuple[float, ...] = ()

    def time(self, number: int) -> float:
        """The middle of a frame, of the nearest end beyond the ends."""
        number = min(max(number, 0), self.count - 1)
        return self.chosen[number] if self.chosen else self.first + number * self.hop

    def number(self, time: float) -> int:
        """The frame nearest to a time."""
        if self.chosen:
            return int(np.argmin(np.abs(np.array(self.chosen) - time)))
        return min(max(round((time - self.first) / self.hop), 0), self.count - 1)


class Moments(QObject):
    """``changed`` carries the :class:`Analysis` of the frame about :attr:`time` (s), None for
    none; ``moved`` the frame's start and end in s, or None, as soon as it is known. While there
    are ``slices`` they are what is stepped through."""

    changed = pyqtSignal(object)
    moved = pyqtSignal(object)

    def __init__(self, store: Store, jobs: Jobs, slices: SliceResults) -> None:
        super().__init__(store)
        self._store, self._jobs, self._slices = store, jobs, slices
        self.time: float | None = None
        self.shown: Analysis | None = None
        self._job: Job | None = None
        self._waiting = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._compute)
        store.changed.connect(self._follow)
        slices.changed.connect(lambda _: self._follow())

    @property
    def busy(self) -> bool:
        """Whether a frame's spectrum is awaited."""
        return self._timer.isActive() or self._job is not None

    def _now(self) -> tuple[Recording, Method] | None:
        recording, method = self._store.current, self._store.method
        return None if recording is None or method is None else (recording, method)

    def places(self) -> Places | None:
        """What is stepped through; None where no frame fits."""
        now = self._now()
        if now is None:
            return None
        recording, method = now
        stretch, fs = method.stretch or whole(recording), recording.rate
        frame = method.frame / fs
        slices: Slices | None = self._slices.shown
        if slices is not None and slices.recording_id == recording.id:
            times = tuple(slices.time.tolist())
            return Places(times[0], frame, len(times), max(slices.width_s, frame), times)
        first, last = stretch.start + frame / 2, stretch.end - frame / 2
        hop = max(1, round(method.frame * (1 - method.overlap / 100))) / fs
        if last < first - 1e-9:
            return None
        return Places(first, hop, 1 + int((last - first) / hop + 1e-6), frame)

    def go(self, time: float | None) -> None:
        """Show the frame nearest to a time in s, or none."""
        places = self.places() if time is not None else None
        if time is None or places is None:
            self.time = None
            self.moved.emit(None)
            self._show(None)
            return
        self.time = places.time(places.number(time))
        self.moved.emit((self.time - places.width / 2, self.time + places.width / 2))
        if not self.busy:
            self._timer.start(0)
        else:
            self._waiting = True

    def step(self, by: int) -> bool:
        """Go ``by`` frames on, from the first where none is shown; False at either end."""
        places = self.places()
        if places is None:
            return False
        if self.time is None:
            self.go(places.time(0 if by > 0 else places.count - 1))
            return True
        there = places.number(self.time) + by
        if not 0 <= there < places.count:
            return False
        self.go(places.time(there))
        return True

    def _follow(self) -> None:
        if self.time is not None:
            self.go(self.time)

    def _compute(self) -> None:
        now = self._now()
        places = self.places()
        if now is None or self.time is None or places is None:
            self._show(None)
            return
        recording, method = now
        single = replace(method, average="single", at=self.time, bands=(), fits=(), struck=())
        if places.width > 1.001 * method.frame / recording.rate:
            ends = (self.time - places.width / 2, self.time + places.width / 2)
            around = Stretch(max(ends[0], 0.0), min(ends[1], recording.duration))
            single = replace(single, average="mean", stretch=around)

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


class Player(QObject):
    """Steps through the frames by itself; ``changed`` when it begins or ends."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject, moments: Moments) -> None:
        super().__init__(parent)
        self._moments = moments
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._step)
        self.speed = 10

    @property
    def playing(self) -> bool:
        """Whether it steps."""
        return self._timer.isActive()

    def set_speed(self, frames: int) -> None:
        """Frames a second."""
        self.speed = frames
        self._timer.setInterval(round(1000 / frames))

    def toggle(self) -> None:
        """Play, from the first frame where the last is shown; or stop."""
        if self.playing:
            self._stop()
            return
        places, time = self._moments.places(), self._moments.time
        if places is None:
            return
        if time is not None and places.number(time) == places.count - 1:
            self._moments.go(places.time(0))
        self._timer.start(round(1000 / self.speed))
        self.changed.emit()

    def leave(self) -> None:
        """Stop, and show no single frame."""
        self._stop()
        self._moments.go(None)

    def _stop(self) -> None:
        self._timer.stop()
        self.changed.emit()

    def _step(self) -> None:
        # A frame that is not drawn yet is waited for: none is passed over.
        if not self._moments.busy and not self._moments.step(1):
            self._stop()
