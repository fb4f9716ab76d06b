"""The strip below the spectrum of a made recording: where its parts truly are, also beyond half the
rate, and where sampling folds them to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from tonecomb.core.record.truth import KnownLine, Truth, folded
from tonecomb.core.results.analysis import Analysis
from tonecomb.desktop.kit.plot import AXIS_WIDTH
from tonecomb.desktop.kit.theme import current_theme, font
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot
from tonecomb.desktop.stage.plots.part_colours import part_colour
from tonecomb.desktop.stage.plots.upright import UprightLines

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


_HEIGHT, _LINE = 66, 36  # pixels of the strip, and where its line runs
_RIGHT = 18  # pixels, as beside every plot
_LEAST = 0.02  # of the highest amplitude, what is drawn
_MOST = 40


@dataclass(frozen=True)
class Placed:
    """A part's line: where it ``is``, where it ``shows`` (both Hz), and its number."""

    part: int
    name: str
    is_at: float
    shows: float

    @property
    def folded(self) -> bool:
        """Whether it shows where it is not."""
        return abs(self.is_at - self.shows) > 1e-9 * max(self.is_at, 1.0)


def placed(truth: Truth) -> tuple[Placed, ...]:
    """The lines worth drawing, the strongest of all parts."""
    steady = [line for line in truth.lines if not line.moves]
    least = _LEAST * max((line.amplitude for line in steady), default=0.0)
    strongest = sorted(steady, key=lambda line: -line.amplitude)[:_MOST]
    return tuple(_placed(line, truth.rate) for line in strongest if line.amplitude >= least)


def _placed(line: KnownLine, rate: float) -> Placed:
    return Placed(line.part, line.name, line.frequency, folded(line.frequency, rate))


class FoldStrip(QWidget):
    """Its own axis goes as far as the highest part."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_HEIGHT)
        self.setAccessibleName("Where the parts are, and where they fold to")
        self.truth: Truth | None = None
        self.lines: tuple[Placed, ...] = ()
        self.top = 1.0
        self.hide()

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show the parts of a made recording, nothing of any other."""
        truth = None if analysis is None else analysis.truth
        self.setVisible(truth is not None)
        if truth is None or truth == self.truth:
            self.truth = truth
            return
        self.truth, self.lines = truth, placed(truth)
        ends = [line.high for line in truth.lines if line.moves]
        highest = max([one.is_at for one in self.lines] + ends, default=0.0)
        self.top = max(truth.rate, 1.08 * highest)
        self.setToolTip(self.words())
        self.update()

    def words(self) -> str:
        """What it shows, in a line for each part that is folded."""
        lines = [f"{one.name} shows at {one.shows:.6g} Hz" for one in self.lines if one.folded]
        return "\n".join(lines) or "Every part lies below half the rate"

    def x_of(self, frequency: float) -> float:
        """The pixel of a frequency (Hz)."""
        return AXIS_WIDTH + frequency / self.top * max(self.width() - AXIS_WIDTH - _RIGHT, 1)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        truth = self.truth
        if truth is None:
            return
        theme, painter = current_theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(font(9))
        painter.setPen(QPen(QColor(theme.lines), 3))
        painter.drawLine(QPointF(AXIS_WIDTH, _LINE), QPointF(self.x_of(self.top), _LINE))
        painter.setPen(QColor(theme.quiet))
        left = QRectF(0, _LINE - 9, AXIS_WIDTH - 8, 18)
        flags = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(left, flags, "truly at")
        self._paint_spans(painter, truth)
        self._paint_fold(painter, truth.rate / 2)
        self._paint_ticks(painter, truth.rate / 2)
        for one in self.lines:
            self._paint_line(painter, one)

    def _paint_spans(self, painter: QPainter, truth: Truth) -> None:
        """What moves, and noise, as far as they go."""
        theme = current_theme()
        spans = [(line.part, line.low, line.high, 5) for line in truth.lines if line.moves]
        spans += [(one.part, one.low, min(one.high, self.top), 2) for one in truth.noises]
        for part, low, high, wide in spans:
            painter.setPen(QPen(part_colour(theme, part), wide, cap=Qt.PenCapStyle.FlatCap))
            painter.drawLine(QPointF(self.x_of(low), _LINE), QPointF(self.x_of(high), _LINE))

    def _paint_fold(self, painter: QPainter, nyquist: float) -> None:
        theme, x = current_theme(), self.x_of(nyquist)
        painter.setPen(QPen(QColor(theme.ink), 1.4))
        painter.drawLine(QPointF(x, _LINE - 13), QPointF(x, _LINE + 10))
        painter.setPen(QColor(theme.quiet))
        text = f"{nyquist:.6g} Hz: half the rate, the fold"
        wide = painter.fontMetrics().horizontalAdvance(text)
        at = x + 6 if x + 6 + wide < self.width() else x - 6 - wide
        painter.drawText(QPointF(at, _LINE + 26), text)

    def _paint_ticks(self, painter: QPainter, nyquist: float) -> None:
        """The ends of the axis in figures."""
        theme = current_theme()
        painter.setPen(QColor(theme.ink))
        painter.drawText(QPointF(AXIS_WIDTH - 3, _LINE + 26), "0")
        text = f"{self.top:.4g} Hz"
        wide = painter.fontMetrics().horizontalAdvance(text)
        if self.x_of(self.top) - wide > self.x_of(nyquist) + 220:
            painter.drawText(QPointF(self.x_of(self.top) - wide, _LINE + 26), text)

    def _paint_line(self, painter: QPainter, one: Placed) -> None:
        theme = current_theme()
        colour, at = part_colour(theme, one.part), self.x_of(one.is_at)
        painter.setPen(QPen(QColor(theme.raised), 1))
        painter.setBrush(colour)
        painter.drawEllipse(QPointF(at, _LINE), 5, 5)
        if not one.folded:
            return
        to = self.x_of(one.shows)
        path = QPainterPath(QPointF(at, _LINE - 6))
        path.cubicTo(QPointF(at, 4), QPointF(to, 4), QPointF(to, _LINE - 8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colour, 1.4, Qt.PenStyle.DashLine))
        painter.drawPath(path)
        painter.setPen(QPen(colour, 1.6))
        painter.drawLine(QPointF(to - 4, _LINE - 12), QPointF(to, _LINE - 6))
        painter.drawLine(QPointF(to + 4, _LINE - 12), QPointF(to, _LINE - 6))
        painter.setBrush(QColor(theme.raised))
        painter.drawEllipse(QPointF(to, _LINE), 4, 4)
