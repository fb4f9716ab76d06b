"""Modes of the transfer function, and the taps that it is made of."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QHeaderView, QTreeWidgetItem, QVBoxLayout, QWidget

from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.modal.impacts import Tap
from tonecomb.core.modal.modes import Mode
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.results.transfer import Transfer
from tonecomb.core.say.numbers import with_std
from tonecomb.desktop.edits.mode_notes import ModeNotes
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import label
from tonecomb.desktop.readings.tree import keep_rows, readings_tree
from tonecomb.desktop.state.store import Store
from tonecomb.formats.kinds.transfer import modes_table, shape_part, taps_table

_HEADS = (
    ("mode, tap", "Frequency in Hz, or number"),
    ("ζ, peak", "Damping ratio, or peak"),
    ("shape, fault", "How far each answer goes, or what is wrong"),
)


class ModeReadings(QWidget):
    """``chosen`` carries the frequency (Hz) of a mode, ``tap_chosen`` start and end (s) of a
    tap."""

    chosen = pyqtSignal(float)
    tap_chosen = pyqtSignal(float, float)

    def __init__(self, store: Store, notes: ModeNotes) -> None:
        super().__init__()
        self._store, self.notes = store, notes
        self._said: Knowledge = NOTHING
        store.changed.connect(self._follow)
        self.found: Transfer | None = None
        self.tree = readings_tree("Modes and taps", _HEADS, (0, 68))
        header = self.tree.header()
        assert header is not None
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Fixed)
        header.resizeSection(1, 58)
        self.tree.setFont(font(9))
        self.tree.currentItemChanged.connect(lambda *_: self._picked())
        self.told = label("", "quiet", wrap=True)
        self.told.setFont(font(9))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.tree, 1)
        column.addWidget(self.told)

    def show_transfer(self, found: Transfer | None) -> None:
        """Show what was found; the chosen row stays."""
        at = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        self.found, self._said = found, self.notes.knowledge
        self.tree.blockSignals(True)
        self.tree.clear()
        if found is not None:
            for mode in found.modes.modes if found.modes is not None else ():
                parts = (
                    ""
                    if found.reference is None
                    else " ".join(
                        f"{shape_part(mode, i):.2f}".replace("-", "−")
                        for i in range(len(found.answers))
                    )
                )
                note = self._said.of_mode(mode)
                item = self._row(
                    f"{mode.frequency:.5g} Hz",
                    f"{100 * mode.damping:.3g} %",
                    note.words if note is not None else parts,
                )
                damping = with_std(100 * mode.damping, 100 * mode.damping_std)
                item.setToolTip(0, f"{with_std(mode.frequency, mode.frequency_std)} Hz")
                if note is not None and note.aside:
                    for i in range(3):
                        item.setForeground(i, QBrush(QColor(current_theme().quiet)))
                item.setToolTip(1, f"damping {damping} %")
                shape = (
                    f"{one.name}: {shape_part(mode, i):.4f}" for i, one in enumerate(found.answers)
                )
                item.setToolTip(2, "\n".join([*([note.words] if note is not None else ()), *shape]))
            for tap in found.taps:
                self._tap_row(found, tap)
        if 0 <= at < self.tree.topLevelItemCount():
            self.tree.setCurrentItem(self.tree.topLevelItem(at))
        self.tree.blockSignals(False)
        self._tell()

    def _row(self, *texts: str) -> QTreeWidgetItem:
        item = QTreeWidgetItem(list(texts))
        for i in range(3):
            item.setTextAlignment(i, Qt.AlignmentFlag.AlignRight)
        self.tree.addTopLevelItem(item)
        return item

    def _tap_row(self, found: Transfer, tap: Tap) -> None:
        unit = (found.reference or found.answers[0]).unit
        counts, theme = tap.number in found.used, current_theme()
        why = "" if counts and tap.sound else tap.why_not or "set aside"
        item = self._row(f"tap {tap.number}", f"{tap.peak:.4g} {unit}", why)
        item.setToolTip(2, why)
        for i in range(3):
            if not counts:
                item.setForeground(i, QBrush(QColor(theme.fault if tap.faults else theme.quiet)))

    @property
    def count(self) -> int:
        """How many modes there are."""
        transfer = self.found
        return 0 if transfer is None or transfer.modes is None else len(transfer.modes.modes)

    def _follow(self) -> None:
        """What is said of modes may have changed, although what was found did not."""
        now = self.notes.knowledge
        if self.found is not None and now.modes != self._said.modes:
            self.show_transfer(self.found)

    @property
    def mode(self) -> Mode | None:
        """The mode of the chosen row, None for a tap's."""
        transfer = self.found
        if transfer is None or transfer.modes is None:
            return None
        at = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        return transfer.modes.modes[at] if 0 <= at < len(transfer.modes.modes) else None

    def name_mode(self) -> None:
        """Ask for a name of the chosen mode."""
        if (mode := self.mode) is not None:
            self.notes.name(mode)

    @property
    def tap(self) -> Tap | None:
        """The tap of the chosen row, None for a mode's."""
        transfer = self.found
        if transfer is None:
            return None
        at = self.tree.indexOfTopLevelItem(self.tree.currentItem()) - self.count
        return transfer.taps[at] if 0 <= at < len(transfer.taps) else None

    def _picked(self) -> None:
        transfer = self.found
        if transfer is None:
            return
        at = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        modes = () if transfer.modes is None else transfer.modes.modes
        if 0 <= at < len(modes):
            self.chosen.emit(modes[at].frequency)
        elif (tap := self.tap) is not None:
            start = transfer.start + tap.onset / transfer.fs
            self.tap_chosen.emit(start, start + transfer.response.frame / transfer.fs)

    def set_aside(self) -> None:
        """The chosen tap does not count any more, or does again; or the chosen mode."""
        if (mode := self.mode) is not None:
            self.notes.set_aside(mode)
            return
        tap, method, transfer = self.tap, self._store.method, self.found
        between = None if method is None else method.between
        if tap is None or between is None or transfer is None:
            return
        changed = turned(between, tap, counts=tap.number in transfer.used)
        self._store.edit_method("Set tap aside", between=changed)

    def ends(self) -> None:
        """The first and the last tap do not count."""
        method, transfer = self._store.method, self.found
        if method is None or method.between is None or transfer is None or len(transfer.taps) < 3:
            return
        between = method.between
        for tap in (transfer.taps[0], transfer.taps[-1]):
            if tap.number in transfer.used:
                between = turned(between, tap, counts=True)
        self._store.edit_method("Set the ends aside", between=between)

    def _tell(self) -> None:
        transfer = self.found
        if transfer is None:
            self.told.setText("")
            return
        cautions = [text for _, text in transfer.cautions]
        hint = "R names a mode. Delete sets a mode or tap aside, or takes it back."
        self.told.setText("\n".join([*cautions, hint]).strip())

    def filter(self, text: str) -> None:
        """Show only rows that hold a text."""
        keep_rows(self.tree, text)

    def text(self) -> str:
        """The tables with tabs."""
        if self.found is None:
            return ""
        lines = (
            [modes_table(self.found, self._said).tabbed()] if self.found.modes is not None else []
        )
        if self.found.taps:
            lines.append(taps_table(self.found).tabbed())
        return "\n".join(lines)


def turned(between: FrfSettings, tap: Tap, *, counts: bool) -> FrfSettings:
    """The same, with a tap that ``counts`` set aside, or taken back."""
    aside, taken = set(between.aside) - {tap.number}, set(between.taken) - {tap.number}
    if counts:
        aside.add(tap.number)
    elif not tap.sound:
        taken.add(tap.number)
    return replace(between, aside=tuple(sorted(aside)), taken=tuple(sorted(taken)))
