"""Which of the frames is shown: stepping, playing, and dragging along time."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QSlider, QWidget

from tonecomb.desktop.kit.plot import AXIS_WIDTH
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import Choice, label, link, row
from tonecomb.desktop.state.frame_cursor import SPEEDS, FrameCursor, Player


class FrameBar(QWidget):
    """Shows itself while there is a single frame."""

    def __init__(self, moments: FrameCursor, player: Player) -> None:
        super().__init__()
        self._moments, self._player = moments, player
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Frame")
        self.slider.setToolTip("Drag along time")
        self.slider.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.slider.valueChanged.connect(self._dragged)
        self.told = label("", "quiet")
        self.told.setFont(font(9))
        self.back = link("◀", "The frame before ( , )", lambda: moments.step(-1))
        self.on = link("▶", "The next frame ( . )", lambda: moments.step(1))
        self.play = link("Play", "One frame after the other, or stop (Ctrl+.)", player.toggle)
        self.speed = Choice(
            tuple((n, f"{n} a second") for n in SPEEDS), player.speed, "Frames a second"
        )
        self.speed.setToolTip("Frames a second")
        self.speed.picked.connect(player.set_speed)
        self.read = QCheckBox("Read it")
        self.read.setToolTip("Readings, peaks and combs of this frame alone (Shift+,)")
        self.read.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.read.toggled.connect(moments.follow)
        moments.turned.connect(self.read.setChecked)
        away = link("Leave", "Show no single frame (Shift+.)", player.leave)
        bar = row(
            self.back, self.on, self.slider, self.told, self.read, self.play, self.speed, away
        )
        bar.setContentsMargins(AXIS_WIDTH + 2, 0, 12, 2)
        self.setLayout(bar)
        self.hide()
        moments.moved.connect(self._follow)
        player.changed.connect(lambda: self.play.setText("Stop" if player.playing else "Play"))

    def _follow(self, span: tuple[float, float] | None) -> None:
        places, time = self._moments.places(), self._moments.time
        self.setVisible(span is not None and places is not None)
        if places is None or time is None:
            return
        number = places.number(time)
        self.slider.blockSignals(True)
        self.slider.setRange(0, places.count - 1)
        self.slider.setValue(number)
        self.slider.blockSignals(False)
        kind = "slice" if places.chosen else "frame"
        self.told.setText(f"{kind} {number + 1} of {places.count}, {time:.4g} s")
        self.back.setEnabled(number > 0)
        self.on.setEnabled(number < places.count - 1)

    def _dragged(self, number: int) -> None:
        places = self._moments.places()
        if places is not None:
            self._moments.go(places.time(number))
