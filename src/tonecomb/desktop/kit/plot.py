"""What the plots of the stage have in common: axes, gestures, and the cursor's readout.

Drag with the left button is the view's own gesture (``dragged``, with Ctrl ``measured``). With
Shift or the middle button it moves the view; the wheel zooms about the cursor (Ctrl: the upright
axis); a double click shows all.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from html import escape
from typing import Any

import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QLabel, QWidget

from tonecomb.desktop.kit import gesture
from tonecomb.desktop.kit.theme import Theme, font

AXIS_WIDTH = 66
_LEGEND_SHARE = 0.55  # of the plot's width that a legend in one row may take
_SCALE_HEIGHT = 30  # pixels of a bottom axis that is not laid out yet
_ZOOM = 0.85  # per wheel notch
_FIGURE_ROOM = 18  # pixels between ticks from which each has its figure
_LABELLED, _BARE = 1.0, 0.1  # spacings that stand for lines of a logarithmic axis


class Box(pg.ViewBox):
    """The plotted area with our gestures."""

    dragged = pyqtSignal(QPointF, QPointF, bool)  # from, to (in axis units), finished
    measured = pyqtSignal(QPointF, QPointF, bool)  # the same with Ctrl held
    show_all = pyqtSignal()

    def __init__(self) -> None:
        super().__init__(enableMenu=False)
        self.setMouseEnabled(x=True, y=False)

    def mouseDragEvent(self, ev: Any, axis: int | None = None) -> None:
        ev.accept()
        moves = (
            axis is not None
            or ev.button() == Qt.MouseButton.MiddleButton
            or ev.modifiers() & Qt.KeyboardModifier.ShiftModifier
        )
        if not moves:
            if ev.button() == Qt.MouseButton.LeftButton:
                start, end = self.mapToView(ev.buttonDownPos()), self.mapToView(ev.pos())
                control = ev.modifiers() & Qt.KeyboardModifier.ControlModifier
                (self.measured if control else self.dragged).emit(start, end, ev.isFinish())
            return
        gesture.moves()
        step = self.mapToView(ev.lastPos()) - self.mapToView(ev.pos())
        self.translateBy(x=step.x() if axis != 1 else 0, y=step.y() if axis == 1 else 0)

    def wheelEvent(self, ev: Any, axis: int | None = None) -> None:
        ev.accept()
        gesture.moves()
        factor = _ZOOM ** (ev.delta() / 120)
        centre = pg.Point(self.mapToView(ev.pos()))
        upright = axis == 1 or ev.modifiers() & Qt.KeyboardModifier.ControlModifier
        self.scaleBy(x=None if upright else factor, y=factor if upright else None, center=centre)

    def mouseDoubleClickEvent(self, ev: Any) -> None:
        ev.accept()
        self.show_all.emit()


class Zoom:
    """The way to all of a plot's axes, and back to what was shown before."""

    def __init__(self, box: Box) -> None:
        self._box = box
        self._kept: tuple[list[float], list[float]] | None = None

    def turn(self, to_all: Callable[[], None]) -> None:
        """Show all, which ``to_all`` does; where that is what is shown, go back."""
        across, up = ([float(v) for v in axis] for axis in self._box.viewRange())
        to_all()
        now = self._box.viewRange()
        room = 1e-6 * (now[0][1] - now[0][0]), 1e-3 * (now[1][1] - now[1][0])
        pairs = ((across, now[0], room[0]), (up, now[1], room[1]))
        if any(
            abs(a - b) > play for one, other, play in pairs for a, b in zip(one, other, strict=True)
        ):
            self._kept = (across, up)
        elif self._kept is not None:
            self._box.setXRange(*self._kept[0], padding=0)
            self._box.setYRange(*self._kept[1], padding=0)

    def keep(self, across: tuple[float, float], up: tuple[float, float]) -> None:
        """Have these ranges to go back to."""
        self._kept = (list(across), list(up))


_DECADES = 40  # that a logarithmic axis goes up or down at most


class Axis(pg.AxisItem):
    """An axis with proper minus signs, and 1–2–5 steps where it is logarithmic.

    A logarithmic axis holds log10 of its values.
    """

    def __init__(self, orientation: str) -> None:
        super().__init__(orientation, maxTickLength=-4)
        self.log = False
        self.origin = 0.0
        self._pixels: tuple[Any, QPixmap] | None = None
        self.ground = QColor("white")
        self.picture: Any = None
        self._painted: Any = None  # the picture at the last time
        self._decimals = 0
        self.setStyle(
            tickFont=font(9),
            tickTextOffset=5,
            autoExpandTextSpace=False,
            hideOverlappingLabels=False,
        )
        self.setZValue(-1)  # the grid lies under the data
        self.enableAutoSIPrefix(False)

    def boundingRect(self) -> QRectF:
        # With a grid the library clips the first and last figures; leave them room.
        result: QRectF = super().boundingRect().adjusted(-24, -8, 24, 8)
        return result

    def paint(self, p: QPainter, *_: Any) -> None:
        """The library records a picture and plays it: as long again, for an axis that changes with
        every frame. And its grid shines through: on the ground that is a colour of its own, which
        is drawn ten times as fast. What is painted a second time is kept as pixels."""
        if self.picture is None:
            specs = self.generateDrawSpecs(p)
            self.picture = None if specs is None else self._opaque(*specs)
        if self.picture is None:
            return
        p.save()
        screen, device = p.device(), p.deviceTransform()
        seen_before, self._painted = self._painted is self.picture, self.picture
        if seen_before and isinstance(screen, QWidget) and not device.isScaling():
            self._blit(p, screen.devicePixelRatioF())
        else:
            self.drawPicture(p, *self.picture)
        p.restore()

    def _blit(self, p: QPainter, ratio: float) -> None:
        """The same lines again, while they are the same; figures look bolder as pixels."""
        line, ticks, texts = self.picture
        area, origin = self.boundingRect(), p.deviceTransform()
        # Lines keep their place among the pixels.
        area.translate(-(origin.dx() % 1.0), -(origin.dy() % 1.0))
        area = QRectF(
            math.floor(area.left()),
            math.floor(area.top()),
            math.ceil(area.width()) + 1,
            math.ceil(area.height()) + 1,
        )
        key = (self.picture, area, ratio, origin.dx() % 1.0, origin.dy() % 1.0)
        if self._pixels is None or self._pixels[0] != key:
            pixels = QPixmap(math.ceil(area.width() * ratio), math.ceil(area.height() * ratio))
            pixels.setDevicePixelRatio(ratio)
            pixels.fill(Qt.GlobalColor.transparent)
            painter = QPainter(pixels)
            painter.setRenderHints(p.renderHints())
            painter.translate(origin.dx() % 1.0, origin.dy() % 1.0)
            painter.translate(-area.topLeft())
            self.drawPicture(painter, line, ticks, [])
            painter.end()
            self._pixels = (key, pixels)
        p.save()
        p.translate(-(origin.dx() % 1.0), -(origin.dy() % 1.0))
        p.drawPixmap(area.topLeft(), self._pixels[1])
        p.restore()
        self.drawPicture(p, line, [], texts)

    def _opaque(self, line: Any, ticks: Any, texts: Any) -> tuple[Any, Any, Any]:
        pens: dict[int, QPen] = {}
        told = []
        for pen, start, end in ticks:
            alpha = pen.color().alpha()
            if alpha not in pens:
                pens[alpha] = QPen(pen)
                pens[alpha].setColor(_mixed(pen.color(), self.ground))
            told.append((pens[alpha], start, end))
        return line, told, texts

    def count_from(self, origin: float) -> None:
        """Have figures that count from this place on the axis."""
        if origin != self.origin:
            self.origin = origin
            self.picture = None
            self.update()

    def tickValues(self, minVal: float, maxVal: float, size: float) -> list[tuple[float, Any]]:
        if self.origin and not self.log:
            off, self.origin = self.origin, 0.0
            levels = self.tickValues(minVal - off, maxVal - off, size)
            self.origin = off
            return [(step, [v + off for v in values]) for step, values in levels]
        if not self.log:
            levels = super().tickValues(minVal, maxVal, size)
            # All levels that have room for figures show them with the same decimals.
            room = [step for step, _ in levels if step / (maxVal - minVal) * size > _FIGURE_ROOM]
            self._decimals = max((_decimals(step) for step in room), default=0)
            return list(levels)
        if not -_DECADES < minVal <= maxVal < _DECADES:  # nothing is shown there
            return []
        decades = range(math.floor(minVal), math.ceil(maxVal) + 1)
        if maxVal - minVal < 0.7:
            # Too narrow for decades: even steps of the values themselves.
            (_, values), *_ = super().tickValues(10**minVal, 10**maxVal, size)
            return [(_LABELLED, [math.log10(v) for v in values if v > 0])]
        digits = (1, 2, 5) if maxVal - minVal < 4 else (1,)
        major = [d + math.log10(m) for d in decades for m in digits]
        minor = [d + math.log10(m) for d in decades for m in range(2, 10)]
        return [
            (_LABELLED, [v for v in major if minVal <= v <= maxVal]),
            (_BARE, [v for v in minor if minVal <= v <= maxVal and v not in major]),
        ]

    def tickStrings(self, values: Any, scale: float, spacing: float) -> list[str]:
        if self.log:
            return [f"{10**v:.6g}" if spacing == _LABELLED else "" for v in values]
        values = [v - self.origin for v in values]
        decimals = max(self._decimals, _decimals(spacing))
        if decimals > 6:
            return [f"{v:.3g}".replace("-", "−") for v in values]
        return [f"{round(v, decimals) + 0.0:.{decimals}f}".replace("-", "−") for v in values]


class Trace(pg.PlotCurveItem):
    """A line that takes the whole view: where its ends lie is not worked out for each picture."""

    def boundingRect(self) -> QRectF:
        return self.viewRect() or QRectF()

    def viewTransformChanged(self) -> None:
        super().viewTransformChanged()
        pg.GraphicsObject.viewTransformChanged(self)  # forgets the range of the view that it keeps
        self.prepareGeometryChange()


def _mixed(colour: QColor, ground: QColor) -> QColor:
    """What a colour that shines through looks like on a ground."""
    share = colour.alphaF()
    pairs = zip(colour.getRgb()[:3], ground.getRgb()[:3], strict=True)
    return QColor(*(round(share * a + (1 - share) * b) for a, b in pairs))


def _decimals(step: float) -> int:
    """Decimals that tell two ticks ``step`` apart."""
    return max(0, math.ceil(-math.log10(step) - 1e-9)) if step > 0 else 0


class Plot(pg.PlotWidget):
    """A themed plot with one readout in its upper right corner."""

    def __init__(self, parent: QWidget | None = None, left: Axis | None = None) -> None:
        self._labels: dict[str, str] = {}
        self._labelled: dict[str, tuple[Any, ...]] = {}
        self._told: tuple[Any, ...] = ()
        self.box = Box()
        self.bottom, self.left = Axis("bottom"), left or Axis("left")
        super().__init__(
            parent, viewBox=self.box, axisItems={"bottom": self.bottom, "left": self.left}
        )
        self.setFrameShape(self.Shape.NoFrame)
        self.hideButtons()
        self.left.setWidth(AXIS_WIDTH)
        self.getPlotItem().layout.setContentsMargins(0, 6, 18, 0)
        self.box.setDefaultPadding(0.0)
        self.readout = QLabel(self)
        self.readout.setObjectName("readout")
        self.readout.setFont(font(9))
        self.readout.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.readout.hide()
        self.legend = QLabel(self)
        self.legend.setObjectName("readout")
        self.legend.setFont(font(9))
        self.legend.setTextFormat(Qt.TextFormat.RichText)
        self.legend.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.legend.move(AXIS_WIDTH + 8, 10)
        self.legend.hide()
        self._cursor_right = False
        self._scales_shown = True
        self.scene().sigMouseMoved.connect(self._moved)
        self.box.sigRangeChanged.connect(self._settle)

    def set_theme(self, theme: Theme) -> None:
        """Colour the ground, axes and grid; views colour their own items as well."""
        self.setBackground(theme.raised)
        grid = QColor(theme.lines)
        for axis in (self.bottom, self.left):
            axis.ground = QColor(theme.raised)
            axis.setPen(pg.mkPen(grid))
            axis.setTextPen(pg.mkPen(theme.ink))
            axis.setGrid(110 if self._scales_shown else False)
            axis.setZValue(-1)

    def show_scales(self, shown: bool) -> None:
        """Axes without anything to measure carry no figures."""
        if shown == self._scales_shown:
            return
        self._scales_shown = shown
        for axis in (self.bottom, self.left):
            axis.setStyle(showValues=shown)
            axis.setGrid(110 if shown else False)

    def set_label(self, side: str, text: str) -> None:
        """Quantity and unit of an axis, with a comma between; where there is no room for both,
        the unit alone is shown."""
        self._labels[side] = text
        axis = self.bottom if side == "bottom" else self.left
        room: float = self.width()
        if side == "left":
            room = self.height() - max(self.bottom.height(), _SCALE_HEIGHT)
        width, pieces = QFontMetricsF(font(9)).horizontalAdvance, text.split(", ")
        if len(pieces) > 1 and width(text) > room:
            # Quantity, unit, and what else there is to say: the unit goes last.
            rest = ", ".join(pieces[1:])
            text = rest if width(rest) <= room else pieces[1]
        ink = axis.textPen().color().name()
        if self._labelled.get(side) == (text, ink, axis.width(), axis.height()):
            return
        self._labelled[side] = (text, ink, axis.width(), axis.height())
        # The library forgets the colour of a label whose text is set.
        axis.setLabel(text, **{"font-size": "9pt", "color": ink})
        axis.resizeEvent()  # the library centres a label only when its axis is resized

    def label_of(self, side: str) -> str:
        """Quantity and unit of an axis, whether there is room for both or not."""
        return self._labels.get(side, "")

    def resizeEvent(self, ev: Any) -> None:
        super().resizeEvent(ev)
        for side, text in self._labels.items():
            self.set_label(side, text)

    def _settle(self, *_: object) -> None:
        """Take a new range over now: the library does so while it paints, and paints again."""
        self.scene().prepareForPaint()

    def say(self, text: str) -> None:
        """Show ``text`` in the readout, or nothing."""
        self.readout.setVisible(bool(text))
        if text != self.readout.text():
            self.readout.setText(text)
            self.readout.adjustSize()
        right = self.width() - self.readout.width() - 22
        self.readout.move(self._left_edge if self._cursor_right else right, 10)

    def tell(self, lines: list[tuple[str, str]], dashes: Sequence[str] = ()) -> None:
        """Colours and what stands for them, at the upper left; nothing for no lines. ``dashes``
        are the signs of the lines where they are not all whole."""
        now = (tuple(lines), tuple(dashes), self.width())
        if now == self._told:
            return
        self._told = now
        told = [
            f"<span style='color:{colour}'>{dashes[i] if dashes else '━'}</span> {escape(name)}"
            for i, (colour, name) in enumerate(lines)
        ]
        # In one row, which hides least, where that leaves room for the readout.
        for joint in (" &nbsp; ", "<br>"):
            self.legend.setText(joint.join(told))
            self.legend.adjustSize()
            if self.legend.width() < _LEGEND_SHARE * self.width():
                break
        self.legend.setVisible(bool(lines))

    @property
    def _left_edge(self) -> int:
        """Where the readout stands at the left: beside the legend."""
        return AXIS_WIDTH + 8 + (self.legend.width() + 8 if self.legend.isVisible() else 0)

    def _moved(self, place: QPointF) -> None:
        area = self.box.sceneBoundingRect()
        if area.contains(place):
            # The readout keeps out of the cursor's way.
            self._cursor_right = place.x() > area.center().x()
            self.hover(self.box.mapSceneToView(place))

    def leaveEvent(self, ev: Any) -> None:
        super().leaveEvent(ev)
        self.hover(None)

    def hover(self, place: QPointF | None) -> None:
        """The cursor is at ``place`` in axis units, or has left (None)."""

    @property
    def columns(self) -> int:
        """Width of the plotted area in physical pixels."""
        return int(max(64, round(self.box.width() * self.devicePixelRatioF())))
