"""The spectrogram: frequency across as in every view, time downward."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from tonecomb.core.record.recording import Array
from tonecomb.core.results.spectrogram import View
from tonecomb.desktop.kit.theme import Theme
from tonecomb.desktop.stage.plots.comb_lines import CombLines
from tonecomb.desktop.stage.plots.frequency import FrequencyPlot
from tonecomb.desktop.stage.plots.upright import UprightLines
from tonecomb.desktop.stage.spectrogram.marks import GramMarks
from tonecomb.desktop.stage.spectrogram.picture import GramPicture
from tonecomb.desktop.stage.spectrogram.region_marks import RegionMarks
from tonecomb.desktop.stage.spectrogram.time_strip import TimeStrip

WIDE = 90  # pixels


class LevelStrip(UprightLines):
    """A strip over the picture's right side; levels go from the scale's low end at its left to the
    high end at its right."""

    def __init__(self, plot: FrequencyPlot) -> None:
        super().__init__(plot)
        self.time_line: Array = np.zeros(0)
        self._share: Array = np.zeros(0)
        self.setZValue(4)

    def show_levels(self, time: Array, levels: Array, low: float, high: float) -> None:
        """Levels at these times (s), from ``low`` to ``high``; nothing for no times."""
        self.time_line = time
        if len(time):
            self._share = np.clip((levels - low) / max(high - low, 1e-12), 0.0, 1.0)
        self.update()

    def paint(self, painter: QPainter, *_: Any) -> None:
        view, theme = self.viewRect(), self._theme
        if not len(self.time_line) or view is None or theme is None:
            return
        transform = painter.transform()
        right = transform.map(QPointF(view.right(), view.top()))
        end = transform.map(QPointF(view.right(), view.bottom()))
        painter.save()
        painter.resetTransform()
        ground = QColor(theme.raised)
        ground.setAlpha(205)
        top, bottom = sorted((right.y(), end.y()))
        painter.fillRect(QRectF(right.x() - WIDE, top, WIDE, bottom - top), ground)
        places = [transform.map(QPointF(view.right(), t)).y() for t in self.time_line.tolist()]
        x = right.x() - WIDE + 4 + self._share * (WIDE - 8)
        painter.setPen(QPen(QColor(theme.second), 1.2))
        points = zip(x.tolist(), places, strict=True)
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in points]))
        painter.restore()


class GramPlot(FrequencyPlot):
    """Drag a box to zoom. ``wanted`` carries the :class:`View` that is to be computed,
    ``time_clicked`` the time (s) at a click, or where the line of the single frame was dragged;
    ``box_chosen`` times and frequencies of a box that was dragged with Ctrl: start, end (s), low,
    high (Hz)."""

    wanted = pyqtSignal(object)
    time_clicked = pyqtSignal(float)
    box_chosen = pyqtSignal(float, float, float, float)

    def __init__(self, picture: GramPicture) -> None:
        super().__init__(left=TimeStrip())
        self.picture = picture
        self.box.invertY(True)
        self.getPlotItem().layout.setContentsMargins(0, 18, 18, 0)  # room for the unit of time
        self.box.setMouseEnabled(x=True, y=True)
        self._stretch = (0.0, 1.0)
        self.image = pg.ImageItem(axisOrder="row-major")
        self.image.setZValue(-5)
        self.addItem(self.image, ignoreBounds=True)
        self.image.hide()
        self.lines = GramMarks(self, False, self.time_clicked.emit)
        self.regions = RegionMarks(self, self._on_axes, self._off_axes)
        self.combs = CombLines(self)
        self.levels = LevelStrip(self)
        self.cursor: tuple[float, float] | None = None
        self.box.sigRangeChanged.connect(self.ask)
        self.box.sigResized.connect(self.ask)
        self.box.dragged.connect(self._boxed)
        self.box.measured.connect(self._chosen)
        self.box.show_all.connect(self.show_all)
        self.scene().sigMouseClicked.connect(self._clicked)
        picture.changed.connect(self._draw)

    def set_theme(self, theme: Theme) -> None:
        super().set_theme(theme)
        self.combs.set_theme(theme)
        self.levels.set_theme(theme)
        strip = self.left
        assert isinstance(strip, TimeStrip)
        strip.theme = theme
        self.lines.set_theme(theme)
        self.regions.set_theme(theme)

    def take_axis(self, *_: object) -> None:
        log = self.bottom.log
        super().take_axis(*_)
        if self.bottom.log != log:
            self.regions.draw()

    def _on_axes(self, time: Array, frequency: Array) -> tuple[Array, Array]:
        return self.places(frequency), time

    def _off_axes(self, place: QPointF) -> tuple[float, float]:
        return place.y(), max(10 ** place.x() if self.bottom.log else place.x(), 0.0)

    # What is shown

    def show_stretch(self, start: float, end: float) -> None:
        """Time goes from ``start`` to ``end`` (s); the zoom is lost where that changed."""
        if (start, end) == self._stretch:
            return
        self._stretch = (start, end)
        self.box.setLimits(yMin=start, yMax=end, minYRange=(end - start) * 1e-6)
        self.box.setYRange(start, end, padding=0)

    def _draw(self) -> None:
        if self.isHidden():
            return
        gram, cells = self.picture.gram, self.picture.cells()
        self.image.setVisible(gram is not None)
        self.show_scales(gram is not None)
        if gram is None or cells is None:
            return
        self.image.setLookupTable(self.picture.table)
        self.image.setImage(cells, autoLevels=False, levels=(0, 255))
        left, right = (self.place(float(f)) for f in gram.frequency[[0, -1]])
        top, bottom = float(gram.time[0]), float(gram.time[-1])
        self.image.setRect(QRectF(left, top, right - left, bottom - top))

    def ask(self, *_: object) -> None:
        """The view as it is now is to be computed."""
        if not self.isVisible():
            return
        low, high = self.limits()
        start, end = self.times()
        whole = (start, end) == self._stretch
        rows = max(32, round(self.box.height() * self.devicePixelRatioF()))
        self.wanted.emit(
            View(
                rows,
                self.columns,
                None if whole else start,
                None if whole else end,
                max(low, 0.0),
                high,
                self.bottom.log,
                self.picture.pooling,
            )
        )

    def times(self) -> tuple[float, float]:
        """The times in view, s."""
        low, high = self.box.viewRange()[1]
        return float(low), float(high)

    def show_all(self) -> None:
        """All of the stretch, and all frequencies."""
        self.box.setYRange(*self._stretch, padding=0)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._draw()
        self.ask()

    # The mouse

    def _boxed(self, start: QPointF, end: QPointF, finished: bool) -> None:
        if self.regions.drag(start, end, finished):
            return
        (left, right), (top, bottom) = self.lines.box(start, end, not finished)
        if not finished or self.picture.gram is None:
            return
        pixel = self.box.viewPixelSize()
        if right - left > 4 * pixel[0]:
            self.box.setXRange(left, right, padding=0)
        if bottom - top > 4 * pixel[1]:
            self.box.setYRange(top, bottom, padding=0)

    def _zoom_main(self, start: QPointF, end: QPointF, finished: bool) -> None:
        """The box zooms both axes here."""

    def _chosen(self, start: QPointF, end: QPointF, finished: bool) -> None:
        (left, right), (top, bottom) = self.lines.box(start, end, not finished)
        if finished and self.picture.gram is not None:
            low, high = (10**left, 10**right) if self.bottom.log else (left, right)
            first, last = self._stretch
            self.box_chosen.emit(max(top, first), min(bottom, last), max(low, 0.0), high)

    def _clicked(self, event: Any) -> None:
        inside = self.box.sceneBoundingRect().contains(event.scenePos())
        if event.button() == Qt.MouseButton.LeftButton and not event.double() and inside:
            self.time_clicked.emit(float(self.box.mapSceneToView(event.scenePos()).y()))

    def hover(self, place: QPointF | None) -> None:
        words, frequency = None, 0.0
        if place is not None:
            frequency = 10 ** place.x() if self.bottom.log else place.x()
            words = self.picture.words(place.y(), frequency)
        if words is None or place is None:
            self.cursor = None
            self.lines.point(None, 0, 0, 0)
            self.picture.point(None)
            self.say("")
            self.levels.show_levels(np.zeros(0), np.zeros(0), 0, 1)
            return
        self.cursor = (place.y(), frequency)
        self.picture.point(place.y())
        apart, frame = self.picture.resolved()
        low = self.place(max(frequency - apart / 2, 1e-9 if self.bottom.log else 0.0))
        self.lines.point(place, low, self.place(frequency + apart / 2), frame)
        self.levels.show_levels(*self.picture.against_time(frequency), *self.picture.ends)
        self.say(
            f"{words[0]} · {self.frequency_text(frequency, self._fine())}"
            f"{self.order_text(frequency)} · {words[1]}".replace("-", "−")
        )

    def _fine(self) -> float:
        """Width of a column (Hz)."""
        gram = self.picture.gram
        return 1.0 if gram is None else float(gram.frequency[1] - gram.frequency[0])
