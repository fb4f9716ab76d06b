"""The peaks as a table."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt
from PyQt6.QtGui import QColor

from tonecomb.core.analysis import Analysis
from tonecomb.core.document import PeakNote
from tonecomb.core.peaks import Peak
from tonecomb.desktop.theme import current_theme, font

COLUMNS = ("Hz", "", "°", "dB")
_TIPS = (
    "Frequency in Hz, refined between the bins",
    "Amplitude of the tone",
    "Phase in degrees of a cosine at the stretch's start; – where it wanders over the stretch",
    "Prominence in dB: how far the peak stands above the higher saddle beside it",
)
SORT_ROLE = Qt.ItemDataRole.UserRole


class PeaksModel(QAbstractTableModel):
    """A row a peak: frequency, amplitude, phase, prominence."""

    def __init__(self, parent: QObject, note_of: Callable[[Peak], PeakNote | None]) -> None:
        super().__init__(parent)
        self._note_of = note_of
        self._analysis: Analysis | None = None
        self._peaks: tuple[Peak, ...] = ()

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
        return 0 if parent is not None and parent.isValid() else len(COLUMNS)

    def values(self, peak: Peak) -> tuple[float, float, float, float]:
        """The numbers of a row."""
        assert self._analysis is not None
        amplitude, _ = self._analysis.amplitude(peak)
        return peak.tone.frequency, amplitude, peak.tone.phase_deg, peak.prominence_db

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        value = self.values(self._peaks[index.row()])[index.column()]
        if role == SORT_ROLE:
            return -math.inf if math.isnan(value) else value
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(value, index.column())
        note = self._note_of(self._peaks[index.row()])
        if role == Qt.ItemDataRole.ForegroundRole and note is not None and note.aside:
            return QColor(current_theme().quiet)
        if role == Qt.ItemDataRole.FontRole and note is not None and note.aside:
            struck = font()
            struck.setItalic(True)
            return struck
        if role == Qt.ItemDataRole.ToolTipRole and note is not None:
            return note.words
        return None

    @staticmethod
    def _text(value: float, column: int) -> str:
        if math.isnan(value):
            return "–"
        if column == 0:
            text = f"{value:.3f}"
        elif column == 1:
            small = 0 < abs(value) < 1e-3
            text = f"{value:.2e}".replace("e-0", "e-") if small else f"{value:#.4g}".rstrip(".")
        else:
            text = f"{round(value)}"  # a whole number has no −0
        return text.replace("-", "−")

    def headerData(
        self,
        section: int,
        orientation: Qt.Orientation,
        role: int = Qt.ItemDataRole.DisplayRole,
    ) -> Any:
        if orientation != Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            if section == 1:
                return "" if self._analysis is None else self._analysis.amplitude_unit
            return COLUMNS[section]
        if role == Qt.ItemDataRole.ToolTipRole:
            return _TIPS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return None
