"""One method over several channels or recordings."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import conversion
from tonecomb.desktop.kit.widgets import label
from tonecomb.desktop.state.store import Store

_PLACE = Qt.ItemDataRole.UserRole


class SeveralDialog(QDialog):
    """Choose channels; those that measure something else than the current one are greyed."""

    def __init__(self, store: Store, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Same method over several channels")
        self.resize(420, 420)
        column = QVBoxLayout(self)
        words = label(
            "Each channel is analysed as the method line says and held as a trace. In other "
            "recordings the frame lasts as long, and the whole recording counts.",
            "quiet",
            wrap=True,
        )
        column.addWidget(words)
        self.tree = QTreeWidget()
        self.tree.setHeaderHidden(True)
        self.tree.setAccessibleName("Channels")
        column.addWidget(self.tree, 1)
        self._fill(store)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self.go = buttons.addButton("Hold the traces", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)
        self.tree.itemChanged.connect(lambda *_: self._count())
        self._count()

    def _fill(self, store: Store) -> None:
        current, method = store.current, store.method
        assert current is not None and method is not None
        own = current.channels[min(method.source.channel, len(current.channels) - 1)].unit
        for ref in store.document.recordings:
            recording = store.recording(ref.id)
            if recording is None or recording.sample_rate is None:
                continue
            head = QTreeWidgetItem(self.tree, [ref.name])
            for number, channel in enumerate(recording.channels):
                item = QTreeWidgetItem(head, [f"{channel.name}, {channel.unit}"])
                item.setData(0, _PLACE, (ref.id, number))
                try:
                    conversion(channel.unit, own)
                except UserError:
                    item.setDisabled(True)
                    item.setToolTip(0, "It measures something else than the current channel")
                    continue
                is_current = ref.id == store.document.current
                others = is_current and number != method.source.channel
                item.setCheckState(0, Qt.CheckState.Checked if others else Qt.CheckState.Unchecked)
            head.setExpanded(True)

    def chosen(self) -> list[tuple[str, int]]:
        """The ticked channels: recording id and number."""
        found = []
        for i in range(self.tree.topLevelItemCount()):
            head = self.tree.topLevelItem(i)
            for k in range(head.childCount() if head is not None else 0):
                item = head.child(k) if head is not None else None
                if item is not None and item.checkState(0) == Qt.CheckState.Checked:
                    found.append(tuple(item.data(0, _PLACE)))
        return found

    def _count(self) -> None:
        count = len(self.chosen())
        if self.go is not None:
            self.go.setEnabled(count > 0)
            self.go.setText(f"Hold {count} traces" if count != 1 else "Hold 1 trace")
