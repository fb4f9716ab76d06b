"""Results and recordings to take away: reports, tables, pictures, files, the clipboard."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QLocale, QObject, QUrl
from PyQt6.QtGui import QDesktopServices, QGuiApplication, QImage
from PyQt6.QtWidgets import QFileDialog, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part
from tonecomb.core.record.recording import Recording, whole
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import knowledge
from tonecomb.core.results.search import run
from tonecomb.desktop.acts import report_parts
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.stage.stage import Stage
from tonecomb.formats import atomic, functions, readings, tables_as
from tonecomb.formats.columns import Table
from tonecomb.formats.kinds import table as kinds
from tonecomb.formats.kinds.kind import ResultContext as Telling
from tonecomb.formats.kinds.kind import ResultEntry
from tonecomb.formats.registry import WRITERS, write_recording
from tonecomb.formats.report.figures import Panel
from tonecomb.formats.report.folder import PICTURES, UFF
from tonecomb.formats.report.layout import USUAL, Layout

Completion = Callable[[Progress], tuple[Recording, Analysis]]


if TYPE_CHECKING:
    from tonecomb.formats.report.pdf import Paper

_TABLES = ";;".join(f"{name} (*{suffix})" for suffix, (name, _) in tables_as.AS.items())
_SUFFIX = re.compile(r"\*(\.\w+)")  # in the words of a kind of file


class Exports(QObject):
    """Asks where to, works in a thread, writes atomically, and says where the file is."""

    def __init__(self, context: Context, stage: Stage) -> None:
        super().__init__(context.window)
        self._window, self._store, self._jobs = context.window, context.store, context.jobs
        self._results, self._watched = context.results, context.watched
        self._notices, self._stage = context.notices, stage
        self._changes = context.changes
        self.layout: Callable[[], Layout] = lambda: USUAL

    def _named(self) -> tuple[Recording, Signal] | None:
        """What is analysed, under its name on the shelf; None, and a notice, when nothing is
        open."""
        signal, ref = self._store.current, self._store.ref
        if signal is None or ref is None:
            self._notices.tell(
                UserError("Nothing is open to export", remedy="open a recording first")
            )
            return None
        # Under another name it is the same recording: what was worked out of it serves.
        return replace(signal.recording, name=ref.name), signal

    def _completion(self) -> Completion | None:
        """How a thread gets at the current analysis with its peaks: the one on the stage, or
        one run there if that is not ready."""
        named, method = self._named(), self._store.method
        if named is None or method is None:
            return None
        recording, shown = named[0], self._results.of_now()
        ready = shown if shown and shown.method == method else None

        def complete(progress: Progress) -> tuple[Recording, Analysis]:
            analysis = ready or run(method, recording, progress)
            estimate = replace(analysis.estimate, recording_name=recording.name)
            return recording, replace(analysis, estimate=estimate)

        return complete

    def _export(
        self, title: str, name: str, kinds: str, make: Callable[[Path, Progress], bytes]
    ) -> None:
        """Ask for a file, make its content in a thread, write it, and say where it is."""
        ref = self._store.ref
        start = settings.folder_of(self._store.ref) / f"{ref.name if ref else 'recording'} {name}"
        chosen, kind = QFileDialog.getSaveFileName(self._window, title, str(start), kinds)
        if not chosen:
            return
        path = Path(chosen)
        if not path.suffix or path.name == start.name:  # as it was proposed: the kind decides
            path = path.with_suffix((_SUFFIX.findall(kind) or [Path(name).suffix])[0])

        def work(progress: Progress) -> None:
            atomic.write_bytes(path, make(path, progress))

        self._jobs.submit(
            f"Writing {path.name}", work, lambda _: self._saved(path), self._notices.tell
        )

    def export_report(self) -> None:
        """Save the report as one HTML file, or as PDF."""
        write = self._report_writer(self.layout(), report_parts.kept_scope())
        if write is not None:
            kinds = "Report (*.html);;Report as PDF (*.pdf)"
            self._export("Save report", "report.html", kinds, write)

    def make_report(self, layout: Layout, scope: str, done: Callable[[bytes], None]) -> None:
        """Make the report's page by a layout, of what is in a scope, in a thread, and hand it
        on."""
        write = self._report_writer(layout, scope)
        if write is not None:
            place = settings.folder_of(self._store.ref) / "report.html"
            self._jobs.submit(
                "Making the report",
                lambda progress: write(place, progress),
                done,
                self._notices.tell,
            )

    def _report_writer(
        self, layout: Layout, scope: str
    ) -> Callable[[Path, Progress], bytes] | None:
        """What makes the report for a file, in the format that its name ends in."""
        complete = self._completion()
        if complete is None:
            return None
        view = self._stage.spectrum.figure_view()
        said = knowledge(self._store.ref)
        asked = {"slices": self._watched["slices"].wanted}
        before, of = self._changes.before(), report_parts.wanted(self._store, scope)
        american = QLocale.MeasurementSystem.ImperialUSSystem
        paper: Paper = "Letter" if QLocale.system().measurementSystem() == american else "A4"

        def make(path: Path, progress: Progress) -> bytes:
            from tonecomb.formats.report import pdf
            from tonecomb.formats.report.html import report
            from tonecomb.formats.report.part import ReportPart

            recording, analysis = complete(part(progress, 0, 0.4))
            entries = kinds.besides(analysis.method, recording, asked, part(progress, 0.4, 0.6))
            if before is not None:
                entries = [*entries, ResultEntry(kinds.kind("changes"), before)]
            is_pdf = path.suffix.lower() == pdf.SUFFIX
            told = part(progress, 0.6, 0.7 if is_pdf else 1)
            shown = ReportPart(recording, analysis, view, said, tuple(entries))
            every = report_parts.parts(of, shown, part(told, 0, 0.5))
            page = report(every, layout, folder=path.parent, progress=part(told, 0.5, 1))
            return pdf.pdf(page, paper, part(progress, 0.7, 1)) if is_pdf else page.encode()

        return make

    def export_current(self) -> None:
        """Save the recording being analysed in another format."""
        if (ref := self._store.ref) is not None:
            self.export_recording(ref.id)

    def export_recording(self, recording_id: str) -> None:
        """Save a recording as it is read now, all channels, in a format to be chosen."""
        ref, signal = self._store.document.get(recording_id), self._store.signal(recording_id)
        if ref is None or signal is None:
            self._notices.tell(
                UserError("The recording's file is not open", remedy="find it first")
            )
            return
        kinds = ";;".join(f"{writer.name} (*{writer.suffix})" for writer in WRITERS)
        start = settings.folder_of(ref) / f"{ref.name}.h5"
        chosen, kind = QFileDialog.getSaveFileName(
            self._window, "Export recording", str(start), kinds, WRITERS[2].name
        )
        if not chosen:
            return
        suffix = next((w.suffix for w in WRITERS if kind.startswith(w.name)), ".h5")
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(suffix)

        def work(progress: Progress) -> None:
            write_recording(path, replace(signal.as_recording(), name=ref.name), progress)

        self._jobs.submit(
            f"Writing {path.name}", work, lambda _: self._saved(path), self._notices.tell
        )

    def _saved(self, path: Path) -> None:
        url = QUrl.fromLocalFile(str(path))
        self._notices.show_notice(
            f"Saved {path}.", remedy="Open it", action=lambda: QDesktopServices.openUrl(url)
        )

    def export_spectrum(self) -> None:
        """Save the spectrum as a table, or as UFF."""
        complete = self._completion()
        if complete is None:
            return

        def make(path: Path, progress: Progress) -> bytes:
            analysis = complete(progress)[1]
            if path.suffix.lower() == UFF:
                return functions.spectrum_as_uff(analysis)
            return tables_as.written([readings.spectrum(analysis)], path.suffix)

        self._export("Export spectrum", "spectrum.csv", f"{_TABLES};;UFF 58 (*{UFF})", make)

    def export_tables(self) -> None:
        """Save all tables in one file, and all else that was computed."""
        complete, method = self._completion(), self._store.method
        if complete is None or method is None:
            return
        said, asked = knowledge(self._store.ref), {"slices": self._watched["slices"].wanted}

        def make(path: Path, progress: Progress) -> bytes:
            recording, analysis = complete(part(progress, 0, 0.5))
            entries = kinds.besides(method, recording, asked, part(progress, 0.5, 1))
            telling = Telling(analysis, said=said)
            tables = [
                table
                for one in (ResultEntry(kinds.SPECTRUM, analysis), *entries)
                for table in one.kind.tables(one.result, telling)
            ]
            return tables_as.written(tables, path.suffix)

        several = ";;".join(
            f"{name} (*{suffix})" for suffix, (name, _) in tables_as.AS.items() if suffix != ".csv"
        )
        self._export("Export all tables", "tables.xlsx", several, make)

    def export_readings(self, page: str) -> None:
        """Save what a page of the readings shows, or the ``levels``, as a table."""
        said = knowledge(self._store.ref)
        makers: dict[str, Callable[[Analysis], Table[Any]]] = {
            "peaks": lambda a: readings.peaks(a, said),
            "combs": lambda a: readings.combs(a, said.families(a)),
            "resonances": readings.resonances,
            "levels": readings.levels,
            "truth": readings.truth,
        }
        if page == "modes":
            self.export_kind("transfer", "modes")
        elif page in makers:
            self._export_table(page, makers[page])
        else:
            self._notices.tell(
                UserError(f"There is no table of {page} to export", remedy="copy them with Ctrl+C")
            )

    def export_kind(self, key: str, wanted: str = "") -> None:
        """Save the table of another kind of result: the ``wanted`` one, the first where it
        has none of that name."""
        named, method, complete = self._named(), self._store.method, self._completion()
        kind, asked = kinds.kind(key), self._watched[key].wanted
        if named is None or method is None or complete is None:
            return
        if not kind.possible(method, asked):
            what, remedy = kind.lacks
            self._notices.tell(UserError(what, remedy=remedy))
            return

        def make(path: Path, progress: Progress) -> bytes:
            recording, analysis = complete(part(progress, 0, 0.5))
            result = kind.run(method, recording, asked, part(progress, 0.5, 1))
            tables = kind.tables(result, Telling(analysis, said=knowledge(self._store.ref)))
            chosen = next((one for one in tables if one.name == wanted), tables[0])
            return tables_as.written([chosen], path.suffix)

        name = wanted or {"run-up": "orders"}.get(key, key)
        self._export(f"Export {name}", f"{name}.csv", _TABLES, make)

    def _export_table(self, name: str, table: Callable[[Analysis], Table[Any]]) -> None:
        complete = self._completion()
        if complete is not None:
            self._export(
                f"Export {name}",
                f"{name}.csv",
                _TABLES,
                lambda path, progress: tables_as.written(
                    [table(complete(progress)[1])], path.suffix
                ),
            )

    def _picture(self) -> Callable[[str, Progress], bytes] | None:
        """How to draw what the stage shows now: what can be drawn anew is, the rest is taken as it
        stands on the screen."""
        complete, stage, signal = self._completion(), self._stage, self._store.current
        if complete is None:
            return None
        from tonecomb.formats.report import figures

        view, envelope = stage.spectrum.figure_view(), stage.waveform.envelope
        shown = [pane for pane in stage.panes.values() if pane.isVisible()]
        analysis_now = self._results.analysis
        panes = (
            []
            if analysis_now is None
            else [pane.panel(analysis_now) or _as_it_stands(pane.as_drawn) for pane in shown]
        )
        sentence = next((pane.sentence for pane in shown if pane.sentence), "")
        both = (not stage.lanes.isHidden(), not stage.spectra.isHidden())

        def draw(kind: str, progress: Progress) -> bytes:
            _, analysis = complete(progress)
            stretch = analysis.method.source.stretch
            panels = []
            if both[0] and envelope is not None and signal is not None:
                span = stretch or whole(signal)
                panels.append(
                    figures.waveform_panel(
                        envelope, analysis.fs, (span.start, span.end), analysis.channel.unit
                    )
                )
            if both[1] or not panels:
                panels.append(figures.spectrum_panel(analysis, view))
            panels += [make() for make in panes]
            heading = f"{analysis.recording_name} · {sentence or analysis.sentence}"
            return figures.stacked(panels, kind, heading)

        return draw

    def export_picture(self) -> None:
        """Save what the stage shows, with the method's sentence, as PNG, SVG or PDF."""
        draw = self._picture()
        if draw is None:
            return

        def make(path: Path, progress: Progress) -> bytes:
            kind = path.suffix.lower().removeprefix(".")
            return draw(kind if kind in PICTURES else "png", progress)

        kinds = "PNG picture (*.png);;SVG drawing (*.svg);;PDF drawing (*.pdf)"
        self._export("Export picture", "spectrum.png", kinds, make)

    def copy_picture(self) -> None:
        """Put what the stage shows on the clipboard."""
        draw = self._picture()
        if draw is None:
            return

        def work(progress: Progress) -> QImage:
            return QImage.fromData(draw("png", progress), "PNG")

        def done(picture: QImage) -> None:
            clipboard = QGuiApplication.clipboard()
            if clipboard is not None:
                clipboard.setImage(picture)
                self._notices.show_notice("The picture is on the clipboard.")

        self._jobs.submit("Drawing the picture", work, done, self._notices.tell)

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
            return readings.spectrum(complete(progress)[1]).tabbed()

        self._jobs.submit("Copying", work, done, self._notices.tell)


def _as_it_stands(widget: QWidget) -> Callable[[], Panel]:
    """A view that is taken as it is on the screen now."""
    from tonecomb.formats.report.figures import image_panel

    share = widget.height() / max(widget.width(), 1)
    picture = QImage(2 * widget.size(), QImage.Format.Format_RGB32)
    picture.setDevicePixelRatio(2)
    widget.render(picture)
    # Packing takes ten times as long as drawing, and is the worker's.
    return lambda: image_panel(packed(picture), 10 * share)


def packed(picture: QImage) -> bytes:
    """A picture as PNG."""
    kept = QByteArray()
    buffer = QBuffer(kept)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")
    return bytes(kept.data())
