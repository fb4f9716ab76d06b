"""The waterfall: slices in relief, turned by dragging."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.recording import Array
from tonecomb.desktop.kit.gesture import giving_way, moves
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.stage.waterfall.pooled import Relief
from tonecomb.desktop.stage.waterfall.relief import Lines, draw
from tonecomb.desktop.stage.waterfall.scene import Scene, Stance, even_ticks, log_ticks, words
from tonecomb.desktop.state.jobs import Job, Jobs
from tonecomb.formats.report.colours import Table

_PER_PIXEL = 0.4  # degrees that a pixel of dragging turns
_SETTLE_MS = 120  # after which the relief is drawn in full
_COARSE = 2  # times smaller a surface is while it is turned
_DROP = 0.9  # of the box's height that a map on the floor lies below it
_MOST_ROWS = 400  # of a surface whose slices are not even in time
_NEAR = 24.0  # pixels from a slice within which it is meant


class WaterfallView(QWidget):
    """Drag turns and tilts, the wheel scales the height, a double click stands it as it was at
    first. ``slice_chosen`` carries the time (s) of the slice that was clicked."""

    slice_chosen = pyqtSignal(float)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._job: Job | None = None
        self.theme: Theme = PAPER
        self.stance = Stance()
        self.kind = "ink"  # or time, shaded, level
        self.floor = False
        self.relief: Relief | None = None
        self.chosen: float | None = None
        self.teeth: Sequence[tuple[float, str]] = ()
        self._table: Table | None = None
        self.small: tuple[tuple[object, ...], QImage] | None = None
        self.full: tuple[tuple[object, ...], QImage] | None = None
        self._held: QPointF | None = None
        self._moved = False
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLE_MS)
        self._settle.timeout.connect(self._refine)
        self.setMouseTracking(True)
        self.setMinimumHeight(180)
        self.setAccessibleName("Waterfall")

    def show_relief(self, relief: Relief | None, table: Table) -> None:
        """Show slices; nothing for None."""
        self.relief, self._table = relief, table
        self.small = self.full = None
        if self._job is not None:  # it is of what was shown before
            self._job.cancel()
            self._job = None
        self.update()

    def choose(self, kind: str, floor: bool) -> None:
        """As lines in one ink or coloured in time, or as a shaded surface or one by level."""
        self.kind, self.floor = kind, floor
        self.update()

    def set_stance(self, stance: Stance) -> None:
        """Look at it so; in small at first, in full size when it rests."""
        self.stance = stance
        self._settle.start()
        self.update()

    def single_out(self, time: float | None) -> None:
        """Draw the slice nearest to a time (s) over the others; none for None."""
        self.chosen = time
        self.update()

    # Painting

    def _scene(self, part: int = 1) -> Scene:
        ratio = self.devicePixelRatioF() / part
        margin = (74.0 * ratio, 26.0 * ratio, 64.0 * ratio, 48.0 * ratio)
        width, height = round(self.width() * ratio), round(self.height() * ratio)
        return Scene(self.stance, max(width, 60), max(height, 60), margin, self._drop)

    @property
    def _drop(self) -> float:
        surface = self.kind in ("shaded", "level")
        return _DROP if self.floor and surface else 0.0

    def scene_now(self) -> Scene:
        """In the widget's own pixels, whatever the screen's are."""
        margin = (74.0, 26.0, 64.0, 48.0)
        width, height = max(self.width(), 60), max(self.height(), 60)
        return Scene(self.stance, width, height, margin, self._drop)

    def ordered(self) -> tuple[Array, Array]:
        """Heights and times, the slice in front first."""
        assert self.relief is not None
        heights, time = self.relief.heights, self.relief.time
        if self.stance.end_first:
            return heights[::-1], time[::-1]
        return heights, time

    @staticmethod
    def shares(time: Array) -> Array:
        """How far into the box each slice stands, from 0 in front to 1."""
        span = float(time[-1] - time[0])
        return np.asarray((time - time[0]) / span) if span else np.zeros(len(time))

    def evenly(self) -> Array:
        """Heights as a surface has them, the slices even in time: those in between lie on straight
        lines."""
        heights, time = self.ordered()
        shares = self.shares(time)
        steps = np.diff(shares)
        if not len(steps) or np.ptp(steps) < 1e-6:
            return heights
        rows = min(_MOST_ROWS, int(np.ceil(1 / steps.min())) + 1)
        places = np.interp(np.linspace(0, 1, rows), shares, np.arange(len(shares)))
        first = np.minimum(places.astype(int), len(shares) - 2)
        share = (places - first)[:, None]
        return np.asarray(heights[first] * (1 - share) + heights[first + 1] * share)

    def paintEvent(self, _: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.raised))
        if self.relief is None or self._table is None or len(self.relief.time) < 1:
            return
        scene = self.scene_now()
        self._draw_back(painter, scene)
        if painter.device() is not self and not self._as_surface:  # a picture of another size
            self._lines().draw(painter, scene)
        else:
            self._draw_relief(painter)
        self._draw_teeth(painter, scene)
        self._draw_chosen(painter, scene)
        self._draw_axes(painter, scene)

    @property
    def _as_surface(self) -> bool:
        return (
            self.kind in ("shaded", "level")
            and self.relief is not None
            and (len(self.relief.time) > 1)
        )

    def _draw_relief(self, painter: QPainter) -> None:
        """The full picture where it is ready. Else, while only the size changes, the one there was;
        or a coarser one that is drawn at once."""
        key = _key(self)
        shown = [
            one for one in (self.full, self.small) if one is not None and one[0][1:] == key[1:]
        ]
        if not shown:
            self.small = (key, self._picture(fine=False)(silent))
            shown = [self.small]
        ready = self.full is not None and self.full[0] == key
        if not ready and not self._settle.isActive() and self._job is None:
            self._settle.start()
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(self.rect()), shown[0][1])

    def _picture(self, *, fine: bool) -> Callable[[Progress], QImage]:
        """How to draw the relief; coarse, in less time."""
        if not self._as_surface:
            lines, scene, ratio = self._lines(), self._scene(), self.devicePixelRatioF()

            def drawn(progress: Progress) -> QImage:
                image = QImage(scene.width, scene.height, QImage.Format.Format_ARGB32_Premultiplied)
                image.fill(Qt.GlobalColor.transparent)
                painter = QPainter(image)
                try:
                    lines.draw(painter, scene, fine=fine, width=ratio, progress=progress)
                finally:
                    painter.end()
                return image

            return drawn
        heights = self.evenly()
        scene = self._scene(1 if fine else _COARSE)
        table, shaded = self._table, self.kind == "shaded"
        assert table is not None

        def work(_: Progress) -> QImage:
            picture = draw(heights, scene, table, shaded=shaded)
            return QImage(
                picture.tobytes(),
                scene.width,
                scene.height,
                scene.width * 4,
                QImage.Format.Format_RGBA8888,
            ).copy()

        return work

    def _lines(self) -> Lines:
        """The slices as they are now, each in its colour."""
        assert self._table is not None
        heights, time = self.ordered()
        shares = self.shares(time)
        colours = (QColor(self.theme.traces[0]),) * len(shares)
        if self.kind == "time":
            colours = tuple(QColor(*self._table[round(70 + 170 * y)].tolist()) for y in shares)
        return Lines(heights, shares, self.theme.raised, colours)

    def _refine(self) -> None:
        """Have it drawn in full by a thread."""
        if self.relief is None or self._table is None or len(self.relief.time) < 1:
            return
        if self._job is not None:
            self._job.cancel()
        key, work = _key(self), self._picture(fine=True)

        def done(image: QImage) -> None:
            self._job, self.full = None, (key, image)
            self.update()

        def failed(_: Exception) -> None:
            self._job = None

        self._job = self._jobs.submit(
            "Drawing the relief", giving_way(work), done, failed, background=True
        )

    def _draw_chosen(self, painter: QPainter, scene: Scene) -> None:
        if self.chosen is None or self.relief is None:
            return
        heights, time = self.ordered()
        at = int(np.argmin(np.abs(time - self.chosen)))
        x = np.linspace(0, 1, heights.shape[1])
        y = np.full(len(x), self.shares(time)[at])
        right, down = scene.place(x, y, heights[at])
        points = zip(right.tolist(), down.tolist(), strict=True)
        painter.setPen(QPen(QColor(self.theme.accent), 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in points]))

    def share_of(self, frequency: float) -> float:
        """Where a frequency lies on the axis, from 0 to 1 within it."""
        assert self.relief is not None
        low, high = self.relief.low, self.relief.high
        if self.relief.log:
            return float(np.log(frequency / low) / np.log(high / low))
        return (frequency - low) / (high - low)

    def _draw_teeth(self, painter: QPainter, scene: Scene) -> None:
        """Combs' teeth as lines along the foot of the relief."""
        for frequency, colour in self.teeth:
            if frequency <= 0 or not 0 <= (x := self.share_of(frequency)) <= 1:
                continue
            shade = QColor(colour)
            shade.setAlpha(150)
            painter.setPen(QPen(shade, 1.0, Qt.PenStyle.DashLine))
            ends = [QPointF(*scene.point(x, y, 0)) for y in (0.0, 1.0)]
            painter.drawLine(*ends)
            painter.drawLine(ends[0], ends[0] + QPointF(0, 5))

    def _draw_back(self, painter: QPainter, scene: Scene) -> None:
        """The walls behind, which the relief hides."""
        painter.setPen(QPen(QColor(self.theme.lines), 1))
        side = 0.0 if self.stance.azimuth >= 0 else 1.0
        for z in (0.0, 0.5, 1.0):
            wall = [(0.0, 1.0, z), (1.0, 1.0, z), (side, 0.0, z), (side, 1.0, z)]
            a, b, c, d = (QPointF(*scene.point(*p)) for p in wall)
            painter.drawLine(a, b)
            painter.drawLine(c, d)
        for x, y in ((0.0, 1.0), (1.0, 1.0), (side, 0.0)):
            painter.drawLine(QPointF(*scene.point(x, y, 0)), QPointF(*scene.point(x, y, 1)))

    def _draw_axes(self, painter: QPainter, scene: Scene) -> None:
        """Frequency along the front, time along the side that is nearer, levels on the other."""
        relief = self.relief
        assert relief is not None
        painter.setFont(font(9))
        near = 1.0 if self.stance.azimuth >= 0 else 0.0
        ink, quiet = QColor(self.theme.ink), QColor(self.theme.quiet)
        painter.setPen(QPen(quiet, 1))
        for a, b in (((0, 0, 0), (1, 0, 0)), ((near, 0, 0), (near, 1, 0))):
            painter.drawLine(QPointF(*scene.point(*a)), QPointF(*scene.point(*b)))
        pick = log_ticks if relief.log else even_ticks
        ticks = pick(relief.low, relief.high, max(3, self.width() // 110))
        for value, text in zip(ticks, words(ticks), strict=True):
            at = QPointF(*scene.point(self.share_of(value), 0, 0))
            self._tick(painter, at, QPointF(0, 5), text, ink, quiet)
        middle = QPointF(*scene.point(0.5, 0, 0))
        self._word(painter, middle + QPointF(-52 if near else 52, 40), "Frequency, Hz", ink)
        _, time = self.ordered()
        first, last = float(time[0]), float(time[-1])
        out = QPointF(6, 2) if near else QPointF(-6, 2)
        marks = even_ticks(min(first, last), max(first, last), 5) or [first]
        for value, text in zip(marks, words(marks), strict=True):
            share = (value - first) / (last - first) if last != first else 0.5
            at = QPointF(*scene.point(near, share, 0))
            self._tick(painter, at, out, text, ink, quiet)
        back = QPointF(*scene.point(near, 1, 0))
        self._word(painter, back + QPointF(30 if near else -30, -10), "Time, s", ink)
        other = 1.0 - near
        low, high = relief.ends
        levels = even_ticks(low, high, 4)
        for value, text in zip(levels, words(levels), strict=True):
            at = QPointF(*scene.point(other, 0, (value - low) / (high - low)))
            side = QPointF(-6, 0) if near else QPointF(6, 0)
            self._tick(painter, at, side, text, ink, quiet)
        top = QPointF(*scene.point(other, 0, 1))
        quantity, _, unit = ", ".join(relief.title.split(", ")[:2]).partition(", ")
        title = f"{quantity}, {unit}" if unit else quantity
        room = top.x() if near else self.width() - top.x()
        if painter.fontMetrics().horizontalAdvance(title) > room:
            title = unit or quantity
        self._word(painter, top + QPointF(0, -14), title, ink, 1.0 if near else 0.0)

    @staticmethod
    def _tick(
        painter: QPainter, at: QPointF, off: QPointF, text: str, ink: QColor, quiet: QColor
    ) -> None:
        painter.setPen(QPen(quiet, 1))
        painter.drawLine(at, at + off)
        painter.setPen(ink)
        if off.x() == 0:
            box = QRectF(at.x() - 40, at.y() + 6, 80, 14)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            return
        left = off.x() < 0
        box = QRectF(at.x() - 88 if left else at.x() + 10, at.y() - 8 + off.y(), 78, 16)
        side = Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft
        painter.drawText(box, side | Qt.AlignmentFlag.AlignVCenter, text)

    def _word(
        self, painter: QPainter, at: QPointF, text: str, ink: QColor, share: float = 0.5
    ) -> None:
        """At a place, ``share`` of it to the left, kept within the view."""
        wide = painter.fontMetrics().horizontalAdvance(text)
        left = min(max(at.x() - share * wide, 4), self.width() - wide - 4)
        painter.setPen(ink)
        painter.drawText(QPointF(left, min(max(at.y(), 12), self.height() - 4)), text)

    # The mouse

    def nearest(self, place: QPointF) -> tuple[int, int] | None:
        """The slice (as the relief has them) and the point whose line is nearest to a place."""
        if self.relief is None:
            return None
        scene, (heights, time) = self.scene_now(), self.ordered()
        x, shares = np.linspace(0, 1, heights.shape[1]), self.shares(time)
        best: tuple[float, int, int] | None = None
        for i in range(len(time)):
            y = np.full(len(x), shares[i])
            right, down = scene.place(x, y, heights[i])
            k = int(np.argmin(np.abs(right - place.x())))
            off = float(np.hypot(right[k] - place.x(), down[k] - place.y()))
            if off <= _NEAR and (best is None or off < best[0]):
                best = (off, i, k)
        if best is None:
            return None
        number = len(time) - 1 - best[1] if self.stance.end_first else best[1]
        return number, best[2]

    def words_at(self, slice_number: int, point: int) -> str:
        """Time, frequency and level of a point."""
        relief = self.relief
        assert relief is not None
        digits = 1 if relief.unit == "dB" else 4
        level = relief.levels[slice_number, point]
        value = f"{level:.{digits}f}" if digits == 1 else f"{level:.4g}"
        return (
            f"{relief.time[slice_number]:.3f} s · {relief.frequency[point]:.5g} Hz · "
            f"{value} {relief.unit}".rstrip()
        ).replace("-", "−")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._held, self._moved = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        if self._held is None:
            found = self.nearest(event.position())
            self.setToolTip("" if found is None else self.words_at(*found))
            return
        by = event.position() - self._held
        if by.manhattanLength() > 3 or self._moved:
            self._moved, self._held = True, event.position()
            moves()
            self.set_stance(self.stance.turned(-_PER_PIXEL * by.x(), _PER_PIXEL * by.y()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._held is None:
            return
        self._held = None
        if self._moved or self.relief is None:
            return
        found = self.nearest(event.position())
        if found is not None:
            time = float(self.relief.time[found[0]])
            self.single_out(time)
            self.slice_chosen.emit(time)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            moves()
            self.set_stance(self.stance.taller(1.1 ** (event.angleDelta().y() / 120)))
            event.accept()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._held = None
        self.set_stance(Stance(end_first=self.stance.end_first))


def _key(view: WaterfallView) -> tuple[object, ...]:
    """What a picture of the relief hangs on, its size first."""
    return view.size(), view.stance, view.kind, view.floor, view.theme.name
