"""Names of peaks, and those that are set aside because they are known and do not matter."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QInputDialog, QWidget

from tonecomb.core import document as edits
from tonecomb.core.document import PeakNote, note_at
from tonecomb.core.peaks import Peak
from tonecomb.desktop.results import Results
from tonecomb.desktop.store import Store


class PeakNotes(QObject):
    """What the user says about peaks; kept with the recording by frequency."""

    def __init__(self, window: QWidget, store: Store, results: Results) -> None:
        super().__init__(window)
        self._window, self._store, self._results = window, store, results

    @property
    def _play(self) -> float:
        """How far a peak may move and still be the same, in Hz."""
        analysis = self._results.analysis
        return 0.0 if analysis is None else analysis.resolution.separable_hz / 2

    def of(self, peak: Peak) -> PeakNote | None:
        """What is said about a peak."""
        ref = self._store.ref
        return None if ref is None else note_at(ref.peak_notes, peak.tone.frequency, self._play)

    def name(self, peak: Peak | None) -> None:
        """Ask for a name; an empty one takes it away."""
        if peak is None:
            return
        known = self.of(peak) or PeakNote(peak.tone.frequency)
        text, ok = QInputDialog.getText(
            self._window, "Name", f"Name of the peak at {peak.tone.frequency:.6g} Hz:",
            text=known.name,
        )  # fmt: skip
        if ok:
            self._put("Name peak", peak, replace(known, name=text.strip()))

    def set_aside(self, peak: Peak | None) -> None:
        """Set a peak aside with a reason, or take it back."""
        if peak is None:
            return
        known = self.of(peak) or PeakNote(peak.tone.frequency)
        if known.aside:
            self._put("Take peak back", peak, replace(known, aside=""))
            return
        text, ok = QInputDialog.getText(
            self._window, "Set aside",
            f"Why does the peak at {peak.tone.frequency:.6g} Hz not matter?", text="known",
        )  # fmt: skip
        if ok and text.strip():
            self._put("Set peak aside", peak, replace(known, aside=text.strip()))

    def _put(self, label: str, peak: Peak, note: PeakNote) -> None:
        ref = self._store.ref
        if ref is None:
            return
        before = note_at(ref.peak_notes, peak.tone.frequency, self._play)
        others = tuple(one for one in ref.peak_notes if one != before)
        kept = (*others, note) if note.name or note.aside else others
        self._store.apply(label, edits.set_peak_notes(self._store.document, ref, kept))
