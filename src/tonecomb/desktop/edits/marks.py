"""Notes at times of a recording."""

from __future__ import annotations

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QInputDialog, QWidget

from tonecomb.core.method.document import Mark, set_marks
from tonecomb.desktop.state.store import Store


class Marks(QObject):
    """Puts, changes and removes the marks of the current recording."""

    def __init__(self, window: QWidget, store: Store) -> None:
        super().__init__(window)
        self._window, self._store = window, store

    def put(self, time: float | None) -> None:
        """Put a mark at a time in s; in the middle of the recording without one."""
        ref, recording = self._store.ref, self._store.current
        if ref is None or recording is None:
            return
        at = recording.duration / 2 if time is None else time
        note, ok = QInputDialog.getText(
            self._window, "Mark", f"Note at {at:.6g} s:", text=f"mark {len(ref.marks) + 1}"
        )
        if ok and note.strip():
            marks = (*ref.marks, Mark(at, note.strip()))
            self._store.apply("Put mark", set_marks(self._store.document, ref, marks))

    def edit(self, number: int) -> None:
        """Change a mark's note; an empty one removes the mark."""
        ref = self._store.ref
        if ref is None or not 0 <= number < len(ref.marks):
            return
        mark = ref.marks[number]
        note, ok = QInputDialog.getText(
            self._window,
            "Mark",
            f"Note at {mark.time:.6g} s (empty to remove it):",
            text=mark.note,
        )
        if not ok:
            return
        rest = ref.marks[:number] + ref.marks[number + 1 :]
        kept = (*rest, Mark(mark.time, note.strip())) if note.strip() else rest
        label = "Change mark" if note.strip() else "Remove mark"
        self._store.apply(label, set_marks(self._store.document, ref, kept))
