"""Calibrating a channel: what the recorder wrote, what the sensor gives, what it is shown in."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import (
    QCheckBox,
    QInputDialog,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import PLAIN, unit
from tonecomb.core.record.calibration import calibrated
from tonecomb.core.record.recording import ArraySamples, Channel, Recording
from tonecomb.core.record.sensors import Calibration, ChannelGiven, Sensor
from tonecomb.desktop.dialogs.form import Form
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.widgets import Choice, Number, label, link, row
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.messages import Notices
from tonecomb.formats import sensor_library

_UNITS = ("m/s²", "g", "mm/s", "in/s", "µm", "mil", "N", "lbf", "Pa", "V")
_SETTLE_MS = 200


class CalibrationDialog(Form):
    """``said`` is what the user says of the channel, ``for_all`` whether of all channels."""

    def __init__(
        self,
        parent: QWidget,
        jobs: Jobs,
        notices: Notices,
        channel: Channel,
        count: int,
        said: ChannelGiven | None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Calibrate {channel.name}")
        self._jobs, self._notices, self._channel = jobs, notices, channel
        known = (said.calibration if said else None) or self._guess()
        self.said = said or ChannelGiven(channel.name)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SETTLE_MS)
        self._timer.timeout.connect(self._check)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 14, 16, 14)
        outer.setSpacing(10)
        outer.addWidget(label(f"The file holds {channel.name} in {channel.unit}."))
        self._sensors = QVBoxLayout()
        outer.addLayout(self._sensors)
        raws = dict.fromkeys((known.raw, channel.unit, "mV", "V"))
        uncalibrated = channel.unit in PLAIN
        self.sensitivity = Number(known.sensitivity, -1e15, 1e15, 9, "", shortest=True)
        self.raw = Choice([(r, r) for r in raws], known.raw, "Unit of the reading")
        self.unit = QLineEdit(known.unit)
        self.unit.setMaximumWidth(90)
        self.gain = Number(known.gain, -1e12, 1e12, 9, "", shortest=True)
        self.offset = Number(known.offset, -1e15, 1e15, 9, "", shortest=True)
        outer.addLayout(
            row(
                label("The sensor gives"),
                self.sensitivity,
                self.raw,
                label("for each"),
                self.unit,
                None,
            )
        )
        outer.addLayout(
            row(
                label("and"),
                self.offset,
                label("at rest; an amplifier of gain"),
                self.gain,
                label("follows."),
                None,
            )
        )
        shown = [(None, "the sensor's unit"), *((u, u) for u in _UNITS)]
        self.shown = Choice(shown, said.shown_in if said else None, "Show in")
        outer.addLayout(row(label("Show it in"), self.shown, None))
        self._told = label("", "quiet", wrap=True)
        outer.addWidget(self._told)
        self._all = QCheckBox(f"For all {count} channels of the recording")
        self._all.setVisible(count > 1)
        outer.addWidget(self._all)
        outer.addStretch(1)
        self.go, leave = QPushButton("Calibrate"), QPushButton("Cancel")
        self.go.setDefault(True)
        self.go.clicked.connect(self.take)
        leave.clicked.connect(self.reject)
        undo = link("As in the file", "Take the calibration away", self._as_in_file)
        undo.setVisible(said is not None)
        outer.addLayout(row(undo, None, leave, self.go, spacing=12))
        self.setMinimumWidth(560)
        for field, name in (
            (self.sensitivity, "Sensitivity"),
            (self.gain, "Gain"),
            (self.offset, "Offset"),
            (self.unit, "Unit of the sensor"),
        ):
            field.setAccessibleName(name)
        for number in (self.sensitivity, self.gain, self.offset):
            number.valueChanged.connect(lambda _: self._timer.start())
        for choice in (self.raw, self.shown):
            choice.picked.connect(lambda _: self._timer.start())
        self.unit.textChanged.connect(lambda _: self._timer.start())
        if not uncalibrated and said is None:
            self.raw.setCurrentIndex(list(raws).index(known.raw))
        self._fill_sensors()
        self._check()

    def _guess(self) -> Calibration:
        symbol = self._channel.unit
        if symbol in PLAIN:
            return Calibration("m/s²", 1.0, symbol)
        if unit(symbol).quantity == "Voltage":
            return Calibration("g", 100.0, "mV")
        return Calibration(symbol, 1.0, symbol)

    @property
    def for_all(self) -> bool:
        return self._all.isChecked()

    @property
    def calibration(self) -> Calibration:
        """What the fields say."""
        return Calibration(
            unit=self.unit.text().strip(),
            sensitivity=self.sensitivity.value(),
            raw=self.raw.currentText(),
            gain=self.gain.value(),
            offset=self.offset.value(),
        )

    def _check(self, then: Callable[[], None] | None = None) -> None:
        """Say what one of the file's units becomes, then go on; in a thread, for an unusual unit
        takes a second."""
        text = None if self.shown.currentIndex() == 0 else self.shown.currentText()
        said = ChannelGiven(self._channel.name, None, self.calibration, text)
        channel = self._channel
        self.go.setEnabled(then is None)

        def work(_: object) -> tuple[str, float, float]:
            probe = Recording(
                "", "", "", 1.0, "given", "", 2, (channel,), ArraySamples.of(np.array([0.0, 1.0]))
            )
            recording = calibrated(probe, (said,))
            zero, one = recording.samples.read(0, 0, 2)
            return recording.channels[0].unit, float(zero), float(one)

        def done(found: tuple[str, float, float]) -> None:
            symbol, zero, one = found
            self.said = said
            self._told.setText(
                f"0 {channel.unit} in the file is {zero:.6g} {symbol}, "
                f"1 {channel.unit} is {one:.6g} {symbol}.".replace("-", "−")
            )
            self.go.setEnabled(True)
            if then is not None:
                then()

        def failed(error: Exception) -> None:
            self._told.setText(str(error))
            self.go.setEnabled(False)

        self._jobs.submit("Reading the units", work, done, failed, owner=self)

    def take(self) -> None:
        self._timer.stop()
        self._check(self.accept)

    def _as_in_file(self) -> None:
        self.said = ChannelGiven(self._channel.name)
        self.accept()

    # The user's sensors

    def _fill_sensors(self) -> None:
        while (item := self._sensors.takeAt(0)) is not None:
            layout = item.layout()
            while layout is not None and (inner := layout.takeAt(0)) is not None:
                if (widget := inner.widget()) is not None:
                    widget.deleteLater()
        sensors = sensor_library.load(settings.sensors_file())
        self._sensor = Choice(
            [(None, "choose a sensor")] + [(s, s.name) for s in sensors], None, "Sensor"
        )
        self._sensor.setEnabled(bool(sensors))
        self._sensor.picked.connect(self._take)
        keep = link("Keep these figures as a sensor…", "For the next time", self.keep_rows)
        forget = link("Forget it", "Take the chosen sensor out of the library", self._forget)
        forget.setVisible(bool(sensors))
        self._sensors.addLayout(row(label("From the library:"), self._sensor, forget, keep, None))

    def _take(self, sensor: Sensor | None) -> None:
        if sensor is None:
            return
        if self.raw.findText(sensor.raw) < 0:
            self.raw.add(sensor.raw)
        self.raw.setCurrentText(sensor.raw)
        self.sensitivity.setValue(sensor.sensitivity)
        self.offset.setValue(sensor.offset)
        self.unit.setText(sensor.unit)

    def _forget(self) -> None:
        at = self._sensor.currentIndex()
        if at < 1:
            return  # none is chosen
        try:
            sensor_library.forget(settings.sensors_file(), self._sensor.itemText(at))
        except UserError as error:
            self._notices.tell(error)
        self._fill_sensors()

    def keep_rows(self) -> None:
        name, ok = QInputDialog.getText(self, "Keep the sensor", "Name, such as its serial number:")
        if not ok or not name.strip():
            return
        c = self.calibration
        try:
            sensor_library.keep(
                settings.sensors_file(),
                Sensor(name.strip(), c.sensitivity, c.raw, c.unit, c.offset),
            )
        except UserError as error:
            self._notices.tell(error)
        self._fill_sensors()
