"""What is seen before there is anything to see: the bench's ground, at its place, while the bench
is brought in.

The bench takes most of a second to import and build. This takes a tenth of it, and imports nothing
that it does not show.
"""

from __future__ import annotations

from PyQt6.QtCore import QByteArray, QElapsedTimer, QRect, Qt
from PyQt6.QtGui import QColor, QGuiApplication, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QApplication, QWidget

from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.theme import current_theme, font

_EDGE, _GAP, _MENU, _LINE, _RULER = 8, 8, 30, 45, 45  # pixels, as the bench has them
_SHELF, _READINGS = 180, 248
_PAINTED_MS = 150  # that are waited for the screen at most


class FirstLook(QWidget):
    """The regions of the bench, empty. Keys and clicks are not for it."""

    def __init__(self) -> None:
        super().__init__(None, Qt.WindowType.SplashScreen)
        self.setWindowTitle("Tone Comb")
        self.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)
        self.painted = False
        self.resize(1280, 800)
        kept = settings.settings()
        screen = str(kept.value("screen", ""))
        state = kept.value(f"screens/{screen}/geometry", kept.value("geometry"))
        if isinstance(state, QByteArray):
            self.restoreGeometry(state)
        elif (first := QGuiApplication.primaryScreen()) is not None:
            free = first.availableGeometry()
            self.resize(self.size().boundedTo(free.size()))
            self.move(free.center() - self.rect().center())

    def show_now(self) -> None:
        """Show it, and come back when it is painted."""
        self.show()
        clock = QElapsedTimer()
        clock.start()
        while not self.painted and clock.elapsed() < _PAINTED_MS:
            QApplication.processEvents()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, wide, tall = current_theme(), self.width(), self.height()
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.ground))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.lines), 1))
        painter.setBrush(QColor(theme.raised))
        painter.drawRoundedRect(QRect(_EDGE, _MENU, wide - 2 * _EDGE, _LINE), 4, 4)
        top, end = _MENU + _LINE + _GAP, tall - _EDGE - _RULER
        middle = wide - 2 * _EDGE - _SHELF - _READINGS - 2 * _GAP
        left = _EDGE
        for width in (_SHELF, middle, _READINGS):
            painter.drawRoundedRect(QRect(left, top, width, end - _GAP - top), 4, 4)
            left += width + _GAP
        painter.drawRoundedRect(QRect(_EDGE, end, wide - 2 * _EDGE, _RULER), 4, 4)
        painter.setFont(font())
        painter.setPen(QColor(theme.quiet))
        stage = QRect(_EDGE + _SHELF + _GAP, top, middle, end - _GAP - top)
        painter.drawText(stage, Qt.AlignmentFlag.AlignCenter, "Tone Comb is opening …")
        self.painted = True
