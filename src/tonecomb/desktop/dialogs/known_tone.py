"""Holding a measured tone against one that is known, and calibrating by it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QDialogButtonBox, QLineEdit, QPushButton, QVBoxLayout, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.known_tone import CALIBRATOR, ToneCheck, check
from tonecomb.core.say.numbers import signed, with_std
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.part import peak
from tonecomb.core.synthesis.tones import Tone
from tonecomb.desktop.dialogs.form import Form
from tonecomb.desktop.kit.widgets import Choice, Number, label, row

Known = tuple[float, float, str]


class KnownToneDialog(Form):
    """``checked`` is how the channel does against the tone, None where it cannot be told. It closes
    with OK to calibrate the channel by it."""

    def __init__(
        self, parent: QWidget, analysis: Analysis, others: Sequence[tuple[str, Made]]
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Check against a known tone")
        self._analysis = analysis
        self.checked: ToneCheck | None = None
        offered: list[tuple[Known, str]] = [(CALIBRATOR, "a calibrator of 159.155 Hz, 10 m/s² rms")]
        for name, made in others:
            offered += [
                (
                    (part.frequency, peak(part.amplitude, part.level) / 2**0.5, made.unit),
                    f"{name}: {part.name}",
                )
                for part in made.parts
                if isinstance(part, Tone)
            ]
        self.source = Choice(offered, CALIBRATOR, "The known tone")
        self.frequency = Number(CALIBRATOR[0], 1e-9, 1e9, 6, "Hz", shortest=True)
        self.level = Number(CALIBRATOR[1], 1e-12, 1e12, 9, "", shortest=True)
        self.unit = QLineEdit(CALIBRATOR[2])
        self.unit.setMaximumWidth(80)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 14, 16, 14)
        outer.setSpacing(10)
        outer.addWidget(
            label(f"What {analysis.channel.name} reads of a tone that is known.", "quiet")
        )
        outer.addLayout(row(label("The tone of"), self.source, None))
        outer.addLayout(
            row(
                label("that is"),
                self.frequency,
                label("with"),
                self.level,
                self.unit,
                label("rms"),
                None,
            )
        )
        self.told = label("", "", wrap=True)
        self.told.setMinimumHeight(64)
        outer.addWidget(self.told)
        buttons = QDialogButtonBox()
        self.go = QPushButton("Calibrate so")
        self.go.setToolTip("Have the channel read this tone as it is known")
        buttons.addButton(self.go, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton("Cancel", QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        outer.addWidget(buttons)
        self.setMinimumWidth(520)
        for field, name in (
            (self.frequency, "Frequency"),
            (self.level, "Level"),
            (self.unit, "Unit of the level"),
        ):
            field.setAccessibleName(name)
        self.source.picked.connect(self._take)
        self.frequency.valueChanged.connect(lambda _: self._check())
        self.level.valueChanged.connect(lambda _: self._check())
        self.unit.editingFinished.connect(self._check)
        self._check()

    def _take(self, known: Known) -> None:
        frequency, rms, unit = known
        self.unit.setText(unit)
        self.level.setValue(rms)
        self.frequency.setValue(frequency)
        self._check()

    def _check(self) -> None:
        try:
            self.checked = check(
                self._analysis, self.frequency.value(), self.level.value(), self.unit.text().strip()
            )
        except UserError as error:
            self.checked = None
            self.told.setText(error.text)
        else:
            self.told.setText(words(self.checked))
        self.go.setEnabled(self.checked is not None)


def words(checked: ToneCheck) -> str:
    """How a channel does, in sentences."""
    read, level = checked.read
    text = (
        f"Read at {with_std(read, checked.frequency_std)} Hz, which is off by "
        f"{with_std(checked.parts_per_million, checked.ppm_std)} parts in a million.\n"
        f"Its level is {with_std(level, checked.amplitude_std)} {checked.unit} rms"
    )
    if checked.comparable:
        text += f", off by {with_std(checked.decibels, checked.decibels_std)} dB."
    else:
        text += f": one {checked.of} is {1 / checked.factor:.6g} {checked.unit}."
    return signed(text)
