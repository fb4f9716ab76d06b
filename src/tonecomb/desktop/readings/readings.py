"""Readings: peaks, combs, resonances and levels, figures of the stretch, and the cautions."""

from __future__ import annotations

from functools import partial
from typing import Protocol

from PyQt6.QtCore import QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QGuiApplication, QResizeEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QSizePolicy, QStackedLayout, QVBoxLayout, QWidget

from tonecomb.core.find.peaks import Peak
from tonecomb.core.record.statistics import StretchFigures
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.transfer import Transfer
from tonecomb.core.say.caution import Caution
from tonecomb.core.say.glossary import meaning
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.kit.widgets import label, link, panel, row, rule
from tonecomb.desktop.readings.changes import ChangeReadings
from tonecomb.desktop.readings.combs import CombReadings
from tonecomb.desktop.readings.events import EventReadings
from tonecomb.desktop.readings.levels import LevelReadings
from tonecomb.desktop.readings.modes import ModeReadings
from tonecomb.desktop.readings.peaks import PeakReadings
from tonecomb.desktop.readings.resonances import ResonanceReadings
from tonecomb.desktop.readings.search import search_popover
from tonecomb.desktop.readings.short import ShortReadings
from tonecomb.desktop.readings.stretch import StretchReadings
from tonecomb.desktop.readings.truth import TruthReadings

_AT_ONCE = 3  # cautions that are shown together
_ABOVE, _ABOVE_EMPTY, _LINE = 523, 398, 15  # pixels that all else needs, with an analysis and
# without, and that a line of a caution takes
_CARD = 180  # pixels for the words of one


def _height(text: str) -> int:
    """Pixels that the words of a card need."""
    inside = QRect(0, 0, _CARD, 10_000)
    return QFontMetrics(font(9)).boundingRect(inside, Qt.TextFlag.TextWordWrap, text).height()


def _lines(caution: Caution) -> int:
    """Lines of a card, its remedy and margin included."""
    words = _height(caution.text) // QFontMetrics(font(9)).lineSpacing()
    return words + (2 if caution.remedy else 1)


class ReadingsPage(Protocol):
    """What every page of the readings can do."""

    def filter(self, text: str) -> None: ...

    def text(self) -> str: ...


_LEAST, _TALL = 260, 430  # pixels: the least, and from where figures stand below the peaks


class Readings(QWidget):
    """The right column. ``peak_chosen`` carries the peak that was picked, ``place_chosen`` a
    frequency and ``range_chosen`` two (Hz), ``remedy_chosen`` the caution whose advice is
    taken."""

    peak_chosen = pyqtSignal(object)
    remedy_chosen = pyqtSignal(object)
    levels_wanted = pyqtSignal()
    place_chosen = pyqtSignal(float)
    range_chosen = pyqtSignal(float, float)

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._store, combs, notes = context.store, context.combs, context.notes
        self._scheduler = context.scheduler
        self._analysis: Analysis | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame = panel()
        outer.addWidget(frame)
        column = QVBoxLayout(frame)
        column.setContentsMargins(12, 10, 8, 10)
        column.setSpacing(6)
        self.short = ShortReadings(notes)
        column.addWidget(self.short)
        self.peaks = PeakReadings(notes, combs)
        self.combs = CombReadings(combs, context.isolating)
        self.resonances, self.levels = ResonanceReadings(context.fits), LevelReadings()
        self.truth = TruthReadings(context.making)
        self.events, self.modes = EventReadings(), ModeReadings(context.store, context.mode_notes)
        self.changes = ChangeReadings(context.changes)
        self.pages: dict[str, ReadingsPage] = {
            "peaks": self.peaks,
            "combs": self.combs,
            "resonances": self.resonances,
            "levels": self.levels,
            "truth": self.truth,
            "events": self.events,
            "modes": self.modes,
            "changes": self.changes,
        }
        words = ("peak", "comb", "resonance", "level", "truth", "event", "mode", "change")
        self.tabs = {
            name: link(name.capitalize(), meaning(word), partial(self.show_page, name))
            for name, word in zip(self.pages, words, strict=True)
        }
        *usual, levels, truth, events, modes, changes = self.tabs.values()
        column.addLayout(row(*usual, None, spacing=10))
        self.search = link("", "Change which peaks are found (P)", self.edit_search)
        self._filtering = link(
            "filter", "Show only rows that hold what you type (Q)", self.focus_filter
        )
        column.addLayout(
            row(levels, truth, events, modes, changes, None, self._filtering, spacing=10)
        )
        column.addLayout(row(self.search, None))
        self.filter_field = QLineEdit()
        self.filter_field.setPlaceholderText("only rows with …")
        self.filter_field.setAccessibleName("Filter")
        self.filter_field.setToolTip("Show only rows that hold what is typed (Q)")
        self.filter_field.setClearButtonEnabled(True)
        self.filter_field.textChanged.connect(self._filtered)
        self.filter_field.editingFinished.connect(self._leave_filter)
        self.filter_field.hide()
        column.addWidget(self.filter_field)
        self._pages = QStackedLayout()
        for one in self.pages.values():
            assert isinstance(one, QWidget)
            self._pages.addWidget(one)
        self.levels.wanted.connect(self.levels_wanted)
        self.levels.chosen.connect(self.range_chosen)
        self.truth.chosen.connect(self.place_chosen)
        self.peaks.chosen.connect(self.peak_chosen)
        self.combs.chosen.connect(self.place_chosen)
        self.resonances.chosen.connect(self.place_chosen)
        self._page, self._events = "peaks", 0
        for name in ("events", "modes", "changes"):
            self.tabs[name].hide()
        held = context.held
        held.changed.connect(lambda: self.offer("changes", held.against is not None))
        self.changes.chosen.connect(self.place_chosen)
        context.changes.changed.connect(self._turn)
        context.watched["transfer"].changed.connect(self._show_transfer)
        self.modes.chosen.connect(self.place_chosen)
        self._combs = combs
        combs.changed.connect(self._combs_changed)
        column.addLayout(self._pages, 1)
        column.addWidget(rule())
        self.stretch = StretchReadings()
        column.addWidget(self.stretch)
        self.cards = QVBoxLayout()
        self.cards.setSpacing(6)
        column.addLayout(self.cards)
        self.cautions: tuple[Caution, ...] = ()
        self._first_caution = self._dealt = 0
        self.short.resized.connect(self._deal_cautions)
        self._store.changed.connect(self._refresh_search)
        self._store.changed.connect(self.peaks.refresh)
        context.results.analysis_changed.connect(self.show_analysis)
        context.figures.changed.connect(self._show_figures)
        context.advice.changed.connect(self.show_cautions)
        self.remedy_chosen.connect(context.advice.take)
        self.setMinimumHeight(_LEAST)
        self.show_analysis(None)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show what was found; rows that were chosen stay if what they show is still there."""
        before = self._analysis
        if self._scheduler.lively and before is not None and analysis is not None:
            same = before.recording_id == analysis.recording_id
            if same and (analysis.found is None or before.found is analysis.found):
                return  # the readings before stay until there are others
        self._analysis = analysis
        self.levels.show_analysis(analysis)
        self.peaks.show_analysis(analysis)
        self.resonances.show_analysis(analysis)
        self.truth.show_analysis(analysis)
        ref = self._store.ref
        known = ref is not None and ref.given.made is not None
        self.tabs["truth"].setVisible(known)
        if self._page == "truth" and not known:
            self._page = "peaks"
        self._filtered()
        self._turn()
        self._refresh_search()
        self.short.follow(analysis, self.cautions)

    def _show_transfer(self, found: Transfer | None) -> None:
        self.modes.show_transfer(found)
        self.tabs["modes"].setVisible(found is not None)
        if found is None and self._page == "modes":
            self._page = "peaks"
        self._turn()
        self._refresh_search()

    def offer(self, page: str, offered: bool) -> None:
        """Whether there is a page that is not always there."""
        self.tabs[page].setVisible(offered)
        if not offered and self._page == page:
            self.show_page("peaks")

    def count_events(self, count: int) -> None:
        """How many there are."""
        self._events = count
        self._turn()

    def set_theme(self, theme: Theme) -> None:
        """Colour what has the colours of the stage."""
        self.truth.show_analysis(self._analysis)
        self.short.set_theme(theme)

    def _show_figures(self, figures: StretchFigures | None) -> None:
        signal, method = self._store.current, self._store.method
        symbol = ""
        if signal is None or method is None or method.source.channel >= len(signal.channels):
            figures = None
        else:
            symbol = signal.channels[method.source.channel].unit
        self.stretch.show_figures(figures, symbol)

    @property
    def page(self) -> str:
        """Which page is shown: ``peaks``, ``combs``, ``resonances`` or ``truth``."""
        return self._page

    def show_page(self, name: str) -> None:
        """Show the ``peaks``, ``combs``, ``resonances``, or the ``truth`` of a made recording."""
        self._page = name
        self._turn()
        self._refresh_search()

    def _turn(self) -> None:
        analysis = self._analysis
        self._pages.setCurrentIndex(list(self.pages).index(self._page))
        counts = {
            "peaks": 0 if analysis is None else len(analysis.peaks or ()),
            "combs": len(self._combs.shown),
            "resonances": 0 if analysis is None else len(analysis.resonances),
            "levels": len(self.levels.found),
            "truth": 0,
            "events": self._events,
            "modes": self.modes.count,
            "changes": len(self.changes.rows),
        }
        for name, button in self.tabs.items():
            count = counts[name]
            button.setText(f"{name.capitalize()} {count}" if count else name.capitalize())
            kind = "tab" if name == self._page else "link"
            if kind != button.objectName() and (style := button.style()) is not None:
                button.setObjectName(kind)
                style.unpolish(button)
                style.polish(button)

    def _combs_changed(self) -> None:
        self.combs.refresh(self._analysis)
        self._filtered()
        self._turn()

    def focus_filter(self) -> None:
        """Type what rows are to hold."""
        self.filter_field.show()
        self.filter_field.setFocus()
        self.filter_field.selectAll()

    def _leave_filter(self) -> None:
        self.filter_field.setVisible(bool(self.filter_field.text()))

    def _filtered(self, _: str = "") -> None:
        for page in self.pages.values():
            page.filter(self.filter_field.text().strip())

    def show_cautions(self, cautions: tuple[Caution, ...]) -> None:
        """What should be known before the readings are trusted, each with its remedy."""
        if cautions != self.cautions:
            self.cautions, self._first_caution = cautions, 0
            self.short.follow(self._analysis, cautions)
            self._deal_cautions()

    def _deal_cautions(self) -> None:
        """A few at a time, so that they leave room for the peaks."""
        while (item := self.cards.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        first, count, lines, shown_now = self._first_caution, len(self.cautions), 0, 0
        for caution in self.cautions[first : first + _AT_ONCE]:
            lines += _lines(caution)
            above = _ABOVE if self._analysis is not None else _ABOVE_EMPTY
            above += self.short.needed
            if shown_now and lines > (self.height() - above) // _LINE:
                break
            self.cards.addWidget(self._card(caution))
            shown_now += 1
        self._dealt = shown_now
        if count > shown_now:
            last = first + shown_now
            shown = f"{first + 1}–{last}" if last > first + 1 else f"{last}"
            text = f"{shown} of {count} cautions, show others"
            self.cards.addWidget(link(text, "Look at the next ones", self._turn_cautions))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        # On a low screen the peaks have what there is.
        self.stretch.setVisible(self.height() >= _TALL)
        self._deal_cautions()

    def _turn_cautions(self) -> None:
        following = self._first_caution + self._dealt
        self._first_caution = following if following < len(self.cautions) else 0
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
        words.setMinimumHeight(_height(caution.text))  # nothing of it is cut off
        words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        inside.addWidget(words)
        if caution.remedy:
            tip = "Change the method so; Ctrl+Z takes it back"
            take = link(caution.remedy, tip, lambda: self.remedy_chosen.emit(caution))
            inside.addWidget(take)
        return card

    def current_peak(self) -> Peak | None:
        """The peak of the chosen row."""
        return self.peaks.current_peak()

    def copy(self) -> bool:
        """Put what the page shows on the clipboard as text; False when there is nothing."""
        clipboard, text = QGuiApplication.clipboard(), self.pages[self._page].text()
        if not text or clipboard is None:
            return False
        clipboard.setText(text)
        return True

    def step(self, by: int) -> None:
        """Go ``by`` rows further among the peaks."""
        self.peaks.step(by)

    def choose_columns(self) -> None:
        """Choose the columns of the combs where they are shown, else of the peaks."""
        if self._page == "combs":
            self.combs.column_menu(self.combs.mapToGlobal(QPoint(0, 24)))
            return
        self.show_page("peaks")
        self.peaks.column_menu(self.peaks.mapToGlobal(QPoint(0, 24)))

    def _refresh_search(self) -> None:
        method = self._store.method
        self.search.setVisible(method is not None and self._page == "peaks")
        if method is None:
            return
        search = method.search.peaks
        peaks = None if self._analysis is None else self._analysis.peaks
        whole = None if self._analysis is None else self._analysis.found
        first = f"the highest {len(peaks or ())}, " if whole and whole.unlisted else ""
        text = f"{first}{search.above_db:g} dB down, {search.prominence_db:g} dB prominent"
        if search.low is not None or search.high is not None:
            low = f"{search.low or 0:g}"
            text += f"\n{low}–{search.high:g} Hz" if search.high else f"\nfrom {low} Hz"
        self.search.setText(text)

    def edit_search(self) -> None:
        """Open the popover of the search for peaks."""
        signal, method = self._store.current, self._store.method
        if signal is not None and method is not None:
            popover = search_popover(self._store, signal, method, self)
            popover.open_below(self.search, popover.focusProxy())
