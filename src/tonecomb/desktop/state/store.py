"""The open document, its history, and the recordings behind it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.finite import not_finite
from tonecomb.core.method.document import Document, RecordingRef, set_method
from tonecomb.core.method.given import Given, Import
from tonecomb.core.method.history import History, HistoryStep
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Channel, Problem, Recording
from tonecomb.core.record.signal import Signal
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step as ChainStep
from tonecomb.formats.assemble import Understood, with_given
from tonecomb.formats.session import limits

_MOST = 500  # descriptions, and signals of them, that are remembered
K = TypeVar("K")
V = TypeVar("V")


def _keep(known: dict[K, V], key: K, value: V) -> None:
    """Remember a value, and let go of those remembered first: a handle that is dragged makes a
    new description at each step."""
    while len(known) >= _MOST:
        del known[next(iter(known))]
    known[key] = value


def _wrong(before: Document, after: Document) -> UserError | None:
    """Why a document could not be saved and read again: it holds what is no number, or more than a
    session may. What stayed as it was is known."""
    known = {id(one) for one in (*before.recordings, *before.held)}
    changed = [one for one in (*after.recordings, *after.held) if id(one) not in known]
    if wrong := next((text for one in changed if (text := not_finite(one))), ""):
        return UserError(f"The {wrong} is no number", remedy="give it a number")
    try:
        limits.check(changed)
        limits.check_lengths(after)
    except ValueError as error:
        return UserError("A session cannot hold that", str(error), "use less of it")
    return None


class Store(QObject):
    """The one place where the document changes. ``changed`` is emitted after every change,
    ``reopened`` (recording id) when a recording's file was opened anew, ``grew`` when more of a
    live recording came and nothing else changed: it is for those only who read samples.
    ``refused`` carries a :class:`UserError` where an edit cannot be."""

    changed = pyqtSignal()
    grew = pyqtSignal()
    refused = pyqtSignal(object)
    reopened = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._history = History()
        self._saved = self._as_opened = self._history.present
        self.library: dict[tuple[str, Import], Understood] = {}
        self._shown: dict[tuple[str, Given], Recording] = {}
        self._signals: dict[tuple[str, Given, tuple[ChainStep, ...]], Signal] = {}
        self._live: dict[str, Recording] = {}
        self._refs: tuple[Document | None, dict[str, RecordingRef]] = (None, {})
        self._prepared: dict[str, tuple[RecordingRef, Signal | None]] = {}
        self.path: Path | None = None

    @property
    def document(self) -> Document:
        return self._history.present

    @property
    def history(self) -> History:
        return self._history

    @property
    def unsaved(self) -> bool:
        """Whether there is work that the session file does not hold."""
        return self.document != self._saved

    @property
    def worth_asking(self) -> bool:
        """Whether closing would lose work: more than files that were opened and looked at."""
        if self.path is not None:
            return self.unsaved
        return bool(self.document.recordings) and self.document != self._as_opened

    def apply(
        self, label: str, document: Document, merge: str | None = None, *, opening: bool = False
    ) -> None:
        """Make ``document`` the present one, as a step that undo calls ``label``; ``opening``
        when all it does is to put files on the shelf. What could not be saved, such as a number
        that is none, is refused, and told."""
        before = self._history
        if wrong := _wrong(self.document, document):
            self.refused.emit(wrong)
            return
        if opening and self.path is None and not self.worth_asking:
            self._as_opened = document
        self._history = before.apply(label, document, merge)
        if self._history is not before:
            self.changed.emit()

    def amend(self, document: Document) -> None:
        """Have ``document`` without a step of its own: what follows by itself is not an edit."""
        if document != self.document and not _wrong(self.document, document):
            self._history = self._history.amended(document)
            self.changed.emit()

    def edit_method(self, label: str, *, merge: str | None = None, **changes: Any) -> None:
        """Change settings of the current method."""
        method = self.method
        if method is not None:
            self.apply(label, set_method(self.document, method.having(**changes)), merge)

    def undo(self) -> None:
        self._history = self._history.undo()
        self.changed.emit()

    def redo(self) -> None:
        self._history = self._history.redo()
        self.changed.emit()

    def reset(self, document: Document, path: Path | None, *, saved: bool) -> None:
        """Start over with a document, with nothing to undo."""
        self._history = History((HistoryStep("", document),))
        self._prepared.clear()
        self._saved = document if saved else Document()
        self._as_opened = Document()
        self.path = path
        self.changed.emit()

    def mark_saved(self, path: Path, document: Document) -> None:
        """``document`` now stands in the session file at ``path``."""
        self._saved, self.path = document, path
        self.changed.emit()

    def keep(self, understood: Understood, how: Import) -> None:
        """Remember an open recording, as its file has it when it is read like ``how``."""
        recording_id = understood.recording.id
        self._prepared.pop(recording_id, None)
        known = (recording_id, how) in self.library
        self.library[recording_id, how] = understood
        self._shown = {
            key: recording for key, recording in self._shown.items() if key[0] != recording_id
        }
        self._signals = {key: s for key, s in self._signals.items() if key[0] != recording_id}
        if known:
            self.reopened.emit(recording_id)

    def show_live(self, recording: Recording, *, growing: bool = False) -> None:
        """What has come of a live recording so far, or the part of it that is looked at;
        ``growing`` where it is as before but for its samples."""
        self._live[recording.id] = recording
        self._signals = {key: s for key, s in self._signals.items() if key[0] != recording.id}
        self._prepared.pop(recording.id, None)
        (self.grew if growing else self.changed).emit()

    def understood(self, recording_id: str | None) -> Understood | None:
        """How the recording's file was understood, None while it is not open."""
        ref = self._ref(recording_id)
        return None if ref is None else self.library.get((ref.id, ref.given.how))

    def own_channels(self, recording_id: str | None) -> tuple[Channel, ...]:
        """The channels of a recording as its file, or its description, has them; none while it is
        not open."""
        ref, understood = self._ref(recording_id), self.understood(recording_id)
        if ref is not None and (ref.given.made is not None or ref.given.live):
            recording = self.recording(recording_id)
            return () if recording is None else recording.channels
        return () if understood is None else understood.recording.channels

    def recording(self, recording_id: str | None) -> Recording | None:
        """The open recording with this id, read, calibrated and named as the document says; None
        while its file is not open."""
        ref = self._ref(recording_id)
        return None if ref is None else self.recording_as(ref.id, ref.given)

    def recording_as(self, recording_id: str, given: Given) -> Recording | None:
        """The same with something else said about its file; as the document says where that was
        never read."""
        if recording_id in self._live:
            return with_given(self._live[recording_id], given)
        if given.made is not None:
            key = (recording_id, given)
            if key not in self._shown:
                recording = with_given(given.made.recording(recording_id), given)
                _keep(self._shown, key, recording)
            return self._shown[key]
        ref = self._ref(recording_id)
        understood = self.library.get((recording_id, given.how))
        if understood is None and ref is not None:
            understood, given = self.library.get((recording_id, ref.given.how)), ref.given
        if understood is None:
            return None
        key = (recording_id, given)
        if key not in self._shown:
            self._shown[key] = with_given(understood.recording, given)
        return self._shown[key]

    def signal(self, recording_id: str | None) -> Signal | None:
        """What is analysed of a recording: its channels after the steps of its method. As it was
        recorded, with a word on why, where its file does not allow them any more."""
        ref = self._ref(recording_id)
        if ref is None:
            return None
        known = self._prepared.get(ref.id)
        if known is None or known[0] is not ref:  # every view asks, after every edit
            known = self._prepared[ref.id] = ref, self._prepare(ref)
        return known[1]

    def _ref(self, recording_id: str | None) -> RecordingRef | None:
        """A recording of the document by its id; of a thousand all are asked for at every edit."""
        if self._refs[0] is not self.document:
            self._refs = self.document, {ref.id: ref for ref in self.document.recordings}
        return None if recording_id is None else self._refs[1].get(recording_id)

    def _prepare(self, ref: RecordingRef) -> Signal | None:
        recording = self.recording(ref.id)
        if recording is None or not recording.sample_rate:
            return None
        key = (ref.id, ref.given, ref.method.source.steps)
        if key not in self._signals:
            try:
                _keep(self._signals, key, prepare(recording, ref.method.source.steps))
            except UserError as error:
                problem = Problem("steps", f"{error.text[:-1]}; it is shown as recorded.")
                plain = prepare(recording, ())
                self._signals[key] = replace(plain, problems=(*plain.problems, problem))
        return self._signals[key]

    def shown(self, recording_id: str | None) -> Signal | Recording | None:
        """What the shelf has of a recording: its signal, or the recording where its sample rate is
        not known."""
        return self.signal(recording_id) or self.recording(recording_id)

    @property
    def ref(self) -> RecordingRef | None:
        """The recording being analysed, as the document has it."""
        return self.document.current_ref

    @property
    def current(self) -> Signal | None:
        """What is being analysed, if its file is open and its sample rate known."""
        return self.signal(self.document.current)

    @property
    def method(self) -> Method | None:
        """The method of the current recording."""
        return None if self.ref is None else self.ref.method
