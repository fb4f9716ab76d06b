"""How the bench looks: columns, theme, axis kinds, which waveforms; remembered between starts."""

from __future__ import annotations

import re
from collections.abc import Callable

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QGuiApplication, QScreen
from PyQt6.QtWidgets import QMainWindow, QSplitter, QWidget

from tonecomb.core.method import document as edits
from tonecomb.desktop.edits.context import Context
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.theme import (
    NIGHT,
    PAPER,
    Theme,
    remembered_theme,
    set_current_theme,
    style_sheet,
)
from tonecomb.desktop.stage.stage import Stage

_BESIDE = 16  # pixels of the window that are beside its columns
_FOLDED = ((0, "shelf"), (2, "readings"))


def _name(screen: QScreen) -> str:
    """A screen by its name and size, as a word for settings."""
    size = screen.size()
    return re.sub(r"\W+", "-", f"{screen.name()} {size.width()} {size.height()}")


class WindowLayout(QObject):
    """``columns`` are shelf, stage and readings; ``paint`` colours the regions."""

    def __init__(
        self,
        window: QMainWindow,
        context: Context,
        stage: Stage,
        columns: QSplitter,
        paint: Callable[[Theme], None],
    ) -> None:
        super().__init__(window)
        self._window, self._context, self._stage = window, context, stage
        self._columns, self._paint = columns, paint
        self.theme = remembered_theme()
        self._narrow: list[int] = []  # columns that are folded since there is no room for them

    def toggle_log(self) -> None:
        view = self._stage.spectrum
        view.set_display(log_frequency=not view.log_frequency, decibels=view.decibels)

    def toggle_decibels(self) -> None:
        view = self._stage.spectrum
        view.set_display(log_frequency=view.log_frequency, decibels=not view.decibels)

    def toggle_column(self, index: int) -> None:
        """Fold a column away, or open it; where there is no room for both, the other goes."""
        column = self._column(index)
        column.setVisible(column.isHidden())
        if index in self._narrow:
            self._narrow.remove(index)
        if not column.isHidden():
            self._make_room([other for other, _ in _FOLDED if other != index])

    def _column(self, index: int) -> QWidget:
        widget = self._columns.widget(index)
        assert widget is not None
        return widget

    def _needed(self) -> int:
        """Pixels that the columns need that are open."""
        every = [self._column(i) for i in range(self._columns.count())]
        opened = [one.minimumWidth() for one in every if not one.isHidden()]
        return sum(opened) + self._columns.handleWidth() * (len(opened) - 1) + _BESIDE

    def _make_room(self, folding: list[int]) -> None:
        for index in folding:
            if self._needed() > self._window.width() and not self._column(index).isHidden():
                self._column(index).hide()
                self._narrow.append(index)

    def fit_columns(self) -> None:
        """In a narrow window the shelf folds, then the readings; they come back with the room."""
        self._make_room([index for index, _ in _FOLDED])
        handle = self._columns.handleWidth()
        while self._narrow:
            column = self._column(self._narrow[-1])
            if self._needed() + column.minimumWidth() + handle > self._window.width():
                return
            column.show()
            self._narrow.pop()

    def toggle_theme(self) -> None:
        self.theme = PAPER if self.theme is NIGHT else NIGHT
        settings.settings().setValue("theme", self.theme.name)
        self.apply_theme()

    def toggle_type(self) -> None:
        """Larger type, or the usual one, when the program is started the next time."""
        larger = not settings.larger_type()
        settings.settings().setValue("larger type", larger)
        size = "larger" if larger else "of its usual size"
        self._context.notices.show_notice(f"From the next start on the type is {size}.")

    def apply_theme(self) -> None:
        """Colour everything in the current theme."""
        set_current_theme(self.theme)
        self._window.setStyleSheet(style_sheet(self.theme))
        self._paint(self.theme)

    def toggle_measure(self) -> None:
        lanes = self._stage.lanes
        if lanes.measuring:
            lanes.stop_measuring()
        else:
            lanes.measure_view()

    def toggle_over(self) -> None:
        """Lay the waveforms over each other, or below each other."""
        lanes = self._stage.lanes
        lanes.set_over(not lanes.over)
        settings.settings().setValue("over", lanes.over)
        self._stage.refresh()

    def toggle_beside(self) -> None:
        """Show all channels of the recording, or only the one that is analysed."""
        store = self._context.store
        ref, signal = store.ref, store.current
        if ref is not None and signal is not None:
            every = () if ref.beside else tuple(range(len(signal.channels)))
            document = edits.show_beside(store.document, ref, every)
            store.apply("Show channels", document, merge="show channels")

    def _screen(self, last: str = "") -> str:
        """What tells the window's screen from others: the ``last`` one where it is still there."""
        names = [_name(one) for one in QGuiApplication.screens()]
        screen = self._window.screen()
        return last if last in names else "" if screen is None else _name(screen)

    def restore(self) -> None:
        """Bring the bench back as it was left."""
        kept, stage = settings.settings(), self._stage
        screen = self._screen(str(kept.value("screen", "")))
        for name, bring in (
            ("geometry", self._window.restoreGeometry),
            ("columns", self._columns.restoreState),
        ):
            # As it was on this screen, or else on the last one before there were several.
            state = kept.value(f"screens/{screen}/{name}", kept.value(name))
            if state is not None:
                bring(state)
        if (views := kept.value("views")) is not None:
            stage.splitter.restoreState(views)
        for index, name in _FOLDED:
            if kept.value(f"folded/{name}", False, type=bool):
                self.toggle_column(index)
        stage.lanes.set_over(kept.value("over", False, type=bool))
        stage.spectrum.set_display(
            log_frequency=kept.value("log", False, type=bool),
            decibels=kept.value("decibels", True, type=bool),
        )

    def keep(self) -> None:
        """Remember it for the next start."""
        kept, stage = settings.settings(), self._stage
        screen = self._screen()
        kept.setValue("screen", screen)
        kept.setValue(f"screens/{screen}/geometry", self._window.saveGeometry())
        kept.setValue(f"screens/{screen}/columns", self._columns.saveState())
        kept.setValue("views", stage.splitter.saveState())
        for index, name in _FOLDED:
            widget = self._columns.widget(index)
            folded = widget is not None and widget.isHidden() and index not in self._narrow
            kept.setValue(f"folded/{name}", folded)
        kept.setValue("log", stage.spectrum.log_frequency)
        kept.setValue("decibels", stage.spectrum.decibels)
