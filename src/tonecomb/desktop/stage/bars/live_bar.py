"""The bar of a live recording: how long it is, how it goes, what of it is looked at."""

from __future__ import annotations

import math
import time
from dataclasses import dataclass

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.method.method import Frames
from tonecomb.core.say.numbers import clock
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import Choice, label
from tonecomb.live.spool import Progressed

_ALL = 1 << 60  # samples
_TELL_S = 0.25  # between two words on how it goes


@dataclass(frozen=True)
class Last:
    """What is looked at: so many seconds before now, or so many ``frames``."""

    number: float
    frames: bool = False

    @property
    def called(self) -> str:
        """In words."""
        if self.number == math.inf:
            return "since the start"
        if not self.frames:
            return f"the last {self.number:g} s"
        return "the last frame" if self.number == 1 else f"the last {self.number:g} frames"


LASTS = (
    *(Last(seconds) for seconds in (0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0)),
    *(Last(frames, frames=True) for frames in (1, 4, 16, 64)),
    Last(math.inf),
)


class LiveBar(QWidget):
    """``frozen`` whether the pictures stand still; ``kept`` to make a recording of it, ``watched``
    to choose what to watch for, ``restarted`` to look from now on, ``ended`` to receive no more."""

    frozen = pyqtSignal(bool)
    kept = pyqtSignal()
    watched = pyqtSignal()
    restarted = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.state = label("", "strong")
        self.state.setFont(font(10))
        self.how = label("", "quiet")
        self.how.setFont(font(9))
        self.choice = Choice([(one, one.called) for one in LASTS], Last(5.0), "Looked at")
        self.choice.setToolTip("How much of it is analysed; it goes along with the end")
        self.freeze, self.keep = QPushButton("Freeze"), QPushButton("Keep…")
        self.freeze.setCheckable(True)
        self.freeze.setToolTip("Let the pictures stand still; more is recorded (Ctrl+F)")
        self.keep.setToolTip("Make a recording of what is looked at (Ctrl+Shift+K)")
        self.end = QPushButton("End")
        self.end.setToolTip("Receive no more; what is looked at stays")
        self.freeze.toggled.connect(self.frozen)
        self.keep.clicked.connect(lambda: self.kept.emit())
        self.end.clicked.connect(lambda: self.ended.emit())
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 4, 8, 2)
        line.setSpacing(10)
        line.addWidget(self.state)
        line.addWidget(self.how)
        line.addStretch(1)
        self.watch = QPushButton("Watch…")
        self.watch.setToolTip("Captures by a trigger, and alarms")
        self.watch.clicked.connect(lambda: self.watched.emit())
        self.restart = QPushButton("Restart")
        self.restart.setToolTip("Average and hold from now on (Ctrl+Shift+L)")
        self.restart.clicked.connect(lambda: self.restarted.emit())
        self.restart.setVisible(False)
        for widget in (self.choice, self.restart, self.watch, self.freeze, self.keep, self.end):
            line.addWidget(widget)
        self._told = 0.0
        self.hide()

    @property
    def last(self) -> Last:
        """What is looked at."""
        chosen: Last = self.choice.value
        return chosen

    def length(self, rate: float, frames: Frames) -> int:
        """Samples before now that are looked at, at ``rate`` in Hz with the method's ``frames``."""
        if self.last.number == math.inf:
            return _ALL
        if not self.last.frames:
            return round(self.last.number * rate)
        frame = frames.frame
        hop = make_framing(frame, frame, frames.overlap, rate).hop
        return round(self.last.number - 1) * hop + frame

    def tell(
        self, progressed: Progressed, rate: float, pictures: float, standing: str = ""
    ) -> None:
        """How it goes; ``standing`` names what is looked at instead of what comes."""
        self.how.setVisible(not standing)
        self.restart.setVisible(self.last.number == math.inf)
        theme = current_theme()
        gone = clock(progressed.end / rate)[:-2]
        if progressed.ended:
            text, shade = f"ended · {gone}", theme.quiet
        elif progressed.age > 1.0:
            text, shade = f"waiting {progressed.age:.0f} s · {gone}", theme.caution_ink
        elif standing:
            text, shade = standing, theme.second
        elif self.freeze.isChecked():
            text, shade = f"frozen · {gone} and on", theme.second
        else:
            text, shade = f"● live · {gone}", theme.fault
        self.state.setText(text)
        if (style := f"color: {shade}") != self.state.styleSheet():
            self.state.setStyleSheet(style)
        if (now := time.monotonic()) - self._told < _TELL_S:
            return
        self._told = now
        lost = progressed.counts.lost_samples
        lines = [f"lost {1000 * lost / rate:.3g} ms"] if lost else []
        lines.append(f"{pictures:.0f} pictures a second, {1000 * progressed.age:.0f} ms old")
        self.how.setText(" · ".join(lines))
        packets = progressed.counts.lost
        self.how.setToolTip(f"Lost in {packets} packets of the stream" if packets else "")
