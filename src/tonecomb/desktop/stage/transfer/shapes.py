"""What modes look like: shapes that swing, how alike they are, and by frames of several lengths."""

from __future__ import annotations

import math
import time
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from tonecomb.core.modal.modes import Mode
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.results.lengths import ByLength
from tonecomb.core.results.mac import Alike
from tonecomb.core.results.transfer import Transfer
from tonecomb.core.say.numbers import with_std
from tonecomb.desktop.kit.figure import AZIMUTH, ELEVATION, paint_figure, turned
from tonecomb.desktop.kit.theme import PAPER, Theme, font

_SWING_S = 1.6  # of a swing of a shape
_TICK_MS = 40
_CLICK = 5.0  # pixels that a click may move
_HEAD, _SIDE, _CELL = 44.0, 96.0, 86.0  # pixels of a table of MAC


class ShapeView(QWidget):
    """Each mode swinging: on the sketch of the structure where it says where the answers sit, else
    as the answers beside each other. A drag turns the sketch; ``chosen`` carries the frequency
    (Hz) of a mode that was clicked."""

    chosen = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self._modes: tuple[Mode, ...] = ()
        self._names: tuple[str, ...] = ()
        self._numbers: tuple[int, ...] = ()
        self._said: Knowledge = NOTHING
        self._from: QPointF | None = None
        self._dragged = 0.0
        self.azimuth, self.elevation = AZIMUTH, ELEVATION
        self.theme = PAPER
        self.setAccessibleName("Mode shapes")
        self.setToolTip(
            "How far each answer goes in a mode, and which way; click one to go there, "
            "drag to turn the sketch"
        )
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self.update)

    def show_modes(self, found: Transfer | None, said: Knowledge) -> None:
        """Show the shapes of the modes found, with what is ``said`` of them."""
        shown = found is not None and found.modes is not None and found.reference is not None
        self._modes = found.modes.modes if shown and found and found.modes else ()
        self._names = () if found is None else tuple(one.name for one in found.answers)
        self._numbers = () if found is None else found.numbers
        self._said = said
        self.update()

    @property
    def on_sketch(self) -> bool:
        """Whether the sketch says where all answers sit."""
        return self._said.sketch.knows(self._numbers)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._timer.start()

    def hideEvent(self, event: Any) -> None:
        super().hideEvent(event)
        self._timer.stop()

    def cells(self) -> list[QRectF]:
        """Where each mode is drawn."""
        count = len(self._modes)
        if not count:
            return []
        across = min(count, max(1, self.width() // 220))
        down = -(-count // across)
        wide, high = self.width() / across, self.height() / down
        return [QRectF((i % across) * wide, (i // across) * high, wide, high) for i in range(count)]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._from, self._dragged = (None if event is None else event.position()), 0.0

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._from is None:
            return
        by = event.position() - self._from
        self._dragged += math.hypot(by.x(), by.y())
        self._from = event.position()
        self.azimuth, self.elevation = turned(self.azimuth, self.elevation, by)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._dragged > _CLICK:
            return
        for cell, mode in zip(self.cells(), self._modes, strict=True):
            if cell.contains(event.position()):
                self.chosen.emit(mode.frequency)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self.theme
        painter.fillRect(self.rect(), QColor(theme.raised))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self._modes:
            _say(
                painter,
                self.rect(),
                theme,
                "No modes yet: name the range in which they are looked for.",
            )
            return
        phase = 2 * math.pi * (time.monotonic() / _SWING_S)
        for cell, mode in zip(self.cells(), self._modes, strict=True):
            note = self._said.of_mode(mode)
            painter.setFont(font(10))
            painter.setPen(QColor(theme.quiet if note is not None and note.aside else theme.second))
            head = QRectF(cell.left() + 14, cell.top() + 6, cell.width() - 20, 18)
            words = f"{mode.frequency:.5g} Hz · {100 * mode.damping:.3g} %"
            if note is not None and note.words:
                words += f" · {note.words}"
            painter.drawText(head, Qt.AlignmentFlag.AlignLeft, words)
            if self.on_sketch:
                figure = self._said.sketch.figure(self._numbers, mode.shape)
                below = cell.adjusted(0, 20, 0, 0)
                paint_figure(
                    painter, below, figure, figure.at(phase), theme, self.azimuth, self.elevation
                )
            else:
                self._paint_row(painter, cell, mode, phase)

    def _paint_row(self, painter: QPainter, cell: QRectF, mode: Mode, phase: float) -> None:
        theme = self.theme
        middle, reach = cell.center().y() + 8, max(10.0, cell.height() / 2 - 42)
        count = len(mode.shape)
        x = (
            np.linspace(cell.left() + 26, cell.right() - 26, count)
            if count > 1
            else np.array([cell.center().x()])
        )
        swing = (mode.shape * np.exp(1j * phase)).real
        painter.setPen(QPen(QColor(theme.lines), 2))
        painter.drawLine(QPointF(x[0], middle), QPointF(x[-1], middle))
        points = [QPointF(a, middle - reach * b) for a, b in zip(x, swing, strict=True)]
        painter.setPen(QPen(QColor(theme.accent), 2))
        painter.drawPolyline(QPolygonF(points))
        painter.setBrush(QColor(theme.accent))
        for i, point in enumerate(points):
            painter.drawEllipse(point, 3.5, 3.5)
            name = QRectF(point.x() - 40, cell.bottom() - 20, 80, 14)
            painter.setFont(font(9))
            painter.setPen(QColor(theme.quiet))
            if i < len(self._names):
                painter.drawText(name, Qt.AlignmentFlag.AlignCenter, self._names[i])
            painter.setPen(QPen(QColor(theme.accent), 2))


class AlikeView(QWidget):
    """How alike modes are, as a table of MAC; what is one mode in both is framed, and told below
    with how curves agree where force and answer changed places."""

    def __init__(self) -> None:
        super().__init__()
        self._found: Alike | None = None
        self._why = ""
        self.theme = PAPER
        self.setAccessibleName("Modal assurance criterion")
        self.setToolTip(
            "Modal assurance criterion: 1 where two shapes are the same, 0 where they "
            "have nothing in common"
        )

    def show_alike(self, found: Alike | None, why: str = "") -> None:
        """Draw it, or say ``why`` there is none."""
        self._found, self._why = found, why
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, alike = QPainter(self), self.theme, self._found
        painter.fillRect(self.rect(), QColor(theme.raised))
        if alike is None or not alike.mac.size:
            _say(painter, self.rect(), theme, self._why or "No modes to compare yet.")
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        rows, columns = alike.mac.shape
        lines = [*_told(alike), *(one.words for one in alike.turned)]
        below = 16.0 * len(lines) + 14
        wide = min(_CELL, (self.width() - _SIDE - 24) / columns)
        tall = max(14.0, min(38.0, (self.height() - _HEAD - below - 8) / rows))
        left = _SIDE + 16
        painter.setFont(font(9))
        painter.setPen(QColor(theme.quiet))
        painter.drawText(
            QRectF(8, 6, left + wide * columns, 16),
            Qt.AlignmentFlag.AlignLeft,
            f"Down: {alike.name_a}, across: {alike.name_b}, Hz",
        )
        paired = {(one.a, one.b) for one in alike.pairs}
        for j, mode in enumerate(alike.b):
            head = QRectF(left + j * wide, _HEAD - 18, wide, 16)
            painter.drawText(head, Qt.AlignmentFlag.AlignCenter, f"{mode.frequency:.5g}")
        for i, mode in enumerate(alike.a):
            side = QRectF(8, _HEAD + i * tall, _SIDE, tall)
            where = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.setPen(QColor(theme.quiet))
            painter.drawText(side, where, f"{mode.frequency:.5g}")
            for j in range(columns):
                cell = QRectF(left + j * wide, _HEAD + i * tall, wide, tall).adjusted(1, 1, -1, -1)
                self._cell(painter, cell, float(alike.mac[i, j]), (i, j) in paired)
        painter.setPen(QColor(theme.ink))
        for k, words in enumerate(lines):
            at = QRectF(8, _HEAD + rows * tall + 8 + 16 * k, self.width() - 16, 16)
            painter.drawText(at, Qt.AlignmentFlag.AlignLeft, words)

    def _cell(self, painter: QPainter, cell: QRectF, value: float, paired: bool) -> None:
        shade = QColor(self.theme.second)
        shade.setAlphaF(0.75 * value)
        painter.fillRect(cell, shade)
        painter.setPen(
            QPen(QColor(self.theme.accent if paired else self.theme.lines), 2 if paired else 1)
        )
        painter.drawRect(cell)
        painter.setPen(QColor(self.theme.ink))
        painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, f"{value:.2f}")


def _told(found: Alike) -> list[str]:
    """How modes that are one differ, where they do; nothing for a result against itself."""
    words = []
    for one in found.pairs:
        if one.moved:
            words.append(
                f"{found.a[one.a].frequency:.5g} Hz moved by "
                f"{with_std(one.frequency, one.frequency_std)} Hz."
            )
    return words[:6]


class LengthsView(QTableWidget):
    """The modes by frames of several lengths, side by side."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Modes by length of frame")
        self.setToolTip("What is true does not hang on how long frames are")
        self.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        header, side = self.horizontalHeader(), self.verticalHeader()
        assert header is not None and side is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        side.hide()
        self.show_lengths(None)

    def show_lengths(self, found: ByLength | None) -> None:
        """A column a length, a row a mode of the longest."""
        self.clear()
        if found is None or not found.modes:
            self.setRowCount(1)
            self.setColumnCount(1)
            self.setHorizontalHeaderLabels([""])
            self.setItem(
                0,
                0,
                QTableWidgetItem(
                    "Frames of several lengths are tried where taps are heard without a force."
                ),
            )
            return
        lengths, fs = found.modes, found.fs
        longest = lengths[-1][1].modes
        self.setColumnCount(1 + len(lengths))
        self.setRowCount(len(longest))
        heads = [f"{frame} samples, {frame / fs:.3g} s" for frame, _ in lengths]
        self.setHorizontalHeaderLabels(["mode", *heads])
        for i, mode in enumerate(longest):
            self._put(i, 0, f"{mode.frequency:.5g} Hz")
            for j, (_, modes) in enumerate(lengths):
                near = [
                    one
                    for one in modes.modes
                    if abs(one.frequency - mode.frequency) < 0.02 * mode.frequency
                ]
                text = "not found"
                if near:
                    one = min(near, key=lambda each: abs(each.frequency - mode.frequency))
                    damping = with_std(100 * one.damping, 100 * one.damping_std)
                    text = f"{with_std(one.frequency, one.frequency_std)} Hz\n{damping} %"
                self._put(i, 1 + j, text)
        self.resizeRowsToContents()
        for i in range(self.rowCount()):
            self.setRowHeight(i, self.rowHeight(i) + 10)

    def _put(self, i: int, j: int, text: str) -> None:
        item = QTableWidgetItem(text)
        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.setItem(i, j, item)


def _say(painter: QPainter, area: Any, theme: Theme, words: str) -> None:
    painter.setPen(QColor(theme.quiet))
    painter.setFont(font(10))
    flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
    painter.drawText(QRectF(area).adjusted(20, 0, -20, 0), int(flags), words)
