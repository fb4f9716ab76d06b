"""Names of peaks, and those that are set aside because they are known and do not matter."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QInputDialog, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import PeakNote, RecordingRef, note_at
from tonecomb.core.method.machine import named
from tonecomb.core.results.knowledge import Knowledge, knowledge
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.store import Store


class PeakNotes(QObject):
    """What the user says about peaks; kept with the recording by frequency."""

    def __init__(self, window: QWidget, store: Store, results: Results, notices: Notices) -> None:
        super().__init__(window)
        self._window, self._store, self._results = window, store, results
        self._notices = notices
        self._known: tuple[RecordingRef | None, Knowledge] = (None, knowledge(None))

    @property
    def _play(self) -> float:
        """How far a peak may move and still be the same, in Hz."""
        analysis = self._results.analysis
        return 0.0 if analysis is None else analysis.resolution.separable_hz / 2

    @property
    def knowledge(self) -> Knowledge:
        """All that is said about the current recording: the same one while nothing new is said."""
        ref = self._store.ref
        if ref is not self._known[0]:
            self._known = (ref, knowledge(ref))
        return self._known[1]

    def of(self, peak: Peak) -> PeakNote | None:
        """What is said about a peak, a known frequency's name included."""
        analysis = self._results.analysis
        return None if analysis is None else self.knowledge.of(peak, analysis)

    def order(self, frequency: float) -> float | None:
        """How many times the shaft's frequency this is (Hz)."""
        return self.knowledge.order(frequency)

    def marks(self) -> list[tuple[float, str]]:
        """Frequencies that are marked in every view, and what they are called."""
        said, marks = self.knowledge, []
        for note in said.notes:
            if note.marked:
                name = note.name or named(said.known, said.shaft, note.frequency, 0.0)
                marks.append((note.frequency, name or f"{note.frequency:.2f} Hz"))
        return marks

    def _own(self, peak: Peak) -> PeakNote:
        ref = self._store.ref
        notes = () if ref is None else ref.peak_notes
        return note_at(notes, peak.tone.frequency, self._play) or PeakNote(peak.tone.frequency)

    def mark(self, peak: Peak | None) -> None:
        """A line through every view at the peak, or take it away."""
        if peak is not None:
            known = self._own(peak)
            label = "Take mark away" if known.marked else "Mark peak"
            self._put(label, peak, replace(known, marked=not known.marked))

    def pick(self, frequency: float | None) -> None:
        """Count the highest point next to a frequency (Hz) as a peak, however low it is."""
        method = self._store.method
        if method is None or frequency is None or frequency <= 0:
            self._notices.tell(
                UserError("There is no place to pick a peak", remedy="point at the spectrum first")
            )
            return
        kept = tuple(f for f in method.search.peaks.by_hand if abs(f - frequency) > self._play)
        picked = tuple(sorted((*kept, frequency)))
        self._store.edit_method("Pick peak", peaks=replace(method.search.peaks, by_hand=picked))

    def let_go(self, peak: Peak | None) -> None:
        """A peak that was picked by hand counts no more."""
        method = self._store.method
        if peak is None or method is None or not method.search.peaks.by_hand:
            return
        picked = sorted(method.search.peaks.by_hand, key=lambda f: abs(f - peak.tone.frequency))[1:]
        search = replace(method.search.peaks, by_hand=tuple(sorted(picked)))
        self._store.edit_method("Let peak go", peaks=search)

    def name(self, peak: Peak | None) -> None:
        """Ask for a name; an empty one takes it away."""
        if peak is None:
            return
        known = self._own(peak)
        text, ok = QInputDialog.getText(
            self._window,
            "Name",
            f"Name of the peak at {peak.tone.frequency:.6g} Hz:",
            text=known.name,
        )
        if ok:
            self._put("Name peak", peak, replace(known, name=text.strip()))

    def set_aside(self, peak: Peak | None) -> None:
        """Set a peak aside with a reason, or take it back."""
        if peak is None:
            return
        known = self._own(peak)
        if known.aside:
            self._put("Take peak back", peak, replace(known, aside=""))
            return
        text, ok = QInputDialog.getText(
            self._window,
            "Set aside",
            f"Why does the peak at {peak.tone.frequency:.6g} Hz not matter?",
            text="known",
        )
        if ok and text.strip():
            self._put("Set peak aside", peak, replace(known, aside=text.strip()))

    def _put(self, label: str, peak: Peak, note: PeakNote) -> None:
        ref = self._store.ref
        if ref is None:
            return
        before = note_at(ref.peak_notes, peak.tone.frequency, self._play)
        others = tuple(one for one in ref.peak_notes if one != before)
        kept = (*others, note) if note.name or note.aside or note.marked else others
        self._store.apply(label, edits.set_peak_notes(self._store.document, ref, kept))
