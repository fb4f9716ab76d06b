"""Two readouts on the waveform: what lies between them, and how many periods."""

from __future__ import annotations

import math

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QWidget

from tonecomb.core.record.periods import Periods
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import Number, label
from tonecomb.desktop.state.figures import Measure

_MOST = 1_000_000


class MeasureStrip(QFrame):
    """Δt, 1/Δt, Δy and the periods in between; ``closed`` when the user is done."""

    closed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("readout")
        line = QHBoxLayout(self)
        line.setContentsMargins(8, 2, 4, 2)
        line.setSpacing(8)
        self.between = label("")
        self.periods = Number(1, 1, _MOST, 0, "")
        self.periods.setAccessibleName("Periods between the readouts")
        self.periods.setToolTip("How many periods lie between the two lines; type another count")
        self.periods.setMinimumWidth(56)
        self.periods.setMaximumWidth(72)
        self.mean = label("")
        for widget in (self.between, self.mean):
            widget.setFont(font(9))
        close = QToolButton()
        close.setText("×")
        close.setObjectName("link")
        close.setToolTip("Take the readouts away (Esc)")
        close.clicked.connect(self.closed)
        line.addWidget(self.between)
        line.addWidget(self.periods)
        line.addWidget(self.mean)
        line.addStretch(1)
        line.addWidget(close)
        self._measure: Measure | None = None
        self.periods.valueChanged.connect(lambda _: self._typed())
        self.hide()

    def show_measure(self, measure: Measure) -> None:
        """Show what was read; the count of periods is the nearest whole one."""
        self._measure = measure
        step = measure.end - measure.start
        rise = measure.end_value - measure.start_value
        shown = "missing" if math.isnan(rise) else f"{rise:.4g} {measure.unit}".replace("-", "−")
        self.between.setText(f"Δt {step:.6g} s · 1/Δt {1 / step:.6g} Hz · Δy {shown}")
        found = measure.periods
        count = max(1, round(step / found.period)) if found is not None else 1
        self.periods.blockSignals(True)
        self.periods.setValue(count)
        self.periods.blockSignals(False)
        if found is None:
            self._typed()
        else:
            self.mean.setText(_counted(found))
        self.show()

    def _typed(self) -> None:
        """The user counted: the lines stand at the ends of so many periods."""
        if self._measure is not None:
            period = (self._measure.end - self._measure.start) / self.periods.value()
            word = "period" if self.periods.value() == 1 else "periods"
            self.mean.setText(f"{word} of {_time(period)}, {1 / period:.6g} Hz")


def _counted(found: Periods) -> str:
    spread = "" if math.isnan(found.spread) else f" ± {_time(found.spread)} each"
    word = "period" if found.count == 1 else "periods"
    return f"{word} of {_time(found.period)}{spread}, {found.frequency:.6g} Hz"


def _time(seconds: float) -> str:
    return f"{seconds * 1e3:.5g} ms" if seconds < 1 else f"{seconds:.5g} s"
