"""The shelf: recordings with their channels, each with a small outline."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QModelIndex, QPoint, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter, QPen
from PyQt6.QtWidgets import (
    QMenu,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.document import select
from tonecomb.core.record.recording import Recording
from tonecomb.desktop.edits.held import HeldTraces
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.kit.widgets import label, panel
from tonecomb.desktop.state.results import Results
from tonecomb.desktop.state.store import Store

_ID, _CHANNEL = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_TRACE, _COLOUR = Qt.ItemDataRole.UserRole + 2, Qt.ItemDataRole.UserRole + 3
_OUTLINE = 40  # pixels


def facts(recording: Recording | None) -> str:
    """Duration and rate in few characters: ``60 s · 12.8 kHz``."""
    if recording is None:
        return "file not open"
    if recording.sample_rate is None:
        return "rate unknown"
    rate, duration = recording.sample_rate, recording.duration
    shown = f"{rate / 1000:.4g} kHz" if rate >= 1000 else f"{rate:.4g} Hz"
    length = f"{duration / 3600:.3g} h" if duration >= 7200 else f"{duration:.3g} s"
    return f"{length} · {shown}"


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

    def __init__(self, store: Store, results: Results, held: HeldTraces) -> None:
        super().__init__()
        self._store, self._results, self._held = store, results, held
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
        self.tree.customContextMenuRequested.connect(self._menu)
        self.tree.currentItemChanged.connect(self._picked)
        self.tree.itemClicked.connect(self._clicked)
        self._delegate = _Rows(store, results)
        self.tree.setItemDelegate(self._delegate)
        column.addWidget(self.tree)
        self.told = label("", "quiet", wrap=True)
        self.told.setContentsMargins(8, 0, 4, 0)
        self.told.setToolTip("How the sample rate of this recording was found")
        column.addWidget(self.told)
        store.changed.connect(self.refresh)
        held.changed.connect(self._repaint)
        results.pyramid_ready.connect(self._repaint)

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
            (ref.id, ref.name, None if (r := self._store.recording(ref.id)) is None
             else (r.sample_rate, r.channels, r.problems))
            for ref in document.recordings
        )  # fmt: skip
        self.tree.blockSignals(True)
        bar = self.tree.verticalScrollBar()
        assert bar is not None
        place = None
        if (content, document.held) != self._shown:
            # Filling goes back to the top; where nothing else is chosen the place is kept.
            place = bar.value() if document.current == self._current else None
            self._shown = (content, document.held)
            self._fill()
        self._current = document.current
        ref = document.current_ref
        for item in self._items():
            wanted = ref is not None and item.data(0, _ID) == ref.id
            if wanted and ref is not None and item.data(0, _CHANNEL) == ref.method.channel:
                self.tree.setCurrentItem(item)
        if place is not None:
            bar.setValue(place)
        self.tree.blockSignals(False)
        shown = self._store.recording(document.current)
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
        understood, recording = (
            self._store.understood(recording_id),
            self._store.recording(recording_id),
        )
        if understood is None or recording is None:
            return
        wanted = [("Calibrate the channel…", self.calibrate), ("Derive a channel…", self.derive)]
        if channel >= len(understood.recording.channels):
            wanted = [("Remove the derived channel", self.drop_derived)]
        for text, signal in wanted:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, signal=signal: signal.emit())
        menu.addSeparator()

    def _fill(self) -> None:
        self.tree.clear()
        for ref in self._store.document.recordings:
            recording = self._store.recording(ref.id)
            head = QTreeWidgetItem([ref.name])
            head.setData(0, _ID, ref.id)
            head.setFlags(Qt.ItemFlag.ItemIsEnabled)
            tip = ref.path
            if recording is not None:
                tip = f"{ref.path}\n{recording.format}\nSample rate {recording.rate_found}"
                tip += "".join(f"\n! {problem.text}" for problem in recording.problems)
            head.setToolTip(0, tip)
            self.tree.addTopLevelItem(head)
            for i, channel in enumerate(recording.channels if recording else ()):
                item = QTreeWidgetItem([channel.name])
                item.setData(0, _ID, ref.id)
                item.setData(0, _CHANNEL, i)
                item.setToolTip(0, f"{channel.name}, {channel.unit}")
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
            item.setData(0, _TRACE, trace.id)
            item.setData(0, _COLOUR, 1 + i if trace.shown else 0)
            item.setToolTip(0, f"{trace.name}\n{self._held.sentence(trace)}".strip())
            head.addChild(item)

    def _clicked(self, item: QTreeWidgetItem) -> None:
        if (trace := item.data(0, _TRACE)) is not None:
            self._held.toggle(trace)

    def _items(self) -> list[QTreeWidgetItem]:
        items = []
        for i in range(self.tree.topLevelItemCount()):
            head = self.tree.topLevelItem(i)
            assert head is not None
            children = [child for j in range(head.childCount()) if (child := head.child(j))]
            items += [child for child in children if child.data(0, _CHANNEL) is not None]
        return items

    def _picked(self, item: QTreeWidgetItem | None) -> None:
        if item is not None and item.data(0, _CHANNEL) is not None:
            recording_id, channel = item.data(0, _ID), item.data(0, _CHANNEL)
            document = select(self._store.document, recording_id, channel)
            self._store.apply("Choose channel", document, merge="choose channel")

    def _menu(self, place: QPoint) -> None:
        item = self.tree.itemAt(place)
        if item is None:
            return
        menu = QMenu(self)
        if (trace := item.data(0, _TRACE)) is not None:
            self._trace_menu(menu, trace)
            menu.exec(self.tree.mapToGlobal(place))
            return
        recording_id = item.data(0, _ID)
        if recording_id is None:
            return
        if item.data(0, _CHANNEL) is not None:
            self.tree.setCurrentItem(item)  # what is said of a channel is said of the current one
            self._channel_menu(menu, recording_id, item.data(0, _CHANNEL))
        for text, signal in (
            ("Rename…", self.rename),
            ("Set unit…", self.set_unit),
            ("Set sample rate…", self.set_rate),
            ("How it is read…", self.read_anew),
            ("Replace the file…", self.replace_file),
            ("Export recording…", self.export),
            ("Remove from shelf", self.remove),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, signal=signal: signal.emit(recording_id))
        menu.addSeparator()
        for text, by in (("Move up", -1), ("Move down", 1)):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, by=by: self.moved.emit(recording_id, by))
        menu.exec(self.tree.mapToGlobal(place))


class _Rows(QStyledItemDelegate):
    """Draws a recording as name and facts, a channel as name, unit and outline."""

    def __init__(self, store: Store, results: Results) -> None:
        super().__init__()
        self._store, self._results = store, results
        self.theme = PAPER

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        if index.data(_TRACE) is not None:
            return QSize(100, 26)
        head = index.data(_CHANNEL) is None
        return QSize(100, 44 if head and index.data(_ID) is not None else 30)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        if painter is None:
            return
        painter.save()
        recording_id, channel = index.data(_ID), index.data(_CHANNEL)
        area = option.rect.adjusted(8, 0, -6, 0)
        if recording_id is None:
            self._trace(painter, area, str(index.data()), index.data(_COLOUR))
        elif channel is None:
            self._head(painter, area, str(index.data()), self._store.recording(recording_id))
        else:
            ref = self._store.ref
            chosen = ref is not None and (ref.id, ref.method.channel) == (recording_id, channel)
            if chosen:
                painter.fillRect(option.rect, QColor(self.theme.selected))
                painter.fillRect(option.rect.x(), option.rect.y(), 3, option.rect.height(),
                                 QColor(self.theme.accent))  # fmt: skip
            self._channel(painter, area, recording_id, channel, str(index.data()), chosen)
        painter.restore()

    def _head(self, painter: QPainter, area: QRect, name: str, recording: Recording | None) -> None:
        painter.setPen(QColor(self.theme.ink))
        painter.setFont(font(9.75, QFont.Weight.DemiBold))
        upper = QRect(area.x(), area.y() + 7, area.width(), 17)
        self._text(painter, upper, name)
        painter.setPen(QColor(self.theme.quiet))
        painter.setFont(font(9))
        lower = QRect(area.x(), area.y() + 24, area.width(), 16)
        self._text(painter, lower, facts(recording))
        if recording is not None and recording.problems:
            painter.setPen(QColor(self.theme.caution))
            painter.setFont(font(9.75, QFont.Weight.DemiBold))
            painter.drawText(
                upper, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, "!"
            )

    def _trace(self, painter: QPainter, area: QRect, name: str, colour: int | None) -> None:
        """A held trace with its colour, quiet while hidden; without a colour the heading."""
        heading = colour is None
        painter.setFont(
            font(9.75 if heading else 9, QFont.Weight.DemiBold if heading else QFont.Weight.Normal)
        )
        painter.setPen(QColor(self.theme.quiet if colour == 0 else self.theme.ink))
        left = 0
        if not heading:
            left = 20
            shade = self.theme.traces[colour] if colour else self.theme.lines
            bar = QRect(area.x() + 4, area.center().y() - 1, 10, 3)
            painter.fillRect(bar, QColor(shade))
        self._text(painter, area.adjusted(left, 0, 0, 0), name)

    def _channel(
        self,
        painter: QPainter,
        area: QRect,
        recording_id: str,
        channel: int,
        name: str,
        chosen: bool,
    ) -> None:
        recording = self._store.recording(recording_id)
        symbol = recording.channels[channel].unit if recording else ""
        painter.setPen(QColor(self.theme.ink))
        painter.setFont(font(9.75))
        left = QRect(area.x() + 4, area.y(), area.width() - _OUTLINE - 36, area.height())
        self._text(painter, left, name)
        painter.setPen(QColor(self.theme.quiet))
        painter.setFont(font(9))
        middle = QRect(left.right() + 2, area.y(), 32, area.height())
        self._text(painter, middle, symbol)
        colour = self.theme.traces[0] if chosen else self.theme.quiet
        self._outline(painter, recording_id, channel, area, colour)

    @staticmethod
    def _text(painter: QPainter, area: QRect, text: str) -> None:
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, area.width())
        painter.drawText(area, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)

    def _outline(
        self, painter: QPainter, recording_id: str, channel: int, area: QRect, colour: str
    ) -> None:
        built = self._results.pyramid(recording_id, channel)
        if built is None:
            return
        envelope = built.envelope(0, built.length, _OUTLINE)
        low, high = envelope.low[:_OUTLINE], envelope.high[:_OUTLINE]
        finite = np.isfinite(low) & np.isfinite(high)
        if not finite.any():
            return
        bottom, top = float(low[finite].min()), float(high[finite].max())
        scale = (area.height() - 12) / ((top - bottom) or 1.0)
        painter.setPen(QPen(QColor(colour), 1))
        left = area.right() - _OUTLINE
        for i in np.flatnonzero(finite):
            y1 = area.bottom() - 6 - (high[i] - bottom) * scale
            y2 = area.bottom() - 6 - (low[i] - bottom) * scale
            painter.drawRect(QRectF(left + int(i), y1, 0.0, max(y2 - y1, 0.5)))
