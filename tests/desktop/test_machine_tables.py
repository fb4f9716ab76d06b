"""Tables of a machine's known frequencies: written, read, kept under a name, and what is wrong."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu

from tonecomb.core.method.document import DroppedComb
from tonecomb.core.method.machine import Known, Machine
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.machine import MachineDialog
from tonecomb.desktop.kit import settings
from tonecomb.formats import machines

Settle = Callable[[], None]
KNOWN = (Known("mesh", 17.0, of_shaft=True), Known("hum", 50.0, tolerance=0.2))
COMBS = (DroppedComb("A", 24.3), DroppedComb("S", 24.3, carrier=413.1))


@pytest.fixture
def dialog(bench: Bench, tmp_path: Path) -> Iterator[MachineDialog]:
    made = MachineDialog(bench, Machine(24.3, known=KNOWN), COMBS, tmp_path)
    yield made
    made.deleteLater()


def test_what_was_known_is_shown_and_comes_back(dialog: MachineDialog) -> None:
    assert dialog.known() == KNOWN
    assert dialog.rpm.text() == "24.3 Hz, 1458 /min" and not dialog.shaft.isHidden()
    dialog.shaft.setValue(12.0)
    assert dialog.rpm.text() == "12 Hz, 720 /min"
    # Sidebands have no speed: only a comb of harmonics can be the shaft's.
    texts = [dialog.source.itemText(i) for i in range(dialog.source.count())]
    assert texts == ["is not known", "is", "is comb A's"]
    dialog.source.picked.emit(dialog.source.choose("comb A") or "comb A")
    assert dialog.shaft.isHidden() and dialog.rpm.text() == "24.3 Hz, 1458 /min"
    dialog.accept()
    assert dialog.machine == Machine(None, "A", KNOWN)


def test_a_table_is_written_and_read(
    dialog: MachineDialog, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "m.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    dialog.write_table()
    assert machines.read(path) == KNOWN
    dialog.add_row(Known("more", 3.0))
    dialog.read_table()
    assert dialog.known() == KNOWN, "the table takes the place of what was there"
    # A row that is no frequency is told, not written.
    dialog.table.item(0, 1).setText("much")  # type: ignore[union-attr]
    before = path.read_bytes()
    dialog.write_table()
    assert dialog.wrong.text() == "Row 1 lacks a number; type one."
    assert path.read_bytes() == before
    path.write_text("a,b\n1,2\n")
    dialog.read_table()
    assert "m.csv" in dialog.wrong.text()
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: ("", ""))
    wrong = dialog.wrong.text()
    dialog.read_table()
    assert dialog.wrong.text() == wrong, "a file dialog that was left changes nothing"


def test_tables_are_kept_under_names(
    dialog: MachineDialog, monkeypatch: pytest.MonkeyPatch
) -> None:
    for file in settings.machines_folder().glob("*.csv"):
        file.unlink()  # what another test kept
    chosen: list[str] = []

    def pick(menu: QMenu, *_: object) -> None:
        texts = {action.text(): action for action in menu.actions() if action.text()}
        chosen.append(" ".join(texts))
        texts["drive station" if "drive station" in texts else "Keep this one…"].trigger()

    monkeypatch.setattr(QMenu, "exec", pick)
    for name, ok in (("../..", True), ("drive station", False), (" drive: station/", True)):
        monkeypatch.setattr(QInputDialog, "getText", lambda *_, name=name, ok=ok, **__: (name, ok))
        dialog.kept()
    assert [file.name for file in settings.machines_folder().iterdir()] == ["drive station.csv"]
    dialog.add_row(Known("more", 3.0))
    dialog.kept()
    assert chosen[-1].startswith("drive station") and dialog.known() == KNOWN
    (settings.machines_folder() / "drive station.csv").write_text("rubbish")
    dialog.kept()
    assert "drive station.csv" in dialog.wrong.text() and dialog.known() == KNOWN
