"""Peaks on a spectrum: a dot on each, a line over the range through which it moves, a ring about
the chosen one, and frequencies over the highest, none over another."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QFont

from tonecomb.core.document import PeakNote
from tonecomb.core.find.peaks import Peak
from tonecomb.desktop.kit.theme import Theme, font
from tonecomb.desktop.stage.frequency import FrequencyPlot

_LABELS = 14


class PeakMarks:
    """The marks of one plot."""

    def __init__(self, plot: FrequencyPlot) -> None:
        self._plot = plot
        self.note_of: Callable[[Peak], PeakNote | None] = lambda peak: None
        self.aside = pg.ScatterPlotItem(size=6, pxMode=True)
        self._dots = pg.ScatterPlotItem(size=7, pxMode=True)
        self._ring = pg.ScatterPlotItem(size=15, pxMode=True)
        self.ranges = pg.PlotCurveItem(connect="pairs")
        self._texts = [pg.TextItem(anchor=(0.5, 1.1)) for _ in range(_LABELS)]
        self.items = (self.ranges, self._dots, self.aside, self._ring, *self._texts)
        for item in self.items:
            plot.addItem(item, ignoreBounds=True)
        for marks in (self._dots, self._ring):
            marks.setZValue(5)  # over the labels
        for text in self._texts:
            text.setFont(font(9, QFont.Weight.Medium))
            text.hide()

    def paint(self, theme: Theme) -> None:
        self._dots.setPen(pg.mkPen(None))
        self.ranges.setPen(pg.mkPen(theme.accent, width=2))
        self._dots.setBrush(pg.mkBrush(theme.accent))
        self.aside.setPen(pg.mkPen(theme.quiet))
        self.aside.setBrush(pg.mkBrush(None))
        self._ring.setPen(pg.mkPen(theme.accent, width=2))
        self._ring.setBrush(pg.mkBrush(None))
        for text in self._texts:
            text.setColor(theme.accent)
            ground = pg.mkColor(theme.raised)
            ground.setAlpha(170)
            text.fill = pg.mkBrush(ground)

    def show(self, marks: list[tuple[Peak, float]], chosen: Peak | None) -> None:
        """Draw peaks at their levels (as the upright axis has them)."""
        place = self._plot.place
        aside = [mark for mark in marks if (note := self.note_of(mark[0])) and note.aside]
        marks = [mark for mark in marks if mark not in aside]
        for item, shown in ((self._dots, marks), (self.aside, aside)):
            item.setData(
                [place(peak.tone.frequency) for peak, _ in shown], [level for _, level in shown]
            )
        moves = [
            (one.low, one.high, at) for peak, at in marks if (one := peak.behaviour) and one.moved
        ]
        ends = [place(f) for low, high, _ in moves for f in (low, high)]
        self.ranges.setData(np.array(ends), np.repeat([at for *_, at in moves], 2))
        marks = marks + [mark for mark in aside if mark[0] is chosen]
        ring = [mark for mark in marks if mark[0] is chosen]
        self._ring.setData(
            [place(peak.tone.frequency) for peak, _ in ring], [level for _, level in ring]
        )
        self._label(marks, chosen)

    def _label(self, marks: list[tuple[Peak, float]], chosen: Peak | None) -> None:
        """Frequencies over the highest peaks in view, without overlaps; the chosen one first."""
        plot = self._plot
        low, high = plot.limits()
        visible = [mark for mark in marks if low <= mark[0].tone.frequency <= high]
        visible.sort(key=lambda mark: (mark[0] is not chosen, -mark[0].level))
        taken = [QRectF(plot.legend.geometry())] if plot.legend.isVisible() else []
        bottom, top = plot.level_limits()
        used = 0
        for peak, level in visible:
            text = self._texts[used]
            note = self.note_of(peak)
            name = f" {note.name}" if note is not None and note.name else ""
            if (words := f"{peak.tone.frequency:.2f}{name}") != text.toPlainText():
                text.setText(words)
            at = plot.place(peak.tone.frequency)
            place = plot.box.mapViewToDevice(QPointF(at, level))
            if place is None or not bottom <= level <= top:
                continue
            size = text.boundingRect()
            # Near an end of the axis the label leans inward.
            half, height = size.width() / 2, size.height()
            frame = plot.box.sceneBoundingRect()
            lean = min(max(place.x(), frame.left() + half), frame.right() - half) - place.x()
            area = QRectF(place.x() + lean - half, place.y() - 1.1 * height, 2 * half, height)
            if any(area.intersects(other) for other in taken):
                continue
            taken.append(area)
            text.setAnchor((0.5 - lean / (2 * half), 1.1))
            text.setPos(at, level)
            text.show()
            used += 1
            if used == _LABELS:
                break
        for text in self._texts[used:]:
            text.hide()

    def labelled(self) -> list[str]:
        """The labels that stand in the picture now."""
        return [text.toPlainText() for text in self._texts if text.isVisible()]

    def hide(self) -> None:
        self.show([], None)
