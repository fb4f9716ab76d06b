"""Hits that repeat: the bands in which they ring, and the spectrum of the clearest envelope."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QToolTip, QWidget

from tonecomb.core.find.hits import DIVISIONS, HitBand, HitEnvelopes
from tonecomb.desktop.edits.envelope import analyse_envelope
from tonecomb.desktop.kit.theme import PAPER, Theme, font
from tonecomb.desktop.kit.widgets import link
from tonecomb.desktop.stage.panes.pane import Views
from tonecomb.desktop.stage.panes.result_pane import ResultPane
from tonecomb.desktop.stage.plots.lines import LinesPlot
from tonecomb.formats.kinds.hits import hits_words
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
        for number, bands in enumerate(self.bands):
            for band in bands:
                if self.area(number, band).contains(place):
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
        highest = max(band.kurtosis for bands in self.bands for band in bands)
        for number, bands in enumerate(self.bands):
            for band in bands:
                part = max(band.kurtosis, 0.0) / max(highest, 1e-9)
                red, green, blue = (int(one) for one in table[int(255 * part)][:3])
                painter.fillRect(self.area(number, band), QColor(red, green, blue))
            if number % 3 == 0:
                middle = self.area(number, bands[0]).center().y()
                place = QRectF(0, middle - 8, _LEFT - 6, 16)
                painter.drawText(place, _RIGHT, f"{DIVISIONS[number]}")
        if self.shown is not None:
            painter.setPen(QPen(QColor(self._theme.second), 2))
            for number, bands in enumerate(self.bands):
                if self.shown in bands:
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


_LINES = 6
_TIMES = 8.0  # the rate of hits, that are shown at first


class EnvelopePane(ResultPane):
    """What was found in words, the map of bands, and the envelope's spectrum with the lines of the
    hits. A band is analysed by a click: its envelope is put into the method line."""

    kind = "hits"

    def __init__(self, views: Views) -> None:
        super().__init__(views)
        context = views.context
        self._store, self._notes = context.store, context.notes
        self.found: HitEnvelopes | None
        self.map, self.plot = BandMap(), LinesPlot("Frequency of the envelope", "Hz")
        self.take = link(
            "Analyse this envelope",
            "Put the outlined band's envelope into the method line: peaks, combs and all views are "
            "then its",
            self._take,
        )
        below = QHBoxLayout()
        below.setContentsMargins(0, 0, 0, 0)
        below.addWidget(self.plot, 1)
        below.addWidget(self.map)
        self.lay_out([self.told, self.take, None], below, spacing=16)
        self.plot.pointed.connect(self.plot.show_cursor)
        self.map.picked.connect(self._analyse)
        self.show_result(None)

    def set_theme(self, theme: Theme) -> None:
        self.plot.set_theme(theme)
        self.map.set_theme(theme)

    def fit(self) -> None:
        """The lines of the hits, or all there is."""
        envelopes = self.found
        if envelopes is None:
            return
        high = float(envelopes.frequency[-1])
        if envelopes.hits:
            high = min(high, _TIMES * envelopes.hits[0].frequency)
        self.plot.box.setXRange(0, high, padding=0)
        self.plot.fit()

    def show_result(self, found: HitEnvelopes | None) -> None:
        self.found = found
        self.take.setVisible(found is not None)
        if found is None:
            self.told.setText("")
            self.map.show_bands((), None)
            self.plot.show_lines(np.zeros(0), [], "", "")
            self.plot.show_places(())
            return
        said = self._notes.knowledge
        words = [hits_words(one, said) for one in found.hits]
        band = found.shown
        self.told.setText(
            words[0][:1].upper() + words[0][1:]
            if words
            else f"No hits that repeat. The liveliest band is {band.low:.5g}–{band.high:.5g} Hz."
        )
        self.told.setToolTip("\n".join(words))
        self.map.show_bands(found.bands, found.shown)
        self.plot.show_lines(
            found.frequency,
            [("over its noise", found.over_db)],
            "Squared envelope over noise",
            "dB",
        )
        places = [
            (n * one.frequency, f"{n}" if n > 1 else f"{one.frequency:.5g} Hz")
            for one in found.hits[:1]
            for n in range(1, _LINES + 1)
        ]
        top = float(found.frequency[-1])
        for one in said.known:
            at = one.value * (said.shaft or 0.0) if one.of_shaft else one.value
            if 0 < at < top:
                places.append((at, one.name))
        self.plot.show_places(places)
        self.fit()

    def _take(self) -> None:
        if self.found is not None:
            self._analyse(self.found.shown)

    def _analyse(self, band: HitBand) -> None:
        analyse_envelope(self._store, band.low, band.high)
