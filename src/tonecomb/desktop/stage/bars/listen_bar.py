"""The bar of listening: what is heard, how, and in words."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QPushButton, QVBoxLayout, QWidget

from tonecomb.core.results.sound import SPEEDS, Way
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import Choice, Number, label, link, row

_ALONE = -1


class ListenBar(QWidget):
    """``changed`` when it is to be heard otherwise; ``asked`` is to listen or to stop, ``swapped``
    to hear the other of before and after, ``closed`` to have the bar away."""

    changed = pyqtSignal()
    asked = pyqtSignal()
    swapped = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.play = QPushButton("Listen")
        self.play.setToolTip("Listen to the stretch as it is analysed, or stop (Space)")
        self.play.clicked.connect(lambda: self.asked.emit())
        self.swap = link(
            "after", "Before or after what the steps took out, equally loud (Z)", self.swapped.emit
        )
        self.speed = Choice(
            [(one, f"{one} × as fast" if one > 1 else "as fast as it was") for one in SPEEDS],
            1,
            "Speed",
        )
        self.speed.setToolTip("Quicker, so that low vibration is heard")
        self.shift = Number(0, 0, 5000, 0, "Hz up", shortest=True)
        self.shift.setAccessibleName("Moved up by")
        self.shift.setToolTip("Move all frequencies up by so much, so that low vibration is heard")
        self.second = Choice([(_ALONE, "both ears alike")], _ALONE, "Right ear")
        self.second.setToolTip("Another channel in the right ear")
        self.loop = QCheckBox("loop")
        self.loop.setToolTip("Begin anew at the end")
        self.told = label("", "quiet")
        self.told.setFont(font(9))
        close = link("✕", "Take this bar away, and stop", self.closed.emit)
        bar = row(self.play, self.swap, self.speed, self.shift, self.second, self.loop, None, close)
        # What is said has a line of its own: beside the choices it would be cut.
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 2, 8, 0)
        column.setSpacing(0)
        column.addLayout(bar)
        column.addWidget(self.told)
        for choice in (self.speed, self.second):
            choice.picked.connect(lambda _: self.changed.emit())
        self.shift.valueChanged.connect(lambda _: self.changed.emit())
        self.loop.toggled.connect(lambda _: self.changed.emit())
        self.hide()

    @property
    def way(self) -> Way:
        """How it is to be heard."""
        return Way(int(self.speed.value), float(self.shift.value()))

    @property
    def other(self) -> int | None:
        """The channel of the right ear, None for the same in both."""
        return None if self.second.value == _ALONE else int(self.second.value)

    def offer(self, names: Sequence[str], channel: int) -> None:
        """The channels that there are for the right ear."""
        others = [(i, f"{name} at the right") for i, name in enumerate(names) if i != channel]
        self.second.offer_also(others, keep=1)
        self.second.setVisible(bool(others))

    def show_state(self, playing: bool, heard: str) -> None:
        """Whether it is heard, and which of before and after; "" where there is nothing to swap."""
        self.play.setText("Stop" if playing else "Listen")
        self.swap.setVisible(bool(heard))
        self.swap.setText(f"heard: {heard}")
