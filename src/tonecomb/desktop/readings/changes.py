"""What came, went, moved, grew and fell since the trace that was held."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QTreeWidgetItem, QVBoxLayout, QWidget

from tonecomb.core.results.differences import SpectrumDifference
from tonecomb.core.say import changed
from tonecomb.core.say.numbers import signed, warranted
from tonecomb.desktop.edits.changes import ChangeList
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import label
from tonecomb.desktop.readings.tree import keep_rows, readings_tree
from tonecomb.formats.kinds.changes import table

_HEADS = (
    ("Hz", "Frequency now, or where it was; a band, or the name of a family"),
    ("did", "What it did since the trace was held"),
    ("dB", "By how much its level changed"),
)


class ChangeReadings(QWidget):
    """``chosen`` carries the frequency (Hz) of the row that was picked."""

    chosen = pyqtSignal(float)

    def __init__(self, changes: ChangeList) -> None:
        super().__init__()
        self._changes = changes
        self.tree = readings_tree("What changed", _HEADS, (2, 54))
        self.tree.currentItemChanged.connect(lambda *_: self._picked())
        self.told = label("", "", wrap=True)
        self.told.setFont(font(9))
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.tree, 1)
        column.addWidget(self.told)
        changes.changed.connect(self.refresh)
        self.refresh()

    @property
    def rows(self) -> tuple[SpectrumDifference, ...]:
        """What is listed."""
        differences = self._changes.found
        return () if differences is None else differences.told

    def refresh(self) -> None:
        """List what there is, or say why there is nothing."""
        differences = self._changes.found
        self.tree.blockSignals(True)
        self.tree.clear()
        for one in self.rows:
            self.tree.addTopLevelItem(
                _item(one, differences.now.amplitude_unit if differences else "")
            )
        self.tree.blockSignals(False)
        self.tree.setVisible(bool(self.rows))
        self.told.setText(
            self._changes.reason if differences is None else changed.summary(differences)
        )

    def _picked(self) -> None:
        at, differences = (
            self.tree.indexOfTopLevelItem(self.tree.currentItem()),
            self._changes.found,
        )
        if not 0 <= at < len(self.rows) or differences is None:
            return
        one = self.rows[at]
        self.told.setText(changed.words(one, differences.now.amplitude_unit))
        if not math.isnan(one.frequency):
            self.chosen.emit(one.frequency)

    def filter(self, text: str) -> None:
        """Show only rows that hold a text."""
        keep_rows(self.tree, text)

    def text(self) -> str:
        """The table with tabs."""
        return "" if self._changes.found is None else table(self._changes.found).tabbed()

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._changes.look(True)

    def hideEvent(self, event: Any) -> None:
        super().hideEvent(event)
        self._changes.look(False)


def _item(one: SpectrumDifference, unit: str) -> QTreeWidgetItem:
    theme = current_theme()
    at = one.before if math.isnan(one.now.frequency) else one.now
    place = one.name if one.kind in ("noise", "band") else warranted(at.frequency, at.frequency_std)
    if one.kind == "level":
        place = "overall"
    change = "" if math.isnan(one.change_db) else signed(f"{one.change_db:+.1f}")
    item = QTreeWidgetItem([place, ", ".join(one.verdicts), change])
    colour = {"came": theme.fault, "grew": theme.fault, "moved": theme.accent}
    for i in range(3):
        item.setTextAlignment(i, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        item.setToolTip(i, changed.words(one, unit))
    item.setForeground(1, QBrush(QColor(colour.get(one.verdicts[-1], theme.second))))
    return item
