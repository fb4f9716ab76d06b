"""The shelf: recordings with their channels, each with a small outline."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QMenu, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from tonecomb.core.method import document as edits
from tonecomb.core.method.document import Chain, select
from tonecomb.core.record.recording import Recording
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.kit.widgets import label, panel
from tonecomb.desktop.shelf.rows import CHAIN, CHANNEL, COLOUR, ID, TRACE, Rows


def _told(chain: Chain, recording: Recording | Signal | None) -> str:
    """A chain in full: its channel and its steps."""
    if recording is None:
        return chain.name
    of = recording if isinstance(recording, Recording) else recording.recording
    names, lines = [channel.name for channel in of.channels], []
    for step in chain.steps:
        words = step.words(names)
        note = " (added)" if step.adds else " (left out)" if step.off else ""
        lines.append(words + note)
        names += [words] if step.adds else []
    name = names[chain.channel] if chain.channel < len(names) else "a missing channel"
    return "\n".join([f"{chain.name}: {name}", *lines, "Click to analyse by it"])


class Shelf(QWidget):
    """Choosing a channel analyses it. The other signals carry a recording's id, ``moved`` by how
    many places too."""

    rename = pyqtSignal(str)
    set_unit = pyqtSignal(str)
    set_rate = pyqtSignal(str)
    remove = pyqtSignal(str)
    moved = pyqtSignal(str, int)
    read_anew = pyqtSignal(str)
    replace_file = pyqtSignal(str)
    export = pyqtSignal(str)
    calibrate = pyqtSignal()
    derive = pyqtSignal()
    drop_derived = pyqtSignal()

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._store, self._held = context.store, context.held
        self._scheduler = context.scheduler
        self._shown: object = None
        self._current: str | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame = panel()
        outer.addWidget(frame)
        column = QVBoxLayout(frame)
        column.setContentsMargins(4, 10, 4, 10)
        heading = label("Shelf", "heading")
        heading.setContentsMargins(8, 0, 0, 0)
        column.addWidget(heading)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setRootIsDecorated(False)
        self.tree.setIndentation(0)
        self.tree.setItemsExpandable(False)
        self.tree.setAccessibleName("Recordings")
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self.open_menu)
        self.tree.currentItemChanged.connect(self._picked)
        self.tree.itemClicked.connect(self._clicked)
        self._delegate = Rows(context.store, context.envelopes)
        self.tree.setItemDelegate(self._delegate)
        column.addWidget(self.tree)
        self.told = label("", "quiet", wrap=True)
        self.told.setContentsMargins(8, 0, 4, 0)
        self.told.setToolTip("How the sample rate of this recording was found")
        column.addWidget(self.told)
        self._store.changed.connect(self.refresh)
        self._held.changed.connect(self._repaint)
        context.envelopes.pyramid_ready.connect(self._repaint)

    def set_theme(self, theme: Theme) -> None:
        self._delegate.theme = theme
        self._repaint()

    def _repaint(self, *_: object) -> None:
        viewport = self.tree.viewport()
        assert viewport is not None
        viewport.update()

    def refresh(self) -> None:
        """Show the document's recordings as they are now."""
        document = self._store.document
        content = tuple(
            (
                ref.id,
                ref.name,
                ref.chains,
                None if (r := self._store.shown(ref.id)) is None else (r.channels, r.problems),
            )
            for ref in document.recordings
        )
        self.tree.blockSignals(True)
        bar = self.tree.verticalScrollBar()
        assert bar is not None
        place = None
        if (content, document.held) != self._shown:
            # Filling goes back to the top; where nothing else is chosen the place is kept.
            place = bar.value() if document.current == self._current else None
            self._shown = (content, document.held)
            self._fill()
        if not self._scheduler.lively:
            self._repaint()  # the facts may be others
        self._current = document.current
        ref = document.current_ref
        for item in self.channel_rows():
            wanted = ref is not None and item.data(0, ID) == ref.id
            wanted = wanted and item is not self.tree.currentItem()
            if wanted and ref is not None and item.data(0, CHANNEL) == ref.method.source.channel:
                self.tree.setCurrentItem(item)
        if place is not None:
            bar.setValue(place)
        self.tree.blockSignals(False)
        shown = self._store.shown(document.current)
        self.told.setText("" if shown is None else f"Sample rate {shown.rate_found}.")
        self._repaint()

    def _trace_menu(self, menu: QMenu, trace: str) -> None:
        for text, act in (
            ("Show or hide", self._held.toggle),
            ("Compare the current trace with it", self._held.compare_with),
            ("Return to its method", self._held.return_to),
            ("Rename…", self._held.rename),
            ("Drop", self._held.drop),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, act=act: act(trace))

    def _channel_menu(self, menu: QMenu, recording_id: str, channel: int) -> None:
        own, ref = self._store.own_channels(recording_id), self._store.document.get(recording_id)
        if not own or ref is None:
            return
        wanted = [("Derive a channel…", self.derive)]
        if ref.given.made is None:
            wanted.insert(0, ("Calibrate the channel…", self.calibrate))
        if channel >= len(own):
            wanted = [("Remove the derived channel", self.drop_derived)]
        for text, signal in wanted:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, signal=signal: signal.emit())
        menu.addSeparator()

    def _fill(self) -> None:
        self.tree.clear()
        for ref in self._store.document.recordings:
            recording = self._store.shown(ref.id)
            head = QTreeWidgetItem([ref.name])
            head.setData(0, ID, ref.id)
            head.setFlags(Qt.ItemFlag.ItemIsEnabled)
            tip = ref.path or "made"
            if recording is not None:
                of = recording if isinstance(recording, Recording) else recording.recording
                tip = f"{ref.path}\n{of.format}\nSample rate {recording.rate_found}"
                if ref.given.made is not None:
                    tip = f"made\n{of.comment}"
                tip += "".join(f"\n! {problem.text}" for problem in recording.problems)
            head.setToolTip(0, tip)
            self.tree.addTopLevelItem(head)
            for i, channel in enumerate(recording.channels if recording else ()):
                item = QTreeWidgetItem([channel.name])
                item.setData(0, ID, ref.id)
                item.setData(0, CHANNEL, i)
                item.setToolTip(0, f"{channel.name}, {channel.unit}")
                head.addChild(item)
            for chain in ref.chains:
                item = QTreeWidgetItem([f"↳ {chain.name}"])
                item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                item.setData(0, ID, ref.id)
                item.setData(0, CHAIN, chain.name)
                item.setToolTip(0, _told(chain, recording))
                head.addChild(item)
        self._fill_held()
        self.tree.expandAll()

    def _fill_held(self) -> None:
        held = self._store.document.held
        if not held:
            return
        head = QTreeWidgetItem(["Held traces"])
        head.setFlags(Qt.ItemFlag.ItemIsEnabled)
        head.setToolTip(0, "Click one to show or hide it")
        self.tree.addTopLevelItem(head)
        for i, trace in enumerate(held):
            item = QTreeWidgetItem([trace.name])
            item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            item.setData(0, TRACE, trace.id)
            item.setData(0, COLOUR, 1 + i if trace.shown else 0)
            item.setToolTip(0, f"{trace.name}\n{self._held.sentence(trace)}".strip())
            head.addChild(item)

    def _take_chain(self, recording_id: str, name: str) -> None:
        """Analyse a recording by one of its chains."""
        ref = self._store.document.get(recording_id)
        chain = next((one for one in ref.chains if one.name == name), None) if ref else None
        if ref is not None and chain is not None:
            taken = edits.take_chain(self._store.document, ref, chain)
            self._store.apply("Take chain", taken)

    def _drop_chain(self, recording_id: str, name: str) -> None:
        ref = self._store.document.get(recording_id)
        if ref is not None:
            dropped = edits.drop_chain(self._store.document, ref, name)
            self._store.apply("Drop chain", dropped)

    def _clicked(self, item: QTreeWidgetItem) -> None:
        # Either has the tree filled anew: nothing may be asked of the item after.
        chain, trace = item.data(0, CHAIN), item.data(0, TRACE)
        if chain is not None:
            self._take_chain(item.data(0, ID), chain)
        elif trace is not None:
            self._held.toggle(trace)

    def channel_rows(self) -> list[QTreeWidgetItem]:
        items = []
        for i in range(self.tree.topLevelItemCount()):
            head = self.tree.topLevelItem(i)
            assert head is not None
            children = [child for j in range(head.childCount()) if (child := head.child(j))]
            items += [child for child in children if child.data(0, CHANNEL) is not None]
        return items

    def _picked(self, item: QTreeWidgetItem | None) -> None:
        if item is not None and item.data(0, CHANNEL) is not None:
            recording_id, channel = item.data(0, ID), item.data(0, CHANNEL)
            document = select(self._store.document, recording_id, channel)
            self._store.apply("Choose channel", document, merge="choose channel")

    def open_menu(self, place: QPoint) -> None:
        item = self.tree.itemAt(place)
        if item is None:
            return
        menu = QMenu(self)
        if (trace := item.data(0, TRACE)) is not None:
            self._trace_menu(menu, trace)
            menu.exec(self.tree.mapToGlobal(place))
            return
        recording_id = item.data(0, ID)
        if recording_id is None:
            return
        if (chain := item.data(0, CHAIN)) is not None:
            for text, act in (("Analyse by it", self._take_chain), ("Drop", self._drop_chain)):
                action = menu.addAction(text)
                assert action is not None
                action.triggered.connect(lambda _, act=act: act(recording_id, chain))
            menu.exec(self.tree.mapToGlobal(place))
            return
        if item.data(0, CHANNEL) is not None:
            self.tree.setCurrentItem(item)  # what is said of a channel is said of the current one
            self._channel_menu(menu, recording_id, item.data(0, CHANNEL))
        ref = self._store.document.get(recording_id)
        for text, signal, of_file in (
            ("Rename…", self.rename, False),
            ("Set unit…", self.set_unit, False),
            ("Set sample rate…", self.set_rate, True),
            ("How it is read…", self.read_anew, True),
            ("Replace the file…", self.replace_file, True),
            ("Export recording…", self.export, False),
            ("Remove from shelf", self.remove, False),
        ):
            if of_file and ref is not None and ref.given.made is not None:
                continue
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, signal=signal: signal.emit(recording_id))
        menu.addSeparator()
        for text, by in (("Move up", -1), ("Move down", 1)):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, by=by: self.moved.emit(recording_id, by))
        menu.exec(self.tree.mapToGlobal(place))
