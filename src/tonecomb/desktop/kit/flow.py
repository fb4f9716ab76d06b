"""Widgets beside each other, in a second line where the first is full."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtWidgets import QLayout, QLayoutItem


class Flow(QLayout):
    """Lays its widgets out like words."""

    def __init__(self, spacing: int, line_spacing: int) -> None:
        super().__init__()
        self._items: list[QLayoutItem] = []
        self._heights: dict[int, int] = {}
        self._gap, self._leading = spacing, line_spacing
        self.setContentsMargins(0, 0, 0, 0)

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)
            self._heights.clear()

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        self._heights.clear()
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        if width not in self._heights:
            self._heights[width] = self._lay(QRect(0, 0, width, 0), place=False)
        return self._heights[width]

    def invalidate(self) -> None:
        self._heights.clear()
        super().invalidate()

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        spare = max(0, rect.height() - self.heightForWidth(rect.width()))
        self._lay(rect.adjusted(0, spare // 2, 0, 0), place=True)

    def sizeHint(self) -> QSize:
        return self.minimumSize()

    def minimumSize(self) -> QSize:
        widest = max((item.minimumSize().width() for item in self._items), default=0)
        tallest = max((item.sizeHint().height() for item in self._items), default=0)
        return QSize(widest, tallest)

    def _lay(self, rect: QRect, *, place: bool) -> int:
        """Height that the lines take."""
        x, y, tallest = rect.x(), rect.y(), 0
        line: list[tuple[QLayoutItem, int]] = []
        lines: list[tuple[list[tuple[QLayoutItem, int]], int, int]] = []
        for item in self._items:
            size = item.sizeHint()
            if line and x + size.width() > rect.right() + 1:
                lines.append((line, y, tallest))
                x, y = rect.x(), y + tallest + self._leading
                line, tallest = [], 0
            line.append((item, x))
            x += size.width() + self._gap
            tallest = max(tallest, size.height())
        lines.append((line, y, tallest))
        if place:
            for words, top, height in lines:
                for item, left in words:
                    size = item.sizeHint()
                    down = (height - size.height()) // 2
                    item.setGeometry(QRect(QPoint(left, top + down), size))
        return y + tallest - rect.y()
