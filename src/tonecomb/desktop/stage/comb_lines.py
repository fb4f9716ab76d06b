"""The teeth of combs as lines through a view over frequency."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.stage.frequency import FrequencyPlot
from tonecomb.desktop.stage.upright import UprightLines

_GRIP = 5.0  # pixels to each side at which a tooth can be taken
_APART = 24.0  # pixels between teeth from which their lines can be taken
_FLAG = 12.0  # pixels that a number is high and wide
_ROOM = 15.0  # pixels that a number needs
STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine,
          Qt.PenStyle.DashDotLine)  # fmt: skip


class CombLines(UprightLines):
    """A line a tooth, in the comb's colour and its own kind of dash; faint where no tone was
    found. Numbers stand along the bottom of the view that ``numbers`` them."""

    def __init__(self, plot: FrequencyPlot, *, numbers: bool) -> None:
        super().__init__(plot)
        self._numbers = numbers
        self._combs: Sequence[ShownComb] = ()

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        """Draw these."""
        self._combs = combs
        self.update()

    def at(self, place: QPointF) -> tuple[int, int] | None:
        """The comb's index and the tooth's number that can be taken at a place in axis units, None
        for none: by its flag at the foot of the view, or anywhere on a line of the comb that is
        chosen, unless its teeth stand so close that a drag could only hit one. The carrier of
        sidebands cannot be taken."""
        wide, high = self._plot.box.viewPixelSize()
        up = (place.y() - self._plot.box.viewRange()[1][0]) / high
        best: tuple[float, int, int] | None = None
        for i, shown in enumerate(self._combs):
            apart = abs(
                self._plot.place(2 * shown.comb.spacing) - self._plot.place(shown.comb.spacing)
            )
            grips = shown.chosen and apart / wide >= _APART
            flag = self._numbers and 0 <= up - _FLAG * i <= _FLAG + 4
            for tooth in shown.comb.teeth:
                if tooth.number == 0 or tooth.expected <= 0:
                    continue
                off = (place.x() - self._plot.place(tooth.expected)) / wide
                near = -_GRIP <= off <= _FLAG if flag else grips and abs(off) <= _GRIP
                if near and (best is None or abs(off) < best[0]):
                    best = (abs(off), i, tooth.number)
        return None if best is None else best[1:]

    def paint(self, painter: QPainter, *_: Any) -> None:
        view, theme = self.viewRect(), self._theme
        if view is None or theme is None or not self._combs:
            return
        wide, high = self.pixelLength(pg.Point(1, 0)), self.pixelLength(pg.Point(0, 1))
        if not wide or not high:
            return
        for i, shown in enumerate(self._combs):
            colour = QColor(theme.traces[shown.colour])
            last = -1e18
            for tooth in shown.comb.teeth:
                if tooth.expected <= 0:
                    continue
                x = self._plot.place(tooth.expected)
                if not view.left() <= x <= view.right():
                    continue
                faint = QColor(colour)
                faint.setAlpha(170 if tooth.found else 80)
                pen = QPen(faint, 2.0 if tooth.number in (0, 1) else 1.2, STYLES[i % len(STYLES)])
                self.line(painter, view, x, pen)
                if self._numbers and (x - last) / wide > _ROOM:
                    last = x
                    text = f"{shown.dropped.name}{tooth.number}".replace("-", "−")
                    if shown.comb.carrier is not None and tooth.number > 0:
                        text = f"{shown.dropped.name}+{tooth.number}"
                    # At the foot of the view (y points up), each comb on a line of its own.
                    self.write(
                        painter, QPointF(x, view.top()), text, colour, (3, -4 - round(_FLAG) * i)
                    )
