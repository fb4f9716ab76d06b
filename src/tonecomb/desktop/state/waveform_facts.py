"""What is found out about the waveform on the stage: figures of the stretch, clipping, measures."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.analysis import Analysis
from tonecomb.core.errors import UserError
from tonecomb.core.progress import Progress
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.periods import Periods, count_periods
from tonecomb.core.record.recording import Recording, whole
from tonecomb.core.record.statistics import StretchFigures, stretch_figures
from tonecomb.core.say.cautions import Caution, Seen, find_cautions, look
from tonecomb.desktop.state.jobs import Job, Jobs
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.store import Store

_SETTLE_MS = 120
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


class WaveformFacts(QObject):
    """Watches the store. ``figures_ready`` carries :class:`StretchFigures` or None,
    ``clipping_ready`` (recording id, channel)."""

    figures_ready = pyqtSignal(object)
    cautions_ready = pyqtSignal(object)
    clipping_ready = pyqtSignal(str, int)

    def __init__(self, store: Store, jobs: Jobs, results: Results) -> None:
        super().__init__(store)
        self._store, self._jobs, self._results = store, jobs, results
        self._clipping: dict[tuple[str, int], tuple[object, tuple[tuple[int, int], ...]]] = {}
        self._shown: object = None
        self._job: Job | None = None
        self._measuring: Job | None = None
        self._looking: Job | None = None
        self._seen: tuple[object, Seen] | None = None
        self.figures: StretchFigures | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SETTLE_MS)
        self._timer.timeout.connect(self._update)
        store.changed.connect(self._timer.start)
        results.pyramid_ready.connect(self._look_for_clipping)
        results.analysis_changed.connect(self._look_for_cautions)

    @property
    def busy(self) -> bool:
        """Whether figures are awaited."""
        return self._timer.isActive() or self._job is not None or self._looking is not None

    def _update(self) -> None:
        recording, method = self._store.current, self._store.method
        if recording is None or method is None or method.channel >= len(recording.channels):
            self._deliver(None, None)
            return
        stretch = method.stretch or whole(recording)
        wanted = (recording.samples, method.channel, stretch)
        if wanted == self._shown:
            return
        try:
            start, stop = stretch.indices(recording)
        except UserError:
            self._deliver(wanted, None)
            return
        if self._job is not None:
            self._job.cancel()

        def work(progress: Progress) -> StretchFigures | None:
            return stretch_figures(recording, method.channel, start, stop, progress)

        def failed(error: Exception) -> None:
            self._deliver(wanted, None)  # what is wrong with the file is told by the analysis

        self._job = self._jobs.submit(
            "Figures of the stretch", work, lambda found: self._deliver(wanted, found), failed,
            background=True,
        )  # fmt: skip

    def _deliver(self, wanted: object, figures: StretchFigures | None) -> None:
        self._job, self._shown, self.figures = None, wanted, figures
        self.figures_ready.emit(figures)

    # Cautions

    def _look_for_cautions(self, analysis: Analysis | None) -> None:
        """Find what should be said about an analysis that has its peaks."""
        if self._looking is not None:
            self._looking.cancel()
            self._looking = None
        recording = self._store.current
        if analysis is None or recording is None:
            self.cautions_ready.emit(())
            return
        if analysis.peaks is None:
            return
        method = analysis.method
        key = (recording.samples, method.channel, method.stretch, method.frame)
        known = self._seen[1] if self._seen is not None and self._seen[0] == key else None

        def work(progress: Progress) -> tuple[Seen, tuple[Caution, ...]]:
            seen = known or look(analysis, recording, progress)
            return seen, find_cautions(analysis, recording, seen)

        def done(found: tuple[Seen, tuple[Caution, ...]]) -> None:
            self._looking, self._seen = None, (key, found[0])
            self.cautions_ready.emit(found[1])

        def failed(error: Exception) -> None:
            self._looking = None

        self._looking = self._jobs.submit(
            "Looking over the stretch", work, done, failed, background=True
        )

    # Clipping

    def _look_for_clipping(self, recording_id: str, channel: int) -> None:
        recording = self._store.recording(recording_id)
        built = self._results.pyramid(recording_id, channel)
        if recording is None or built is None:
            return

        def work(progress: Progress) -> tuple[tuple[int, int], ...]:
            return clipped(lambda a, b: recording.samples.read(channel, a, b), built)

        def done(runs: tuple[tuple[int, int], ...]) -> None:
            self._clipping[recording_id, channel] = (recording.samples, runs)
            self.clipping_ready.emit(recording_id, channel)

        self._jobs.submit("Looking for clipping", work, done, lambda error: None, background=True)

    def clipping(self, recording: Recording, channel: int) -> tuple[tuple[int, int], ...]:
        """Runs at the limits, in samples; none while they are not found yet."""
        samples, runs = self._clipping.get((recording.id, channel), (None, ()))
        return runs if samples is recording.samples else ()

    # Measuring

    def measure(
        self, channel: int, start: float, end: float, done: Callable[[Measure], None]
    ) -> None:
        """Read two times off a channel of the current recording and count periods between."""
        recording = self._store.current
        if recording is None or not 0 <= channel < len(recording.channels):
            return
        if self._measuring is not None:
            self._measuring.cancel()
        first, last = (
            min(max(round(at * recording.rate), 0), recording.length - 1) for at in (start, end)
        )

        def work(progress: Progress) -> Measure:
            if last - first <= _MOST_COUNTED:
                samples = recording.samples.read(channel, first, last + 1)
                periods = count_periods(samples, recording.rate)
            else:
                ends = [recording.samples.read(channel, at, at + 1) for at in (first, last)]
                samples, periods = np.concatenate(ends), None
            value, other = float(samples[0]), float(samples[-1])
            symbol = recording.channels[channel].unit
            return Measure(start, end, value, other, symbol, periods)

        def deliver(found: Measure) -> None:
            self._measuring = None
            done(found)

        def failed(error: Exception) -> None:
            self._measuring = None

        self._measuring = self._jobs.submit("Measuring", work, deliver, failed)
