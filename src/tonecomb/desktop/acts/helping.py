"""Help: finding an action, all keys, the guide, and what this program is."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMessageBox, QWidget

from tonecomb.desktop.acts.keys import GUIDE, HelpPage, keys_html
from tonecomb.desktop.dialogs.finder import Finder
from tonecomb.desktop.kit import settings
from tonecomb.desktop.state.memory import Memory
from tonecomb.version import __version__


class Helping:
    """What the Help menu does."""

    def __init__(self, window: QWidget, anchor: QWidget, memory: Memory) -> None:
        self._window, self._anchor, self._memory = window, anchor, memory
        self.actions: Iterable[QAction] = ()

    def find_action(self) -> None:
        finder = Finder(self._window, list(self.actions))
        finder.open_below(self._anchor, finder.field)
        middle = self._window.mapToGlobal(self._window.rect().center()).x()
        finder.move(middle - finder.width() // 2, finder.y())

    def show_keys(self) -> None:
        HelpPage(self._window, "Keys", keys_html(), (760, 620)).exec()

    def show_guide(self) -> None:
        HelpPage(self._window, "The job in words", GUIDE, (620, 560)).exec()

    def show_memory(self) -> None:
        """Who holds what, until it is closed."""
        told = QMessageBox(self._window)
        told.setWindowTitle("Memory")
        told.setText(self._memory.words())
        told.setInformativeText(
            "Emptying costs no work: samples are read, and results computed, again when they are "
            "wanted."
        )
        empty = told.addButton("Empty", QMessageBox.ButtonRole.ActionRole)
        told.addButton(QMessageBox.StandardButton.Close)
        told.exec()
        if told.clickedButton() is empty:
            self._memory.let_go()
            self.show_memory()

    def show_about(self) -> None:
        QMessageBox.about(
            self._window,
            "About Tone Comb",
            f"Tone Comb {__version__}\nFrequency analysis of vibration recordings.\n\n"
            f"Free software under the GNU GPL, version 3 or later.\n"
            f"Log: {settings.data_folder() / 'log.txt'}",
        )
