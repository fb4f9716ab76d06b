"""All that stands behind the views, made once and handed on as one thing."""

from __future__ import annotations

import sys

from PyQt6.QtCore import QObject

from tonecomb.core.base.units import registry
from tonecomb.core.estimate.transform import forget_plans
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.sections import get_ready
from tonecomb.desktop.kit.turns import later
from tonecomb.desktop.state.advice import Advice
from tonecomb.desktop.state.envelopes import Envelopes
from tonecomb.desktop.state.figures import Figures
from tonecomb.desktop.state.frame_cursor import FrameCursor, Player
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.lazy_result import LazyResult
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.scheduler import Scheduler
from tonecomb.desktop.state.store import Store
from tonecomb.formats.kinds.table import KINDS


class State:
    """The document, the scheduler, and what is computed: ``watched`` by kind what is computed
    while it is looked at."""

    def __init__(self, parent: QObject) -> None:
        self.jobs = Jobs(parent)
        self.scheduler = Scheduler(self.jobs, parent, pool_busy=lambda: bool(self.jobs.running))
        self.jobs.changed.connect(self.scheduler.settle)
        self.store = Store(parent)
        self.results = Results(self.store, self.scheduler)
        self.envelopes = Envelopes(self.store, self.scheduler)
        self.figures = Figures(self.store, self.scheduler)
        self.advice = Advice(self.store, self.scheduler, self.results, self.envelopes)
        self.watched = {
            kind.key: LazyResult(kind, self.store, self.scheduler)
            for kind in KINDS
            if kind.key != "spectrum"
        }
        self.scheduler.idle.connect(self._get_ready)
        self.scheduler.idle.connect(forget_plans)
        self.moments = FrameCursor(self.store, self.scheduler, self.watched["slices"])
        self.player = Player(parent, self.moments, self.results)
        self.results.read_by = self.moments.of_frame
        for signal in (self.moments.moved, self.moments.turned):
            signal.connect(lambda _: later(self.results.follow))

    @property
    def current(self) -> Signal | None:
        """What is being analysed."""
        return self.store.current

    def _get_ready(self) -> None:
        """When all is done for the first time, load what filters and unusual units need, so that
        the first of them does not hold the window for a second."""
        if self.store.current is None:
            return
        self.scheduler.idle.disconnect(self._get_ready)
        if "scipy.signal" not in sys.modules:
            self.jobs.submit(
                "Getting filters ready",
                lambda _: _load(),
                lambda _: None,
                lambda _: None,
                background=True,
            )


def _load() -> None:
    get_ready()
    registry()
