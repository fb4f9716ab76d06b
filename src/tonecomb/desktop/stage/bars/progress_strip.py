"""What is being done, how far it is, and a way to stop it."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QWidget

from tonecomb.desktop.kit.widgets import label, link
from tonecomb.desktop.state.jobs import Jobs

_SHOW_AFTER = 0.3  # s until work under way is worth telling


class ProgressStrip(QFrame):
    """What is being done, how far it is, and a way to stop it; hidden for short work, and while
    work in the background goes with pictures that go on."""

    def __init__(self, jobs: Jobs, parent: QWidget, goes_on: Callable[[], bool]) -> None:
        super().__init__(parent)
        self._goes_on = goes_on
        self.setObjectName("progress")
        self._jobs = jobs
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 4, 12, 4)
        self.text = label("")
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setFixedWidth(140)
        line.addWidget(self.text)
        line.addWidget(self._bar)
        line.addWidget(link("Stop", "Stop this work", self.stop_link))
        self.hide()
        self._timer = QTimer(self)
        self._timer.setInterval(100)
        self._timer.timeout.connect(self._refresh)
        jobs.changed.connect(self._watch)

    def place(self) -> None:
        """Stand at the stage's lower right."""
        parent = self.parentWidget()
        if parent is not None:
            self.adjustSize()
            self.move(parent.width() - self.width() - 16, parent.height() - self.height() - 52)

    def _watch(self) -> None:
        if self._jobs.running:
            if not self._timer.isActive():
                self._timer.start()
        else:
            self._timer.stop()
            self.hide()

    def _refresh(self) -> None:
        slow = [j for j in self._jobs.running if time.monotonic() - j.started > _SHOW_AFTER]
        if not slow or self._goes_on():
            self.hide()
            return
        job = min(slow, key=lambda job: job.background)
        self.text.setText(f"{job.title} · {100 * job.fraction:.0f} %")
        self._bar.setValue(round(100 * job.fraction))
        self.place()
        self.show()
        self.raise_()

    def stop_link(self) -> None:
        for job in self._jobs.running:
            job.stop()
