"""Asking for a bearing's geometry, from which the frequencies of its faults follow."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialogButtonBox, QFormLayout, QLineEdit, QVBoxLayout, QWidget

from tonecomb.core.base.errors import UserError
from tonecomb.core.find.bearing import Bearing
from tonecomb.core.method.machine import Known
from tonecomb.desktop.dialogs.form import Form
from tonecomb.desktop.kit.widgets import Number, label


class BearingDialog(Form):
    """``known`` are its frequencies when it closes with OK."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Bearing")
        self.known: tuple[Known, ...] = ()
        self.name = QLineEdit("bearing")
        self.elements = Number(9, 1, 999, 0, "")
        self.diameter = Number(7.9, 1e-6, 1e6, 4, "mm", shortest=True)
        self.pitch = Number(38.5, 1e-6, 1e6, 4, "mm", shortest=True)
        self.angle = Number(0, 0, 89.9, 2, "°", shortest=True)
        self.tolerance = Number(2, 0.01, 50, 2, "%", shortest=True)
        outer, fields = QVBoxLayout(self), QFormLayout()
        outer.setContentsMargins(16, 14, 16, 14)
        outer.addWidget(
            label("The inner ring turns with the shaft. Diameters may be in any one unit.", "quiet")
        )
        for text, field in (
            ("Name", self.name),
            ("Rolling elements", self.elements),
            ("Diameter of an element", self.diameter),
            ("Diameter of the circle through their middles", self.pitch),
            ("Contact angle", self.angle),
            ("Slip, at most", self.tolerance),
        ):
            field.setAccessibleName(text)
            fields.addRow(text, field)
        outer.addLayout(fields)
        self.told, self.wrong = label("", "quiet", wrap=True), label("", "quiet", wrap=True)
        outer.addWidget(self.told)
        outer.addWidget(self.wrong)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        buttons.addButton("Name its rates", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        outer.addWidget(buttons)
        for number in (self.elements, self.diameter, self.pitch, self.angle, self.tolerance):
            number.valueChanged.connect(lambda _: self._tell())
        self._tell()

    def _bearing(self) -> Bearing:
        return Bearing(
            self.name.text().strip(),
            int(self.elements.value()),
            self.diameter.value(),
            self.pitch.value(),
            self.angle.value(),
            self.tolerance.value(),
        )

    def _tell(self) -> bool:
        """The frequencies as they are now; False, and why, where there are none."""
        try:
            known = self._bearing().known()
        except UserError as error:
            self.told.setText("")
            self.wrong.setText(error.text)
            return False
        words = (f"{one.name} {one.value:.4g} × shaft" for one in known)
        self.told.setText(", ".join(words))
        self.wrong.setText("")
        return True

    def accept(self) -> None:
        if self._tell():
            self.known = self._bearing().known()
            super().accept()
