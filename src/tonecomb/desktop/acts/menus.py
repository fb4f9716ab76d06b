"""Menus, shortcuts and what of them can be done now, all from the table of actions."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from tonecomb.desktop.actions import ACTIONS, MENUS, Action
from tonecomb.desktop.kit import settings
from tonecomb.desktop.state.store import Store

if TYPE_CHECKING:
    from tonecomb.desktop.bench import Bench

_RARELY_S = 0.5


class Menus:
    """Made once for a bench; :meth:`follow` brings them in line with what there is."""

    def __init__(self, bench: Bench, store: Store, open_path: Callable[[Path], object]) -> None:
        self._bench, self._store, self._open_path = bench, store, open_path
        self.recent = QMenu("Open recent", bench)
        self.recent.setToolTipsVisible(True)
        self._folders: dict[str, QMenu] = {}
        self._followed = 0.0
        self.actions = self._make(bench)
        self.fill_recent()

    def _make(self, window: QMainWindow) -> dict[Action, QAction]:
        bar = window.menuBar()
        assert bar is not None
        menus = {}
        for name in MENUS:
            menu = bar.addMenu(name)
            assert menu is not None
            menu.setToolTipsVisible(True)
            menus[name] = menu
        made: dict[Action, QAction] = {}
        for spec in ACTIONS:
            menu = menus[spec.menu]
            if spec.folder:
                menu = self._folder(menu, spec.folder)
            if spec.divided:
                menu.addSeparator()
            action = QAction(spec.text, window)
            action.setToolTip(f"{spec.tip} ({spec.keys})" if spec.keys else spec.tip)
            if spec.keys:
                action.setShortcut(QKeySequence(spec.keys))
            action.setCheckable(spec.checked is not None)
            action.triggered.connect(lambda _=False, spec=spec: self._run(spec))
            menu.addAction(action)
            made[spec] = action
            if spec.text == "Open the demo":
                menu.addMenu(self.recent)
        return made

    def _folder(self, menu: QMenu, name: str) -> QMenu:
        """A menu inside a menu."""
        if name not in self._folders:
            made = menu.addMenu(name)
            assert made is not None
            made.setToolTipsVisible(True)
            self._folders[name] = made
        return self._folders[name]

    def _run(self, spec: Action) -> None:
        spec.run(self._bench)
        self.follow()

    def action(self, text: str) -> QAction:
        """The action with this text."""
        return next(made for spec, made in self.actions.items() if spec.text == text)

    def fill_recent(self) -> None:
        """Show the files that were opened last."""
        self.recent.clear()
        paths = settings.recent_files()
        for path in paths:
            action = self.recent.addAction(Path(path).name)
            assert action is not None
            action.setToolTip(path)
            action.triggered.connect(lambda _, p=path: self._open_path(Path(p)))
        self.recent.setEnabled(bool(paths))

    def follow(self) -> None:
        """Bring title and actions in line with the document and the views."""
        now = time.monotonic()
        if self._bench.context.scheduler.lively and now - self._followed < _RARELY_S:
            return  # many pictures a second do not change what can be done
        self._followed = now
        store = self._store
        name = store.path.stem if store.path else ("unsaved session" if store.unsaved else "")
        mark = "* " if store.unsaved and store.path else ""
        self._bench.setWindowTitle(f"{mark}{name} – Tone Comb" if name else "Tone Comb")
        for spec, action in self.actions.items():
            if spec.needs_recording:
                action.setEnabled(store.current is not None)
            if spec.checked is not None:
                action.setChecked(spec.checked(self._bench))
        for text, what in (("Undo", store.history.undo_label), ("Redo", store.history.redo_label)):
            action = self.action(text)
            action.setEnabled(what is not None)
            action.setText(f"{text}: {what}" if what else text)
