"""The teeth of combs as lines through a view over frequency."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from tonecomb.desktop.edits.combs import ShownComb
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot
from tonecomb.desktop.stage.plots.upright import UprightLines
from tonecomb.formats.palette import readable

_GRIP = 5.0  # pixels to each side at which a tooth can be taken
_APART = 24.0  # pixels between teeth from which their lines can be taken
STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


@dataclass(frozen=True)
class Flag:
    """What stands over a tooth: its text and the number of its trace colour, the comb's index with
    the tooth's number, and whether it is the one that the comb hangs on."""

    text: str
    colour: int
    tooth: tuple[int, int]
    first: bool


class CombLines(UprightLines):
    """A line a tooth, in the comb's colour and its own kind of dash; faint where no tone was
    found. ``flag_at`` says which tooth's flag stands at a place in axis units."""

    def __init__(self, plot: FrequencyPlot) -> None:
        super().__init__(plot)
        self._combs: Sequence[ShownComb] = ()
        self._flags: dict[float, Flag] = {}
        self.flag_at: Callable[[QPointF], tuple[int, int] | None] = lambda _: None

    def show_combs(self, combs: Sequence[ShownComb]) -> None:
        """Draw these."""
        self._combs = combs
        # Of two combs that share a tone the chosen one has its flag, or else the first.
        flags = {}
        for i, shown in sorted(enumerate(combs), key=lambda pair: (pair[1].chosen, -pair[0])):
            for tooth in shown.comb.teeth:
                if tooth.found:
                    text = shown.comb.tooth_name(tooth)
                    first = tooth.number == (1 if shown.comb.carrier is None else 0)
                    flags[tooth.frequency] = Flag(text, shown.colour, (i, tooth.number), first)
        self._flags = flags
        self.update()

    def flag(self, frequency: float) -> Flag | None:
        """What stands over a peak of this frequency (Hz) that is a tooth."""
        return self._flags.get(frequency)

    def told(self, theme: Theme) -> tuple[tuple[float, str, str], ...]:
        """Frequency (Hz), word and colour of every flag."""
        return tuple(
            (f, one.text, readable(theme.traces[one.colour], theme.raised))
            for f, one in self._flags.items()
        )

    def at(self, place: QPointF) -> tuple[int, int] | None:
        """The comb's index and the tooth's number that can be taken at a place in axis units, None
        for none: by its flag, or anywhere on a line of the comb that is chosen, unless its teeth
        stand so close that a drag could only hit one. The carrier of sidebands cannot be taken."""
        wide, _ = self._plot.box.viewPixelSize()
        if (flag := self.flag_at(place)) is not None and flag[1] != 0:
            return flag
        best: tuple[float, int, int] | None = None
        for i, shown in enumerate(self._combs):
            apart = abs(
                self._plot.place(2 * shown.comb.spacing) - self._plot.place(shown.comb.spacing)
            )
            grips = shown.chosen and apart / wide >= _APART
            for tooth in shown.comb.teeth:
                if tooth.number == 0 or tooth.expected <= 0:
                    continue
                off = (place.x() - self._plot.place(tooth.expected)) / wide
                if grips and abs(off) <= _GRIP and (best is None or abs(off) < best[0]):
                    best = (abs(off), i, tooth.number)
        return None if best is None else best[1:]

    def paint(self, painter: QPainter, *_: Any) -> None:
        view, theme = self.viewRect(), self._theme
        if view is None or theme is None or not self._combs:
            return
        for i, shown in enumerate(self._combs):
            colour = QColor(theme.traces[shown.colour])
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
