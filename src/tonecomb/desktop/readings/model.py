"""The peaks as a table."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, QSortFilterProxyModel, Qt
from PyQt6.QtGui import QColor

from tonecomb.core.find.peaks import Peak
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import Knowledge
from tonecomb.core.say.behaviour import brief, words
from tonecomb.core.say.numbers import borne, level, signed, warranted, whole
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.formats.columns import Column
from tonecomb.formats.readings import PeakRow, peak_columns


@dataclass(frozen=True)
class Cell:
    """A column that can be chosen: the ``key`` of the reading's own, what it is called where it is
    chosen (``name``) and at its head, its width in pixels, 0 for a share of what is left, and how
    a narrow cell is written."""

    key: str
    name: str
    head: str
    tip: str
    brief: Callable[[PeakRow], str]
    width: int = 0


def _frequency(row: PeakRow) -> str:
    return warranted(row.peak.tone.frequency, row.peak.tone.frequency_std)


def _frequency_std(row: PeakRow) -> str:
    tone = row.peak.tone
    return signed(f"{borne(tone.frequency, tone.frequency_std):.2g}")


COLUMNS = (
    Cell(
        "frequency_hz",
        "Frequency",
        "Hz",
        "Frequency in Hz, refined between the bins, with the "
        "digits that its standard deviation warrants",
        _frequency,
    ),
    Cell(
        "frequency_std_hz",
        "Standard deviation",
        "± Hz",
        "Standard deviation of the frequency, in Hz; the recorder's clock is not in it",
        _frequency_std,
        58,
    ),
    Cell(
        "amplitude", "Amplitude", "", "Amplitude of the tone", lambda row: level(row.amplitude[0])
    ),
    Cell(
        "phase_deg",
        "Phase",
        "°",
        "Phase lead in degrees: how far a cosine is "
        "on its way at the stretch's start, 90° a quarter period after its crest; – where it "
        "wanders over the stretch",
        lambda row: whole(row.peak.tone.phase_deg),
        36,
    ),
    Cell(
        "behaviour",
        "Behaviour",
        "does",
        "What the tone does over the stretch: nothing for one "
        "that is steady; ± Hz for one that moves; in how many of the frames it stands; by how "
        "many dB it swells and fades; broad for a peak that is no single tone; turns for one "
        "that moves with a machine whose speed breathes",
        lambda row: "turns" if row.peak.turns == "turns" else brief(row.doing),
    ),
    Cell(
        "share_of_frames",
        "Share of the frames",
        "frames",
        "Share of the frames in which the tone stands, in percent",
        lambda row: "–" if row.doing is None else f"{100 * row.doing.share:.0f}",
        46,
    ),
    Cell(
        "amplitude_present",
        "Amplitude while it stands",
        "stands",
        "Amplitude in the frames in which the tone stands",
        lambda row: "–" if row.present is None else level(row.present),
        62,
    ),
    Cell(
        "moved_hz",
        "Moved",
        "Δ Hz",
        "How far the frequency moves over the stretch, in Hz",
        lambda row: "–" if row.doing is None else f"{row.doing.moved:.2g}",
        52,
    ),
    Cell(
        "prominence_db",
        "Prominence",
        "dB",
        "Prominence in dB: how far the peak stands above the higher saddle beside it",
        lambda row: whole(row.peak.prominence_db),
        38,
    ),
    Cell(
        "above_floor_db",
        "Above the floor",
        "dB ↑",
        "How far the peak stands above the noise around it, in dB",
        lambda row: whole(row.peak.above_floor_db),
        44,
    ),
    Cell(
        "order",
        "Order",
        "order",
        "How many times the shaft's frequency: of the one that is named, or that breathes",
        lambda row: "–" if row.order is None else f"{row.order:.3f}",
        58,
    ),
    Cell(
        "name",
        "Name",
        "name",
        "What you called it, or a known frequency of the machine",
        lambda row: row.note.name if row.note is not None else "",
    ),
)
USUAL = ("frequency_hz", "amplitude", "behaviour")
PAGE = 30  # peaks that are listed at a time
SORT_ROLE, FILTER_ROLE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_ASKED = {
    SORT_ROLE,
    FILTER_ROLE,
    Qt.ItemDataRole.DisplayRole,
    Qt.ItemDataRole.TextAlignmentRole,
    Qt.ItemDataRole.ForegroundRole,
    Qt.ItemDataRole.FontRole,
    Qt.ItemDataRole.ToolTipRole,
}
"""What a cell answers: the table asks for as much again, thousands of times for a new list."""


class FilteredRows(QSortFilterProxyModel):
    """Rows that hold what was typed, letters large or small."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.setSortRole(SORT_ROLE)
        self.setFilterRole(FILTER_ROLE)
        self.setFilterCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)


class PeaksModel(QAbstractTableModel):
    """A row a peak, with the columns that were chosen."""

    def __init__(self, parent: QObject, said: Callable[[], Knowledge]) -> None:
        super().__init__(parent)
        self._said = said
        self._analysis: Analysis | None = None
        self._peaks: tuple[Peak, ...] = ()
        self._rows: tuple[Knowledge | None, dict[int, PeakRow]] = (None, {})
        self.every: tuple[Peak, ...] = ()
        self.folded: tuple[Peak, ...] = ()
        self.page, self.whole, self.unfolded = 0, False, False
        self._values: dict[str, Column[PeakRow]] = {c.key: c for c in peak_columns("")}
        self.columns = tuple(column for column in COLUMNS if column.key in USUAL)

    def choose(self, keys: tuple[str, ...]) -> None:
        """Have these columns; the frequency is always one of them."""
        self.beginResetModel()
        wanted = {"frequency_hz", *keys}
        self.columns = tuple(column for column in COLUMNS if column.key in wanted)
        self.endResetModel()

    def show(self, analysis: Analysis | None) -> None:
        """Take an analysis's peaks."""
        self.beginResetModel()
        self._analysis = analysis
        self._take()
        self.page = min(self.page, self.pages - 1)
        self._list()
        self.endResetModel()

    def fold(self, folded: bool) -> None:
        """List those that stand for a moment only as well, or not."""
        self.beginResetModel()
        self.unfolded = not folded
        self._take()
        self._list()
        self.endResetModel()

    def _take(self) -> None:
        """The peaks that are listed, and those that are folded."""
        analysis = self._analysis
        self.every = () if analysis is None else analysis.peaks or ()
        self.folded = () if analysis is None else analysis.momentary
        if self.folded and not self.unfolded and not self.whole:
            gone = set(map(id, self.folded))
            self.every = tuple(peak for peak in self.every if id(peak) not in gone)

    @property
    def pages(self) -> int:
        """How many pages there are, at least one."""
        return max(1, -(-len(self.every) // PAGE))

    @property
    def limits(self) -> tuple[int, int]:
        """Which of the peaks are listed, by falling level: the first, from 1, and the last."""
        first = self.page * PAGE
        return first + 1, min(first + PAGE, len(self.every))

    def turn(self, page: int, *, whole: bool = False) -> None:
        """List another page, or all peaks at once."""
        self.beginResetModel()
        self.whole = whole
        self._take()
        self.page = min(max(page, 0), self.pages - 1)
        self._list()
        self.endResetModel()

    def _list(self) -> None:
        """The peaks of the page, by frequency."""
        self._rows = (None, {})
        if self.whole or self.pages == 1:
            self._peaks = self.every
            return
        first, last = self.limits
        falling = sorted(self.every, key=lambda peak: -peak.level)[first - 1 : last]
        self._peaks = tuple(sorted(falling, key=lambda peak: peak.tone.frequency))

    def peak(self, row: int) -> Peak:
        return self._peaks[row]

    def row_of(self, peak: Peak) -> int | None:
        """The row of a peak, None when it is not here."""
        return self._peaks.index(peak) if peak in self._peaks else None

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self._peaks)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.columns)

    def _row(self, number: int) -> PeakRow:
        """What is known of a row, made once: the table asks for each cell some ten times."""
        assert self._analysis is not None
        said, rows = self._rows
        if said is not (now := self._said()):
            said, rows = self._rows = now, {}
        if number not in rows:
            rows[number] = PeakRow(self._peaks[number], self._analysis, now)
        return rows[number]

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid() or role not in _ASKED:
            return None
        column = self.columns[index.column()]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _side(column)
        row = self._row(index.row())
        if role == SORT_ROLE:
            value = self._values[column.key].value(row)
            missing = value is None or (isinstance(value, float) and math.isnan(value))
            return ("" if column.key == "behaviour" else -math.inf) if missing else value
        if role == Qt.ItemDataRole.DisplayRole:
            return column.brief(row)
        note = row.note
        if role == FILTER_ROLE:
            cells = [one.brief(row) for one in self.columns]
            return " ".join([*cells, "" if note is None else note.words])
        if role == Qt.ItemDataRole.ForegroundRole and note is not None and note.aside:
            return QColor(current_theme().quiet)
        if role == Qt.ItemDataRole.FontRole and note is not None and note.aside:
            struck = font()
            struck.setItalic(True)
            return struck
        if role == Qt.ItemDataRole.ToolTipRole and column.key == "behaviour":
            return words(row.doing).capitalize()
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
            return _side(column)
        return None


def _side(column: Cell) -> int:
    side = Qt.AlignmentFlag.AlignLeft if column.key == "name" else Qt.AlignmentFlag.AlignRight
    return int(side | Qt.AlignmentFlag.AlignVCenter)
