"""Asking how many recordings are to be analysed alike, and the overview of what came of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QSortFilterProxyModel,
    Qt,
    QTimer,
    pyqtSignal,
)
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QHeaderView,
    QLineEdit,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from tonecomb.batches.one import ChannelOutcome, Outcome, counted
from tonecomb.batches.overview import sorted_channels
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.numbers import significant
from tonecomb.desktop.dialogs.form import Form
from tonecomb.desktop.dialogs.limit_curve import LimitCurve
from tonecomb.desktop.kit.theme import current_theme
from tonecomb.desktop.kit.widgets import Number, label, link, row

_GATHER_MS = 250  # in which what comes is shown together
_RESULTS = "Tone Comb"  # the folder that is proposed
_SORT = Qt.ItemDataRole.UserRole


@dataclass(frozen=True)
class Offered:
    """The ``count`` recordings of a folder, the method's ``sentence``, the ``unit`` of limits, the
    name of the ``held`` trace ("" for none), and what is ``shown``, over which a curve is drawn."""

    count: int
    folder: Path
    sentence: str
    unit: str
    held: str = ""
    shown: Analysis | None = None


class ManyDialog(Form):
    """How the recordings of a folder are analysed: all like what is shown, into a folder, within
    limits."""

    def __init__(self, parent: QWidget, of: Offered) -> None:
        super().__init__(parent)
        count, folder, sentence, unit, held = of.count, of.folder, of.sentence, of.unit, of.held
        self.setWindowTitle("All of these, like this")
        self.setMinimumWidth(560)
        column = QVBoxLayout(self)
        column.setSpacing(10)
        files = "1 recording" if count == 1 else f"{count} recordings"
        column.addWidget(label(f"{files} in {folder.name or folder}, every channel by", wrap=True))
        column.addWidget(label(sentence, "strong", wrap=True))
        self._folder = folder
        self.out = QLineEdit(str(folder / _RESULTS))
        self.out.setAccessibleName("Folder for tables, reports and overview")
        self.out.setToolTip("Tables, reports and the overview go there")
        choose = link("Choose…", "Choose the folder", self._choose)
        column.addLayout(row(label("into"), self.out, choose))
        self.most = Number(0.0, 0.0, 1e12, 4, unit, shortest=True)
        self.most.setAccessibleName("Overall rms at most")
        column.addLayout(
            row(label("Overall rms at most"), self.most, label("(0: any)", "quiet"), None)
        )
        self.below = QCheckBox(f"No more than the held trace {held} and")
        self.margin = Number(6.0, 0.0, 60.0, 1, "dB")
        self.margin.setAccessibleName("Margin over the held trace")
        column.addLayout(row(self.below, self.margin, None))
        for one in (self.below, self.margin):
            one.setVisible(bool(held))
        self.drawn = QCheckBox("No more than a curve")
        self.curve = _curve(of)
        self.curve.hide()
        self.drawn.toggled.connect(self._draw)
        column.addWidget(self.drawn)
        column.addWidget(self.curve)
        self.reports = QCheckBox("With a report of every channel")
        self.reports.setToolTip("They take longer than the analysis")
        column.addWidget(self.reports)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        buttons.addButton(f"Analyse {files}", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)

    @property
    def chosen(self) -> Path:
        """Where results go: what is typed counts from the recordings' folder, as it is shown, not
        from wherever the program was started."""
        return self._folder / (self.out.text().strip() or _RESULTS)

    def _draw(self, wanted: bool) -> None:
        self.curve.setVisible(wanted)
        self.adjustSize()

    def _accept(self) -> None:
        if self.drawn.isChecked() and len(self.curve.points) < 2:
            self.curve.wrong.setText("A curve takes two points or more: click where they are.")
            return
        self.accept()

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Folder for results", str(self.chosen))
        if chosen:
            self.out.setText(chosen)


def _curve(of: Offered) -> LimitCurve:
    """Over the spectrum that is shown, where one is."""
    if (analysis := of.shown) is None:
        return LimitCurve(np.empty(0), np.empty(0), of.unit)
    symbol = analysis.unit.scaled(analysis.method.shown.scaling, analysis.method.shown.level)
    return LimitCurve(analysis.spectrum.frequency, analysis.values, symbol)


_HEADS = ("Recording", "Channel", "Taken", "Rms", "Zone", "In short")


WAITS = "…"
"""What stands for the zone of a recording that is not done yet."""


class _Rows(QAbstractTableModel):
    """A row a channel, or a file that could not be used; below them a row for each that waits."""

    def __init__(
        self, parent: QWidget, outcomes: Sequence[Outcome], waiting: Sequence[Path] = ()
    ) -> None:
        super().__init__(parent)
        self.outcomes: list[Outcome] = []
        self._waiting = {str(path): Outcome(str(path), path.stem, "") for path in waiting}
        self.rows: list[tuple[Outcome, ChannelOutcome | None]] = []
        self.add(outcomes)

    def add(self, outcomes: Sequence[Outcome]) -> None:
        """Those are done."""
        self.beginResetModel()
        self.outcomes += outcomes
        for one in outcomes:
            self._waiting.pop(one.path, None)
        failed = [(one, None) for one in self.outcomes if one.failed]
        waiting = [(one, None) for one in self._waiting.values()]
        self.rows = [*failed, *sorted_channels(self.outcomes), *waiting]
        self.endResetModel()

    @property
    def waiting(self) -> int:
        """How many are not done yet."""
        return len(self._waiting)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(_HEADS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        across = orientation == Qt.Orientation.Horizontal
        if across and role == Qt.ItemDataRole.TextAlignmentRole and section == 3:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        return _HEADS[section] if across and role == Qt.ItemDataRole.DisplayRole else None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        one, outcome = self.rows[index.row()]
        column = index.column()
        if role == _SORT:
            waits = outcome is None and not one.failed
            if column == 3:
                return -1.0 if waits else math.inf if outcome is None else outcome.rms
            if column == 4:
                return 1 if waits else -math.inf if outcome is None else -len(outcome.exceeded)
            return self._cell(one, outcome, column).lower()
        if role == Qt.ItemDataRole.DisplayRole:
            return self._cell(one, outcome, column)
        if role == Qt.ItemDataRole.TextAlignmentRole and column == 3:
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.ToolTipRole:
            return one.failed or (
                one.path
                if outcome is None or column == 0
                else "\n".join((*outcome.standing, *outcome.short))
            )
        bad = one.failed or (outcome is not None and outcome.exceeded)
        if role == Qt.ItemDataRole.ForegroundRole and bad and column in (0, 4):
            return QColor(current_theme().fault)
        return None

    @staticmethod
    def _cell(one: Outcome, told: ChannelOutcome | None, column: int) -> str:
        if told is None:
            zone = "could not be used" if one.failed else WAITS
            return (one.name, "", "", "", zone, one.failed)[column]
        zone = "; ".join(told.standing)
        taken = one.start[:16].replace("T", " ")
        return (
            one.name,
            told.channel,
            taken,
            f"{significant(told.rms)} {told.unit}",
            zone,
            " ".join(told.short),
        )[column]


class OverviewDialog(QDialog):
    """What came of many recordings, what exceeds a limit first, and those that ``wait``; ``opened``
    carries the file of the row that was chosen. It stands beside the bench."""

    opened = pyqtSignal(object)

    def __init__(
        self,
        parent: QWidget,
        outcomes: Sequence[Outcome],
        told: str,
        page: Path,
        waiting: Sequence[Path] = (),
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Overview of {len(outcomes) + len(waiting)} recordings")
        self.resize(1000, 560)
        self.page = page
        column = QVBoxLayout(self)
        self.told = label(told, "strong", wrap=True)
        column.addWidget(self.told)
        self.model = _Rows(self, outcomes, waiting)
        self._came: list[Outcome] = []
        self._gathered = QTimer(self)
        self._gathered.setSingleShot(True)
        self._gathered.setInterval(_GATHER_MS)
        self._gathered.timeout.connect(self._show_came)
        self.sorted = QSortFilterProxyModel(self)
        self.sorted.setSourceModel(self.model)
        self.sorted.setSortRole(_SORT)
        self.table = QTableView()
        self.table.setModel(self.sorted)
        self.table.setAccessibleName("Recordings, the worst first")
        self.table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QTableView.SelectionMode.SingleSelection)
        self.table.setSortingEnabled(True)
        self.table.setShowGrid(False)
        self.table.setTabKeyNavigation(False)
        self.table.setToolTip("Return, or a double click, opens the recording")
        self.table.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
        upright, across = self.table.verticalHeader(), self.table.horizontalHeader()
        assert upright is not None and across is not None
        upright.hide()
        upright.setDefaultSectionSize(26)
        for i, width in enumerate((150, 110, 130, 100, 230)):
            across.resizeSection(i, width)
        across.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        across.setSectionResizeMode(len(_HEADS) - 1, QHeaderView.ResizeMode.Stretch)
        self.table.activated.connect(self._open)
        column.addWidget(self.table, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        column.addWidget(buttons)

    def add(self, outcome: Outcome) -> None:
        """One more is done; it is shown with others that come about now."""
        self._came.append(outcome)
        if not self._gathered.isActive():
            self._gathered.start()

    def finish(self, told: str) -> None:
        """Nothing more comes."""
        self._show_came()
        self.told.setText(told)

    def _show_came(self) -> None:
        self._gathered.stop()
        chosen = self.table.selectionModel()
        rows = chosen.selectedRows() if chosen is not None else []
        kept = self.sorted.mapToSource(rows[0]).row() if rows else -1
        path = self.model.rows[kept][0].path if kept >= 0 else ""
        self.model.add(self._came)
        self._came = []
        done = self.model.outcomes
        if self.model.waiting:
            every = len(done) + self.model.waiting
            self.told.setText(f"{len(done)} of {every} recordings: {counted(done)}.")
        at = next((i for i, (one, _) in enumerate(self.model.rows) if one.path == path), None)
        if at is not None:
            self.table.selectRow(self.sorted.mapFromSource(self.model.index(at, 0)).row())

    def _open(self, index: QModelIndex) -> None:
        one, _ = self.model.rows[self.sorted.mapToSource(index).row()]
        self.opened.emit(Path(one.path))
