"""Captures and alarms of a live recording, the newest first."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import QTreeWidgetItem, QVBoxLayout, QWidget

from tonecomb.core.record.recording import Channel
from tonecomb.core.say.numbers import clock
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import label
from tonecomb.desktop.readings.tree import keep_rows, readings_tree
from tonecomb.live.watching import Event

_HEADS = (
    ("at", "Since the recording began"),
    ("what", "Captures, and alarms"),
    ("value", "What crossed the level, or the most there was"),
)
_MOST = 500  # rows; older ones are in the list that is saved


class EventReadings(QWidget):
    """``chosen`` carries the :class:`Event` that is to be looked at, ``set_aside`` the number of a
    capture that is to be set aside or taken back."""

    chosen = pyqtSignal(object)
    set_aside = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.events: tuple[Event, ...] = ()
        self.tree = readings_tree("Captures and alarms", _HEADS, (2, 84))
        self.tree.setFont(font(9))
        self.tree.itemClicked.connect(lambda *_: self._pick())
        self.tree.itemActivated.connect(lambda *_: self._pick())
        self.told = label("", "quiet", wrap=True)
        self.told.setFont(font(9))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.tree, 1)
        column.addWidget(self.told)

    def show_events(
        self,
        events: Sequence[Event],
        rate: float,
        channels: Sequence[Channel],
        aside: Collection[int],
        watched: Sequence[str],
    ) -> None:
        """List events of a recording at ``rate`` Hz; captures ``aside`` are struck through.
        ``watched`` says what is watched for."""
        at = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        chosen = self.events[at] if 0 <= at < len(self.events) else None
        self.events = tuple(reversed(events))[:_MOST]
        theme = current_theme()
        self.tree.blockSignals(True)
        self.tree.clear()
        for event in self.events:
            one = channels[event.channel]
            what = f"{event.kind} {event.number}"
            value = "" if event.value != event.value else f"{event.value:.4g} {one.unit}"
            item = QTreeWidgetItem([clock(event.at / rate), what, value])
            for i in range(3):
                item.setTextAlignment(i, Qt.AlignmentFlag.AlignRight)
                item.setToolTip(i, told(event, rate, channels))
                if event.running:
                    item.setForeground(i, QBrush(QColor(theme.fault)))
                if event.kind == "capture" and event.number in aside:
                    struck = font(9)
                    struck.setStrikeOut(True)
                    item.setFont(i, struck)
                    item.setForeground(i, QBrush(QColor(theme.quiet)))
            self.tree.addTopLevelItem(item)
            if chosen is not None and (event.kind, event.number) == (chosen.kind, chosen.number):
                self.tree.setCurrentItem(item)
        self.tree.blockSignals(False)
        waits = "Watched for: " + "; ".join(watched) if watched else "Nothing is watched for."
        hint = "\nClick to look at one; Delete sets a capture aside." if events else ""
        self.told.setText(waits + hint)

    @property
    def one(self) -> Event | None:
        """The chosen one."""
        at = self.tree.indexOfTopLevelItem(self.tree.currentItem())
        return self.events[at] if 0 <= at < len(self.events) else None

    def _pick(self) -> None:
        if (event := self.one) is not None:
            self.chosen.emit(event)

    def turn(self) -> None:
        """Set the chosen capture aside, or take it back."""
        one = self.one
        if one is not None and one.kind == "capture":
            self.set_aside.emit(one.number)

    def filter(self, text: str) -> None:
        """Show only rows that hold a text."""
        keep_rows(self.tree, text)

    def text(self) -> str:
        """The table with tabs."""
        items = [self.tree.topLevelItem(i) for i in range(self.tree.topLevelItemCount())]
        rows = ["\t".join(one.text(i) for i in range(3)) for one in items if one is not None]
        return "\n".join(["at\twhat\tvalue", *rows]) if rows else ""


def told(event: Event, rate: float, channels: Sequence[Channel]) -> str:
    """An event in full."""
    one = channels[event.channel]
    lasted = (event.end - event.first) / rate
    if event.kind == "capture":
        return (
            f"{one.name}: {lasted:.4g} s, the trigger "
            f"{(event.at - event.first) / rate:.4g} s after its start"
        )
    state = "and on" if event.running else "s"
    return (
        f"{one.name}: {event.over:.3g} times its level at {event.hz:.5g} Hz, over it for "
        f"{lasted:.3g} {state}"
    )
