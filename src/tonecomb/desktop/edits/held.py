"""Held traces: curves kept for comparison while the method goes on changing."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.averages import Single
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import HeldTrace, RecordingRef
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.record.signal import Signal
from tonecomb.core.record.windows import window
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.compare import Comparison, alike, compare
from tonecomb.core.results.estimate import Estimate
from tonecomb.core.steps.prepare import prepare
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.results import spectrum_want
from tonecomb.desktop.state.scheduler import Slot, Want
from tonecomb.desktop.state.state import State

MOST = 7  # as many colours as there are beside the current trace's


@dataclass(frozen=True, eq=False)
class ShownTrace:
    """A held trace with its curve; ``colour`` is the number of the trace's colour, ``called`` its
    name, with the recording's where that is another than the current one."""

    trace: HeldTrace
    analysis: Analysis
    colour: int
    called: str


def _trace(ref: RecordingRef, channel: str, method: Method) -> HeldTrace:
    name = f"{channel}, {window(method.frames.window).title}, {method.frames.frame}"
    return HeldTrace(uuid.uuid4().hex[:12], name, ref.id, method, given=ref.given)


def method_for(method: Method, current: Signal, recording: Recording, channel: int) -> Method:
    """``method``, made for ``current``, for a channel of another recording: a frame of the same
    duration, and the whole of it where the stretch means nothing there."""
    if recording is current.recording:
        return method.having(channel=channel)
    frame = round(method.frames.frame * (recording.rate or 1.0) / current.rate)
    average = method.averaging.average
    return method.having(
        channel=channel,
        stretch=None,
        steps=(),
        struck=(),
        average=Single() if isinstance(average, Single) else average,
        frame=min(max(frame, 2), recording.length),
    )


class HeldTraces(QObject):
    """Watches the store; ``changed`` when a curve came, went, or looks different, ``compared``
    when the comparison did. The comparison is made while ``comparing``: of the current trace
    with ``against``; ``comparison_asked`` when the user wants to see it."""

    changed = pyqtSignal()
    compared = pyqtSignal()
    comparison_asked = pyqtSignal()

    def __init__(self, window: QWidget, state: State, notices: Notices) -> None:
        super().__init__(window)
        self._window, self._store, self._notices = window, state.store, notices
        self._results, self._scheduler = state.results, state.scheduler
        self._curves: dict[str, tuple[Want, Estimate]] = {}
        self._wanted: dict[str, Want] = {}
        self._against = ""
        self._comparison = Slot(state.scheduler, self._wanted_comparison)
        self._comparison.changed.connect(lambda found: self._compared(found, ""))
        self._comparison.failed.connect(lambda error: self._compared(None, str(error)))
        self.comparing = False
        self.comparison: Comparison | None = None
        self.no_comparison = ""
        self._store.changed.connect(self._follow)
        self._results.analysis_changed.connect(lambda _: self._compare())
        self.changed.connect(self._compare)

    @property
    def shown(self) -> list[ShownTrace]:
        """Those that are to be drawn and are computed."""
        return [
            ShownTrace(trace, self._analysis(trace), self.colour_of(trace), self.called(trace))
            for trace in self._store.document.held
            if trace.shown and trace.id in self._curves
        ]

    def called(self, trace: HeldTrace) -> str:
        """A trace's name, behind the recording's where it is not of the current one."""
        recording = self._store.recording(trace.recording)
        other = recording is not None and trace.recording != self._store.document.current
        if recording is None or not other or trace.name.startswith(f"{recording.name}:"):
            return trace.name
        return f"{recording.name}: {trace.name}"

    def colour_of(self, trace: HeldTrace) -> int:
        """The number of a trace's colour."""
        return 1 + self._store.document.held.index(trace) % MOST

    def _analysis(self, trace: HeldTrace) -> Analysis:
        """A trace's curve, in the channel's own quantity."""
        _, estimate = self._curves[trace.id]
        recording = self._recording(trace)
        if recording is None:
            return Analysis(estimate, trace.method, None, "")
        return Analysis.of(estimate, None, trace.method, recording)

    def computed(self, trace: HeldTrace) -> tuple[Estimate, Recording] | None:
        """A trace's estimate and the recording that it is of, None while there is none."""
        known, recording = self._curves.get(trace.id), self._recording(trace)
        return None if known is None or recording is None else (known[1], recording)

    def _recording(self, trace: HeldTrace) -> Recording | None:
        """The recording as it was read when the trace was held."""
        if trace.given is None:
            return self._store.recording(trace.recording)
        return self._store.recording_as(trace.recording, trace.given)

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
        # What is shown may still be of the channel before.
        channels, number = recording.channels, ref.method.source.channel
        known = channels[number] if number < len(channels) else analysis.channel
        trace = _trace(ref, known.name, ref.method)
        self._store.apply("Hold trace", edits.hold(self._store.document, trace))

    def hold_alike(self, wanted: Sequence[tuple[str, int]]) -> None:
        """Analyse channels (recording id, number) as the current one is, and keep the curves."""
        document, method, current = self._store.document, self._store.method, self._store.current
        if method is None or current is None or not wanted:
            return
        room = MOST - len(document.held)
        if len(wanted) > room:
            self._notices.tell(
                UserError(
                    f"There is room for {room} more held traces, not for {len(wanted)}",
                    remedy="choose fewer channels, or drop traces on the shelf",
                )
            )
            return
        for recording_id, channel in wanted:
            recording, ref = self._store.recording(recording_id), document.get(recording_id)
            if recording is None or recording.sample_rate is None or ref is None:
                continue
            alike = method_for(method, current, recording, channel)
            mine = recording is current.recording
            channels = current.channels if mine else recording.channels
            name = (
                channels[channel].name if mine else (f"{recording.name}: {channels[channel].name}")
            )
            document = edits.hold(document, _trace(ref, name, alike))
        self._store.apply("Hold traces", document)

    # Comparing

    @property
    def against(self) -> HeldTrace | None:
        """The held trace that the current one is compared with: the chosen one, or the last."""
        held = self._store.document.held
        chosen = next((trace for trace in held if trace.id == self._against), None)
        return chosen or (held[-1] if held else None)

    @property
    def unit(self) -> str:
        """The unit of a difference."""
        analysis = self._results.analysis
        return "" if analysis is None else analysis.values_unit

    @property
    def beside(self) -> Analysis | None:
        """The trace of ``against`` as the current one is shown, None where there is none."""
        trace, now = self.against, self._results.analysis
        if trace is None or trace.id not in self._curves or now is None:
            return None
        try:
            return alike(now, self._analysis(trace))
        except UserError:
            return None

    def compare_with(self, trace_id: str) -> None:
        """Compare the current trace with this one."""
        self._against = trace_id
        self.comparison_asked.emit()
        self.changed.emit()

    def set_comparing(self, wanted: bool) -> None:
        """Keep the comparison up to date, or do without."""
        self.comparing = wanted
        self._compare()

    def _compare(self) -> None:
        self._comparison.follow_now()

    def _wanted_comparison(self) -> Want | None:
        trace, now = self.against, self._results.analysis
        if not self.comparing:
            return None
        if trace is None or now is None or trace.id not in self._curves:
            self._compared(
                None,
                "Hold a trace (H), change the method or the channel, and the two "
                "are compared here.",
            )
            return None
        other, signal = self._analysis(trace), self._store.current
        key = ("comparison", signal and signal.key, now.method, self._curves[trace.id][0].key)
        return Want(key, "Comparing traces", lambda _: compare(now, other), background=True)

    def _compared(self, found: Comparison | None, reason: str) -> None:
        if found is None and not reason:
            return
        self.comparison, self.no_comparison = found, reason
        self.compared.emit()

    # Curves

    def _follow(self) -> None:
        """Compute what is lacking: after an undo, a session, or a file that was read anew."""
        kept = {trace.id for trace in self._store.document.held}
        for held in (self._curves, self._wanted):
            for key in [key for key in held if key not in kept]:
                del held[key]
        for trace in self._store.document.held:
            recording = self._recording(trace)
            if recording is None or recording.sample_rate is None:
                continue
            try:
                signal = prepare(recording, trace.method.source.steps)
            except UserError as error:
                self._notices.tell(error)
                continue
            want = spectrum_want(signal, trace.method, "Drawing a held trace", background=True)
            known = self._curves.get(trace.id)
            if (known is None or known[0] != want) and self._wanted.get(trace.id) != want:
                self._compute(trace, want)
        self.changed.emit()

    def _compute(self, trace: HeldTrace, want: Want) -> None:
        self._wanted[trace.id] = want

        def done(estimate: Estimate) -> None:
            if self._wanted.pop(trace.id, None) == want:
                self._curves[trace.id] = (want, estimate)
                self.changed.emit()

        self._scheduler.have(want, done, self._notices.tell)

    def sentence(self, trace: HeldTrace) -> str:
        """How the trace was made, "" while that is not known."""
        return self._analysis(trace).sentence if trace.id in self._curves else ""

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
