"""Names of modes, and those that are set aside because they are known."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QInputDialog, QWidget

from tonecomb.core.method import document as edits
from tonecomb.core.method.document import PeakNote, note_at
from tonecomb.core.modal.modes import Mode
from tonecomb.core.results.knowledge import Knowledge, knowledge, mode_play
from tonecomb.desktop.state.store import Store


class ModeNotes(QObject):
    """What the user says about modes; kept with the recording by frequency."""

    def __init__(self, window: QWidget, store: Store) -> None:
        super().__init__(window)
        self._window, self._store = window, store

    @property
    def knowledge(self) -> Knowledge:
        """All that is said about the current recording."""
        return knowledge(self._store.ref)

    def name(self, mode: Mode) -> None:
        """Ask for a name; an empty one takes it away."""
        known = self._own(mode)
        text, ok = QInputDialog.getText(
            self._window,
            "Name",
            f"Name of the mode at {mode.frequency:.5g} Hz, such as first bending:",
            text=known.name,
        )
        if ok:
            self._put("Name mode", mode, replace(known, name=text.strip()))

    def set_aside(self, mode: Mode) -> None:
        """Set a mode aside with a reason, or take it back."""
        known = self._own(mode)
        if known.aside:
            self._put("Take mode back", mode, replace(known, aside=""))
            return
        text, ok = QInputDialog.getText(
            self._window,
            "Set aside",
            f"Why does the mode at {mode.frequency:.5g} Hz not matter?",
            text="known",
        )
        if ok and text.strip():
            self._put("Set mode aside", mode, replace(known, aside=text.strip()))

    def _own(self, mode: Mode) -> PeakNote:
        return self.knowledge.of_mode(mode) or PeakNote(mode.frequency)

    def _put(self, label: str, mode: Mode, note: PeakNote) -> None:
        ref = self._store.ref
        if ref is None:
            return
        before = note_at(ref.mode_notes, mode.frequency, mode_play(mode))
        others = tuple(one for one in ref.mode_notes if one != before)
        kept = (*others, note) if note.name or note.aside else others
        self._store.apply(label, edits.set_mode_notes(self._store.document, ref, kept))
