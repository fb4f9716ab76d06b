"""A curve that is no longer wanted fades, where the next takes its time."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QTimer

from tonecomb.desktop.stage.spectrum import SpectrumView
from tonecomb.desktop.state.scheduler import Scheduler

_AFTER_MS = 120


class Fading(QObject):
    """To be told whether something else is waited for. While pictures follow each other, each is
    the newest there is."""

    def __init__(self, spectrum: SpectrumView, scheduler: Scheduler) -> None:
        super().__init__(spectrum)
        self._spectrum, self._scheduler = spectrum, scheduler
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        # A method, which Qt lets go of with its object: a timer that ran when the window went would
        # call a function that Python had cleared.
        self._timer.timeout.connect(self._fade)

    def _fade(self) -> None:
        self._spectrum.set_stale(True)

    def wait(self, waits: bool) -> None:
        """Something is waited for, or no longer."""
        if waits and not self._scheduler.lively:
            self._timer.start(_AFTER_MS)
            return
        self._timer.stop()
        self._spectrum.set_stale(False)
