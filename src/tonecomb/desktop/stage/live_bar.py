"""The bar of a live recording: how long it is, how it goes, what of it is looked at."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.method import Frames
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import Choice, label
from tonecomb.live.spool import Progressed


@dataclass(frozen=True)
class Last:
    """What is looked at: so many seconds before now, or so many ``frames``."""

    number: float
    frames: bool = False

    @property
    def called(self) -> str:
        """In words."""
        if not self.frames:
            return f"the last {self.number:g} s"
        return "the last frame" if self.number == 1 else f"the last {self.number:g} frames"


LASTS = (
    *(Last(seconds) for seconds in (0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0)),
    *(Last(frames, frames=True) for frames in (1, 4, 16, 64)),
)


class LiveBar(QWidget):
    """``frozen`` whether the pictures stand still; ``kept`` to make a recording of it, ``ended`` to
    receive no more."""

    frozen = pyqtSignal(bool)
    kept = pyqtSignal()
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
        for widget in (self.choice, self.freeze, self.keep, self.end):
            line.addWidget(widget)
        self.hide()

    @property
    def last(self) -> Last:
        """What is looked at."""
        chosen: Last = self.choice.value
        return chosen

    def length(self, rate: float, frames: Frames) -> int:
        """Samples before now that are looked at, at ``rate`` in Hz with the method's ``frames``."""
        if not self.last.frames:
            return round(self.last.number * rate)
        frame = frames.frame
        hop = make_framing(frame, frame, frames.overlap, rate).hop
        return round(self.last.number - 1) * hop + frame

    def tell(self, progressed: Progressed, rate: float, pictures: float) -> None:
        """How it goes."""
        theme = current_theme()
        seconds = progressed.end / rate
        clock = f"{int(seconds // 3600)}:{int(seconds // 60) % 60:02d}:{int(seconds) % 60:02d}"
        if progressed.ended:
            text, shade = f"ended · {clock}", theme.quiet
        elif progressed.age > 1.0:
            text, shade = f"waiting {progressed.age:.0f} s · {clock}", theme.caution
        elif self.freeze.isChecked():
            text, shade = f"frozen · {clock} and on", theme.second
        else:
            text, shade = f"● live · {clock}", theme.fault
        self.state.setText(text)
        self.state.setStyleSheet(f"color: {shade}")
        lost = progressed.counts.lost_samples
        told = [f"lost {1000 * lost / rate:.3g} ms"] if lost else []
        told.append(f"{pictures:.0f} pictures a second, {1000 * progressed.age:.0f} ms old")
        self.how.setText(" · ".join(told))
        packets = progressed.counts.lost
        self.how.setToolTip(f"Lost in {packets} packets of the stream" if packets else "")
