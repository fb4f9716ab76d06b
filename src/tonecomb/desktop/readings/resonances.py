"""Resonances as a table, and the chosen one in full with the half-power figure beside the fit."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QHeaderView, QMenu, QTreeWidgetItem, QVBoxLayout, QWidget

from tonecomb.core.find.mode import Resonance
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.say.numbers import warranted, with_std
from tonecomb.desktop.edits.fits import Fits
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import label
from tonecomb.desktop.readings.tree import keep_rows, readings_tree
from tonecomb.formats import readings

_HEADS = (
    ("Hz", "Natural frequency"),
    ("ζ %", "Damping ratio in percent"),
    ("Q", "Quality factor 1/2ζ"),
    ("", "Fitted by hand"),
)


_EXCITED = {
    "decay": "fitted to a decay",
    "noise": "excited by noise",
    "ringing": "rung by the hits of a comb",
}


class ResonanceReadings(QWidget):
    """``chosen`` carries the natural frequency (Hz) of the row."""

    chosen = pyqtSignal(float)

    def __init__(self, fits: Fits) -> None:
        super().__init__()
        self._fits = fits
        self._analysis: Analysis | None = None
        self.tree = readings_tree("Resonances", _HEADS, (3, 44))
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self._menu)
        self.tree.currentItemChanged.connect(lambda *_: self._picked())
        header = self.tree.header()
        assert header is not None
        header.setMinimumSectionSize(24)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
        self.told = label("", "", wrap=True)
        self.told.setFont(font(9))
        self.told.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.tree, 1)
        column.addWidget(self.told)
        column.addStretch(0)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show the modes; the chosen row stays."""
        row = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        self._analysis = analysis
        self.tree.blockSignals(True)
        self.tree.clear()
        for one in () if analysis is None else analysis.resonances:
            item = QTreeWidgetItem(self.tree)
            by_hand = self._fits.holding(one.frequency) is not None
            cells = (
                warranted(one.frequency, one.frequency_std),
                f"{100 * one.damping:.3g}",
                f"{one.q:.4g}",
                "hand" if by_hand else "",
            )
            for i, text in enumerate(cells):
                item.setText(i, text)
                item.setTextAlignment(i, Qt.AlignmentFlag.AlignRight)
        if (kept := self.tree.topLevelItem(row)) is not None:
            self.tree.setCurrentItem(kept)
        self.tree.blockSignals(False)
        self.tree.setVisible(self.tree.topLevelItemCount() > 0)
        self._tell()

    def filter(self, text: str) -> None:
        """Show only rows that hold this."""
        keep_rows(self.tree, text)

    def text(self) -> str:
        """The modes for the clipboard, "" where there are none."""
        if self._analysis is None or not self._analysis.resonances:
            return ""
        return readings.resonances(self._analysis).tabbed()

    def current(self) -> Resonance | None:
        """The chosen one."""
        row = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        modes = () if self._analysis is None else self._analysis.resonances
        return modes[row] if 0 <= row < len(modes) else None

    def _picked(self) -> None:
        self._tell()
        if (one := self.current()) is not None:
            self.chosen.emit(one.frequency)

    def _tell(self) -> None:
        one = self.current()
        if one is not None:
            self.told.setText(words(one))
        elif self._analysis is not None and self._analysis.resonances:
            self.told.setText("Choose a resonance to see its figures.")
        else:
            self.told.setText("No peak is wider than the window's line. F fits a range by hand.")

    def _menu(self, at: QPoint) -> None:
        if self.tree.itemAt(at) is None or (one := self.current()) is None:
            return
        fit, menu = self._fits.holding(one.frequency), QMenu(self)
        entries: list[tuple[str, Callable[[], object]]] = [("Fit a range by hand…", self._fits.arm)]
        if fit is not None:
            other = 3 - fit.modes
            words_of = {1: "Fit one mode", 2: "Fit two modes"}
            entries = [
                (words_of[other], lambda: self._fits.change(fit, other)),
                ("Drop the fit", lambda: self._fits.drop(fit)),
            ]
        for text, act in entries:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, act=act: act())
        viewport = self.tree.viewport()
        assert viewport is not None
        menu.exec(viewport.mapToGlobal(at))


def words(one: Resonance) -> str:
    """A mode in full."""
    damping = with_std(100 * one.damping, 100 * one.damping_std)
    excited = _EXCITED[one.kind]
    measured = (
        "half power is not reached in the spectrum"
        if math.isnan(one.half_power)
        else f"{one.half_power:.4g} Hz at half power in the spectrum"
    )
    return (
        f"{with_std(one.frequency, one.frequency_std)} Hz, {excited}\n"
        f"damping ratio {damping} %, Q {one.q:.4g}\n"
        f"half-power bandwidth {one.bandwidth:.4g} Hz\n{measured}"
    )
