"""The peaks as a table."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, QSortFilterProxyModel, Qt
from PyQt6.QtGui import QColor

from tonecomb.core.analysis import Analysis
from tonecomb.core.document import PeakNote
from tonecomb.core.find.peaks import Peak
from tonecomb.desktop.kit.theme import current_theme, font

Value = float | str


@dataclass(frozen=True)
class Column:
    """A column that can be chosen: what it is called where it is chosen (``name``) and at its
    head, and its width in pixels, 0 for a share of what is left."""

    key: str
    name: str
    head: str
    tip: str
    width: int = 0


COLUMNS = (
    Column("frequency", "Frequency", "Hz", "Frequency in Hz, refined between the bins"),
    Column("frequency std", "Standard deviation", "± Hz",
           "Standard deviation of the frequency, in Hz", 58),
    Column("amplitude", "Amplitude", "", "Amplitude of the tone"),
    Column("phase", "Phase", "°", "Phase in degrees of a cosine at the stretch's start; – where "
           "it wanders over the stretch", 42),
    Column("prominence", "Prominence", "dB",
           "Prominence in dB: how far the peak stands above the higher saddle beside it", 38),
    Column("above floor", "Above the floor", "dB ↑",
           "How far the peak stands above the noise around it, in dB", 44),
    Column("order", "Order", "order", "How many times the shaft's frequency", 58),
    Column("name", "Name", "name", "What you called it, or a known frequency of the machine"),
)  # fmt: skip
USUAL = ("frequency", "amplitude", "phase", "prominence")
SORT_ROLE, FILTER_ROLE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1


class Filtered(QSortFilterProxyModel):
    """Rows that hold what was typed, letters large or small."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.setSortRole(SORT_ROLE)
        self.setFilterRole(FILTER_ROLE)
        self.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)


class PeaksModel(QAbstractTableModel):
    """A row a peak, with the columns that were chosen."""

    def __init__(
        self,
        parent: QObject,
        note_of: Callable[[Peak], PeakNote | None],
        order_of: Callable[[float], float | None],
    ) -> None:
        super().__init__(parent)
        self._note_of, self._order_of = note_of, order_of
        self._analysis: Analysis | None = None
        self._peaks: tuple[Peak, ...] = ()
        self.columns = tuple(column for column in COLUMNS if column.key in USUAL)

    def choose(self, keys: tuple[str, ...]) -> None:
        """Have these columns; the frequency is always one of them."""
        self.beginResetModel()
        wanted = {"frequency", *keys}
        self.columns = tuple(column for column in COLUMNS if column.key in wanted)
        self.endResetModel()

    def show(self, analysis: Analysis | None) -> None:
        """Take an analysis's peaks."""
        self.beginResetModel()
        self._analysis = analysis
        self._peaks = () if analysis is None else analysis.peaks or ()
        self.endResetModel()

    def peak(self, row: int) -> Peak:
        return self._peaks[row]

    def row_of(self, peak: Peak) -> int | None:
        """The row of a peak, None when it is not here."""
        return self._peaks.index(peak) if peak in self._peaks else None

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._peaks)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.columns)

    def _value(self, peak: Peak, key: str) -> Value:
        """A cell's number, nan where there is none, or its words."""
        assert self._analysis is not None
        if key == "frequency":
            return peak.tone.frequency
        if key == "frequency std":
            return peak.tone.frequency_std
        if key == "amplitude":
            return self._analysis.amplitude(peak)[0]
        if key == "phase":
            return peak.tone.phase_deg
        if key == "prominence":
            return peak.prominence_db
        if key == "above floor":
            return peak.above_floor_db
        if key == "order":
            order = self._order_of(peak.tone.frequency)
            return math.nan if order is None else order
        note = self._note_of(peak)
        return "" if note is None else note.name

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        peak, key = self._peaks[index.row()], self.columns[index.column()].key
        if role == SORT_ROLE:
            value = self._value(peak, key)
            return -math.inf if isinstance(value, float) and math.isnan(value) else value
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if key == "name" else Qt.AlignmentFlag.AlignRight
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.DisplayRole:
            return text_of(key, self._value(peak, key))
        note = self._note_of(peak)
        if role == FILTER_ROLE:
            cells = [text_of(c.key, self._value(peak, c.key)) for c in self.columns]
            return " ".join([*cells, "" if note is None else note.words])
        if role == Qt.ItemDataRole.ForegroundRole and note is not None and note.aside:
            return QColor(current_theme().quiet)
        if role == Qt.ItemDataRole.FontRole and note is not None and note.aside:
            struck = font()
            struck.setItalic(True)
            return struck
        if role == Qt.ItemDataRole.ToolTipRole and note is not None:
            return note.words
        return None

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> Any:
        if orientation != Qt.Orientation.Horizontal or section >= len(self.columns):
            return None
        column = self.columns[section]
        if role == Qt.ItemDataRole.DisplayRole:
            if column.key == "amplitude":
                return "" if self._analysis is None else self._analysis.amplitude_unit
            return column.head
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{column.tip} (right-click: choose columns)"
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft
            side = side if column.key == "name" else Qt.AlignmentFlag.AlignRight
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None


def text_of(key: str, value: Value) -> str:
    """A cell as it is read."""
    if isinstance(value, str):
        return value
    if math.isnan(value):
        return "–"
    if key in ("frequency", "order"):
        text = f"{value:.3f}"
    elif key == "frequency std":
        text = f"{value:.2g}"
    elif key == "amplitude":
        small = 0 < abs(value) < 1e-3
        text = f"{value:.2e}".replace("e-0", "e-") if small else f"{value:#.4g}".rstrip(".")
    elif math.isinf(value):
        text = "∞"
    else:
        text = f"{round(value)}"  # a whole number has no −0
    return text.replace("-", "−")
