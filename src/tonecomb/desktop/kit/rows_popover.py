"""A popover with a row for each thing that is listed."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtWidgets import QLayout, QVBoxLayout, QWidget

from tonecomb.desktop.kit.widgets import Popover, label, row


def clear(layout: QLayout) -> None:
    """Take every widget out of a layout."""
    while (item := layout.takeAt(0)) is not None:
        if (widget := item.widget()) is not None:
            widget.hide()
            widget.deleteLater()


class RowsPopover(Popover):
    """Rows, below them what is wrong with one, then ``links`` to add more."""

    def __init__(
        self, parent: QWidget, title: str, explanation: str, links: Iterable[QWidget]
    ) -> None:
        super().__init__(parent, title, explanation)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(4)
        self.body.addLayout(self._rows)
        self.wrong = label("", "quiet")
        self.add(self.wrong, row(*links, None, spacing=16))

    def fill(self, rows: Iterable[QWidget]) -> None:
        """Show these rows instead of those there are."""
        clear(self._rows)
        for one in rows:
            self._rows.addWidget(one)
            one.show()  # now, so that the surface takes its size from it
        self.adjustSize()

    def last_row(self) -> QWidget | None:
        """The row at the end."""
        item = self._rows.itemAt(self._rows.count() - 1)
        return None if item is None else item.widget()
