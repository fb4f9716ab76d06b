"""Results and recordings to take away: reports, tables, pictures, files, the clipboard."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QObject, QUrl
from PyQt6.QtGui import QDesktopServices, QGuiApplication, QImage
from PyQt6.QtWidgets import QFileDialog, QWidget

from tonecomb.core.analysis import Analysis, run
from tonecomb.core.changing import run_changing
from tonecomb.core.errors import UserError
from tonecomb.core.estimate.slices import Slices
from tonecomb.core.estimate.trend import run_trend
from tonecomb.core.find.knowledge import knowledge
from tonecomb.core.progress import Progress, part
from tonecomb.core.record.recording import Recording, whole
from tonecomb.desktop.stage.stage import Stage
from tonecomb.desktop.state import settings
from tonecomb.desktop.state.grams import SliceResults
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.store import Store
from tonecomb.formats import atomic, changes, tables
from tonecomb.formats.registry import WRITERS, write_recording

Completion = Callable[[Progress], tuple[Recording, Analysis]]


class Exports(QObject):
    """Asks where to, works in a thread, writes atomically, and says where the file is."""

    def __init__(
        self,
        window: QWidget,
        store: Store,
        jobs: Jobs,
        results: Results,
        slices: SliceResults,
        notices: Notices,
        stage: Stage,
    ) -> None:
        super().__init__(window)
        self._window, self._store, self._jobs = window, store, jobs
        self._results, self._slices = results, slices
        self._notices, self._stage = notices, stage

    def _completion(self) -> Completion | None:
        """How a thread gets at the current analysis with its peaks: the one on the stage, or
        one run there if that is not ready. None, and a notice, when nothing is open."""
        recording, method, ref = self._store.current, self._store.method, self._store.ref
        if recording is None or method is None or ref is None:
            self._notices.tell(
                UserError("Nothing is open to export", remedy="open a recording first")
            )
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
        start = settings.folder_of(self._store.ref) / f"{ref.name if ref else 'recording'} {name}"
        chosen, _ = QFileDialog.getSaveFileName(self._window, title, str(start), kinds)
        if not chosen:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(Path(name).suffix)

        def work(progress: Progress) -> None:
            atomic.write_bytes(path, make(path, progress))

        self._jobs.submit(
            f"Writing {path.name}", work, lambda _: self._saved(path), self._notices.tell
        )

    def export_report(self) -> None:
        """Save the report as one HTML file."""
        complete = self._completion()
        if complete is None:
            return
        view = self._stage.spectrum.figure_view()
        said = knowledge(self._store.ref)
        slices: Slices | None = self._slices.shown

        def make(_: Path, progress: Progress) -> bytes:
            from tonecomb.formats.report.html import report

            recording, analysis = complete(part(progress, 0, 0.4))
            changing = run_changing(analysis.method, recording, progress=part(progress, 0.4, 0.6))
            if slices is not None and _of_this(slices, analysis):
                changing = replace(changing, slices=slices)
            told = part(progress, 0.6, 1)
            return report(recording, analysis, view, told, said=said, changing=changing).encode()

        self._export("Save report", "report.html", "Report (*.html)", make)

    def export_current(self) -> None:
        """Save the recording being analysed in another format."""
        if (ref := self._store.ref) is not None:
            self.export_recording(ref.id)

    def export_recording(self, recording_id: str) -> None:
        """Save a recording as it is read now, all channels, in a format to be chosen."""
        ref, recording = self._store.document.get(recording_id), self._store.recording(recording_id)
        if ref is None or recording is None:
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
            write_recording(path, replace(recording, name=ref.name), progress)

        self._jobs.submit(
            f"Writing {path.name}", work, lambda _: self._saved(path), self._notices.tell
        )

    def _saved(self, path: Path) -> None:
        url = QUrl.fromLocalFile(str(path))
        self._notices.show_notice(
            f"Saved {path}.", remedy="Open it", action=lambda: QDesktopServices.openUrl(url)
        )

    def export_spectrum(self) -> None:
        """Save the spectrum as CSV."""
        self._export_table("Export spectrum", "spectrum.csv", tables.spectrum_csv)

    def export_readings(self, page: str) -> None:
        """Save the ``peaks``, ``combs``, ``resonances`` or ``bands`` as CSV."""
        said = knowledge(self._store.ref)
        makers: dict[str, Callable[[Analysis], str]] = {
            "peaks": lambda a: tables.peaks_csv(a, said),
            "combs": lambda a: tables.combs_csv(a, said),
            "resonances": tables.resonances_csv,
            "bands": tables.bands_csv,
        }
        self._export_table(f"Export {page}", f"{page}.csv", makers[page])

    def export_trend(self) -> None:
        """Save what changes from frame to frame as CSV."""
        recording, method = self._store.current, self._store.method
        if recording is None or method is None:
            return

        def make(_: Path, progress: Progress) -> bytes:
            return changes.trend_csv(run_trend(method, recording, method.tracks, progress)).encode()

        self._export("Export trend", "trend.csv", "CSV (*.csv)", make)

    def export_orders(self) -> None:
        """Save what the orders of a run-up do over speed as CSV."""
        recording, method = self._store.current, self._store.method
        if recording is None or method is None:
            return
        if method.shaft is None:
            self._notices.tell(UserError("No shaft is named", remedy="choose one with Shift+F"))
            return

        def make(_: Path, progress: Progress) -> bytes:
            from tonecomb.core.find.run_up import analyse_run_up

            return changes.orders_csv(analyse_run_up(method, recording, progress)).encode()

        self._export("Export orders", "orders.csv", "CSV (*.csv)", make)

    def _export_table(self, title: str, name: str, table: Callable[[Analysis], str]) -> None:
        complete = self._completion()
        if complete is not None:
            self._export(title, name, "CSV (*.csv)", lambda _, p: table(complete(p)[1]).encode())

    def _picture(self) -> Callable[[str, Progress], bytes] | None:
        """How to draw what the stage shows now: what can be drawn anew is, the rest is taken as it
        stands on the screen."""
        complete, stage = self._completion(), self._stage
        if complete is None:
            return None
        from tonecomb.formats.report import figures, figures_in_time

        view, envelope = stage.spectrum.figure_view(), stage.waveform.envelope()
        picture = stage.gram.picture
        gram = picture.gram if stage.gram.isVisible() else None
        sideways = stage.gram.shown is stage.gram.sideways
        look = figures_in_time.GramLook(picture.decibels, picture.ends, picture.colours, sideways)
        trend = stage.trend.trend if stage.trend.isVisible() else None
        run_up = stage.run_up.found if stage.run_up.isVisible() else None
        kind_of_trend = stage.trend.shown.value
        grabbed = [
            (_png(pane), pane.height() / max(pane.width(), 1))
            for pane in (stage.waterfall.view, stage.frame, stage.phase, stage.against)
            if pane.isVisible()
        ]
        shown = (not stage.lanes.isHidden(), not stage.spectrum.isHidden())

        def draw(kind: str, progress: Progress) -> bytes:
            recording, analysis = complete(progress)
            stretch = analysis.method.stretch or whole(recording)
            panels = []
            if shown[0] and envelope is not None:
                span = (stretch.start, stretch.end)
                panels.append(
                    figures.waveform_panel(envelope, analysis.fs, span, analysis.channel.unit)
                )
            if shown[1] or not panels:
                panels.append(figures.spectrum_panel(analysis, view))
            if gram is not None:
                panels.append(figures_in_time.gram_panel(analysis, gram, look))
            if trend is not None:
                panels.append(figures_in_time.trend_panel(trend, kind_of_trend))
            if run_up is not None:
                panels.append(figures_in_time.run_up_panel(run_up, view.decibels))
            panels += [figures.image_panel(png, 10 * share) for png, share in grabbed]
            heading = figures.heading_of(analysis)
            if run_up is not None:
                heading = f"{analysis.recording_name} · {run_up.sentence}"
            return figures.stacked(panels, kind, heading)

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

        self._jobs.submit("Drawing the picture", lambda p: draw("png", p), done, self._notices.tell)

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

        self._jobs.submit("Copying", work, done, self._notices.tell)


def _of_this(slices: Slices, analysis: Analysis) -> bool:
    """Whether slices are of what is analysed now, and not of what was before an edit."""
    now, then = analysis.method, slices.method
    same = (now.stretch, now.window, now.frame) == (then.stretch, then.window, then.frame)
    return same and (slices.recording_id, slices.channel) == (
        analysis.recording_id, analysis.channel
    )  # fmt: skip


def _png(widget: QWidget) -> bytes:
    """A widget as it looks, in twice as many pixels."""
    picture = QImage(2 * widget.size(), QImage.Format.Format_RGB32)
    picture.setDevicePixelRatio(2)
    widget.render(picture)
    kept = QByteArray()
    buffer = QBuffer(kept)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")
    return bytes(kept.data())
