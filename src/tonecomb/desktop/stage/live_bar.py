"""The bar of a live recording: how long it is, how it goes, what of it is looked at."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.kit.widgets import Choice, label
from tonecomb.live.spool import Progressed

SPANS = (0.5, 1.0, 2.0, 5.0, 10.0, 30.0, 60.0)
"""Seconds before now that can be looked at."""


class LiveBar(QWidget):
    """``frozen`` whether the pictures stand still; ``kept`` to make a recording of it, ``ended`` to
    receive no more; ``span`` are the seconds that are looked at."""

    frozen = pyqtSignal(bool)
    kept = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.state = label("", "strong")
        self.state.setFont(font(10))
        self.how = label("", "quiet")
        self.how.setFont(font(9))
        self.choice = Choice([(one, f"the last {one:g} s") for one in SPANS], 5.0, "Looked at")
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
    def span(self) -> float:
        """Seconds before now that are looked at."""
        return float(self.choice.value)

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
        told = [f"{pictures:.0f} pictures a second, the newest {1000 * progressed.age:.0f} ms old"]
        if lost:
            told.append(f"lost {1000 * lost / rate:.0f} ms in {progressed.counts.lost} packets")
        self.how.setText(" · ".join(told))
