"""Readings: the peaks, the overall level, and what is wrong with the recording."""

from __future__ import annotations

import math

from PyQt6.QtCore import QModelIndex, QPoint, QSortFilterProxyModel, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFrame,
    QHeaderView,
    QMenu,
    QSizePolicy,
    QStackedLayout,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.analysis import Analysis
from tonecomb.core.cautions import Caution
from tonecomb.core.peaks import Peak
from tonecomb.desktop.combs import Combs
from tonecomb.desktop.method_line.popovers import search_popover
from tonecomb.desktop.peak_notes import PeakNotes
from tonecomb.desktop.readings.bands import BandReadings
from tonecomb.desktop.readings.combs import CombReadings
from tonecomb.desktop.readings.model import SORT_ROLE, PeaksModel
from tonecomb.desktop.readings.stretch import StretchReadings
from tonecomb.desktop.store import Store
from tonecomb.desktop.theme import font
from tonecomb.desktop.widgets import label, link, panel, row, rule
from tonecomb.formats import tables
from tonecomb.formats.figures import with_std

_AT_ONCE = 3  # cautions that are shown together


class Readings(QWidget):
    """The right column. ``peak_chosen`` carries the peak that was picked, ``remedy_chosen`` the
    caution whose advice is taken."""

    peak_chosen = pyqtSignal(object)
    remedy_chosen = pyqtSignal(object)
    bands_wanted = pyqtSignal()
    place_chosen = pyqtSignal(float)

    def __init__(self, store: Store, combs: Combs, notes: PeakNotes) -> None:
        super().__init__()
        self._store = store
        self._analysis: Analysis | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame = panel()
        outer.addWidget(frame)
        column = QVBoxLayout(frame)
        column.setContentsMargins(12, 10, 8, 10)
        column.setSpacing(6)
        self._count = label("", "quiet")
        self._tabs = {
            "peaks": link("Peaks", "Tones one by one", lambda: self.show_page("peaks")),
            "combs": link("Combs", "Families of harmonics and sidebands",
                          lambda: self.show_page("combs")),
        }  # fmt: skip
        column.addLayout(row(*self._tabs.values(), None, self._count, spacing=12))
        self._search = link("", "Change which peaks are found", self.edit_search)
        column.addWidget(self._search)
        self.notes = notes
        self.model = PeaksModel(self, notes.of)
        self.sorted = QSortFilterProxyModel(self)
        self.sorted.setSourceModel(self.model)
        self.sorted.setSortRole(SORT_ROLE)
        self.table = self._make_table()
        self._empty = label("", "quiet", wrap=True)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._pages = QStackedLayout()
        self._pages.addWidget(self._empty)
        self._pages.addWidget(self.table)
        self.combs = CombReadings(combs)
        self.combs.chosen.connect(self.place_chosen)
        self._pages.addWidget(self.combs)
        self._page = "peaks"
        self._combs = combs
        combs.changed.connect(self._combs_changed)
        column.addLayout(self._pages, 1)
        column.addWidget(rule())
        self.stretch = StretchReadings()
        column.addWidget(self.stretch)
        self.bands = BandReadings()
        self.bands.wanted.connect(self.bands_wanted)
        column.addWidget(self.bands)
        self._detail = label("", "", wrap=True)
        self._detail.setFont(font())
        self._detail.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column.addWidget(self._detail)
        self._problems = QVBoxLayout()
        self._problems.setSpacing(6)
        column.addLayout(self._problems)
        self._cautions: tuple[Caution, ...] = ()
        self._first_caution = 0
        store.changed.connect(self._refresh_search)
        store.changed.connect(self._noted)
        self.show_analysis(None)

    def _make_table(self) -> QTableView:
        table = QTableView()
        table.setModel(self.sorted)
        table.setSortingEnabled(True)
        table.sortByColumn(0, Qt.SortOrder.AscendingOrder)
        table.setShowGrid(False)
        table.setFont(font())
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        table.setAccessibleName("Peaks")
        table.setTabKeyNavigation(False)
        table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        table.customContextMenuRequested.connect(self._menu)
        rows, columns = table.verticalHeader(), table.horizontalHeader()
        assert rows is not None and columns is not None
        rows.hide()
        rows.setDefaultSectionSize(22)
        columns.setHighlightSections(False)
        columns.setMinimumSectionSize(30)
        columns.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for section, width in ((2, 42), (3, 38)):
            columns.setSectionResizeMode(section, QHeaderView.ResizeMode.Fixed)
            columns.resizeSection(section, width)
        chosen = table.selectionModel()
        assert chosen is not None
        chosen.currentRowChanged.connect(self._picked)
        return table

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show an analysis's peaks; the chosen row stays if its peak is still there."""
        before = self.current_peak()
        self._analysis = analysis
        self.bands.show_analysis(analysis)
        self.model.show(analysis)
        peaks = None if analysis is None else analysis.peaks
        self._count.setText(self._counted(analysis))
        self._turn()
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
        self._refresh_search()
        self._tell()

    def show_page(self, name: str) -> None:
        """Show the ``peaks`` or the ``combs``."""
        self._page = name
        self._turn()
        self._tell()

    def _turn(self) -> None:
        peaks = None if self._analysis is None else self._analysis.peaks
        on_combs = self._page == "combs"
        self._pages.setCurrentIndex(2 if on_combs else 1 if peaks else 0)
        self._search.setVisible(not on_combs and self._store.method is not None)
        count = len(self._combs.shown)
        self._tabs["combs"].setText(f"Combs {count}" if count else "Combs")
        for tab, button in self._tabs.items():
            button.setObjectName("tab" if tab == self._page else "link")
            if (style := button.style()) is not None:
                style.unpolish(button)
                style.polish(button)
        self._count.setVisible(not on_combs)

    def _combs_changed(self) -> None:
        self.combs.refresh(self._analysis)
        self._turn()

    @staticmethod
    def _counted(analysis: Analysis | None) -> str:
        """How many peaks there are, and whether that is only as many as were asked for."""
        if analysis is None or analysis.peaks is None:
            return ""
        count = len(analysis.peaks)
        return f"the highest {count}" if count == analysis.method.search.most else str(count)

    def show_cautions(self, cautions: tuple[Caution, ...]) -> None:
        """What should be known before the readings are trusted, each with its remedy."""
        if cautions != self._cautions:
            self._cautions, self._first_caution = cautions, 0
            self._deal_cautions()

    def _deal_cautions(self) -> None:
        """A few at a time, so that they leave room for the peaks."""
        while (item := self._problems.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        first, count = self._first_caution, len(self._cautions)
        for caution in self._cautions[first : first + _AT_ONCE]:
            self._problems.addWidget(self._card(caution))
        if count > _AT_ONCE:
            last = min(first + _AT_ONCE, count)
            shown = f"{first + 1}–{last}" if last > first + 1 else f"{last}"
            text = f"{shown} of {count} cautions, show others"
            self._problems.addWidget(link(text, "Look at the next ones", self._turn_cautions))

    def _turn_cautions(self) -> None:
        following = self._first_caution + _AT_ONCE
        self._first_caution = following if following < len(self._cautions) else 0
        self._deal_cautions()

    def _card(self, caution: Caution) -> QFrame:
        card = QFrame()
        card.setObjectName("problem")
        card.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Maximum)
        inside = QVBoxLayout(card)
        inside.setContentsMargins(8, 4, 8, 4)
        inside.setSpacing(2)
        words = label(caution.text, "", wrap=True)
        words.setFont(font(9))
        words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        inside.addWidget(words)
        if caution.remedy:
            tip = "Change the method so; Ctrl+Z takes it back"
            take = link(caution.remedy, tip, lambda: self.remedy_chosen.emit(caution))
            inside.addWidget(take)
        return card

    def _menu(self, at: QPoint) -> None:
        index = self.table.indexAt(at)
        if not index.isValid():
            return
        self.table.selectRow(index.row())
        peak = self.current_peak()
        note = self.notes.of(peak) if peak is not None else None
        menu = QMenu(self)
        back = note is not None and bool(note.aside)
        for text, act in (
            ("Name…", self.notes.name),
            ("Take it back" if back else "Set aside…", self.notes.set_aside),
        ):
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

    def copy(self) -> bool:
        """Put the peaks on the clipboard as text; False when there are none."""
        clipboard = QGuiApplication.clipboard()
        if self._analysis is None or not self._analysis.peaks or clipboard is None:
            return False
        clipboard.setText(tables.peaks_text(self._analysis))
        return True

    def _picked(self, index: QModelIndex) -> None:
        self._tell()
        if index.isValid() and (peak := self.current_peak()) is not None:
            self.peak_chosen.emit(peak)

    def _tell(self) -> None:
        """The chosen peak in full, or the overall level."""
        analysis, peak = self._analysis, self.current_peak()
        if analysis is None:
            self._detail.setText("")
            return
        self._detail.setVisible(peak is not None and self._page == "peaks")
        if peak is None:
            self._detail.setText("")
            return
        tone, (amplitude, std) = peak.tone, analysis.amplitude(peak)
        phase = "phase wanders over the stretch"
        if not math.isnan(tone.phase_deg):
            angle = f"{tone.phase_deg:.1f}".replace("-", "−")
            phase = f"{angle}° ± {max(tone.phase_std_deg, 0.1):.1f}°"
        self._detail.setText(
            f"{with_std(tone.frequency, tone.frequency_std)} Hz\n"
            f"{with_std(amplitude, std)} {analysis.amplitude_unit}\n"
            f"{phase}\n{peak.above_floor_db:.0f} dB above the noise floor"
            f"{self._mode(analysis, peak)}"
            + ("" if (note := self.notes.of(peak)) is None else f"\n{note.words}")
        )

    @staticmethod
    def _mode(analysis: Analysis, peak: Peak) -> str:
        """The resonance under a peak, with the half-power figure beside the fit."""
        one = analysis.resonance(peak)
        if one is None:
            return ""
        damping = with_std(100 * one.damping, 100 * one.damping_std)
        excited = "a decay" if one.kind == "decay" else "excited by noise"
        return (
            f"\nresonance ({excited})\n{with_std(one.frequency, one.frequency_std)} Hz"
            f"\ndamping {damping} %, Q {one.q:.4g}"
            f"\nbandwidth {one.bandwidth:.4g} Hz ({one.half_power:.4g} as drawn)"
        )

    def _refresh_search(self) -> None:
        method = self._store.method
        self._search.setVisible(method is not None and self._page == "peaks")
        if method is None:
            return
        search = method.search
        text = f"{search.above_db:g} dB down, {search.prominence_db:g} dB prominent"
        if search.low is not None or search.high is not None:
            low = f"{search.low or 0:g}"
            text += f"\n{low}–{search.high:g} Hz" if search.high else f"\nfrom {low} Hz"
        self._search.setText(text)

    def _noted(self) -> None:
        """Names, and what is set aside, may have changed."""
        viewport = self.table.viewport()
        assert viewport is not None
        viewport.update()
        self._tell()

    def step(self, by: int) -> None:
        """Go ``by`` rows further in the table."""
        rows = self.sorted.rowCount()
        if rows:
            at = self.table.currentIndex().row()
            self.table.selectRow(min(max(at + by, 0), rows - 1) if at >= 0 else 0)

    def edit_search(self) -> None:
        """Open the popover of the search for peaks."""
        recording, method = self._store.current, self._store.method
        if recording is not None and method is not None:
            popover = search_popover(self._store, recording, method, self)
            popover.open_below(self._search, popover.focusProxy())
