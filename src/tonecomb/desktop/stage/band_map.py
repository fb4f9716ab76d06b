"""A small map of how far each band is from noise, a row a width of bands."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from tonecomb.core.find.hits import DIVISIONS, HitBand
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.formats.report import colours

_LEFT, _BELOW, _ABOVE = 34, 30, 16


class BandMap(QWidget):
    """``picked`` carries the band that was clicked. The one that is shown is outlined."""

    picked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._theme: Theme = PAPER
        self.bands: tuple[tuple[HitBand, ...], ...] = ()
        self.shown: HitBand | None = None
        self.setFixedWidth(264)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Kurtosis of the envelope, band by band")

    def set_theme(self, theme: Theme) -> None:
        """Take the theme's colours."""
        self._theme = theme
        self.update()

    def show_bands(self, bands: tuple[tuple[HitBand, ...], ...], shown: HitBand | None) -> None:
        """Draw these."""
        self.bands, self.shown = bands, shown
        self.update()

    def area(self, row: int, band: HitBand) -> QRectF:
        """Where a band of a row is drawn."""
        top = self.bands[0][-1].high
        width, height = self.width() - _LEFT - 8, self.height() - _ABOVE - _BELOW
        each = height / len(self.bands)
        left, right = (_LEFT + width * edge / top for edge in (band.low, band.high))
        return QRectF(left, _ABOVE + row * each, right - left, each)

    def band_at(self, place: QPointF) -> HitBand | None:
        """The band that is drawn there."""
        for row, bands in enumerate(self.bands):
            for band in bands:
                if self.area(row, band).contains(place):
                    return band
        return None

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            band = self.band_at(QPointF(event.pos()))
            text = (
                ""
                if band is None
                else (
                    f"{band.low:.5g} to {band.high:.5g} Hz: kurtosis {band.kurtosis:.3g}, "
                    f"{band.stands:.0f} times what noise scatters\nClick to analyse its envelope"
                )
            )
            QToolTip.showText(event.globalPos(), text.replace("-", "−"), self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        band = None if event is None else self.band_at(event.position())
        if band is not None:
            self.picked.emit(band)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if not self.bands:
            return
        painter = QPainter(self)
        painter.setFont(font(9))
        painter.setPen(QColor(self._theme.quiet))
        painter.drawText(QRectF(_LEFT, 0, 220, _ABOVE), _MIDDLE, "Kurtosis of bands of one width")
        table = colours.table("paper", dark=self._theme.name == "Night")
        highest = max(band.kurtosis for row in self.bands for band in row)
        for number, row in enumerate(self.bands):
            for band in row:
                part = max(band.kurtosis, 0.0) / max(highest, 1e-9)
                red, green, blue = (int(one) for one in table[int(255 * part)][:3])
                painter.fillRect(self.area(number, band), QColor(red, green, blue))
            if number % 3 == 0:
                middle = self.area(number, row[0]).center().y()
                place = QRectF(0, middle - 8, _LEFT - 6, 16)
                painter.drawText(place, _RIGHT, f"{DIVISIONS[number]}")
        if self.shown is not None:
            painter.setPen(QPen(QColor(self._theme.second), 2))
            for number, row in enumerate(self.bands):
                if self.shown in row:
                    painter.drawRect(self.area(number, self.shown))
        painter.setPen(QColor(self._theme.quiet))
        top = self.bands[0][0].high
        below = QRectF(_LEFT, self.height() - _BELOW, self.width() - _LEFT - 8, 16)
        painter.drawText(below, _LEFTWARD, "0")
        painter.drawText(below, _RIGHT, f"{top:.5g} Hz")
        painter.drawText(below, Qt.AlignmentFlag.AlignCenter, "Frequency")
        painter.drawText(
            below.translated(0, 14),
            Qt.AlignmentFlag.AlignCenter,
            f"up to {highest:.3g}; noise has 0",
        )


_MIDDLE = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_LEFTWARD = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
