"""Find an action by its name."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QWidget

from tonecomb.desktop.kit.widgets import Popover


class Finder(Popover):
    """Type a part of a name, Return runs the marked action."""

    def __init__(self, parent: QWidget, actions: list[QAction]) -> None:
        super().__init__(parent, "Find an action")
        self._actions = actions
        self.field = QLineEdit()
        self.field.setPlaceholderText("Type a part of its name")
        self.field.setAccessibleName("Part of an action's name")
        self.field.setMinimumWidth(420)
        self.list = QListWidget()
        self.list.setObjectName("finder")
        self.list.setAccessibleName("Actions")
        self.list.setFixedHeight(300)
        self.add(self.field, self.list)
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list.itemClicked.connect(self._run)
        self._fill("")

    def _fill(self, text: str) -> None:
        words = text.lower().split()
        self.list.clear()
        for action in self._actions:
            name = action.text().replace("&", "").rstrip("…")
            searched = f"{name} {action.toolTip()}".lower()
            if action.isEnabled() and all(word in searched for word in words):
                keys = action.shortcut().toString()
                item = QListWidgetItem(f"{name}    {keys}" if keys else name)
                item.setToolTip(action.toolTip())
                item.setData(Qt.ItemDataRole.UserRole, action)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            row, count = self.list.currentRow(), self.list.count()
            if event.key() == Qt.Key.Key_Down:
                self.list.setCurrentRow(min(row + 1, count - 1))
                return True
            if event.key() == Qt.Key.Key_Up:
                self.list.setCurrentRow(max(row - 1, 0))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._run(self.list.currentItem())
                return True
        return super().eventFilter(watched, event)

    def _run(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.close()
            item.data(Qt.ItemDataRole.UserRole).trigger()
