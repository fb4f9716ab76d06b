"""Held traces: curves kept for comparison while the method goes on changing."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QWidget

from tonecomb.core import document as edits
from tonecomb.core.analysis import Analysis, run_spectrum
from tonecomb.core.document import HeldTrace
from tonecomb.core.errors import UserError
from tonecomb.core.progress import Progress
from tonecomb.core.recording import Recording
from tonecomb.core.windows import window
from tonecomb.desktop.jobs import Jobs
from tonecomb.desktop.messages import Notices
from tonecomb.desktop.results import Results
from tonecomb.desktop.store import Store

MOST = 7  # as many colours as there are beside the current trace's


@dataclass(frozen=True, eq=False)
class Shown:
    """A held trace with its curve; ``colour`` is the number of the trace's colour."""

    trace: HeldTrace
    analysis: Analysis
    colour: int


class HeldTraces(QObject):
    """Watches the store; ``changed`` when a curve came, went, or looks different."""

    changed = pyqtSignal()

    def __init__(
        self, window: QWidget, store: Store, jobs: Jobs, results: Results, notices: Notices
    ) -> None:
        super().__init__(window)
        self._window, self._store, self._jobs = window, store, jobs
        self._results, self._notices = results, notices
        self._curves: dict[str, tuple[object, Analysis]] = {}
        self._wanted: set[str] = set()
        store.changed.connect(self._follow)

    @property
    def shown(self) -> list[Shown]:
        """Those that are to be drawn and are computed."""
        return [
            Shown(trace, self._curves[trace.id][1], 1 + i % MOST)
            for i, trace in enumerate(self._store.document.held)
            if trace.shown and trace.id in self._curves
        ]

    @property
    def busy(self) -> bool:
        """Whether a curve is awaited."""
        return bool(self._wanted)

    def hold(self) -> None:
        """Keep the curve on the stage."""
        ref, analysis, recording = self._store.ref, self._results.analysis, self._store.current
        if ref is None or analysis is None or recording is None:
            self._notices.tell(UserError("There is no trace to hold", remedy="analyse one first"))
            return
        if len(self._store.document.held) >= MOST:
            self._notices.tell(
                UserError(f"{MOST} traces are held already", remedy="drop one on the shelf first")
            )
            return
        taper = window(ref.method.window).title
        name = f"{analysis.channel.name}, {taper}, {ref.method.frame}"
        trace = HeldTrace(uuid.uuid4().hex[:12], name, ref.id, ref.method)
        self._curves[trace.id] = (recording.samples, replace(analysis, peaks=None))
        self._store.apply("Hold trace", edits.hold(self._store.document, trace))

    def _follow(self) -> None:
        """Compute what is lacking: after an undo, a session, or a file that was read anew."""
        kept = {trace.id for trace in self._store.document.held}
        self._curves = {key: curve for key, curve in self._curves.items() if key in kept}
        for trace in self._store.document.held:
            recording = self._store.recording(trace.recording)
            if recording is None or recording.sample_rate is None or trace.id in self._wanted:
                continue
            known = self._curves.get(trace.id)
            if known is None or known[0] is not recording.samples:
                self._compute(trace, recording)
        self.changed.emit()

    def _compute(self, trace: HeldTrace, recording: Recording) -> None:
        self._wanted.add(trace.id)

        def work(progress: Progress) -> Analysis:
            return run_spectrum(trace.method, recording, progress)

        def done(analysis: Analysis) -> None:
            self._wanted.discard(trace.id)
            self._curves[trace.id] = (recording.samples, analysis)
            self.changed.emit()

        def failed(error: Exception) -> None:
            self._wanted.discard(trace.id)
            self._notices.tell(error)

        self._jobs.submit("Drawing a held trace", work, done, failed, background=True)

    def sentence(self, trace: HeldTrace) -> str:
        """How the trace was made, "" while that is not known."""
        curve = self._curves.get(trace.id)
        return "" if curve is None else curve[1].sentence

    # What the shelf asks for

    def toggle(self, trace_id: str) -> None:
        """Show a trace, or hide it."""
        trace = edits.held_trace(self._store.document, trace_id)
        if trace is not None:
            changed = replace(trace, shown=not trace.shown)
            label = "Show held trace" if changed.shown else "Hide held trace"
            self._store.apply(label, edits.change_trace(self._store.document, changed))

    def rename(self, trace_id: str) -> None:
        """Give a trace another name."""
        trace = edits.held_trace(self._store.document, trace_id)
        if trace is None:
            return
        name, ok = QInputDialog.getText(
            self._window, "Rename", "Name of the held trace:", text=trace.name
        )
        if ok and name.strip():
            changed = edits.change_trace(self._store.document, replace(trace, name=name.strip()))
            self._store.apply("Rename held trace", changed)

    def drop(self, trace_id: str) -> None:
        """Let go of a trace; undo brings it back."""
        self._store.apply("Drop held trace", edits.drop_trace(self._store.document, trace_id))

    def return_to(self, trace_id: str) -> None:
        """Make a trace's method the method again."""
        document = self._store.document
        trace = edits.held_trace(document, trace_id)
        ref = document.get(trace.recording) if trace is not None else None
        if trace is not None and ref is not None:
            changed = edits.change_recording(document, replace(ref, method=trace.method))
            self._store.apply("Return to held trace", replace(changed, current=ref.id))
