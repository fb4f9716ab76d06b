"""The machine that was recorded: its shaft's speed, and frequencies that name peaks."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHeaderView,
    QInputDialog,
    QLineEdit,
    QMenu,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from tonecomb.core.base.errors import UserError
from tonecomb.core.find.bearing import Bearing
from tonecomb.core.method.document import DroppedComb
from tonecomb.core.method.machine import Known, Machine
from tonecomb.desktop.dialogs.form import Form
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.theme import font
from tonecomb.desktop.kit.widgets import Choice, Number, label, link, row
from tonecomb.formats import machines


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


_NOT_KNOWN, _TYPED = "", "typed"
_HEADS = ("Name", "Frequency", "in", "± %")


class MachineDialog(Form):
    """``machine`` is what was said when it closes with OK. ``combs`` are those whose fundamental
    can be the shaft's frequency, ``folder`` is where file dialogs begin."""

    def __init__(
        self, parent: QWidget, machine: Machine, combs: tuple[DroppedComb, ...], folder: Path
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Machine")
        self.resize(520, 440)
        self.machine, self._combs, self._folder = machine, combs, folder
        self._spacing = {one.name: one.spacing for one in combs if one.carrier is None}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(16, 14, 16, 14)
        outer.setSpacing(10)
        choices = [(_NOT_KNOWN, "is not known"), (_TYPED, "is")]
        choices += [(f"comb {name}", f"is comb {name}'s") for name in self._spacing]
        known = f"comb {machine.comb}" if machine.comb in self._spacing else _NOT_KNOWN
        source = _TYPED if machine.shaft is not None else known
        self.source = Choice(choices, source, "Where the shaft's speed is from")
        self.source.picked.connect(lambda _: self._show_speed())
        self.shaft = Number(machine.shaft or 1.0, 1e-6, 1e6, 6, "Hz", shortest=True)
        self.shaft.setAccessibleName("Shaft's frequency")
        self.shaft.valueChanged.connect(lambda _: self._show_speed())
        self.rpm = label("", "quiet")
        outer.addLayout(row(label("The shaft's speed"), self.source, self.shaft, self.rpm, None))
        outer.addWidget(
            label("Peaks within the tolerance of a frequency below are named by it.", "quiet")
        )
        self.table = self._make_table()
        outer.addWidget(self.table, 1)
        for one in machine.known:
            self.add_row(one)
        outer.addLayout(
            row(
                link("Add", "One more frequency", lambda: self.add_row(None)),
                link("Remove", "Remove the chosen frequency", self.remove_row),
                link(
                    "Bearing…",
                    "The frequencies of a bearing's faults, from its geometry",
                    self.add_bearing,
                ),
                None,
                link("Kept tables…", "Use, or keep, a table for other recordings", self.kept),
                link("Read…", "Read a CSV table", self.read_table),
                link("Write…", "Write a CSV table", self.write_table),
                spacing=16,
            )
        )
        self.wrong = label("", "quiet", wrap=True)
        outer.addWidget(self.wrong)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        buttons.addButton("Use this machine", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        outer.addWidget(buttons)
        self._show_speed()

    def _make_table(self) -> QTableWidget:
        table = QTableWidget(0, len(_HEADS))
        table.setHorizontalHeaderLabels(list(_HEADS))
        table.setAccessibleName("Known frequencies")
        table.setFont(font())
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setShowGrid(False)
        rows, columns = table.verticalHeader(), table.horizontalHeader()
        assert rows is not None and columns is not None
        rows.hide()
        rows.setDefaultSectionSize(30)
        columns.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for section, width in ((1, 110), (2, 100), (3, 70)):
            columns.setSectionResizeMode(section, QHeaderView.ResizeMode.Fixed)
            columns.resizeSection(section, width)
        return table

    def _show_speed(self) -> None:
        source = self.source.value
        self.shaft.setVisible(source == _TYPED)
        speed = self._shaft()
        self.rpm.setText("" if speed is None else f"{speed:.6g} Hz, {60 * speed:.6g} /min")

    def _shaft(self) -> float | None:
        source = str(self.source.value)
        if source == _TYPED:
            return self.shaft.value()
        return self._spacing.get(source.removeprefix("comb "))

    def add_row(self, one: Known | None) -> None:
        at = self.table.rowCount()
        self.table.insertRow(at)
        cells = (
            ("", "", "0.5")
            if one is None
            else (one.name, f"{one.value:.10g}", f"{one.tolerance:g}")
        )
        for column, text in zip((0, 1, 3), cells, strict=True):
            item = QTableWidgetItem(text)
            if column:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.table.setItem(at, column, item)
        of_shaft = one.of_shaft if one is not None else self._shaft() is not None
        kind = Choice([(False, "Hz"), (True, "× shaft")], of_shaft, "Unit")
        self.table.setCellWidget(at, 2, kind)
        if one is None:
            self.table.setCurrentCell(at, 0)
            self.table.editItem(self.table.item(at, 0))

    def add_bearing(self) -> None:
        asking = BearingDialog(self)
        if asking.exec():
            for one in asking.known:
                self.add_row(one)

    def remove_row(self) -> None:
        self.table.removeRow(self.table.currentRow())

    def _cell(self, at: int, column: int) -> str:
        item = self.table.item(at, column)
        return "" if item is None else item.text().strip()

    def known(self) -> tuple[Known, ...]:
        """The table as it stands. Raises :class:`UserError` for a row that makes no sense; rows
        without a word are none."""
        knowns = []
        for at in range(self.table.rowCount()):
            name, value = self._cell(at, 0), self._cell(at, 1)
            if not name and not value:
                continue
            kind = self.table.cellWidget(at, 2)
            assert isinstance(kind, Choice)
            try:
                figures = [float(t.replace(",", ".")) for t in (value, self._cell(at, 3))]
            except ValueError as error:
                raise UserError(f"Row {at + 1} lacks a number", remedy="type one") from error
            one = Known(name, figures[0], bool(kind.value), figures[1])
            one.check()
            knowns.append(one)
        return tuple(knowns)

    def _fill(self, known: tuple[Known, ...]) -> None:
        self.table.setRowCount(0)
        for one in known:
            self.add_row(one)

    def accept(self) -> None:
        try:
            known = self.known()
        except UserError as error:
            self.wrong.setText(error.text)
            return
        source = str(self.source.value)
        typed = self.shaft.value() if source == _TYPED else None
        comb = source.removeprefix("comb ") if source not in (_NOT_KNOWN, _TYPED) else ""
        self.machine = Machine(typed, comb, known)
        super().accept()

    def _try(self, file: Path, writing: bool) -> None:
        """Read or write a table, and say what is wrong with it where something is."""
        self.wrong.setText("")
        try:
            if writing:
                machines.write(file, self.known())
            else:
                self._fill(machines.read(file))
        except UserError as error:
            self.wrong.setText(error.text)

    def read_table(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(
            self, "Known frequencies", str(self._folder), "Tables (*.csv)"
        )
        if chosen:
            self._try(Path(chosen), writing=False)

    def write_table(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(
            self, "Known frequencies", str(self._folder / "machine.csv"), "Tables (*.csv)"
        )
        if chosen:
            self._try(Path(chosen), writing=True)

    def kept(self) -> None:
        """The tables that were kept, and a way to keep this one."""
        menu, folder = QMenu(self), settings.machines_folder()
        for file in sorted(folder.glob("*.csv")):
            action = menu.addAction(file.stem)
            assert action is not None
            action.triggered.connect(lambda _, file=file: self._try(file, writing=False))
        menu.addSeparator()
        keep = menu.addAction("Keep this one…")
        assert keep is not None
        keep.triggered.connect(self.keep_rows)
        menu.exec(self.table.mapToGlobal(self.table.rect().center()))

    def keep_rows(self) -> None:
        name, ok = QInputDialog.getText(self, "Keep", "Name of the table:")
        plain = "".join(c for c in name.strip() if c.isalnum() or c in " -_.").strip(". ")
        if ok and plain:
            self._try(settings.machines_folder() / f"{plain}.csv", writing=True)
