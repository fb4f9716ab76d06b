"""The main window: its regions and what is done with them, put together."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QResizeEvent
from PyQt6.QtWidgets import QMainWindow, QSplitter, QVBoxLayout, QWidget

from tonecomb.desktop.acts.batch_actions import Many
from tonecomb.desktop.acts.channels import Channels
from tonecomb.desktop.acts.exports import Exports
from tonecomb.desktop.acts.failures import Failures
from tonecomb.desktop.acts.finding import Finding
from tonecomb.desktop.acts.guide import Tour
from tonecomb.desktop.acts.helping import Helping
from tonecomb.desktop.acts.layout import WindowLayout
from tonecomb.desktop.acts.listening import Listening
from tonecomb.desktop.acts.live import LiveActs
from tonecomb.desktop.acts.making import MakingActs
from tonecomb.desktop.acts.menus import Menus
from tonecomb.desktop.acts.method_actions import MethodActions
from tonecomb.desktop.acts.navigation import Going
from tonecomb.desktop.acts.opening import Opening
from tonecomb.desktop.acts.presets import Presets
from tonecomb.desktop.acts.reporting import Reporting
from tonecomb.desktop.acts.sources import Sources
from tonecomb.desktop.acts.watching import Watching
from tonecomb.desktop.acts.workspace import Workspace
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import tabbing
from tonecomb.desktop.kit.theme import Theme, current_theme
from tonecomb.desktop.method_line.line import MethodLine
from tonecomb.desktop.method_line.window_picker import current_pair
from tonecomb.desktop.readings.readings import Readings
from tonecomb.desktop.ruler.ruler import Ruler
from tonecomb.desktop.shelf.shelf import Shelf
from tonecomb.desktop.stage.stage import Stage
from tonecomb.desktop.state.autosave import Autosave, left_behind
from tonecomb.desktop.state.memory import Memory
from tonecomb.desktop.state.store import Store

_LEAST = (620, 420)  # the columns fold where there is no room for them
_COLUMNS = (180, 820, 248)  # shelf, stage and readings at 1280 pixels


class Bench(QMainWindow):
    """Assembles context, regions and acts; each follows the store by itself."""

    # Declared here for the table of actions, which knows the bench by its type only.
    context: Context
    store: Store
    opening: Opening
    method_line: MethodLine
    stage: Stage
    shelf: Shelf
    readings: Readings
    ruler: Ruler
    workspace: Workspace
    channels: Channels
    exports: Exports
    method: MethodActions
    going: Going
    finding: Finding
    listening: Listening
    layout_: WindowLayout
    helping: Helping
    tour: Tour
    menus: Menus

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Tone Comb")
        self.setAcceptDrops(True)
        self.setMinimumSize(*_LEAST)
        self.resize(1280, 800)
        self.context = Context(self)
        self.store = self.context.store
        self._make_regions()
        self._assemble()
        self._make_acts()
        self._connect()
        self.layout_.apply_theme()
        self.layout_.restore()
        self.menus.follow()

    def _make_regions(self) -> None:
        context = self.context
        self.opening = Opening(context, lambda: current_theme())
        self.method_line = MethodLine(context.store)
        self.stage = Stage(context, self.opening.open_dialog, self.opening.open_demo)
        self.stage.spectrum.marks.note_of = context.notes.of
        self.shelf = Shelf(context)
        self.readings = Readings(context)
        self.ruler = Ruler(context.store)

    def _assemble(self) -> None:
        centre = QWidget()
        centre.setObjectName("bench")
        column = QVBoxLayout(centre)
        column.setContentsMargins(8, 0, 8, 8)
        column.setSpacing(8)
        column.addWidget(self.method_line)
        column.addWidget(self.context.notices)
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

    def _make_acts(self) -> None:
        context, stage, readings = self.context, self.stage, self.readings
        self.autosave = Autosave(context.store, context.jobs)
        self.workspace = Workspace(context, self.opening)
        self.workspace.restored.connect(self.autosave.adopt)
        self.autosave.failed.connect(context.notices.tell)
        self.failures = Failures(context, self.opening)
        self.sources = Sources(context, self.opening)
        self.many: Many = Many(context, self.opening)
        self.opening.folder_chosen.connect(self.many.offer)
        self.channels = Channels(context)
        self.exports = Exports(context, stage)
        self.reporting: Reporting = Reporting(context, self.exports)
        self.presets = Presets(context)
        self.method = MethodActions(context, self.presets, self.method_line, stage, readings)
        self.going = Going(context, stage, readings)
        self.finding = Finding(context, stage, readings)
        self.listening = Listening(context, stage)
        self.making: MakingActs = MakingActs(context, stage, readings, self.method_line)
        self.live: LiveActs = LiveActs(
            context, stage, self.opening, Watching(context, stage, readings)
        )
        self.stage.empty.starter_chosen.connect(self.making.begin)
        self.layout_ = WindowLayout(self, context, stage, self.columns, self._paint)
        memory = Memory(context.store, context.scheduler, context.envelopes)
        self.helping = Helping(self, self.method_line, memory)
        self.tour = Tour(self)
        self.menus = Menus(self, context.store, lambda path: self.opening.open_paths([path]))
        self.helping.actions = self.menus.actions.values()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if hasattr(self, "layout_"):  # else it is being made
            self.layout_.fit_columns()

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes as one reads."""
        regions = (
            self.method_line,
            self.context.notices,
            self.shelf,
            self.stage,
            self.readings,
            self.ruler,
        )
        return tabbing.step(self, regions, forward)

    def _paint(self, theme: Theme) -> None:
        for region in (self.stage, self.shelf, self.readings, self.ruler):
            region.set_theme(theme)

    def _connect(self) -> None:
        context, spectrum = self.context, self.stage.spectrum
        context.store.changed.connect(self.menus.follow)
        self.stage.arranged.connect(self.menus.follow)
        spectrum.display_changed.connect(self.menus.follow)
        context.results.analysis_changed.connect(
            lambda analysis: setattr(self.method_line, "pair", current_pair(analysis))
        )
        spectrum.drag.tooth_dragged.connect(context.combs.drag)
        self.readings.range_chosen.connect(spectrum.bring_range)
        self.readings.place_chosen.connect(spectrum.bring_into_view)
        self.ruler.tried.connect(spectrum.preview)
        self.stage.lanes.mark_clicked.connect(context.marks.edit)
        for signal in (self.workspace.opened, self.opening.opened):
            signal.connect(lambda _: self.menus.fill_recent())
        self.opening.session_chosen.connect(self.workspace.open_session)
        for asked, act in (
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
            asked.connect(act)

    def action(self, text: str) -> QAction:
        """The action with this text."""
        return self.menus.action(text)

    def offer_left_behind(self) -> None:
        """Offer what an earlier run left unsaved when it was killed."""
        paths = left_behind()
        if paths:
            self.context.notices.show_notice(
                "The last run ended without saving its work.",
                remedy="Bring it back",
                action=lambda: self.workspace.open_session(paths[0], restored=True),
            )

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if event is None:
            return
        if not self.workspace.may_discard("the bench closes"):
            event.ignore()
            return
        self.layout_.keep()
        self.opening.stop_asking()
        self.listening.stop()
        self.live.end()
        self.context.jobs.close()
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
