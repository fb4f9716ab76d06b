"""Two lines over a waveform that can be dragged: the stretch's ends, and the readouts of a
measure; and the notes of marks."""

from __future__ import annotations

from collections.abc import Callable

import pyqtgraph as pg
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QGraphicsRectItem

from tonecomb.core.method.document import Mark
from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.theme import Theme, font


class Ends(QObject):
    """``moved`` carries both times (s), the earlier first, and whether the drag ended."""

    moved = pyqtSignal(float, float, bool)

    def __init__(self, plot: Plot, z: float) -> None:
        super().__init__(plot)
        self.lines = [pg.InfiniteLine(angle=90, movable=True) for _ in range(2)]
        for line in self.lines:
            line.hide()
            line.setZValue(z)
            line.setCursor(Qt.CursorShape.SizeHorCursor)
            line.sigPositionChanged.connect(lambda: self._tell(False))
            line.sigPositionChangeFinished.connect(lambda: self._tell(True))
            plot.addItem(line, ignoreBounds=True)

    def set_colour(self, colour: str) -> None:
        """Draw them in a colour."""
        for line in self.lines:
            line.setPen(pg.mkPen(colour, width=2))
            line.setHoverPen(pg.mkPen(colour, width=4))

    def place(self, start: float, end: float) -> None:
        """Put them at two times, which is told to nobody."""
        for line, at in zip(self.lines, (start, end), strict=True):
            line.blockSignals(True)
            line.setPos(at)
            line.blockSignals(False)

    def set_visible(self, shown: bool) -> None:
        """Show them, or do not."""
        for line in self.lines:
            line.setVisible(shown)

    def times(self) -> tuple[float, float]:
        """Where they are, the earlier first."""
        low, high = sorted(float(line.value()) for line in self.lines)
        return low, high

    def _tell(self, finished: bool) -> None:
        self.moved.emit(*self.times(), finished)


class StretchEnds(QObject):
    """The stretch's two ends with the shade between them. ``rounded`` makes of a time one that is
    as precise as a pixel. ``said`` carries the times while they are dragged, ``chosen`` when they
    are let go."""

    said = pyqtSignal(float, float)
    chosen = pyqtSignal(float, float)

    def __init__(self, plot: Plot, rounded: Callable[[float], float]) -> None:
        super().__init__(plot)
        self._rounded = rounded
        self.stretch: Stretch | None = None
        self.shade = QGraphicsRectItem()
        self.shade.setZValue(-10)
        plot.addItem(self.shade, ignoreBounds=True)
        self.ends = Ends(plot, 10)
        self.ends.moved.connect(self._moved)

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        shade = pg.mkColor(theme.accent)
        shade.setAlpha(26)
        self.shade.setBrush(shade)
        self.shade.setPen(pg.mkPen(None))
        self.ends.set_colour(theme.accent)

    def show(self, stretch: Stretch) -> None:
        """Show a stretch at its place."""
        self.stretch = stretch
        self.ends.place(stretch.start, stretch.end)
        self._place_shade()

    def set_visible(self, shown: bool) -> None:
        """Show it, or do not."""
        self.ends.set_visible(shown)
        self.shade.setVisible(shown)

    def draw_out(self, start: float, end: float, finished: bool) -> None:
        """A drag over the plot draws out another stretch."""
        low, high = sorted((self._rounded(start), self._rounded(end)))
        if high > low and self.stretch is not None:
            self.ends.place(low, high)
            self._moved(low, high, finished)

    def _moved(self, low: float, high: float, finished: bool) -> None:
        low, high = self._rounded(low), self._rounded(high)
        self._place_shade()
        if not finished or high > low:
            self.said.emit(low, high)
        if finished and high > low:
            self.chosen.emit(low, high)
        elif finished and self.stretch is not None:
            self.show(self.stretch)

    def _place_shade(self) -> None:
        low, high = self.ends.times()
        self.shade.setRect(low, -1e12, high - low, 2e12)


class MarkLines(QObject):
    """Notes at their times; ``clicked`` carries the number of one."""

    clicked = pyqtSignal(int)

    def __init__(self, plot: Plot) -> None:
        super().__init__(plot)
        self._plot = plot
        self._theme: Theme | None = None
        self.lines: list[pg.InfiniteLine] = []
        self._notes: list[str] = []

    def show(self, marks: tuple[Mark, ...]) -> None:
        """Show these."""
        if [mark.note for mark in marks] == self._notes:  # of a live recording, which go along
            for line, mark in zip(self.lines, marks, strict=True):
                line.setValue(mark.time)
            return
        self._notes = [mark.note for mark in marks]
        for line in self.lines:
            self._plot.removeItem(line)
        self.lines = []
        for i, mark in enumerate(marks):
            line = pg.InfiniteLine(
                mark.time,
                angle=90,
                label=mark.note,
                labelOpts={"position": 0.07, "anchors": [(0, 0.5), (0, 0.5)]},
            )
            line.setZValue(9)
            line.sigClicked.connect(lambda *_, i=i: self.clicked.emit(i))
            self.lines.append(line)
            self._plot.addItem(line, ignoreBounds=True)
        if self._theme is not None:
            self.set_theme(self._theme)

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        for line in self.lines:
            line.setPen(pg.mkPen(theme.ink, style=Qt.PenStyle.DotLine))
            line.label.setColor(pg.mkColor(theme.ink))
            line.label.fill = pg.mkBrush(theme.raised)
            line.label.setFont(font(9))
