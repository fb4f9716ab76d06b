"""Undo as a list of labelled documents that share structure."""

from __future__ import annotations

from dataclasses import dataclass, replace

from tonecomb.core.method.document import Document

LIMIT = 500  # edits that can be taken back


@dataclass(frozen=True)
class HistoryStep:
    """A state and the label of the edit that led to it; edits with one ``merge`` key that
    follow each other are one step."""

    label: str
    document: Document
    merge: str | None = None


@dataclass(frozen=True)
class History:
    """Steps done (the last is the present) and steps undone (the first is redone first)."""

    done: tuple[HistoryStep, ...] = (HistoryStep("", Document()),)
    undone: tuple[HistoryStep, ...] = ()

    @property
    def present(self) -> Document:
        return self.done[-1].document

    def apply(self, label: str, document: Document, merge: str | None = None) -> History:
        """The history after an edit. What had been undone is gone."""
        if document == self.present:
            return self
        step = HistoryStep(label, document, merge)
        last = self.done[-1]
        if merge is not None and last.merge == merge and len(self.done) > 1:
            return History((*self.done[:-1], step))
        return History((*self.done, step)[-LIMIT:])

    def amended(self, document: Document) -> History:
        """The same steps, the last of which led to ``document``."""
        return replace(self, done=(*self.done[:-1], replace(self.done[-1], document=document)))

    def sealed(self) -> History:
        """The same, but the next edit is a step of its own."""
        last = self.done[-1]
        return replace(self, done=(*self.done[:-1], replace(last, merge=None)))

    @property
    def undo_label(self) -> str | None:
        """What undo would take back, or None."""
        return self.done[-1].label if len(self.done) > 1 else None

    @property
    def redo_label(self) -> str | None:
        """What redo would bring back, or None."""
        return self.undone[0].label if self.undone else None

    def undo(self) -> History:
        if len(self.done) == 1:
            return self
        return History(self.done[:-1], (self.done[-1], *self.undone)).sealed()

    def redo(self) -> History:
        if not self.undone:
            return self
        return History((*self.done, self.undone[0]), self.undone[1:]).sealed()
