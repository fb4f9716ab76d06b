"""What every region and act is handed: the state, and the edits of single things."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from tonecomb.desktop.edits.changes import ChangeList
from tonecomb.desktop.edits.combs import Combs
from tonecomb.desktop.edits.fits import Fits
from tonecomb.desktop.edits.held import HeldTraces
from tonecomb.desktop.edits.isolating import Isolating
from tonecomb.desktop.edits.making import Making
from tonecomb.desktop.edits.marks import Marks
from tonecomb.desktop.edits.mode_notes import ModeNotes
from tonecomb.desktop.edits.peak_notes import PeakNotes
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.state import State


class Context(State):
    """``window`` is what dialogs stand over."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self.window = window
        self.notices = Notices()
        self.marks = Marks(window, self.store)
        self.notes = PeakNotes(window, self.store, self.results, self.notices)
        self.mode_notes = ModeNotes(window, self.store)
        self.combs = Combs(window, self.store, self.results, self.notices)
        self.isolating = Isolating(window, self.store, self.results, self.combs, self.notices)
        self.fits = Fits(window, self.store)
        self.making = Making(self.store, self.scheduler, self.results)
        self.held = HeldTraces(window, self, self.notices)
        self.changes = ChangeList(self, self.held)
        self.store.refused.connect(self.notices.tell)
        for watched in self.watched.values():
            watched.failed.connect(self.notices.tell)
