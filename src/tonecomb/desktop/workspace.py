"""What the user does with files: opening, saving, exporting."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QObject, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QGuiApplication, QImage
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from tonecomb.core import document as edits
from tonecomb.core.analysis import Analysis, run
from tonecomb.core.document import Document, Fingerprint, RecordingRef
from tonecomb.core.errors import Cancelled, UserError
from tonecomb.core.method import default_method
from tonecomb.core.progress import Progress, part
from tonecomb.core.recording import Recording, whole
from tonecomb.core.units import unit
from tonecomb.demo import ropeway
from tonecomb.desktop import settings
from tonecomb.desktop.jobs import Jobs
from tonecomb.desktop.messages import Answer, Notices, ask_unsaved
from tonecomb.desktop.results import Results
from tonecomb.desktop.stage.stage import Stage
from tonecomb.desktop.store import Store
from tonecomb.formats import atomic, files, session, tables
from tonecomb.formats.registry import READERS, open_recording

_RATES = (1e-6, 1e9)
Completion = Callable[[Progress], tuple[Recording, Analysis]]


@dataclass(frozen=True)
class _Opened:
    recording: Recording
    fingerprint: Fingerprint


@dataclass(frozen=True)
class _OpenedSession:
    document: Document
    recordings: tuple[Recording, ...]
    told: tuple[str, ...]
    missing: tuple[str, ...]


def _open(path: Path, progress: Progress, recording_id: str | None = None) -> _Opened:
    recording = open_recording(path, progress=part(progress, 0, 0.9), recording_id=recording_id)
    return _Opened(recording, files.fingerprint(path))


def _open_session(path: Path, progress: Progress) -> _OpenedSession:
    """A session with those of its recordings that can be opened; a sentence where one differs."""
    document = session.load(path)
    recordings, told, missing = [], [], []
    count = max(1, len(document.recordings))
    for i, ref in enumerate(document.recordings):
        try:
            share = part(progress, i / count, (i + 1) / count)
            recordings.append(open_recording(ref.path, progress=share, recording_id=ref.id))
            if changed := session.check_source(ref):
                told.append(changed)
        except UserError as error:
            told.append(error.text)
            missing.append(ref.id)
    return _OpenedSession(document, tuple(recordings), tuple(told), tuple(missing))


class Workspace(QObject):
    """``opened`` carries the path of each file that was opened or saved."""

    opened = pyqtSignal(object)

    def __init__(
        self, window: QWidget, store: Store, jobs: Jobs, results: Results, notices: Notices
    ) -> None:
        super().__init__(window)
        self._window, self._store, self._jobs = window, store, jobs
        self._results, self._notices = results, notices
        self.stage: Stage | None = None

    def fail(self, error: Exception) -> None:
        """Tell an expected error; being stopped by the user needs no words."""
        if not isinstance(error, Cancelled):
            self._notices.show_notice(str(error), fault=True)

    # Opening

    def open_dialog(self) -> None:
        """Choose recordings or a session."""
        suffixes = " ".join(f"*{s}" for reader in READERS for s in reader.suffixes)
        chosen, _ = QFileDialog.getOpenFileNames(
            self._window,
            "Open",
            str(self._folder()),
            f"Recordings and sessions ({suffixes} *{session.SUFFIX});;All files (*)",
        )
        self.open_paths([Path(path) for path in chosen])

    def open_paths(self, paths: list[Path]) -> None:
        """Open recordings, or a session."""
        self._notices.clear()
        for path in paths:
            if path.suffix.lower() == session.SUFFIX:
                self.open_session(path)
                return
        for path in paths:
            self._open_recording(path)

    def _open_recording(self, path: Path) -> None:
        def work(progress: Progress) -> _Opened:
            return _open(path, progress)

        self._jobs.submit(f"Opening {path.name}", work, self._take, self.fail)

    def _take(self, opened: _Opened) -> None:
        recording = opened.recording
        given = None
        if recording.sample_rate is None:
            given = self._ask_rate(recording, 1000.0)
            if given is None:
                return
        ref = RecordingRef(
            id=recording.id,
            name=recording.name,
            path=str(Path(recording.path or "").absolute()),
            fingerprint=opened.fingerprint,
            method=default_method(recording),
            given_rate=given,
        )
        self._store.keep(recording)
        label = f"Open {recording.name}"
        document = edits.add_recording(self._store.document, ref)
        self._store.apply(label, document, opening=given is None)
        if recording.path is not None:
            settings.add_recent(recording.path)
            self.opened.emit(recording.path)

    def _ask_rate(self, recording: Recording, suggested: float) -> float | None:
        why = (
            ""
            if recording.sample_rate
            else f"{recording.rate_found[0].upper()}{recording.rate_found[1:]}. "
        )
        rate, ok = QInputDialog.getDouble(
            self._window,
            "Sample rate",
            f"{why}Sample rate of {recording.name} in Hz:",
            suggested,
            *_RATES,
            4,
        )
        return rate if ok else None

    def open_demo(self) -> None:
        """Open the demo recordings, made now if this is the first time."""

        def work(progress: Progress) -> list[_Opened]:
            paths = ropeway.ensure(ropeway.folder(), part(progress, 0, 0.9))
            return [_open(path, part(progress, 0.9, 1.0)) for path in paths]

        def done(opened: list[_Opened]) -> None:
            document = self._store.document
            for one in opened:
                recording = one.recording
                self._store.keep(recording)
                ref = RecordingRef(
                    recording.id, recording.name, str(recording.path), one.fingerprint,
                    default_method(recording),
                )  # fmt: skip
                document = edits.add_recording(document, ref)
            first = opened[0].recording
            # The gearbox shows most of what there is to see.
            document = edits.select(document, first.id, min(1, len(first.channels) - 1))
            self._store.apply("Open the demo", document, opening=True)

        self._notices.clear()
        self._jobs.submit("Making the demo recordings", work, done, self.fail)

    # Sessions

    def open_session(self, path: Path, *, restored: bool = False) -> None:
        """Open a session in place of the present one; ``restored`` for an autosave."""
        if not self.may_discard("another one is opened"):
            return

        def work(progress: Progress) -> _OpenedSession:
            return _open_session(path, progress)

        def done(opened: _OpenedSession) -> None:
            for recording in opened.recordings:
                self._store.keep(recording)
            self._store.reset(opened.document, None if restored else path, saved=not restored)
            if restored:
                path.unlink(missing_ok=True)
            else:
                settings.add_recent(path)
                self.opened.emit(path)
            if opened.told:
                missing = opened.missing
                self._notices.show_notice(
                    " ".join(opened.told),
                    fault=bool(missing),
                    remedy="Find the file" if missing else "",
                    action=(lambda: self.relocate(missing[0])) if missing else None,
                )

        self._jobs.submit(f"Opening {path.name}", work, done, self.fail)

    def relocate(self, recording_id: str) -> None:
        """Choose where the file of a recording is now."""
        ref = self._store.document.get(recording_id)
        if ref is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(
            self._window, f"Where is {Path(ref.path).name}?", str(self._folder())
        )
        if not chosen:
            return

        def work(progress: Progress) -> _Opened:
            return _open(Path(chosen), progress, recording_id)

        def done(opened: _Opened) -> None:
            self._store.keep(opened.recording)
            found = replace(ref, path=chosen, fingerprint=opened.fingerprint)
            self._store.apply(
                f"Find {ref.name}", edits.change_recording(self._store.document, found)
            )

        self._jobs.submit(f"Opening {Path(chosen).name}", work, done, self.fail)

    def save(self) -> bool:
        """Save the session to its file, or ask for one. False when it was not saved."""
        if self._store.path is None:
            return self.save_as()
        return self._save_to(self._store.path)

    def save_as(self) -> bool:
        """Save the session to a file to be chosen."""
        start = self._store.path or self._folder() / f"session{session.SUFFIX}"
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
        try:
            session.save(path, document)
        except UserError as error:
            self.fail(error)
            return False
        self._store.mark_saved(path, document)
        settings.add_recent(path)
        self.opened.emit(path)
        return True

    def may_discard(self, what: str) -> bool:
        """Ask about unsaved work; False when the user would rather stay."""
        if not self._store.worth_asking:
            return True
        answer = ask_unsaved(self._window, what)
        return answer is Answer.DISCARD or (answer is Answer.SAVE and self.save())

    def _folder(self) -> Path:
        ref = self._store.ref
        folder = Path(ref.path).parent if ref is not None else None
        if folder is None or folder == ropeway.folder():
            return Path.home()
        return folder

    # The shelf

    def rename(self, recording_id: str) -> None:
        """Give a recording another name on the shelf; its file keeps its own."""
        ref = self._store.document.get(recording_id)
        if ref is None:
            return
        name, ok = QInputDialog.getText(self._window, "Rename", "Name on the shelf:", text=ref.name)
        if ok and name.strip():
            changed = edits.change_recording(self._store.document, replace(ref, name=name.strip()))
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
            text=ref.given_unit or recording.channels[0].unit,
        )
        if not ok:
            return

        def done(symbol: str) -> None:
            document = self._store.document
            now = document.get(recording_id)  # it may have changed meanwhile
            if now is not None:
                changed = edits.change_recording(document, replace(now, given_unit=symbol))
                self._store.apply("Set unit", changed)

        # In a thread: an unusual unit loads pint, which takes a second.
        self._jobs.submit("Reading the unit", lambda _: unit(text).symbol, done, self.fail)

    def set_rate(self, recording_id: str) -> None:
        """Say at which rate a recording was sampled."""
        ref, recording = self._store.document.get(recording_id), self._store.recording(recording_id)
        if ref is None or recording is None:
            return
        rate = self._ask_rate(recording, recording.sample_rate or 1000.0)
        if rate is None:
            return
        method = replace(ref.method, stretch=None)  # its limits were in the old seconds
        changed = edits.change_recording(
            self._store.document, replace(ref, given_rate=rate, method=method)
        )
        self._store.apply("Set sample rate", changed)

    def remove(self, recording_id: str) -> None:
        """Take a recording off the shelf; undo brings it back."""
        document = self._store.document
        self._store.apply("Remove recording", edits.remove_recording(document, recording_id))

    # Results to take away

    def _completion(self) -> Completion | None:
        """How a thread gets at the current analysis with its peaks: the one on the stage, or
        one run there if that is not ready. None, and a notice, when nothing is open."""
        recording, method, ref = self._store.current, self._store.method, self._store.ref
        if recording is None or method is None or ref is None:
            self.fail(UserError("Nothing is open to export", remedy="open a recording first"))
            return None
        recording, shown = replace(recording, name=ref.name), self._results.analysis
        ready = shown if shown and shown.peaks is not None and shown.method == method else None

        def complete(progress: Progress) -> tuple[Recording, Analysis]:
            analysis = ready or run(method, recording, progress)
            return recording, replace(analysis, recording_name=recording.name)

        return complete

    def _export(
        self, title: str, name: str, kinds: str, make: Callable[[Path, Progress], bytes]
    ) -> None:
        """Ask for a file, make its content in a thread, write it, and say where it is."""
        ref = self._store.ref
        start = self._folder() / f"{ref.name if ref else 'recording'} {name}"
        chosen, _ = QFileDialog.getSaveFileName(self._window, title, str(start), kinds)
        if not chosen:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(Path(name).suffix)

        def work(progress: Progress) -> None:
            atomic.write_bytes(path, make(path, progress))

        def done(_: None) -> None:
            url = QUrl.fromLocalFile(str(path))
            self._notices.show_notice(
                f"Saved {path}.", remedy="Open it", action=lambda: QDesktopServices.openUrl(url)
            )

        self._jobs.submit(f"Writing {path.name}", work, done, self.fail)

    def export_report(self) -> None:
        """Save the report as one HTML file."""
        complete = self._completion()
        if complete is None or self.stage is None:
            return
        view = self.stage.spectrum.figure_view()

        def make(_: Path, progress: Progress) -> bytes:
            from tonecomb.formats.report.html import report

            recording, analysis = complete(part(progress, 0, 0.5))
            return report(recording, analysis, view, part(progress, 0.5, 1)).encode()

        self._export("Save report", "report.html", "Report (*.html)", make)

    def export_spectrum(self) -> None:
        """Save the spectrum as CSV."""
        self._export_table("Export spectrum", "spectrum.csv", tables.spectrum_csv)

    def export_peaks(self) -> None:
        """Save the peaks as CSV."""
        self._export_table("Export peaks", "peaks.csv", tables.peaks_csv)

    def _export_table(self, title: str, name: str, table: Callable[[Analysis], str]) -> None:
        complete = self._completion()
        if complete is not None:
            self._export(title, name, "CSV (*.csv)", lambda _, p: table(complete(p)[1]).encode())

    def _picture(self) -> Callable[[str, Progress], bytes] | None:
        """How to draw what the stage shows now."""
        complete, stage = self._completion(), self.stage
        if complete is None or stage is None:
            return None
        view, envelope = stage.spectrum.figure_view(), stage.waveform.envelope()
        if stage.waveform.isHidden():
            envelope = None

        def draw(kind: str, progress: Progress) -> bytes:
            from tonecomb.formats.report import figures

            recording, analysis = complete(progress)
            stretch = analysis.method.stretch or whole(recording)
            return figures.picture(analysis, view, envelope, (stretch.start, stretch.end), kind)

        return draw

    def export_picture(self) -> None:
        """Save what the stage shows, with the method's sentence, as PNG or SVG."""
        draw = self._picture()
        if draw is None:
            return

        def make(path: Path, progress: Progress) -> bytes:
            return draw("svg" if path.suffix.lower() == ".svg" else "png", progress)

        kinds = "PNG picture (*.png);;SVG drawing (*.svg)"
        self._export("Export picture", "spectrum.png", kinds, make)

    def copy_picture(self) -> None:
        """Put what the stage shows on the clipboard."""
        draw = self._picture()
        if draw is None:
            return

        def done(png: bytes) -> None:
            clipboard = QGuiApplication.clipboard()
            if clipboard is not None:
                clipboard.setImage(QImage.fromData(png, "PNG"))
                self._notices.show_notice("The picture is on the clipboard.")

        self._jobs.submit("Drawing the picture", lambda p: draw("png", p), done, self.fail)

    def copy_numbers(self) -> None:
        """Put the spectrum on the clipboard as text."""
        complete = self._completion()
        if complete is None:
            return

        def done(text: str) -> None:
            clipboard = QGuiApplication.clipboard()
            if clipboard is not None:
                clipboard.setText(text)
                self._notices.show_notice("The spectrum's numbers are on the clipboard.")

        def work(progress: Progress) -> str:
            return tables.spectrum_text(complete(progress)[1])

        self._jobs.submit("Copying", work, done, self.fail)
