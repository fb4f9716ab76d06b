"""The single frame about a moment: its spectrum, for the stage to show beside the average; stepping
and playing."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.estimate.averages import Mean, Single
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Stretch, whole
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.estimate import Estimate
from tonecomb.core.results.slices import Slices
from tonecomb.desktop.state.lazy_result import LazyResult
from tonecomb.desktop.state.results import Results, spectrum_want
from tonecomb.desktop.state.scheduler import Scheduler, Slot, Want
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


class FrameCursor(QObject):
    """``changed`` carries the :class:`Analysis` of the frame about :attr:`time` (s), None for
    none; ``moved`` the frame's start and end in s, or None, as soon as it is known. While there
    are ``slices`` they are what is stepped through. ``turned`` says whether what is read is read
    in the frame."""

    changed = pyqtSignal(object)
    moved = pyqtSignal(object)
    turned = pyqtSignal(bool)

    def __init__(self, store: Store, scheduler: Scheduler, slices: LazyResult) -> None:
        super().__init__(store)
        self._store, self._slices = store, slices
        self.time: float | None = None
        self.followed = False
        self.shown: Analysis | None = None
        # Frames that are stepped over are shown as far as they can be: none is given up.
        self._slot = Slot(scheduler, self._wanted, patient=True)
        self._slot.changed.connect(self._arrived)
        store.changed.connect(self._follow)
        slices.changed.connect(lambda _: self._follow())

    @property
    def busy(self) -> bool:
        """Whether a frame's spectrum is awaited."""
        return self._slot.busy

    def _now(self) -> tuple[Signal, Method] | None:
        signal, method = self._store.current, self._store.method
        return None if signal is None or method is None else (signal, method)

    def places(self) -> Places | None:
        """What is stepped through; None where no frame fits."""
        now = self._now()
        if now is None:
            return None
        signal, method = now
        stretch, fs = method.source.stretch or whole(signal), signal.rate
        frame = method.frames.frame / fs
        slices: Slices | None = self._slices.shown
        if slices is not None and slices.recording_id == signal.id:
            times = tuple(slices.time.tolist())
            return Places(times[0], frame, len(times), max(slices.width_s, frame), times)
        first, last = stretch.start + frame / 2, stretch.end - frame / 2
        hop = max(1, round(method.frames.frame * (1 - method.frames.overlap / 100))) / fs
        if last < first - 1e-9:
            return None
        return Places(first, hop, 1 + int((last - first) / hop + 1e-6), frame)

    def go(self, time: float | None) -> None:
        """Show the frame nearest to a time in s, or none."""
        places = self.places() if time is not None else None
        if time is None or places is None:
            self.time = None
            self.follow(False)
            self.moved.emit(None)
            self._slot.want(None)
            self._show(None)
            return
        self.time = places.time(places.number(time))
        self.moved.emit((self.time - places.width / 2, self.time + places.width / 2))
        self._slot.follow_now()

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

    def follow(self, wanted: bool) -> None:
        """Have readings, peaks and combs of the frame that is shown, or of all frames."""
        wanted = wanted and self.time is not None
        if wanted != self.followed:
            self.followed = wanted
            self.turned.emit(wanted)

    def of_frame(self, signal: Signal, method: Method) -> Method:
        """How what is read is analysed: by the method, or in the frame by which it is followed."""
        places = self.places() if self.followed else None
        if places is None:
            return method
        single = self._around(signal, method, places)
        return replace(single, search=method.search, shown=method.shown)

    def _follow(self) -> None:
        if self.time is not None:
            self.go(self.time)

    def _wanted(self) -> Want | None:
        now, places = self._now(), self.places()
        if now is None or self.time is None or places is None:
            return None
        return spectrum_want(now[0], self._method(now[0], now[1], places), "Transforming a frame")

    def _method(self, signal: Signal, method: Method, places: Places) -> Method:
        """How the frame, or the slice, that is shown is analysed."""
        if places.width > 1.001 * method.frames.frame / signal.rate:
            return self._around(signal, method, places)
        return method.single_frames().having(average=Single(self.time or 0.0))

    def _around(self, signal: Signal, method: Method, places: Places) -> Method:
        """The frame, or the slice, as the stretch that is analysed."""
        ends = ((self.time or 0.0) + half for half in (-places.width / 2, places.width / 2))
        start, end = (min(max(one, 0.0), signal.duration) for one in ends)
        return method.single_frames().having(average=Mean(), stretch=Stretch(start, end))

    def _arrived(self, estimate: Estimate | None) -> None:
        now = self._now()
        if estimate is None or now is None or self.time is None:
            self._show(None)
            return
        signal, method = now
        shown = estimate.method.having(shown=method.shown)
        self._show(Analysis.of(estimate, None, shown, signal.recording))

    def _show(self, analysis: Analysis | None) -> None:
        if analysis is not self.shown:
            self.shown = analysis
            self.changed.emit(analysis)


class Player(QObject):
    """Steps through the frames by itself; ``changed`` when it begins or ends."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject, moments: FrameCursor, results: Results) -> None:
        super().__init__(parent)
        self._moments, self._results = moments, results
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
        # A frame that is not drawn or read yet is waited for: none is passed over.
        busy = self._moments.busy or (self._moments.followed and self._results.busy)
        if not busy and not self._moments.step(1):
            self._stop()
