"""Plain figures of the stretch, and what is measured between two times."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.record.periods import Periods, count_periods
from tonecomb.core.record.statistics import StretchFigures, stretch_figures
from tonecomb.desktop.state.scheduler import Scheduler, Slot, Want
from tonecomb.desktop.state.store import Store

_MOST_COUNTED = 5_000_000  # samples between two readouts up to which periods are counted


@dataclass(frozen=True)
class Measure:
    """Two times in s of a channel, the samples nearest to them, and the periods between."""

    start: float
    end: float
    start_value: float
    end_value: float
    unit: str
    periods: Periods | None


class Figures(QObject):
    """Watches the store. ``changed`` carries :class:`StretchFigures` or None."""

    changed = pyqtSignal(object)

    def __init__(self, store: Store, scheduler: Scheduler) -> None:
        super().__init__(store)
        self._store = store
        self._slot = Slot(scheduler, self._wanted, lazy=True)
        self._slot.changed.connect(self.changed)
        self._measuring = Slot(scheduler, lambda: None)
        self._measuring.changed.connect(self._measured)
        self._take: Callable[[Measure], None] = lambda measure: None
        store.changed.connect(self._slot.follow)
        store.reopened.connect(lambda _: self._slot.follow())

    @property
    def shown(self) -> StretchFigures | None:
        """The figures of the stretch, None while they are not known."""
        found: StretchFigures | None = self._slot.shown
        return found

    def _wanted(self) -> Want | None:
        signal, method = self._store.current, self._store.method
        if signal is None or method is None or method.source.channel >= len(signal.channels):
            return None
        try:
            start, stop = method.source.span(signal)
        except UserError:  # the analysis tells
            return None
        channel = method.source.channel
        return Want(
            ("figures", signal.key, channel, start, stop),
            "Reading the stretch",
            lambda progress: stretch_figures(signal, channel, start, stop, progress),
            background=True,
        )

    def measure(
        self, channel: int, start: float, end: float, done: Callable[[Measure], None]
    ) -> None:
        """Read two times off a channel of what is analysed and count periods between."""
        signal = self._store.current
        if signal is None or not 0 <= channel < len(signal.channels):
            return
        first, last = (
            min(max(round(at * signal.rate), 0), signal.length - 1) for at in (start, end)
        )

        def work(progress: Progress) -> Measure:
            if last - first <= _MOST_COUNTED:
                samples = signal.samples.read(channel, first, last + 1)
                periods = count_periods(samples, signal.rate)
            else:
                ends = [signal.samples.read(channel, at, at + 1) for at in (first, last)]
                samples, periods = np.concatenate(ends), None
            value, other = float(samples[0]), float(samples[-1])
            return Measure(start, end, value, other, signal.channels[channel].unit, periods)

        self._take = done
        key = ("measure", signal.key, channel, start, end)
        self._measuring.want(Want(key, "Measuring", work))

    def _measured(self, found: Measure | None) -> None:
        if found is not None:
            self._take(found)
