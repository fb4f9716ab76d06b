"""Putting files on the shelf: understanding them, asking where something had to be guessed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part
from tonecomb.core.method import document as edits
from tonecomb.core.method.document import Fingerprint, RecordingRef
from tonecomb.core.method.given import NOTHING_GIVEN, Given
from tonecomb.core.method.method import default_method, in_units
from tonecomb.core.record.recording import Recording
from tonecomb.core.synthesis.made import Made
from tonecomb.demo import ropeway
from tonecomb.desktop.dialogs.importing import Asked, ImportDialog
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.state.systems import system_of
from tonecomb.formats import files, remembered
from tonecomb.formats.assemble import Understood
from tonecomb.formats.registry import READERS, description, identified, understand, understand_anew
from tonecomb.formats.report import sealed
from tonecomb.formats.session import session


@dataclass(frozen=True)
class Opened:
    """A file that was understood, with what was said about it; ``recalled`` where that was said
    about an earlier file of its shape."""

    understood: Understood
    fingerprint: Fingerprint
    given: Given = NOTHING_GIVEN
    recalled: bool = False

    @property
    def shape(self) -> str:
        return remembered.shape(self.understood.contents)

    @property
    def recording(self) -> Recording:
        return self.understood.recording


def open_file(
    path: Path, given: Given, progress: Progress, recording_id: str | None = None
) -> Opened:
    """Understand a file. Rate and unit are left to the document."""
    understood = understand(path, replace(given, rate=None, unit=None), progress)
    named = replace(understood, recording=identified(understood.recording, recording_id))
    return Opened(named, files.fingerprint(path), given)


def _open_as_before(path: Path, progress: Progress) -> Opened:
    """Understand a file as files of its shape were understood last."""
    opened = open_file(path, NOTHING_GIVEN, part(progress, 0, 0.8))
    given = remembered.recall(settings.imports_file(), opened.shape)
    if given is None or not opened.understood.guesses:
        return opened
    try:
        return replace(read_anew(opened, given, part(progress, 0.8, 1)), recalled=True)
    except UserError:
        return opened  # what was said does not fit this one: ask


def read_anew(opened: Opened, given: Given, progress: Progress) -> Opened:
    """The same file with something else said about it."""
    bare = replace(given, rate=None, unit=None)
    understood = understand_anew(opened.understood, bare, progress)
    recording = identified(understood.recording, opened.recording.id)
    return replace(opened, understood=replace(understood, recording=recording), given=given)


def _counted_otherwise(before: Given, now: Given) -> bool:
    """Whether times in the recording mean something else than before."""
    same = replace(before.how, missing=now.how.missing) == now.how
    return not same or before.rate != now.rate or "cut" in (before.how.missing, now.how.missing)


class Opening(QObject):
    """``opened`` carries the path of each file put on the shelf; ``session_chosen`` that of a
    session among the files to open, ``folder_chosen`` that of a folder. ``dialog`` is the import
    preview while it is up."""

    opened = pyqtSignal(object)
    session_chosen = pyqtSignal(object)
    folder_chosen = pyqtSignal(object)

    def __init__(self, context: Context, theme: Callable[[], Theme]) -> None:
        super().__init__(context.window)
        self._window, self._store, self._jobs = context.window, context.store, context.jobs
        self._notices, self._theme, self._making = context.notices, theme, context.making
        self._asking: list[list[Opened]] = []  # files of one shape each, still to be asked about
        self.dialog: ImportDialog | None = None

    def open_dialog(self) -> None:
        """Choose recordings or a session."""
        known = [suffix for reader in READERS for suffix in reader.suffixes]
        known += [session.SUFFIX, *sealed.SUFFIXES]
        suffixes = " ".join(dict.fromkeys(f"*{suffix}" for suffix in known))
        chosen, _ = QFileDialog.getOpenFileNames(
            self._window,
            "Open",
            str(settings.folder_of(self._store.ref)),
            f"Recordings, sessions and reports ({suffixes});;All files (*)",
        )
        self.open_paths([Path(path) for path in chosen])

    def open_paths(self, paths: list[Path]) -> None:
        """Open recordings, or a session."""
        self._notices.clear()
        for path in paths:
            if path.is_dir():
                self.folder_chosen.emit(path)
                return
            if path.suffix.lower() in (session.SUFFIX, *sealed.SUFFIXES):
                self.session_chosen.emit(path)
                return
        if not paths:
            return

        def work(progress: Progress) -> tuple[list[Opened | Made], list[str]]:
            opened, failed = list[Opened | Made](), []
            for i, path in enumerate(paths):
                try:
                    share = part(progress, i / len(paths), (i + 1) / len(paths))
                    opened.append(description(path) or _open_as_before(path, share))
                except UserError as error:
                    failed.append(error.text)
            return opened, failed

        what = paths[0].name if len(paths) == 1 else f"{len(paths)} files"
        self._jobs.submit(f"Opening {what}", work, self._sort, self._notices.tell)

    def _sort(self, result: tuple[list[Opened | Made], list[str]]) -> None:
        """Put on the shelf what is clear and ask about the rest, shape by shape."""
        several, failed = result
        openeds = [one for one in several if isinstance(one, Opened)]
        for one in several:
            if isinstance(one, Made):
                self._making.begin(one)
        clear = [one for one in openeds if one.recalled or not one.understood.guesses]
        if failed:
            self._notices.show_notice(" ".join(failed), fault=True)
        self._shelve(clear)
        recalled = [one for one in clear if one.recalled]
        if recalled and not failed:
            which = recalled[0].recording.name if len(recalled) == 1 else f"{len(recalled)} files"
            last = recalled[-1].recording.id
            self._notices.show_notice(
                f"{which} was read like the last file of this shape."
                if len(recalled) == 1
                else f"{which} were read like the last ones of their shape.",
                remedy="Look at it",
                action=lambda: self.ask_again(last),
            )
        shapes: dict[str, list[Opened]] = {}
        for one in openeds:
            if one not in clear:
                shapes.setdefault(one.shape, []).append(one)
        self._asking += shapes.values()
        self._ask_next()

    def _ask_next(self) -> None:
        if self.dialog is not None or not self._asking:
            return
        group = self._asking.pop(0)

        def accepted(given: Given) -> None:
            self._read_all(group, given)

        self._show(group[0], len(group) - 1, accepted, "Put on the shelf")

    def stop_asking(self) -> None:
        """Leave everything that is still to be asked about."""
        self._asking.clear()
        if self.dialog is not None:
            self.dialog.reject()

    def _show(
        self, opened: Opened, others: int, accepted: Callable[[Given], None], go: str
    ) -> None:
        asked = Asked(opened.understood, opened.given, others, go)
        dialog = ImportDialog(self._window, self._jobs, asked, self._theme())
        self.dialog = dialog

        def finished(result: int) -> None:
            self.dialog = None
            if result:
                if dialog.keeps:
                    self._remember(opened, dialog.given)
                accepted(dialog.given)
            dialog.deleteLater()
            self._ask_next()

        dialog.finished.connect(finished)
        dialog.open()

    def _remember(self, opened: Opened, given: Given) -> None:
        # Which piece was kept, and what its sensors were, is of this file alone.
        general = replace(given, how=replace(given.how, piece=None), channels=())
        try:
            remembered.remember(settings.imports_file(), opened.shape, general)
        except UserError as error:
            self._notices.tell(error)

    def _read_all(self, group: list[Opened], given: Given) -> None:
        """Read the files of a group as agreed for the first of them."""

        def work(progress: Progress) -> list[Opened]:
            return [
                read_anew(one, given, part(progress, i / len(group), (i + 1) / len(group)))
                for i, one in enumerate(group)
            ]

        self._jobs.submit("Reading as agreed", work, self._shelve, self._notices.tell)

    def _shelve(self, found: list[Opened]) -> None:
        system = system_of(self._store.document)
        for one in found:
            recording, path = one.recording, Path(one.recording.path or "").absolute()
            self._store.keep(one.understood, one.given.how)
            shown = one.given.rate and replace(recording, sample_rate=one.given.rate)
            ref = RecordingRef(
                id=recording.id,
                name=recording.name,
                path=str(path),
                fingerprint=one.fingerprint,
                method=in_units(default_method(shown or recording), system),
                given=one.given,
            )
            document = edits.add_recording(self._store.document, ref)
            opening = one.given == NOTHING_GIVEN or one.recalled
            self._store.apply(f"Open {recording.name}", document, opening=opening)
            settings.add_recent(path)
            self.opened.emit(path)

    def ask_again(self, recording_id: str) -> None:
        """Show how a recording on the shelf was read, to change it."""
        ref, understood = (
            self._store.document.get(recording_id),
            self._store.understood(recording_id),
        )
        if ref is None or understood is None or self.dialog is not None:
            return
        opened = Opened(understood, ref.fingerprint, ref.given)

        def accepted(given: Given) -> None:
            if given != ref.given:
                self.change(recording_id, given, "Read anew")

        self._show(opened, 0, accepted, "Read it so")

    def change(self, recording_id: str, given: Given, label: str) -> None:
        """Say something else about a recording's file, and read it so."""
        ref, understood = (
            self._store.document.get(recording_id),
            self._store.understood(recording_id),
        )
        if ref is None or understood is None:
            return

        def work(progress: Progress) -> Opened:
            return read_anew(Opened(understood, ref.fingerprint, ref.given), given, progress)

        def done(opened: Opened) -> None:
            now = self._store.document.get(recording_id)
            if now is None:
                return
            self._store.keep(opened.understood, given.how)
            count = len(opened.recording.channels) + edits.added(now.method.source.steps)
            channel = min(now.method.source.channel, count - 1)
            method = now.method.having(channel=channel)
            if _counted_otherwise(now.given, given):
                method = method.having(stretch=None)  # its limits were in other seconds
            changed = replace(now, given=given, method=method)
            self._store.apply(label, edits.change_recording(self._store.document, changed))

        self._jobs.submit(f"Reading {ref.name}", work, done, self._notices.tell)

    def replace_file(self, recording_id: str) -> None:
        """Choose another file behind a recording, or where its file is now."""
        ref = self._store.document.get(recording_id)
        if ref is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(
            self._window,
            f"Which file stands behind {ref.name}?",
            str(settings.folder_of(self._store.ref)),
        )
        if not chosen:
            return

        def work(progress: Progress) -> Opened:
            return open_file(Path(chosen), ref.given, progress, recording_id)

        def done(opened: Opened) -> None:
            self._store.keep(opened.understood, ref.given.how)
            recording_ref = replace(ref, path=chosen, fingerprint=opened.fingerprint)
            self._store.apply(
                f"Replace file of {ref.name}",
                edits.change_recording(self._store.document, recording_ref),
            )

        self._jobs.submit(f"Opening {Path(chosen).name}", work, done, self._notices.tell)

    def read_file_anew(self, recording_id: str) -> None:
        """Read a recording's file again, as it is now."""
        ref = self._store.document.get(recording_id)
        if ref is None or not ref.path:
            return

        def work(progress: Progress) -> Opened:
            return open_file(Path(ref.path), ref.given, progress, ref.id)

        def done(opened: Opened) -> None:
            now = self._store.document.get(recording_id)
            if now is not None:
                recording_ref = replace(now, fingerprint=opened.fingerprint)
                changed = edits.change_recording(self._store.document, recording_ref)
                self._store.apply("Read the file anew", changed)
            self._store.keep(opened.understood, ref.given.how)

        self._jobs.submit(f"Reading {ref.name}", work, done, self._notices.tell)

    def open_demo(self) -> None:
        """Open the demo recordings, made now if this is the first time."""

        def work(progress: Progress) -> list[Opened]:
            paths = ropeway.ensure(ropeway.folder(), part(progress, 0, 0.8))
            return [
                open_file(path, NOTHING_GIVEN, part(progress, 0.8 + i / 30, 0.83 + i / 30))
                for i, path in enumerate(paths)
            ]

        def done(opened: list[Opened]) -> None:
            document = self._store.document
            system = system_of(document)
            for one in opened:
                self._store.keep(one.understood, NOTHING_GIVEN.how)
                recording = one.recording
                ref = RecordingRef(
                    recording.id,
                    recording.name,
                    str(recording.path),
                    one.fingerprint,
                    in_units(default_method(recording), system),
                )
                document = edits.add_recording(document, ref)
            first = opened[0].recording
            # The gearbox shows most of what there is to see.
            document = edits.select(document, first.id, min(1, len(first.channels) - 1))
            self._store.apply("Open the demo", document, opening=True)

        self._notices.clear()
        self._jobs.submit("Making the demo recordings", work, done, self._notices.tell)
