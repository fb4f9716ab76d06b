"""Peaks that are named, set aside with a reason, and taken back."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QMenu

from tonecomb.core.method.document import PeakNote, note_at
from tonecomb.desktop.bench import Bench
from tonecomb.formats.session import session

Settle = Callable[[], None]


def answer(monkeypatch: pytest.MonkeyPatch, text: str, ok: bool = True) -> None:
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: (text, ok))


def choose(bench: Bench, frequency: str) -> int:
    rows = bench.readings.peaks.sorted
    texts = [rows.index(i, 0).data() for i in range(rows.rowCount())]
    row = next(i for i, text in enumerate(texts) if abs(float(text) - float(frequency)) < 2e-3)
    bench.readings.peaks.table.selectRow(row)
    return row


def test_a_peak_is_named_and_set_aside(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    choose(opened, "413.100")
    answer(monkeypatch, " Gear mesh ")
    QTest.keyClick(opened, Qt.Key.Key_R)
    settle()
    assert "413.10 Gear mesh" in opened.stage.spectrum.marks.labelled()
    assert opened.readings.peaks.detail.text().endswith("Gear mesh")
    choose(opened, "50.000")
    answer(monkeypatch, "mains of the lighting")
    QTest.keyClick(opened, Qt.Key.Key_R, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert opened.store.ref is not None
    assert [n.words for n in opened.store.ref.peak_notes] == [
        "set aside: mains of the lighting",
        "Gear mesh",
    ]
    marks = opened.stage.spectrum.marks
    aside = marks.aside.getData()[0]
    assert len(aside) == 1 and aside[0] == pytest.approx(50, abs=1e-3)
    choose(opened, "24.300")
    opened.stage.spectrum.set_limits(0, 120)
    assert "50.00" not in opened.stage.spectrum.marks.labelled()
    rows = opened.readings.peaks.sorted
    place = next(i for i in range(rows.rowCount()) if rows.index(i, 0).data() == "50.0000")
    assert rows.index(place, 0).data(Qt.ItemDataRole.FontRole).italic(), "it stays listed"
    tip = rows.index(place, 0).data(Qt.ItemDataRole.ToolTipRole)
    assert tip == "set aside: mains of the lighting"
    # The notes hold for other methods of the same recording, and are kept in the session.
    opened.store.edit_method("Change", frame=65536, window="hamming")
    settle()
    assert len(marks.aside.getData()[0]) == 1
    session.save(tmp_path / "s.tcomb", opened.store.document)
    kept = session.load(tmp_path / "s.tcomb").recordings[0].peak_notes
    assert kept == opened.store.ref.peak_notes


def test_taking_back_and_the_menu(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    def pick(menu: QMenu, *_: object) -> None:
        seen.append([action.text() for action in menu.actions()])
        menu.actions()[1].trigger()

    seen: list[list[str]] = []
    monkeypatch.setattr(QMenu, "exec", pick)
    table = opened.readings.peaks.table
    row = choose(opened, "150.000")
    answer(monkeypatch, "", ok=True)
    opened.readings.peaks.open_menu(
        table.visualRect(opened.readings.peaks.sorted.index(row, 0)).center()
    )
    assert opened.store.ref is not None
    assert opened.store.ref.peak_notes == (), "no reason, nothing set aside"
    answer(monkeypatch, "hum")
    for _ in range(2):
        opened.readings.peaks.open_menu(
            table.visualRect(opened.readings.peaks.sorted.index(row, 0)).center()
        )
        settle()
    assert seen[0] == ["Name…", "Set aside…", "Mark in every view", "Sidebands about it"]
    assert seen[2][1] == "Take it back"
    assert opened.store.ref.peak_notes == ()
    opened.store.undo()
    assert opened.store.ref.peak_notes[0].aside == "hum"


def test_the_report_says_it(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    choose(opened, "413.100")
    answer(monkeypatch, "Gear <mesh>")
    opened.context.notes.name(opened.readings.current_peak())
    target = str(tmp_path / "r.html")
    monkeypatch.setattr(
        "PyQt6.QtWidgets.QFileDialog.getSaveFileName", lambda *_, **__: (target, "")
    )
    opened.exports.export_report()
    settle()
    assert ">Gear &lt;mesh&gt;</td>" in Path(target).read_text()


def test_the_nearest_note_counts() -> None:
    notes = (PeakNote(10.0, "a"), PeakNote(10.4, "b"))
    assert note_at(notes, 10.3, 0.5) == notes[1]
    assert note_at(notes, 11.0, 0.5) is None
    assert note_at((), 1.0, 1.0) is None
