"""The method line: the analysis as a sentence, each phrase to be edited where it stands."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from tonecomb.core.method.sentence import STEP, phrases
from tonecomb.desktop.kit.flow import Flow
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import Popover, label, link, panel, rule
from tonecomb.desktop.method_line.popovers import EDITORS, STEPS, TIPS
from tonecomb.desktop.method_line.window_picker import WindowPair, WindowPicker
from tonecomb.desktop.state.store import Store

# Phrases before which a thin line divides the sentence: what, how, and shown as what.
_DIVIDED = {"window", "frames"}
_INSTEAD = {STEPS: "stretch", "drawn": "scaling"}  # where editors without a phrase open
TURNED = ("window", "frame")
"""Phrases that the wheel changes."""
_LONGEST, _LONGEST_NAME = 64, 28  # characters of a phrase; the rest is in its tooltip


class MethodLine(QWidget):
    """Always shows the document's method; it never holds a setting of its own.

    ``pair`` are the two tones that the window picker draws, set by whoever knows the peaks.
    The arrow keys go from phrase to phrase, Return or Down opens the one that has the focus.
    ``wheeled`` carries the key of a phrase and by how many notches the wheel was turned over it.
    """

    wheeled = pyqtSignal(str, int)

    def __init__(self, store: Store) -> None:
        super().__init__()
        self._store = store
        self.told: tuple[tuple[str, str], ...] = ()
        self.popover: Popover | None = None
        self.pair: WindowPair | None = None
        outer = QHBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        frame = panel()
        outer.addWidget(frame)
        inside = QHBoxLayout(frame)
        inside.setContentsMargins(12, 8, 12, 8)
        inside.setSpacing(12)
        words = QWidget()
        self._row = Flow(12, 4)
        words.setLayout(self._row)
        inside.addWidget(words, 1)
        self.presets = link("Presets", "Keep the method under a name, or use one (Shift+P)", str)
        self.presets.setFont(font(10))
        inside.addWidget(self.presets)
        self.phrases: dict[str, QPushButton | QLabel] = {}
        self.setMinimumHeight(46)
        store.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the method as it is now."""
        signal, method = self._store.current, self._store.method
        parts = () if signal is None or method is None else phrases(method, signal.recording)
        shown = tuple((part.key, part.text) for part in parts)
        self.presets.setVisible(bool(shown))
        if shown == self.told and self._row.count():
            return
        same_keys = [key for key, _ in shown] == [key for key, _ in self.told]
        self.told = shown
        if not (same_keys and shown):
            self._rebuild([part.key for part in parts])
        for part in parts:
            widget = self.phrases[part.key]
            text = _shortened(part.text, _LONGEST_NAME if part.key == "channel" else _LONGEST)
            widget.setText(text)
            widget.setAccessibleName(part.text)
            tip = TIPS.get(_editor_of(part.key), "")
            tip += "\nTurn the wheel to change it" if part.key in TURNED else ""
            widget.setToolTip(tip if text == part.text else f"{part.text}\n{tip}")
        self._row.invalidate()
        self.updateGeometry()

    def _rebuild(self, keys: list[str]) -> None:
        focused = next((key for key, one in self.phrases.items() if one.hasFocus()), None)
        while (item := self._row.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.phrases = {}
        if not keys:
            self._row.addWidget(label("No recording is open.", "quiet"))
        for key in keys:
            if key in _DIVIDED:
                line = rule(vertical=True)
                line.setFixedHeight(20)
                self._row.addWidget(line)
            self.phrases[key] = self._make(key)
            self._row.addWidget(self.phrases[key])
        if focused in self.phrases:
            self.phrases[focused].setFocus()

    def _make(self, key: str) -> QPushButton | QLabel:
        if _editor_of(key) not in EDITORS:
            plain = label("", "plain")
            plain.setFont(font(10))
            return plain
        button = QPushButton()
        button.setObjectName("phrase")
        button.setFont(font(10))
        button.setCursor(Qt.CursorShape.PointingHandCursor)
        button.clicked.connect(lambda: self.edit(key))
        button.installEventFilter(self)
        return button

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            buttons = [one for one in self.phrases.values() if isinstance(one, QPushButton)]
            at = next((i for i, one in enumerate(buttons) if one is watched), None)
            key = Qt.Key(event.key())
            if at is not None and key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
                by = 1 if key == Qt.Key.Key_Right else -1
                buttons[(at + by) % len(buttons)].setFocus(Qt.FocusReason.TabFocusReason)
                return True
            if at is not None and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Down):
                buttons[at].click()
                return True
        if isinstance(event, QWheelEvent) and (notches := event.angleDelta().y() // 120):
            key_of = {one: key for key, one in self.phrases.items()}
            if (found := key_of.get(watched)) in TURNED:  # type: ignore[call-overload]
                self.wheeled.emit(found, notches)
                return True
        return super().eventFilter(watched, event)

    def take_focus(self) -> None:
        """Go to the sentence with the keys."""
        first = next((w for w in self.phrases.values() if isinstance(w, QPushButton)), None)
        if first is not None:
            first.setFocus(Qt.FocusReason.TabFocusReason)

    def phrase(self, key: str) -> QPushButton | QLabel | None:
        """The widget of a phrase."""
        return self.phrases.get(key)

    def edit(self, key: str) -> None:
        """Open the popover of a phrase."""
        anchor, signal, method = self.phrases.get(key), self._store.current, self._store.method
        if anchor is None and key in _INSTEAD:  # nothing is said of it yet: it has no phrase
            anchor = next(
                (one for name, one in self.phrases.items() if _editor_of(name) == key), None
            ) or self.phrases.get(_INSTEAD[key])
        if anchor is None or signal is None or method is None:
            return
        self.popover = EDITORS[_editor_of(key)](self._store, signal, method, self)
        if isinstance(self.popover, WindowPicker):
            self.popover.show_pair(self.pair)
        self.popover.closed.connect(self._closed)
        self.popover.open_below(anchor, self.popover.focusProxy())

    def _closed(self) -> None:
        self.popover = None


def _shortened(text: str, longest: int) -> str:
    return text if len(text) <= longest else text[: longest - 1] + "…"


def _editor_of(key: str) -> str:
    """Which editor a phrase opens: all steps have one in common."""
    return STEPS if key.startswith(STEP) else key
