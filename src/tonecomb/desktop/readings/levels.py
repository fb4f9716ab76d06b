"""The page of levels, each with its zone, and the popover in which they are chosen."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import get_args

from PyQt6.QtCore import QRect, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QFontMetrics, QShowEvent
from PyQt6.QtWidgets import (
    QFrame,
    QLabel,
    QLineEdit,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import SYSTEMS, unit
from tonecomb.core.estimate.bands import ZONES, Band, Detector
from tonecomb.core.estimate.profile import parsed
from tonecomb.core.estimate.weighting import fitting
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.levels import (
    LevelReading,
    ProfileReading,
    level_readings,
    profile_reading,
)
from tonecomb.core.say.numbers import significant
from tonecomb.desktop.kit.rows_popover import RowsPopover, clear
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import Choice, Number, label, link, row
from tonecomb.desktop.state.store import Store
from tonecomb.formats import readings

_CHIP, _WORDS = 22, 210  # pixels: of a zone's letter, and for a note at least


class LevelReadings(QWidget):
    """A row a level: zone, what it is, value; below it why it is not judged. ``wanted`` when the
    levels are to be edited, ``chosen`` carries the range (Hz) of the one that was clicked."""

    wanted = pyqtSignal()
    chosen = pyqtSignal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self._analysis: Analysis | None = None
        self._wanted = ""
        self.found: tuple[LevelReading, ...] = ()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        inside = QWidget()
        self._rows = QVBoxLayout(inside)
        self._rows.setContentsMargins(0, 0, 4, 0)
        self._rows.setSpacing(8)
        self._rows.setAlignment(Qt.AlignmentFlag.AlignTop)
        area = QScrollArea()
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidgetResizable(True)
        area.setWidget(inside)
        column.addWidget(area, 1)
        self.edit = link(
            "Change levels…", "Which levels are read, and their zones (Shift+L)", self.wanted.emit
        )
        column.addLayout(row(self.edit, None))

    def show_analysis(self, analysis: Analysis | None) -> None:
        """Show the levels, and the overall one."""
        self._analysis = analysis
        self.found = () if analysis is None else level_readings(analysis)
        if self.isVisible():  # while it is live there is one seven times a second
            self._fill()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._fill()

    def filter(self, text: str) -> None:
        """Show only rows that hold a text."""
        self._wanted = text.lower()
        if self.isVisible():
            self._fill()

    def text(self) -> str:
        """The table with tabs."""
        return "" if self._analysis is None else readings.levels(self._analysis).tabbed()

    def texts(self) -> list[tuple[str, str, str]]:
        """Zone, what it is and value of each row, as they stand there."""
        told = []
        for i in range(self._rows.count()):
            item = self._rows.itemAt(i)
            widget = None if item is None else item.widget()
            if isinstance(widget, _Row):
                told.append((widget.zone.text(), widget.name.text(), widget.value.text()))
        return told

    def _fill(self) -> None:
        clear(self._rows)
        a = self._analysis
        if a is None:
            return
        every = [
            _Row(one, partial(self.chosen.emit, one.band.low, one.band.high)) for one in self.found
        ]
        everything = Band(0.0, a.fs / 2, f"all {a.rms_of}")
        overall = LevelReading(everything, a.rms, a.unit.symbol)
        every.append(_Row(overall, partial(self.chosen.emit, 0.0, a.fs / 2), everything.name))
        if (tested := profile_reading(a)) is not None:
            every.append(_tested(a, tested, self.chosen.emit))
        for one in every:
            if self._wanted in one.name.text().lower():
                self._rows.addWidget(one)


def _tested(a: Analysis, found: ProfileReading, choose: Callable[[float, float], None]) -> _Row:
    """The row of the test spectrum."""
    profile = a.method.follow.profile
    low, high = profile.span if profile is not None else (0.0, 0.0)
    reading = LevelReading(
        Band(low, high), found.rms, found.unit, why_not=found.why_not, exceeded=bool(found.breaches)
    )
    note = "" if found.why_not else found.words.removeprefix("test spectrum: ")
    return _Row(reading, partial(choose, low, high), f"test spectrum {low:g}–{high:g} Hz", note)


class _Row(QWidget):
    def __init__(
        self, reading: LevelReading, choose: Callable[[], None], name: str = "", note: str = ""
    ) -> None:
        super().__init__()
        band = reading.band
        self.zone = label(reading.zone, "")
        self.zone.setObjectName("over" if reading.exceeded else "zone")
        self.zone.setFixedWidth(_CHIP)
        self.zone.setAlignment(Qt.AlignmentFlag.AlignCenter)
        if not reading.zone:
            self.zone.hide()
        text = name or band.words
        self.name = link(text, f"{text}; click to show its range", choose)
        self.name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        known = math.isfinite(reading.value)
        self.value = label(f"{significant(reading.value)} {reading.unit}" if known else "–")
        self.value.setFont(font(12.5, QFont.Weight.DemiBold))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        column.addWidget(self.name)
        column.addLayout(row(self.value, self.zone, None))
        text = f"{reading.lacks}: {reading.why_not}" if reading.why_not else note
        if band.limits and not text:
            ends = ", ".join(f"{one:g}" for one in band.limits)
            text = f"zones end at {ends} {reading.unit}; up to {band.accepted} is accepted"
            text = f"over its limit; {text}" if reading.exceeded else text
        if text:
            self.note: QLabel = label(text, "quiet", wrap=True)
            self.note.setFont(font(9))
            inside = QRect(0, 0, _WORDS, 10_000)
            lines = QFontMetrics(font(9)).boundingRect(inside, Qt.TextFlag.TextWordWrap, text)
            self.note.setMinimumHeight(lines.height())  # nothing of it is cut off
            column.addWidget(self.note)


class LevelsPopover(RowsPopover):
    """Levels to add, change and drop; each change is applied at once."""

    def __init__(self, store: Store, signal: Signal, parent: QWidget) -> None:
        super().__init__(
            parent,
            "Levels",
            "What lies between two frequencies, in a quantity of its own whatever is shown. Type "
            "the ends of zones A, B, C … as your standard or your agreement has them.",
            (
                link("Add a level", "One more, of what was measured", lambda: self._add(None)),
                link(
                    "Add velocity 10–1000 Hz",
                    "As ISO 20816-1 judges machines",
                    lambda: self._add("Velocity"),
                ),
            ),
        )
        self._store, self._signal = store, signal
        method = store.method
        profile = None if method is None else method.follow.profile
        self.profile = QLineEdit("" if profile is None else profile.text)
        self.profile.setPlaceholderText("g:20=0.01,80=0.04,350=0.04,2000=0.007:3,3")
        self.profile.setAccessibleName("Test spectrum")
        self.profile.setToolTip(
            "Unit, then frequency=density (unit² per Hz), then how many dB it may lie below and "
            "above; empty for none"
        )
        self.profile.editingFinished.connect(self._profile_changed)
        self.add(row(label("Test spectrum"), self.profile))
        self._fill()

    @property
    def _bands(self) -> tuple[Band, ...]:
        method = self._store.method
        return () if method is None else method.levels

    def _profile_changed(self) -> None:
        text, method = self.profile.text().strip(), self._store.method
        try:
            profile = parsed(text) if text else None
        except UserError as error:
            self.wrong.setText(error.text)
            return
        self.wrong.setText("")
        if method is not None and method.follow.profile != profile:
            self._store.edit_method("Choose test spectrum", profile=profile)

    def _fill(self) -> None:
        method = self._store.method
        channels = self._signal.channels
        at = 0 if method is None else min(method.source.channel, len(channels) - 1)
        self.fill(
            _Editor(i, band, self._signal.rate / 2, channels[at].unit, self._change, self._drop)
            for i, band in enumerate(self._bands)
        )

    def _add(self, quantity: str | None) -> None:
        method, nyquist = self._store.method, self._signal.rate / 2
        if quantity is not None and method is not None:
            symbol = SYSTEMS[method.shown.display.units][quantity]
            band = Band(10.0, 1000.0, unit=symbol)
        else:
            low = self._bands[-1].high if self._bands else 0.0
            low = low if low < 0.9 * nyquist else 0.0
            band = Band(low, min(max(2 * low, 0.1 * nyquist), nyquist))
        self._store.edit_method("Add level", bands=(*self._bands, band))
        self._fill()
        if isinstance(last := self.last_row(), _Editor):
            last.name.setFocus()

    def _change(self, number: int, band: Band) -> None:
        try:
            band.check()
        except UserError as error:
            self.wrong.setText(error.text)
            return
        self.wrong.setText("")
        if number >= len(self._bands):  # taken back, or another recording's, in the meantime
            return
        bands = list(self._bands)
        bands[number] = band
        self._store.edit_method("Change level", merge=f"band {number}", bands=tuple(bands))

    def _drop(self, number: int) -> None:
        bands = tuple(band for i, band in enumerate(self._bands) if i != number)
        self._store.edit_method("Drop level", bands=bands)
        self._fill()


class _Editor(QWidget):
    """One level to change, in two lines."""

    def __init__(
        self,
        number: int,
        band: Band,
        nyquist: float,
        symbol: str,
        change: Callable[[int, Band], None],
        drop: Callable[[int], None],
    ) -> None:
        super().__init__()
        self._number, self._band, self._change = number, band, change
        self.name = QLineEdit(band.name)
        self.name.setPlaceholderText("name")
        self.name.setAccessibleName("Name of the level")
        units = [("", f"as measured ({symbol})")]
        for system in SYSTEMS.values():
            units += [(one, f"{name.lower()}, {one}") for name, one in system.items()]
        if band.unit not in dict(units):
            units.append((band.unit, f"{unit(band.unit).quantity.lower()}, {band.unit}"))
        self.unit = Choice(units, band.unit, "Quantity and unit")
        self.low = Number(band.low, 0, nyquist, 4, "Hz", shortest=True)
        self.high = Number(band.high, 0, max(nyquist, band.high), 4, "Hz", shortest=True)
        self.name.setMinimumWidth(100)
        for one in (self.low, self.high):
            one.setMinimumWidth(84)
        self.low.setAccessibleName("From")
        self.high.setAccessibleName("To")
        self.detector = Choice(
            [(one, one) for one in get_args(Detector)], band.detector, "Detector"
        )
        self.limits = QLineEdit(", ".join(f"{one:g}" for one in band.limits))
        self.limits.setPlaceholderText("1.4, 2.8, 4.5")
        self.limits.setAccessibleName("Ends of the zones")
        self.limits.setToolTip("Upper ends of zones A, B, C …, rising; empty for none")
        self.limits.setFixedWidth(120)
        zones = [("", "the last"), *((one, one) for one in ZONES[:-1])]
        self.accept = Choice(zones, band.accept, "Accepted zone")
        weights = [
            ("", "not weighted"),
            *((one.key, f"weighted by {one.key}") for one in fitting(band.unit or symbol)),
        ]
        self.weighting = Choice(weights, band.weighting, "Weighting")
        if len(weights) < 2:  # shown before it has a parent it would be a window of its own
            self.weighting.hide()
        for field in (self.name, self.limits):
            field.editingFinished.connect(self._changed)
        for one in (self.low, self.high):
            one.valueChanged.connect(self._changed)
        for choice in (self.unit, self.detector, self.accept, self.weighting):
            choice.picked.connect(self._changed)
        away = link("Drop", "Drop this level", lambda: drop(number))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 6)
        column.setSpacing(2)
        column.addLayout(row(self.name, self.unit, self.low, label("–"), self.high, self.detector))
        column.addLayout(
            row(
                label("zones end at"),
                self.limits,
                label("accepted up to"),
                self.accept,
                self.weighting,
                None,
                away,
            )
        )

    def _changed(self, _: object = None) -> None:
        try:
            limits = tuple(
                float(one) for one in self.limits.text().replace(";", ",").split(",") if one.strip()
            )
        except ValueError:
            limits = (math.nan,)  # which the check refuses
        band = replace(
            self._band,
            name=self.name.text().strip(),
            low=self.low.value(),
            high=self.high.value(),
            unit=self.unit.value,
            detector=self.detector.value,
            limits=limits,
            accept=self.accept.value,
            weighting=self.weighting.value,
        )
        if band != self._band:
            self._band = band
            self._change(self._number, band)
