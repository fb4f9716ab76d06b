"""Sessions, and what is said about the recordings on the shelf."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QLockFile, QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part
from tonecomb.core.base.units import unit
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import Document
from tonecomb.core.steps.prepare import prepare
from tonecomb.desktop.acts.opening import Opened, Opening, open_file
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.settings import data_folder
from tonecomb.desktop.state.autosave import generations
from tonecomb.desktop.state.messages import Answer, ask_changed, ask_unsaved
from tonecomb.formats import atomic, files
from tonecomb.formats.assemble import with_given
from tonecomb.formats.session import session


class SessionFile:
    """Held by a lock in the program's own folder, which ends with it however it ends."""

    def __init__(self) -> None:
        self._lock: QLockFile | None = None
        self._path: Path | None = None
        self._mark = ""

    def take(self, path: Path | None, mark: str = "") -> bool:
        """Have this file, and no other; ``mark`` is of what was read of it, else it is as it is
        now. Whether nobody else has it."""
        if self._lock is not None:
            self._lock.unlock()
        self._lock, self._path = None, path
        if path is None:
            return True
        self._mark = mark or _mark(path)
        folder = data_folder() / "open"
        try:
            atomic.make_folder(folder)
        except UserError:  # saving says why
            return True
        name = hashlib.sha256(str(path.resolve()).encode("utf-8", "surrogateescape")).hexdigest()
        self._lock = QLockFile(str(folder / f"{name[:16]}.lock"))
        self._lock.setStaleLockTime(0)
        return self._lock.tryLock(0) or self._lock.error() != QLockFile.LockError.LockFailedError

    def changed(self, path: Path) -> bool:
        """Whether it is the file that is held, and no longer what was read or saved here last."""
        return path == self._path and path.exists() and _mark(path) != self._mark


def _mark(path: Path) -> str:
    with suppress(UserError, OSError):
        return files.mark(path)
    return ""


_RATES = (1e-6, 1e9)
_ELSEWHERE = "{} is open in another window too: you are asked before its work is replaced."


@dataclass(frozen=True)
class _OpenedSession:
    document: Document
    opened: tuple[Opened, ...]
    told: tuple[str, ...]
    missing: tuple[str, ...]
    mark: str = ""
    """Of the file, as it was read."""


def _open_session(path: Path, progress: Progress) -> _OpenedSession:
    """A session with those of its recordings that can be opened; a sentence where one differs."""
    mark = files.mark(path)
    document = session.load(path)
    opened, lines, missing = [], [], []
    count = max(1, len(document.recordings))
    for i, ref in enumerate(document.recordings):
        if ref.given.live:
            lines.append(f"{ref.name} was live: go live with {ref.given.live} again.")
            continue
        if ref.given.made is not None:
            continue
        try:
            share = part(progress, i / count, (i + 1) / count)
            one = open_file(Path(ref.path), ref.given, share, ref.id)
            # Units of derived channels are read here, not when the bench first shows them.
            with suppress(UserError):  # the store tells of it, and shows it as recorded
                prepare(with_given(one.recording, ref.given), ref.method.source.steps)
            opened.append(one)
            if changed := session.check_source(ref):
                lines.append(changed)
        except UserError as error:
            lines.append(error.text)
            missing.append(ref.id)
    return _OpenedSession(document, tuple(opened), tuple(lines), tuple(missing), mark)


class Workspace(QObject):
    """``opened`` carries the path of each session that was opened or saved, ``restored`` that of
    an autosave, which is no longer needed once its work is safe again."""

    opened = pyqtSignal(object)
    restored = pyqtSignal(object)

    def __init__(self, context: Context, opening: Opening) -> None:
        super().__init__(context.window)
        self._window, self._store, self._jobs = context.window, context.store, context.jobs
        self._notices, self._opening = context.notices, opening
        self._file = SessionFile()

    # Sessions

    def open_session(self, path: Path, *, restored: bool = False) -> None:
        """Open a session, or that of a report, in place of the present one; ``restored`` for an
        autosave."""
        if not self.may_discard("another one is opened"):
            return

        def work(progress: Progress) -> _OpenedSession:
            if not restored:
                return _open_session(path, progress)
            damaged: UserError | None = None
            for one in generations(path):
                try:
                    return _open_session(one, progress)
                except UserError as error:
                    damaged = damaged or error
            raise damaged or UserError(f"{path} is gone")

        def done(result: _OpenedSession) -> None:
            for one in result.opened:
                self._store.keep(one.understood, one.given.how)
            # What is saved later does not go into a report.
            own = None if restored or path.suffix.lower() != session.SUFFIX else path
            self._store.reset(result.document, own, saved=not restored)
            alone = self._file.take(own, result.mark)
            if restored:
                self.restored.emit(path)
            else:
                settings.add_recent(path)
                self.opened.emit(path)
            lines = result.told if alone else (_ELSEWHERE.format(path.name), *result.told)
            if lines:
                missing = result.missing
                self._notices.show_notice(
                    " ".join(lines),
                    fault=bool(missing) or not alone,
                    remedy="Find the file" if missing else "",
                    action=(lambda: self._opening.replace_file(missing[0])) if missing else None,
                )

        self._jobs.submit(f"Opening {path.name}", work, done, self._notices.tell)

    def save(self) -> bool:
        """Save the session to its file, or ask for one. False when it was not saved."""
        if self._store.path is None:
            return self.save_as()
        return self._save_to(self._store.path)

    def save_as(self) -> bool:
        """Save the session to a file to be chosen."""
        folder = settings.folder_of(self._store.ref)
        start = self._store.path or folder / f"session{session.SUFFIX}"
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, "Save session", str(start), f"Tone Comb session (*{session.SUFFIX})"
        )
        if not chosen:
            return False
        path = Path(chosen)
        if path.suffix != session.SUFFIX:
            path = path.with_name(path.name + session.SUFFIX)
        return self._save_to(path)

    def _save_to(self, path: Path) -> bool:
        document = self._store.document
        if self._file.changed(path):
            answer = ask_changed(self._window, path.name)
            if answer is not Answer.SAVE:
                return answer is Answer.ELSEWHERE and self.save_as()
        try:
            session.save(path, document)
        except UserError as error:
            self._notices.tell(error)
            return False
        self._store.mark_saved(path, document)
        if not self._file.take(path):
            self._notices.show_notice(_ELSEWHERE.format(path.name), fault=True)
        settings.add_recent(path)
        self.opened.emit(path)
        return True

    def may_discard(self, what: str) -> bool:
        """Ask about unsaved work; False when the user would rather stay."""
        if not self._store.worth_asking:
            return True
        answer = ask_unsaved(self._window, what)
        return answer is Answer.DISCARD or (answer is Answer.SAVE and self.save())

    # The shelf

    def rename(self, recording_id: str) -> None:
        """Give a recording another name on the shelf; its file keeps its own."""
        ref = self._store.document.get(recording_id)
        if ref is None:
            return
        name, ok = QInputDialog.getText(self._window, "Rename", "Name on the shelf:", text=ref.name)
        if ok and name.strip():
            named = replace(ref, name=name.strip())
            if (made := ref.given.made) is not None:
                named = replace(
                    named, given=replace(ref.given, made=replace(made, name=named.name))
                )
            changed = edits.change_recording(self._store.document, named)
            self._store.apply("Rename recording", changed)

    def set_unit(self, recording_id: str) -> None:
        """Say which unit a recording's channels are in."""
        ref, recording = self._store.document.get(recording_id), self._store.recording(recording_id)
        if ref is None or recording is None:
            return
        text, ok = QInputDialog.getText(
            self._window,
            "Unit",
            f"Unit of the channels of {ref.name}, such as m/s², g, mm/s, µm, N, Pa, V:",
            text=ref.given.unit or recording.channels[0].unit,
        )
        if not ok:
            return

        def done(symbol: str) -> None:
            document = self._store.document
            now = document.get(recording_id)  # it may have changed meanwhile
            if now is not None:
                made = now.given.made
                given = replace(now.given, unit=symbol)
                if made is not None:
                    given = replace(now.given, made=replace(made, unit=symbol))
                changed = edits.change_recording(document, replace(now, given=given))
                self._store.apply("Set unit", changed)

        # In a thread: an unusual unit loads pint, which takes a second.
        self._jobs.submit("Reading the unit", lambda _: unit(text).symbol, done, self._notices.tell)

    def set_rate(self, recording_id: str) -> None:
        """Say at which rate a recording was sampled."""
        ref, recording = self._store.document.get(recording_id), self._store.recording(recording_id)
        if ref is None or recording is None:
            return
        rate, ok = QInputDialog.getDouble(
            self._window,
            "Sample rate",
            f"Sample rate of {ref.name} in Hz:",
            recording.sample_rate or 1000.0,
            *_RATES,
            4,
        )
        if not ok:
            return
        method = ref.method.having(stretch=None)  # its limits were in the old seconds
        given = replace(ref.given, rate=rate)
        changed = edits.change_recording(
            self._store.document, replace(ref, given=given, method=method)
        )
        self._store.apply("Set sample rate", changed)

    def move_current(self, by: int) -> None:
        """Move the current recording up or down the shelf."""
        if self._store.ref is not None:
            self.move(self._store.ref.id, by)

    def move(self, recording_id: str, by: int) -> None:
        """Move a recording up or down the shelf."""
        moved = edits.move_recording(self._store.document, recording_id, by)
        self._store.apply("Move recording", moved)

    def remove(self, recording_id: str) -> None:
        """Take a recording off the shelf; undo brings it back."""
        document = self._store.document
        self._store.apply("Remove recording", edits.remove_recording(document, recording_id))
