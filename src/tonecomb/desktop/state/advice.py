"""What should be said about the analysis on the stage, and what becomes of it."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.find.hits import RepeatedHits
from tonecomb.core.method import document as edits
from tonecomb.core.record.statistics import sample_problem
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.caution import Caution, Seen
from tonecomb.core.say.cautions import find_cautions, look, short_stretch
from tonecomb.desktop.state.envelopes import Envelopes
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.scheduler import Scheduler, Slot, Want
from tonecomb.desktop.state.store import Store


class Advice(QObject):
    """``changed`` carries the cautions, the gravest first."""

    changed = pyqtSignal(object)

    def __init__(
        self, store: Store, scheduler: Scheduler, results: Results, envelopes: Envelopes
    ) -> None:
        super().__init__(store)
        self._store, self._results, self._envelopes = store, results, envelopes
        self.cautions: tuple[Caution, ...] = ()
        self._seen = Slot(scheduler, self._wanted_look, lazy=True)
        self._found = Slot(scheduler, self._wanted, lazy=True)
        self._heard: dict[
            object, tuple[RepeatedHits, ...]
        ] = {}  # of the samples that were looked at last
        self._seen.changed.connect(lambda _: self._found.follow_now())
        self._found.changed.connect(lambda _: self.tell())
        results.analysis_changed.connect(self._follow)
        envelopes.pyramid_ready.connect(lambda *_: self.tell())
        store.changed.connect(self.tell)

    def _follow(self, analysis: Analysis | None) -> None:
        self._seen.follow_now()
        if self._seen.ticket is None:
            self._found.follow_now()
        self.tell()

    def _wanted_look(self) -> Want | None:
        analysis, signal = self._results.analysis, self._store.current
        if analysis is None or signal is None:
            return None
        if analysis.peaks is None:
            return self._seen.wanted  # it is not all there yet: what was seen may serve again
        method, recording = analysis.method, signal.recording
        samples = (signal.key, method.source)

        def work(progress: Progress) -> Seen:
            seen = look(analysis, recording, progress, self._heard.get(samples))
            self._heard = {samples: seen.hits}
            return seen

        return Want(
            ("seen", *samples, method.frames.frame),
            "Looking over the stretch",
            work,
            background=True,
        )

    def _wanted(self) -> Want | None:
        analysis, signal = self._results.analysis, self._store.current
        seen: Seen | None = self._seen.shown
        if analysis is None or signal is None:
            return None
        if analysis.peaks is None or seen is None or self._seen.ticket is not None:
            return self._found.wanted
        recording = signal.recording
        return Want(
            ("cautions", signal.key, analysis.method),
            "Looking over the stretch",
            lambda _: find_cautions(analysis, recording, seen),
            background=True,
        )

    def tell(self) -> None:
        """Tell what is to be said now."""
        cautions = tuple(self._found.shown or ()) or tuple(self._without_analysis())
        if cautions != self.cautions:
            self.cautions = cautions
            self.changed.emit(cautions)

    def _without_analysis(self) -> list[Caution]:
        """What is known while there is no analysis, or not yet."""
        signal, method = self._store.current, self._store.method
        if signal is None or method is None:
            return []
        cautions = [] if (short := self.short_stretch()) is None else [short]
        cautions += [Caution(problem.code, problem.text) for problem in signal.problems]
        channel = method.source.channel
        built = self._envelopes.pyramid(signal.id, channel)
        if built is not None and channel < len(signal.channels):
            found = sample_problem(signal.channels[channel], built.missing, built.infinite)
            cautions += [Caution(found.code, found.text)] if found is not None else []
        return cautions

    def short_stretch(self) -> Caution | None:
        """What there is to say when not one frame fits."""
        signal, method = self._store.current, self._store.method
        try:
            return short_stretch(method, signal.recording) if signal and method else None
        except UserError:  # the stretch is outside the recording: that is told by itself
            return None

    def take(self, caution: Caution) -> None:
        """Follow a caution's advice: edit the method as it is now, in one step that can be
        undone."""
        method = self._store.method
        if caution.edit is not None and method is not None:
            document = edits.set_method(self._store.document, caution.edit(method))
            self._store.apply(caution.remedy, document)
