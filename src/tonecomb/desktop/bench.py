"""The main window: its regions put together, and what does not belong to one of them."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu, QMessageBox, QSplitter, QVBoxLayout, QWidget

from tonecomb import __version__
from tonecomb.core import document as edits
from tonecomb.core.analysis import Analysis
from tonecomb.core.errors import UserError
from tonecomb.core.estimate.spectrum import HOLES
from tonecomb.core.find.peaks import Peak
from tonecomb.core.record.statistics import StretchFigures, sample_problem
from tonecomb.core.say.cautions import Caution, short_stretch
from tonecomb.desktop.actions import ACTIONS, MENUS, Action
from tonecomb.desktop.acts.channels import Channels
from tonecomb.desktop.acts.exports import Exports
from tonecomb.desktop.acts.finding import Finding
from tonecomb.desktop.acts.going import Going
from tonecomb.desktop.acts.method_actions import MethodActions
from tonecomb.desktop.acts.opening import Opening
from tonecomb.desktop.acts.presets import Presets
from tonecomb.desktop.acts.workspace import Workspace
from tonecomb.desktop.dialogs.finder import Finder
from tonecomb.desktop.dialogs.keys import GUIDE, Page, keys_html
from tonecomb.desktop.edits.combs import Combs
from tonecomb.desktop.edits.fits import Fits
from tonecomb.desktop.edits.held import HeldTraces
from tonecomb.desktop.edits.marks import Marks
from tonecomb.desktop.edits.peak_notes import PeakNotes
from tonecomb.desktop.kit.theme import NIGHT, PAPER, Theme, current_theme, style_sheet
from tonecomb.desktop.method_line.line import MethodLine
from tonecomb.desktop.method_line.window_picker import current_pair
from tonecomb.desktop.readings.readings import Readings
from tonecomb.desktop.ruler.ruler import Ruler
from tonecomb.desktop.shelf.shelf import Shelf
from tonecomb.desktop.stage.stage import Stage
from tonecomb.desktop.state import settings
from tonecomb.desktop.state.autosave import Autosave, left_behind
from tonecomb.desktop.state.grams import Grams, Ranges, RunUps, SliceResults, Trends
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.messages import Notices
from tonecomb.desktop.state.moments import Moments, Player
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.store import Store
from tonecomb.desktop.state.waveform_facts import WaveformFacts

_COLUMNS = (180, 820, 248)  # shelf, stage and readings at 1280 pixels


class Bench(QMainWindow):
    """Assembles the regions; each follows the store by itself."""

    # Declared here for the table of actions, which knows the bench by its type only.
    jobs: Jobs
    store: Store
    results: Results
    opening: Opening
    workspace: Workspace
    channels: Channels
    held: HeldTraces
    grams: Grams
    trends: Trends
    slices: SliceResults
    run_ups: RunUps
    ranges: Ranges
    moments: Moments
    player: Player
    going: Going
    finding: Finding
    facts: WaveformFacts
    marks: Marks
    combs: Combs
    notes: PeakNotes
    fits: Fits
    exports: Exports
    presets: Presets
    method: MethodActions
    method_line: MethodLine
    stage: Stage
    shelf: Shelf
    readings: Readings
    theme: Theme

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Tone Comb")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.jobs = Jobs(self)
        self.store = Store(self)
        self.results = Results(self.store, self.jobs)
        self.facts = WaveformFacts(self.store, self.jobs, self.results)
        self.marks = Marks(self, self.store)
        self.notices = Notices()
        self.opening = Opening(self, self.store, self.jobs, self.notices, lambda: self.theme)
        self.workspace = Workspace(self, self.store, self.jobs, self.notices, self.opening)
        self.autosave = Autosave(self.store, self.jobs)
        self.method_line = MethodLine(self.store)
        self.held = HeldTraces(self, self.store, self.jobs, self.results, self.notices)
        self.grams = Grams(self.store, self.jobs)
        self.trends = Trends(self.store, self.jobs)
        self.slices = SliceResults(self.store, self.jobs)
        self.run_ups = RunUps(self.store, self.jobs)
        self.ranges = Ranges(self.store, self.jobs)
        self.moments = Moments(self.store, self.jobs, self.slices)
        self.player = Player(self, self.moments)
        self.stage = Stage(
            self.store, self.results, self.facts, self.held, self.grams, self.trends,
            self.slices, self.run_ups, self.moments, self.player, self.jobs,
            self.opening.open_dialog, self.opening.open_demo,
        )  # fmt: skip
        self.shelf = Shelf(self.store, self.results, self.held)
        self.combs = Combs(self, self.store, self.results, self.notices)
        self.notes = PeakNotes(self, self.store, self.results, self.notices)
        self.fits = Fits(self, self.store)
        self.stage.spectrum.marks.note_of = self.notes.of
        self.readings = Readings(self.store, self.combs, self.notes, self.fits)
        self.ruler = Ruler(self.store)
        self.channels = Channels(self, self.store, self.jobs, self.notices)
        self.exports = Exports(
            self, self.store, self.jobs, self.results, self.slices, self.notices, self.stage
        )
        self.presets = Presets(self, self.store, self.notices)
        self.method = MethodActions(
            self, self.store, self.presets, self.held, self.method_line, self.stage, self.readings
        )
        self.going = Going(
            self, self.store, self.jobs, self.moments, self.stage, self.readings, self.notices
        )
        self.finding = Finding(
            self, self.store, self.results, self.stage, self.readings, self.combs, self.notes,
            self.fits, self.notices,
        )  # fmt: skip
        self._cautions: tuple[Caution, ...] = ()
        self._assemble()
        self._actions = self._make_menus()
        self._connect()
        self.theme = current_theme()
        self.apply_theme()
        self._restore_layout()
        self._follow()

    def _assemble(self) -> None:
        centre = QWidget()
        centre.setObjectName("bench")
        column = QVBoxLayout(centre)
        column.setContentsMargins(8, 0, 8, 8)
        column.setSpacing(8)
        column.addWidget(self.method_line)
        column.addWidget(self.notices)
        self.columns = QSplitter(Qt.Orientation.Horizontal)
        self.columns.setHandleWidth(8)
        self.columns.setChildrenCollapsible(False)
        for widget, least in ((self.shelf, 150), (self.stage, 420), (self.readings, 230)):
            widget.setMinimumWidth(least)
            self.columns.addWidget(widget)
        self.columns.setStretchFactor(1, 1)
        self.columns.setSizes(list(_COLUMNS))
        column.addWidget(self.columns, 1)
        column.addWidget(self.ruler)
        self.setCentralWidget(centre)

    def _connect(self) -> None:
        self.store.changed.connect(self._follow)
        self.results.analysis_changed.connect(self.readings.show_analysis)
        self.results.analysis_changed.connect(self._take_pair)
        self.combs.changed.connect(lambda: self.stage.show_combs(self.combs.shown))
        self.stage.spectrum.tooth_dragged.connect(self.combs.drag)
        self.readings.place_chosen.connect(self._go_to_place)
        self.readings.range_chosen.connect(self.stage.spectrum.bring_range)
        self.stage.spectrum.range_chosen.connect(self.finding.fit_range)
        self.fits.armed.connect(self.finding.choose_fit)
        self.ruler.tried.connect(self.stage.spectrum.preview)
        self.held.comparison_asked.connect(self._show_comparison)
        self.results.failed.connect(self._tell_failure)
        for lazy in (self.grams, self.trends, self.slices, self.run_ups, self.ranges):
            lazy.failed.connect(self.notices.tell)
        self.ranges.changed.connect(self.stage.spectrum.show_range)
        self.stage.trend.edit_wanted.connect(self.finding.edit_tracks)
        self.stage.run_up.edit_wanted.connect(self.finding.choose_shaft)
        self.results.pyramid_ready.connect(lambda *_: self._show_problems())
        self.facts.figures_ready.connect(self._show_figures)
        self.facts.cautions_ready.connect(self._take_cautions)
        self.readings.remedy_chosen.connect(self._take_remedy)
        self.stage.lanes.mark_clicked.connect(self.marks.edit)
        self.readings.peak_chosen.connect(self._go_to_peak)
        self.stage.spectrum.display_changed.connect(self._follow)
        self.workspace.opened.connect(lambda _: self._fill_recent())
        self.opening.opened.connect(lambda _: self._fill_recent())
        self.opening.session_chosen.connect(self.workspace.open_session)
        for signal, act in (
            (self.shelf.rename, self.workspace.rename),
            (self.shelf.set_unit, self.workspace.set_unit),
            (self.shelf.set_rate, self.workspace.set_rate),
            (self.shelf.remove, self.workspace.remove),
            (self.shelf.moved, self.workspace.move),
            (self.shelf.read_anew, self.opening.ask_again),
            (self.shelf.replace_file, self.opening.replace_file),
            (self.shelf.export, self.exports.export_recording),
            (self.shelf.calibrate, self.channels.calibrate),
            (self.shelf.derive, self.channels.derive),
            (self.shelf.drop_derived, self.channels.drop_derived),
        ):
            signal.connect(act)

    # Menus and actions

    def _make_menus(self) -> dict[Action, QAction]:
        bar = self.menuBar()
        assert bar is not None
        menus = {}
        for name in MENUS:
            menu = bar.addMenu(name)
            assert menu is not None
            menu.setToolTipsVisible(True)
            menus[name] = menu
        made: dict[Action, QAction] = {}
        for spec in ACTIONS:
            menu = menus[spec.menu]
            if spec.divided:
                menu.addSeparator()
            action = QAction(spec.text, self)
            action.setToolTip(f"{spec.tip} ({spec.keys})" if spec.keys else spec.tip)
            if spec.keys:
                action.setShortcut(QKeySequence(spec.keys))
            action.setCheckable(spec.checked is not None)
            action.triggered.connect(lambda _=False, spec=spec: self._run(spec))
            menu.addAction(action)
            made[spec] = action
            if spec.text == "Open the demo":
                self._recent = QMenu("Open recent", self)
                menu.addMenu(self._recent)
        self._fill_recent()
        return made

    def _run(self, spec: Action) -> None:
        spec.run(self)
        self._follow()

    def action(self, text: str) -> QAction:
        """The action with this text."""
        return next(made for spec, made in self._actions.items() if spec.text == text)

    def _fill_recent(self) -> None:
        self._recent.clear()
        paths = settings.recent_files()
        for path in paths:
            action = self._recent.addAction(Path(path).name)
            assert action is not None
            action.setToolTip(path)
            action.triggered.connect(lambda _, p=path: self.opening.open_paths([Path(p)]))
        self._recent.setToolTipsVisible(True)
        self._recent.setEnabled(bool(paths))

    def _follow(self) -> None:
        """Bring titles, menus and notices in line with the document."""
        store = self.store
        recording = store.current
        name = store.path.stem if store.path else ("unsaved session" if store.unsaved else "")
        mark = "* " if store.unsaved and store.path else ""
        self.setWindowTitle(f"{mark}{name} – Tone Comb" if name else "Tone Comb")
        for spec, action in self._actions.items():
            if spec.needs_recording:
                action.setEnabled(recording is not None)
            if spec.checked is not None:
                action.setChecked(spec.checked(self))
        for text, what in (("Undo", store.history.undo_label), ("Redo", store.history.redo_label)):
            action = self.action(text)
            action.setEnabled(what is not None)
            action.setText(f"{text}: {what}" if what else text)
        self.notices.clear_from("analysis")
        self._show_problems()
        self.stage.show_marks(self.notes.marks())
        self.stage.show_shaft(self.notes.knowledge.shaft)

    def _tell_failure(self, error: UserError) -> None:
        remedy, action = "", None
        short = self._short_stretch()
        if short is not None:
            remedy = short.remedy

            def action() -> None:
                self._take_remedy(short)

        ref = self.store.ref
        if ref is not None and error.what == HOLES and ref.given.how.missing == "refuse":
            remedy, filled = "Interpolate them", replace(ref.given.how, missing="interpolate")

            def action() -> None:
                self.opening.change(ref.id, replace(ref.given, how=filled), "Interpolate")

        self.notices.show_notice(
            error.text, fault=True, remedy=remedy, action=action, source="analysis"
        )

    def _take_pair(self, analysis: Analysis | None) -> None:
        self.method_line.pair = current_pair(analysis)

    def _show_comparison(self) -> None:
        if self.stage.against.isHidden():
            self.stage.toggle_pane(self.stage.against)

    def _show_figures(self, figures: StretchFigures | None) -> None:
        recording, method = self.store.current, self.store.method
        if recording is None or method is None or method.channel >= len(recording.channels):
            figures = None
        symbol = recording.channels[method.channel].unit if recording and method and figures else ""
        self.readings.stretch.show_figures(figures, symbol)

    def _short_stretch(self) -> Caution | None:
        recording, method = self.store.current, self.store.method
        try:
            return short_stretch(method, recording) if recording and method else None
        except UserError:  # the stretch is outside the recording: that is told by itself
            return None

    def _show_problems(self) -> None:
        """What is wrong with the recording's time base and the channel's samples, and what
        should be said about the analysis."""
        recording, method = self.store.current, self.store.method
        told = list(self._cautions)
        if recording is not None and method is not None and not told:
            # There is no analysis, or not yet: what is known all the same.
            short = self._short_stretch()
            told += [short] if short is not None else []
            told += [Caution(problem.code, problem.text) for problem in recording.problems]
            built = self.results.pyramid(recording.id, method.channel)
            if built is not None and method.channel < len(recording.channels):
                counts = (built.missing, built.infinite)
                found = sample_problem(recording, method.channel, *counts)
                told += [Caution(found.code, found.text)] if found is not None else []
        self.readings.show_cautions(tuple(told))

    def _take_cautions(self, cautions: tuple[Caution, ...]) -> None:
        self._cautions = cautions
        self._show_problems()

    def _take_remedy(self, caution: Caution) -> None:
        """Follow a caution's advice, in one step that can be undone."""
        if caution.method is not None and (now := self.store.method) is not None:
            # What was changed since it was found stays: only what the remedy is about changes.
            method = replace(
                caution.method, search=now.search, bands=now.bands, fits=now.fits,
                tracks=now.tracks, shaft=now.shaft,
            )  # fmt: skip
            document = edits.set_method(self.store.document, method)
            self.store.apply(caution.remedy, document)

    # What single actions do

    def _go_to_peak(self, peak: Peak) -> None:
        if self.stage.spectrum.isHidden():
            self.stage.show_view(1)
        self.stage.spectrum.centre_on(peak)

    def _go_to_place(self, frequency: float) -> None:
        self.stage.spectrum.bring_into_view(frequency)

    def toggle_log(self) -> None:
        view = self.stage.spectrum
        view.set_display(log_frequency=not view.log_frequency, decibels=view.decibels)

    def toggle_decibels(self) -> None:
        view = self.stage.spectrum
        view.set_display(log_frequency=view.log_frequency, decibels=not view.decibels)

    def toggle_column(self, index: int) -> None:
        widget = self.columns.widget(index)
        assert widget is not None
        widget.setVisible(widget.isHidden())

    def toggle_theme(self) -> None:
        self.theme = PAPER if self.theme is NIGHT else NIGHT
        settings.settings().setValue("theme", self.theme.name)
        self.apply_theme()

    def apply_theme(self) -> None:
        """Colour everything in the current theme."""
        self.setStyleSheet(style_sheet(self.theme))
        for region in (self.stage, self.shelf, self.ruler):
            region.set_theme(self.theme)

    def move_current(self, by: int) -> None:
        if self.store.ref is not None:
            self.workspace.move(self.store.ref.id, by)

    def toggle_measure(self) -> None:
        lanes = self.stage.lanes
        if lanes.measuring:
            lanes.stop_measuring()
        else:
            lanes.measure_view()

    def toggle_over(self) -> None:
        lanes = self.stage.lanes
        lanes.set_over(not lanes.over)
        settings.settings().setValue("over", lanes.over)
        self.stage.refresh()

    def toggle_beside(self) -> None:
        """Show all channels of the recording, or only the one that is analysed."""
        ref, recording = self.store.ref, self.store.current
        if ref is not None and recording is not None:
            every = () if ref.beside else tuple(range(len(recording.channels)))
            shown = edits.show_beside(self.store.document, ref, every)
            self.store.apply("Show channels", shown, merge="show channels")

    def find_action(self) -> None:
        finder = Finder(self, list(self._actions.values()))
        finder.open_below(self.method_line, finder.field)
        finder.move(self.mapToGlobal(self.rect().center()).x() - finder.width() // 2, finder.y())

    def show_keys(self) -> None:
        Page(self, "Keys", keys_html(), (760, 620)).exec()

    def show_guide(self) -> None:
        Page(self, "Doing the job", GUIDE, (620, 560)).exec()

    def show_about(self) -> None:
        QMessageBox.about(
            self,
            "About Tone Comb",
            f"Tone Comb {__version__}\nFrequency analysis of vibration recordings.\n\n"
            f"Free software under the GNU GPL, version 3 or later.\n"
            f"Log: {settings.data_folder() / 'log.txt'}",
        )

    # The window

    def offer_left_behind(self) -> None:
        """Offer what an earlier run left unsaved when it was killed."""
        found = left_behind()
        if found:
            self.notices.show_notice(
                "The last run ended without saving its work.",
                remedy="Bring it back",
                action=lambda: self.workspace.open_session(found[0], restored=True),
            )

    def _restore_layout(self) -> None:
        kept = settings.settings()
        if (geometry := kept.value("geometry")) is not None:
            self.restoreGeometry(geometry)
        if (columns := kept.value("columns")) is not None:
            self.columns.restoreState(columns)
        if (views := kept.value("views")) is not None:
            self.stage.splitter.restoreState(views)
        for index, name in ((0, "shelf"), (2, "readings")):
            if kept.value(f"folded/{name}", False, type=bool):
                self.toggle_column(index)
        self.stage.lanes.set_over(kept.value("over", False, type=bool))
        self.stage.spectrum.set_display(
            log_frequency=kept.value("log", False, type=bool),
            decibels=kept.value("decibels", True, type=bool),
        )

    def _keep_layout(self) -> None:
        kept = settings.settings()
        kept.setValue("geometry", self.saveGeometry())
        kept.setValue("columns", self.columns.saveState())
        kept.setValue("views", self.stage.splitter.saveState())
        kept.setValue("folded/shelf", self.shelf.isHidden())
        kept.setValue("folded/readings", self.readings.isHidden())
        kept.setValue("log", self.stage.spectrum.log_frequency)
        kept.setValue("decibels", self.stage.spectrum.decibels)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self.workspace.may_discard("the bench closes"):
            event.ignore()
            return
        self._keep_layout()
        self.opening.stop_asking()
        self.jobs.close()
        self.autosave.finish()
        event.accept()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if data is not None:
            paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
            self.opening.open_paths(paths)
