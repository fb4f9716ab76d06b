"""The method line: the analysis as a sentence, each phrase to be edited where it stands."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from tonecomb.core.method import phrases
from tonecomb.desktop.method_line.popovers import EDITORS, TIPS
from tonecomb.desktop.store import Store
from tonecomb.desktop.theme import font
from tonecomb.desktop.widgets import Popover, label, panel, rule

# Phrases before which a thin line divides the sentence: what, how, and shown as what.
_DIVIDED = {"window", "frames"}


class MethodLine(QWidget):
    """Always shows the document's method; it never holds a setting of its own."""

    def __init__(self, store: Store) -> None:
        super().__init__()
        self._store = store
        self._shown: tuple[tuple[str, str], ...] = ()
        self.popover: Popover | None = None
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame = panel()
        outer.addWidget(frame)
        self._row = QHBoxLayout(frame)
        self._row.setContentsMargins(12, 8, 12, 8)
        self._row.setSpacing(12)
        self._phrases: dict[str, QPushButton | QLabel] = {}
        self.setFixedHeight(46)
        store.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the method as it is now."""
        recording, method = self._store.current, self._store.method
        parts = () if recording is None or method is None else phrases(method, recording)
        shown = tuple((part.key, part.text) for part in parts)
        if shown == self._shown and self._row.count():
            return
        same_keys = [key for key, _ in shown] == [key for key, _ in self._shown]
        self._shown = shown
        if not (same_keys and shown):
            self._rebuild([part.key for part in parts])
        for part in parts:
            widget = self._phrases[part.key]
            widget.setText(_shortened(part.text) if part.key == "channel" else part.text)
            widget.setAccessibleName(part.text)

    def _rebuild(self, keys: list[str]) -> None:
        while (item := self._row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.deleteLater()
        self._phrases = {}
        if not keys:
            self._row.addWidget(label("No recording is open.", "quiet"))
        for key in keys:
            if key in _DIVIDED:
                self._row.addWidget(rule(vertical=True))
            self._phrases[key] = self._make(key)
            self._row.addWidget(self._phrases[key])
        self._row.addStretch(1)

    def _make(self, key: str) -> QPushButton | QLabel:
        if key not in EDITORS:
            plain = label("", "plain")
            plain.setFont(font(10))
            plain.setToolTip(TIPS.get(key, ""))
            return plain
        button = QPushButton()
        button.setObjectName("phrase")
        button.setFont(font(10))
        button.setToolTip(TIPS[key])
        button.setCursor(Qt.CursorShape.PointingHandCursor)
        button.clicked.connect(lambda: self.edit(key))
        return button

    def phrase(self, key: str) -> QPushButton | QLabel | None:
        """The widget of a phrase."""
        return self._phrases.get(key)

    def edit(self, key: str) -> None:
        """Open the popover of a phrase."""
        anchor, recording, method = self._phrases.get(key), self._store.current, self._store.method
        if key == "prepared" and anchor is None:  # nothing is done yet, so it has no phrase
            anchor = self._phrases.get("stretch")
        if anchor is None or recording is None or method is None:
            return
        self.popover = EDITORS[key](self._store, recording, method, self)
        self.popover.closed.connect(self._closed)
        self.popover.open_below(anchor, self.popover.focusProxy())

    def _closed(self) -> None:
        self.popover = None


def _shortened(text: str) -> str:
    return text if len(text) <= 28 else text[:27] + "…"
