"""The peaks one by one: a table, its columns, and the chosen peak in full."""

from __future__ import annotations

import math

from PyQt6.QtCore import QModelIndex, QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QMenu,
    QStackedLayout,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.find.peaks import Peak
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.behaviour import words
from tonecomb.core.say.numbers import with_std
from tonecomb.desktop.edits.combs import Combs
from tonecomb.desktop.edits.peak_notes import PeakNotes
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import label, link, row
from tonecomb.desktop.readings.model import COLUMNS, USUAL, FilteredRows, PeaksModel
from tonecomb.formats import readings


class PeakReadings(QWidget):
    """``chosen`` carries the peak that was picked."""

    chosen = pyqtSignal(object)

    def __init__(self, notes: PeakNotes, combs: Combs) -> None:
        super().__init__()
        self._notes, self._combs = notes, combs
        self._analysis: Analysis | None = None
        self.model = PeaksModel(self, lambda: notes.knowledge)
        self.sorted = FilteredRows(self)
        self.sorted.setSourceModel(self.model)
        self.table = self._make_table()
        self._empty = label("", "quiet", wrap=True)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.detail = label("", "", wrap=True)
        self.detail.setFont(font())
        self.detail.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._pages = QStackedLayout()
        self._pages.addWidget(self._empty)
        self._pages.addWidget(self.table)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(self._pages, 1)
        self.back = link("‹ higher", "List the higher peaks (Ctrl+PgUp)", lambda: self.turn(-1))
        self.on = link("lower ›", "List the lower peaks (Ctrl+PgDown)", lambda: self.turn(1))
        self.listed = label("", "quiet")
        self._turning = QWidget()
        line = row(self.back, self.listed, self.on, None, spacing=8)
        line.setContentsMargins(0, 0, 0, 0)
        self._turning.setLayout(line)
        column.addWidget(self._turning)
        self.fold = link("", "Peaks that stand in under 5 % of the frames", self._fold)
        column.addWidget(self.fold, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.detail)
        kept = settings.settings().value("peak columns", list(USUAL))
        self.choose_columns(tuple([kept] if isinstance(kept, str) else kept or ()))

    def _make_table(self) -> QTableView:
        table = QTableView()
        table.setModel(self.sorted)
        table.setSortingEnabled(True)
        table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        table.setShowGrid(False)
        table.setFont(font())
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setAccessibleName("Peaks")
        table.setTabKeyNavigation(False)
        table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        table.customContextMenuRequested.connect(self.open_menu)
        rows, columns = table.verticalHeader(), table.horizontalHeader()
        assert rows is not None and columns is not None
        rows.hide()
        rows.setDefaultSectionSize(22)
        columns.setHighlightSections(False)
        columns.setMinimumSectionSize(30)
        columns.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        columns.customContextMenuRequested.connect(
            lambda at: self.column_menu(columns.mapToGlobal(at))
        )
        chosen = table.selectionModel()
        assert chosen is not None
        chosen.currentRowChanged.connect(self._picked)
        return table

    def choose_columns(self, keys: tuple[str, ...]) -> None:
        """Show these columns."""
        self.model.choose(keys)
        header = self.table.horizontalHeader()
        assert header is not None
        named = any(column.key == "name" for column in self.model.columns)
        for i, column in enumerate(self.model.columns):
            # A name takes what the figures leave; without one they share it.
            wide = QHeaderView.ResizeMode.Interactive if named else QHeaderView.ResizeMode.Stretch
            mode = QHeaderView.ResizeMode.Fixed if column.width else wide
            if column.key in (
                "frequency_hz",
                "amplitude",
            ):  # cut off it is misread
                mode = QHeaderView.ResizeMode.ResizeToContents
            header.setSectionResizeMode(i, mode)
            if column.width or named:
                header.resizeSection(i, column.width or 72)
        header.setStretchLastSection(named)

    def column_menu(self, at: QPoint) -> None:
        """Choose columns; the choice is kept for the next time."""
        menu = QMenu(self)
        texts = [column.key for column in self.model.columns]
        for column in COLUMNS[1:]:
            action = menu.addAction(column.name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(column.key in texts)
            action.triggered.connect(lambda on, key=column.key: self._toggle(key, on))
        menu.exec(at)

    def _toggle(self, key: str, on: bool) -> None:
        texts = [column.key for column in self.model.columns if column.key != key]
        keys = (*texts, key) if on else tuple(texts)
        self.choose_columns(keys)
        settings.settings().setValue("peak columns", list(keys))

    def turn(self, by: int) -> None:
        """List the next peaks by falling level, or those before."""
        self.model.turn(self.model.page + by)
        self._tell_page()
        self.tell()

    def _tell_page(self) -> None:
        """Which of the peaks are listed, where those are not all."""
        model = self.model
        self._turning.setVisible(model.pages > 1 and not model.whole)
        first, last = model.limits
        self.listed.setText(f"{first}–{last} of {len(model.every)}")
        self.back.setEnabled(model.page > 0)
        self.on.setEnabled(model.page + 1 < model.pages)
        count = len(model.folded)
        self.fold.setVisible(count > 0 and not model.whole)
        fold = f"Fold the {count} in under 5 %"
        self.fold.setText(fold if model.unfolded else f"{count} more, each in under 5 %")

    def _fold(self) -> None:
        """List those that stand for a moment only, or fold them again."""
        self.model.fold(self.model.unfolded)
        self._tell_page()
        self.tell()

    def filter(self, text: str) -> None:
        """Show only rows that hold this, of all peaks."""
        if bool(text) != self.model.whole:
            self.model.turn(self.model.page, whole=bool(text))
            self._tell_page()
        self.sorted.setFilterFixedString(text)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show an analysis's peaks; the chosen row stays if its peak is still there."""
        before = self.current_peak()
        self._analysis = analysis
        self.model.show(analysis)
        self._tell_page()
        peaks = None if analysis is None else analysis.peaks
        self._pages.setCurrentIndex(1 if peaks else 0)
        if analysis is None:
            self._empty.setText("Nothing is analysed yet.")
        elif peaks is None:
            self._empty.setText("Refining the peaks …")
        else:
            self._empty.setText("No peak stands out this far. Ask for weaker ones above.")
        if before is not None and (at := self.model.row_of(before)) is not None:
            # The same peak is not a new choice: the spectrum's zoom stays.
            self.blockSignals(True)
            self.table.selectRow(self.sorted.mapFromSource(self.model.index(at, 0)).row())
            self.blockSignals(False)
        self.tell()

    def open_menu(self, at: QPoint) -> None:
        index = self.table.indexAt(at)
        if not index.isValid():
            return
        self.table.selectRow(index.row())
        peak = self.current_peak()
        if peak is None:
            return
        note = self._notes.of(peak)
        menu = QMenu(self)
        back = note is not None and bool(note.aside)
        marked = note is not None and note.marked
        entries = [
            ("Name…", self._notes.name),
            ("Take it back" if back else "Set aside…", self._notes.set_aside),
            ("Take its mark away" if marked else "Mark in every view", self._notes.mark),
            ("Sidebands about it", self._combs.sidebands_at),
        ]
        if peak.by_hand:
            entries.append(("Let it go", self._notes.let_go))
        for text, act in entries:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, act=act: act(peak))
        viewport = self.table.viewport()
        assert viewport is not None
        menu.exec(viewport.mapToGlobal(at))

    def current_peak(self) -> Peak | None:
        """The peak of the chosen row."""
        index = self.sorted.mapToSource(self.table.currentIndex())
        return self.model.peak(index.row()) if index.isValid() else None

    def text(self) -> str:
        """The peaks for the clipboard, "" where there are none."""
        if self._analysis is None or not self._analysis.peaks:
            return ""
        return readings.peaks(self._analysis, self._notes.knowledge).tabbed()

    def step(self, by: int) -> None:
        """Go ``by`` rows further."""
        rows = self.sorted.rowCount()
        if rows:
            at = self.table.currentIndex().row()
            self.table.selectRow(min(max(at + by, 0), rows - 1) if at >= 0 else 0)

    def refresh(self) -> None:
        """Names, and what is set aside, may have changed."""
        viewport = self.table.viewport()
        assert viewport is not None
        viewport.update()
        self.tell()

    def _picked(self, index: QModelIndex) -> None:
        self.tell()
        if index.isValid() and (peak := self.current_peak()) is not None:
            self.chosen.emit(peak)

    def tell(self) -> None:
        """The chosen peak in full."""
        analysis, peak = self._analysis, self.current_peak()
        self.detail.setVisible(analysis is not None and peak is not None)
        if analysis is None or peak is None:
            self.detail.setText("")
            return
        tone, (amplitude, std) = peak.tone, analysis.amplitude(peak)
        phase = "phase wanders over the stretch"
        if not math.isnan(tone.phase_deg):
            angle = f"{tone.phase_deg:.1f}".replace("-", "−")
            phase = f"{angle}° ± {max(tone.phase_std_deg, 0.1):.1f}°"
        lines = [
            f"{with_std(tone.frequency, tone.frequency_std)} Hz",
            f"{with_std(amplitude, std)} {analysis.amplitude_unit}",
            phase,
            words(peak.behaviour),
            f"{peak.above_floor_db:.0f} dB above the noise floor"
            + (", picked by hand" if peak.by_hand else ""),
        ]
        doing = peak.behaviour
        if doing is not None and doing.share < 1:
            present = amplitude * analysis.present(peak) / max(tone.amplitude, 1e-300)
            lines[3] += f", at {present:.4g} {analysis.amplitude_unit} then"
        if (order := self._notes.order(tone.frequency)) is not None:
            lines.append(f"order {order:.4f}")
        if (note := self._notes.of(peak)) is not None and note.words:
            lines.append(note.words)
        if (one := analysis.resonance(peak)) is not None:
            lines.append(f"resonance, damping {100 * one.damping:.3g} %")
        self.detail.setText("\n".join(lines))
