"""What was put into a made recording, held against what was read."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QIcon, QPixmap
from PyQt6.QtWidgets import QTreeWidgetItem, QVBoxLayout, QWidget

from tonecomb.core.results.against_truth import Compared, compared
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.numbers import level, signed, warranted
from tonecomb.desktop.edits.making import Making
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import label, link
from tonecomb.desktop.readings.tree import keep_rows, readings_tree
from tonecomb.formats import readings

_HEADS = (
    ("put in", "Frequency that was put in, Hz"),
    ("read, Hz", "Frequency as read, Hz"),
    ("off", "By how many standard deviations"),
)
_FAR = 3.0  # standard deviations, from which a reading is told as wrong
_ROOM = 1.1  # times a frequency, that half the rate is to be above


class TruthReadings(QWidget):
    """``chosen`` carries the frequency (Hz) at which the row's line shows."""

    chosen = pyqtSignal(float)

    def __init__(self, making: Making) -> None:
        super().__init__()
        self._making = making
        self._analysis: Analysis | None = None
        self.rows: tuple[Compared, ...] = ()
        self.tree = readings_tree("What was put in, and what was read", _HEADS, (2, 66))
        self.tree.currentItemChanged.connect(lambda *_: self._picked())
        self.told = label("", "", wrap=True)
        self.told.setFont(font(9))
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.remedy = link("", "Sample faster, so that it shows where it is", self._sample_faster)
        self.remedy.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.tree, 1)
        column.addWidget(self.told)
        column.addWidget(self.remedy)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show what is known beside what was read; the chosen row stays."""
        at = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        self._analysis = analysis
        if analysis is not None and analysis.found is None and analysis.truth is not None:
            return  # what is read is not there yet
        self.rows = () if analysis is None else compared(analysis)
        self.tree.blockSignals(True)
        self.tree.clear()
        for row in self.rows:
            self.tree.addTopLevelItem(_item(row))
        if 0 <= at < len(self.rows):
            self.tree.setCurrentItem(self.tree.topLevelItem(at))
        self.tree.blockSignals(False)
        self._tell()

    @property
    def row(self) -> Compared | None:
        """The chosen row, or the first that is folded, or the first."""
        at = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        if 0 <= at < len(self.rows):
            return self.rows[at]
        folded = (one for one in self.rows if one.is_folded)
        return next(folded, self.rows[0] if self.rows else None)

    def _tell(self) -> None:
        row, analysis = self.row, self._analysis
        if row is None or analysis is None:
            self.told.setText("")
            self.remedy.hide()
            return
        self.told.setText(told_of(row, analysis.amplitude_unit))
        rate = self._faster(row)
        self.remedy.setVisible(rate is not None)
        if rate is not None:
            self.remedy.setText(f"Sample at {rate:g} Hz")

    def _faster(self, row: Compared) -> float | None:
        """A rate, twice the present one as often as needed, at which a folded line shows where it
        is."""
        made = self._making.made
        if made is None or not row.is_folded or row.kind != "line":
            return None
        rate = made.sampling.rate
        while rate / 2 < _ROOM * row.frequency:
            rate *= 2
        return rate if rate > made.sampling.rate else None

    def _sample_faster(self) -> None:
        row = self.row
        rate = None if row is None else self._faster(row)
        if rate is not None:
            self._making.sample_at(rate)

    def _picked(self) -> None:
        row = self.row
        self._tell()
        if row is not None and not math.isnan(row.shows):
            self.chosen.emit(row.shows)

    def filter(self, text: str) -> None:
        """Show only rows that hold a text."""
        keep_rows(self.tree, text)

    def text(self) -> str:
        """The table with tabs."""
        analysis = self._analysis
        if analysis is None or analysis.truth is None:
            return ""
        return readings.truth(analysis).tabbed()


def _item(row: Compared) -> QTreeWidgetItem:
    theme = current_theme()
    if row.kind == "noise":
        read = "–" if math.isnan(row.read_amplitude) else level(row.read_amplitude)
        cells = (f"{row.amplitude:.3g} rms", read, "")
    else:
        read = warranted(row.read, row.read_std)
        moves = f"{row.low:.5g}–{row.high:.5g}"
        cells = (moves if row.high > row.low else f"{row.frequency:.7g}", read, off_words(row))
    item = QTreeWidgetItem(list(cells))
    square = QPixmap(8, 12)
    square.fill(QColor(theme.traces[(row.part + 1) % len(theme.traces)]))
    item.setIcon(0, QIcon(square))
    for i in range(3):
        item.setTextAlignment(i, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        item.setToolTip(i, told_of(row, ""))
    if abs(row.off) > _FAR or abs(row.amplitude_off) > _FAR:
        item.setForeground(2, QBrush(QColor(theme.fault)))
    elif row.is_folded or row.note:
        item.setForeground(2, QBrush(QColor(theme.second)))
    return item


def off_words(row: Compared) -> str:
    """The last cell: by how much a reading is off, or why it cannot be."""
    short = {
        "moves": "moves",
        "comes and goes": "goes",
        "below the noise": "in noise",
        "taken out": "gone",
    }
    if row.is_folded and not row.note:
        return "folded"
    if row.note:
        return next(
            (text for key, text in short.items() if row.note.startswith(key)),
            "one line" if "one line" in row.note else "not read",
        )
    worst = max(row.off, row.amplitude_off, key=lambda one: 0 if math.isnan(one) else abs(one))
    return "" if math.isnan(worst) else signed(f"{worst:+.1f} σ")


def told_of(row: Compared, unit: str) -> str:
    """A row in full: frequency, amplitude and phase as put in and as read."""
    text = readings.truth_words(row, unit)
    if not math.isnan(row.phase) and not math.isnan(row.read_phase):
        text += signed(f"; phase {row.phase:.1f}° put in, {row.read_phase:.1f}° read")
    return text
