"""What lies beyond the edges of a spectrum's view, where a hand has chosen it: a flag at each side
that says the highest thing there, and goes to it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QPushButton

from tonecomb.core.estimate.spectrum import decibels_per_decade
from tonecomb.core.say.numbers import significant
from tonecomb.desktop.kit.theme import font

if TYPE_CHECKING:
    from tonecomb.core.estimate.display import Curve
    from tonecomb.core.results.analysis import Analysis
    from tonecomb.desktop.stage.spectrum.spectrum import SpectrumView

_NEARLY = 10.0  # dB below the highest in view, down to which something beyond is worth a word
_AFTER_MS = 120
_ROOM = 6  # pixels to the plot's edge


class EdgeFlags:
    """The two flags of a plot."""

    def __init__(self, plot: SpectrumView) -> None:
        self._plot = plot
        self.buttons = (QPushButton(plot), QPushButton(plot))
        for button in self.buttons:
            button.setObjectName("edge_flag")
            button.setFont(font(9))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setCursor(Qt.CursorShape.PointingHandCursor)
            button.hide()
        self._places = [0.0, 0.0]
        self._told: tuple[Analysis, Curve] | None = None
        self._timer = QTimer(plot)  # while a view moves they would be pictures more
        self._timer.setSingleShot(True)
        self._timer.setInterval(_AFTER_MS)
        self._timer.timeout.connect(self._place)
        for side, button in enumerate(self.buttons):
            button.clicked.connect(partial(self._go, side))

    def hide(self) -> None:
        """Show neither."""
        self._timer.stop()
        self._told = None
        for button in self.buttons:
            button.hide()

    def show(self, analysis: Analysis, drawn: Curve) -> None:
        """Say what stands beyond each edge nearly as high as the highest in view, or higher, once
        the view stands."""
        self._told = analysis, drawn
        self._timer.start()

    def _place(self) -> None:
        if self._told is None:
            return
        analysis, drawn = self._told
        if drawn.stepped or len(drawn.frequency) < 3:
            self.hide()
            return
        low, high = self._plot.limits()
        frequency, power = drawn.frequency[1:], analysis.curve.values[1:]
        inside = (frequency >= low) & (frequency <= high)
        top = float(power[inside].max()) if inside.any() else 0.0
        least = top * 10 ** (-_NEARLY / decibels_per_decade(analysis.scaling))
        for side, beyond in enumerate((frequency < low, frequency > high)):
            button = self.buttons[side]
            there = np.where(beyond, power, 0.0)
            at = int(np.argmax(there))
            if not there[at] > least:
                button.hide()
                continue
            place, hz = float(frequency[at]), analysis.spectrum.bin_hz
            near = [
                one.tone.frequency
                for one in analysis.peaks or ()
                if abs(one.tone.frequency - place) < hz
            ]
            self._places[side] = min(near, key=lambda f: abs(f - place), default=place)
            level = float(drawn.values[1:][at])
            unit = "dB" if self._plot.decibels else analysis.values_unit.split(" ")[0]
            text = f"{self._plot.frequency_text(self._places[side], hz)}, "
            text += f"{significant(round(level, 1) if self._plot.decibels else level)} {unit}"
            button.setText(f"‹ {text}" if side == 0 else f"{text} ›")
            button.setToolTip("The highest beyond this edge; click to go there")
            button.adjustSize()
            area = self._plot.box.sceneBoundingRect()
            x = area.left() + _ROOM if side == 0 else area.right() - button.width() - _ROOM
            legend = self._plot.legend
            below = legend.geometry().bottom() if side == 0 and not legend.isHidden() else 0
            button.move(round(x), max(round(area.top()), below) + _ROOM)
            button.show()

    def _go(self, side: int) -> None:
        self._plot.bring_into_view(self._places[side])
        self._plot.outlook.fit_level()
