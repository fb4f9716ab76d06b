"""The lines of a made recording's parts over the spectrum, each where it shows, with its name."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.stage.fold_strip import Placed, placed
from tonecomb.desktop.stage.frequency import FrequencyPlot
from tonecomb.desktop.stage.part_colours import part_colour
from tonecomb.desktop.stage.upright import UprightLines

_NAMED = 12  # lines up to which each has its name
_TALL = 15  # pixels of a name


class TruthLines(UprightLines):
    """Dotted lines, named at the foot of the view; what is folded says what it is."""

    def __init__(self, plot: FrequencyPlot) -> None:
        super().__init__(plot)
        self.lines: tuple[Placed, ...] = ()
        self.setZValue(2)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show the parts of a made recording, nothing of any other."""
        truth = None if analysis is None else analysis.truth
        lines = () if truth is None else placed(truth)
        if lines != self.lines:
            self.lines = lines
            self.update()

    def _x(self, one: Placed, view: QRectF) -> float:
        return self._plot.place(one.shows) if one.shows > 0 else view.left()

    def paint(self, painter: QPainter, *_: Any) -> None:
        view, theme = self.viewRect(), self._theme
        if view is None or theme is None or not self.lines:
            return
        placed_at = [(one, part_colour(theme, one.part), self._x(one, view)) for one in self.lines]
        seen = [each for each in placed_at if view.left() <= each[2] <= view.right()]
        for each in seen:
            self.line(painter, view, each[2], QPen(each[1], 1, Qt.PenStyle.DotLine))
        foot = view.top()  # y points up
        places = [painter.transform().map(QPointF(each[2], foot)) for each in seen]
        painter.save()
        painter.resetTransform()
        painter.setFont(font(9))
        metrics, right = QFontMetricsF(font(9)), painter.viewport().right() - 4
        taken: list[QRectF] = []
        for each, place in list(zip(seen, places, strict=True))[:_NAMED]:
            name = name_of(each[0])
            wide = metrics.horizontalAdvance(name) + 8
            box = QRectF(place.x() + 3, place.y() - _TALL - 4, wide, _TALL)
            if box.right() > right:
                box.moveRight(place.x() - 3)
            while any(box.intersects(other) for other in taken):
                box.translate(0, -_TALL - 1)
            taken.append(box)
            painter.fillRect(box, each[1])
            painter.setPen(QColor(theme.raised))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, name)
        painter.restore()


def name_of(one: Placed) -> str:
    """What stands over a line."""
    shows = f"{one.shows:.6g} Hz"
    return f"{shows}, is {one.is_at:.6g}" if one.folded else shows
