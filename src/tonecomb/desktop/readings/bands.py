"""Levels of the bands that the user named, and of all of them together."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.analysis import Analysis
from tonecomb.core.estimate.bands import Band
from tonecomb.core.record.signal import Signal
from tonecomb.desktop.kit.rows_popover import RowsPopover, clear
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import Number, label, link, row
from tonecomb.desktop.state.store import Store

_OVERALL = Band(10.0, 1000.0, "Overall 10–1000 Hz")


def limits(band: Band) -> str:
    """The limits of a band as they are read."""
    return f"{band.low:g}–{band.high:g} Hz"


class BandReadings(QWidget):
    """A row a band: name or limits, and rms. ``wanted`` when its bands are to be edited, ``chosen``
    carries the limits (Hz) of the one that was clicked."""

    wanted = pyqtSignal()
    chosen = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.heading = label("Bands", "heading")
        self.edit = link("Edit…", "Name bands whose level is read (Shift+L)", self.wanted.emit)
        column.addLayout(row(self.heading, None, self.edit))
        self._grid = QGridLayout()
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setVerticalSpacing(1)
        column.addLayout(self._grid)

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show the bands' levels and the overall one."""
        clear(self._grid)
        bands = () if analysis is None else analysis.method.follow.bands
        if analysis is None:
            self.heading.setText("Bands")
            return
        symbol = analysis.unit.symbol
        self.heading.setText(f"Bands, {symbol} rms")
        everything = Band(0.0, analysis.fs / 2, f"all {analysis.rms_of}")
        shown = [
            *zip(bands, analysis.band_levels, strict=True),
            (everything, analysis.rms),
        ]
        for i, (band, level) in enumerate(shown):
            tip, value = f"{limits(band)}; click to show it", label(f"{level:.4g}")
            text = link(
                band.name or limits(band), tip,
                partial(self.chosen.emit, band.low, band.high),
            )  # fmt: skip
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            for widget in (text, value):
                widget.setFont(font(9))
                widget.setToolTip(tip)
            self._grid.addWidget(text, i, 0)
            self._grid.addWidget(value, i, 1)
        self._grid.setColumnStretch(0, 1)

    def texts(self) -> list[tuple[str, str]]:
        """Names and levels as they stand there."""
        cells = []
        for i in range(self._grid.rowCount()):
            pair = [self._grid.itemAtPosition(i, k) for k in (0, 1)]
            widgets = [item.widget() for item in pair if item is not None]
            words = tuple(w.text() for w in widgets if isinstance(w, (QLabel, QPushButton)))
            if len(words) == 2:
                cells.append(words)
        return cells


class BandsPopover(RowsPopover):
    """Bands to add, change and drop; each change is applied at once."""

    def __init__(self, store: Store, signal: Signal, parent: QWidget) -> None:
        super().__init__(
            parent,
            "Bands",
            "The rms of all that lies between two frequencies, in the quantity that is shown.",
            (
                link("Add a band", "One more band", lambda: self._add(None)),
                link("Add 10–1000 Hz", "Overall vibration as ISO 20816 has it: of velocity",
                     lambda: self._add(_OVERALL)),
            ),
        )  # fmt: skip
        self._store, self._nyquist = store, signal.rate / 2
        self._fill()

    @property
    def _bands(self) -> tuple[Band, ...]:
        method = self._store.method
        return () if method is None else method.follow.bands

    def _fill(self) -> None:
        self.fill(
            _BandRow(i, band, self._nyquist, self._change, self._drop)
            for i, band in enumerate(self._bands)
        )

    def _add(self, band: Band | None) -> None:
        if band is None:
            low = self._bands[-1].high if self._bands else 0.0
            low = low if low < 0.9 * self._nyquist else 0.0
            band = Band(low, min(max(2 * low, 0.1 * self._nyquist), self._nyquist))
        self._store.edit_method("Add band", bands=(*self._bands, band))
        self._fill()
        if isinstance(last := self.last_row(), _BandRow):
            last.name.setFocus()

    def _change(self, number: int, band: Band) -> None:
        if band.high <= band.low:
            self.wrong.setText("The lower frequency must come first.")
            return
        self.wrong.setText("")
        if number >= len(self._bands):  # taken back, or another recording's, in the meantime
            return
        bands = list(self._bands)
        bands[number] = band
        self._store.edit_method("Change band", merge=f"band {number}", bands=tuple(bands))

    def _drop(self, number: int) -> None:
        bands = tuple(band for i, band in enumerate(self._bands) if i != number)
        self._store.edit_method("Drop band", bands=bands)
        self._fill()


class _BandRow(QWidget):
    def __init__(
        self,
        number: int,
        band: Band,
        nyquist: float,
        change: Callable[[int, Band], None],
        drop: Callable[[int], None],
    ) -> None:
        super().__init__()
        self._number, self._band, self._change = number, band, change
        self.name = QLineEdit(band.name)
        self.name.setPlaceholderText("name")
        self.name.setAccessibleName("Name of the band")
        self.low = Number(band.low, 0, nyquist, 4, "Hz", shortest=True)
        self.high = Number(band.high, 0, max(nyquist, band.high), 4, "Hz", shortest=True)
        self.low.setAccessibleName("From")
        self.high.setAccessibleName("To")
        self.name.editingFinished.connect(self._changed)
        self.low.valueChanged.connect(self._changed)
        self.high.valueChanged.connect(self._changed)
        away = link("Drop", "Drop this band", lambda: drop(number))
        self.setLayout(row(self.name, self.low, label("–"), self.high, away))

    def _changed(self, _: object = None) -> None:
        band = replace(
            self._band, name=self.name.text().strip(), low=self.low.value(), high=self.high.value()
        )
        if band != self._band:
            self._band = band
            self._change(self._number, band)
