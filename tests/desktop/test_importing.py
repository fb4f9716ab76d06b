"""The import preview: what it says, what can be put right in it, and what is remembered."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import h5py
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QLabel, QLineEdit, QWidget

from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.importing import ImportDialog
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.widgets import Choice
from tonecomb.formats import remembered
from tonecomb.formats.registry import WRITERS, open_recording

Settle = Callable[[], None]


def logged(path: Path, header: str = "t;a [g];b [mm/s]", rows: int = 3000) -> Path:
    """A log with 5 in the first column a step, and a value missing."""
    lines = [header]
    lines += [f"{5 * i};{math.sin(i / 4):.6f};{'' if i == 700 else i % 9}" for i in range(rows)]
    path.write_text("\n".join(lines) + "\n")
    return path


@pytest.fixture
def preview(bench: Bench, settle: Settle, tmp_path: Path) -> ImportDialog:
    bench.opening.open_paths([logged(tmp_path / "log.csv")])
    settle()
    assert bench.opening.dialog is not None
    return bench.opening.dialog


def pick(widget: QWidget, name: str, text: str) -> None:
    """Choose an entry with the keyboard, as its first letters find it."""
    named = [c for c in widget.findChildren(Choice) if c.accessibleName() == name]
    choice = next(c for c in named if c.isVisible())
    choice.setFocus()
    choice.showPopup()
    view = choice.view()
    assert view is not None
    QTest.keyClicks(view, text)
    QTest.keyClick(view, Qt.Key.Key_Return)


def sentences(preview: ImportDialog) -> str:
    words = preview.facts.findChildren((QLabel, Choice))
    shown = [w.currentText() if isinstance(w, Choice) else w.text() for w in words if w.isVisible()]
    return " ".join(shown)


def test_what_the_preview_says(preview: ImportDialog) -> None:
    told = sentences(preview)
    assert "Cells are divided by semicolons and have decimal points ; numbers from line 2" in told
    assert "Time is in column 1, t in milliseconds : steps of 5 ms, so 200 Hz." in told
    assert "its header gives no unit; taken as milliseconds, for 200 Hz is likely" in told
    assert "1 value is missing: leave them, and refuse to analyse across" in told
    cells = [preview.table.item(1, 3 + i) for i in range(4)]
    assert [cell.text() for cell in cells if cell] == ["0", "0.247404", "0.479426", "0.681639"]
    x, y = preview.curve.getData()
    assert x[-1] > 14
    assert np.nanmax(y) == pytest.approx(1.0, abs=1e-3)


def test_a_wrong_unit_of_time_is_put_right(
    bench: Bench, preview: ImportDialog, settle: Settle
) -> None:
    pick(preview.facts, "Unit of time", "milli")
    settle()
    assert "in milliseconds : steps of 5 ms, so 200 Hz" in sentences(preview)
    pick(preview.facts, "What becomes of missing values", "draw")
    settle()
    QTest.mouseClick(preview.go, Qt.MouseButton.LeftButton)
    settle()
    recording = bench.store.recording(bench.store.document.current)
    assert recording is not None
    assert (recording.sample_rate, recording.rate_source) == (200.0, "time column")
    assert [c.unit for c in recording.channels] == ["g", "mm/s"]
    assert np.isfinite(recording.samples.read(1, 0, recording.length)).all()
    assert [p.text for p in recording.problems] == ["1 missing value of b is interpolated."]


def test_roles_names_and_units(bench: Bench, preview: ImportDialog, settle: Settle) -> None:
    pick(preview.table, "Role of column 1", "leave")
    settle()
    assert not preview.go.isEnabled()
    assert "the sample rate is" in sentences(preview)
    pick(preview.table, "Role of column 1", "time")
    settle()
    pick(preview.table, "Role of column 3", "leave")
    settle()
    for what, text in (("Name", "Hut"), ("Unit", "m/s^2")):
        fields = preview.table.findChildren(QLineEdit)
        named = [f for f in fields if f.accessibleName() == f"{what} of column 2"]
        field = next(f for f in named if f.isVisible())
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        settle()
        assert preview.isVisible(), "Return confirms the field only"
    preview.accept()
    settle()
    recording = bench.store.current
    assert recording is not None
    assert [(c.name, c.unit) for c in recording.channels] == [("Hut", "m/s²")]


def test_what_cannot_be_is_said_in_the_preview(preview: ImportDialog, settle: Settle) -> None:
    pick(preview.facts, "Time column", "column 3")
    settle()
    assert "has no time: 1 of 3000 are missing" in preview.fault.text()
    assert not preview.go.isEnabled()
    pick(preview.facts, "What divides the cells", "tabs")
    settle()
    assert "not a table of numbers" in preview.fault.text()


def test_files_of_a_shape_are_asked_about_once(
    bench: Bench, settle: Settle, tmp_path: Path
) -> None:
    """Three at once, then another the next day; a file of another shape is asked about again."""
    paths = [logged(tmp_path / f"day{i}.csv", rows=2000 + i) for i in range(3)]
    bench.opening.open_paths(paths)
    settle()
    preview = bench.opening.dialog
    assert preview is not None
    assert any("Also for 2 more files" in w.text() for w in preview.findChildren(QLabel))
    pick(preview.facts, "Unit of time", "milli")
    settle()
    preview.accept()
    settle()
    assert [ref.name for ref in bench.store.document.recordings] == ["day0", "day1", "day2"]
    bench.opening.open_paths([logged(tmp_path / "day4.csv")])
    settle()
    assert bench.opening.dialog is None
    assert "day4 was read like the last file of this shape" in bench.context.notices.text
    rates = {bench.store.recording(r.id).sample_rate for r in bench.store.document.recordings}  # type: ignore[union-attr]
    assert rates == {200.0}
    bench.opening.open_paths([logged(tmp_path / "other.csv", "t;c;d")])
    settle()
    assert bench.opening.dialog is not None
    bench.opening.dialog.reject()
    assert len(bench.store.document.recordings) == 4


def test_a_clear_file_simply_opens(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    rows = "".join(f"{i * 5},{math.sin(i)}\n" for i in range(2000))
    (tmp_path / "clear.csv").write_text("time [ms],x [g]\n" + rows)
    bench.opening.open_paths([tmp_path / "clear.csv"])
    settle()
    assert bench.opening.dialog is None
    assert bench.store.current is not None


def test_reading_anew_can_be_undone(opened: Bench, settle: Settle) -> None:
    """From the shelf: cut the log at its gap, analyse, and go back."""
    log = next(ref for ref in opened.store.document.recordings if ref.name == "station-log")
    shape = remembered.shape(opened.store.understood(log.id).contents)  # type: ignore[union-attr]
    opened.opening.ask_again(log.id)
    settle()
    preview = opened.opening.dialog
    assert preview is not None
    pick(preview.facts, "What becomes of uneven times", "cut")
    settle()
    pick(preview.facts, "What becomes of missing values", "draw")
    settle()
    assert "Kept is piece 1 of 2, 103 s" in sentences(preview)
    pick(preview.facts, "Piece", "piece 2")
    settle()
    assert preview.understood.recording.length == 3228
    pick(preview.facts, "Piece", "piece 1")
    settle()
    preview.accept()
    settle()
    kept = remembered.recall(settings.imports_file(), shape)
    assert kept is not None
    assert (kept.how.time_base, kept.how.piece) == ("cut", None), "the piece is of this file"
    assert opened.store.recording(log.id).length == 20_600  # type: ignore[union-attr]
    opened.store.undo()
    settle()
    assert opened.store.recording(log.id).length == 23_828  # type: ignore[union-attr]
    opened.store.redo()
    settle()
    item = next(i for i in opened.shelf.channel_rows() if i.text(0) == "Deck vertical")
    opened.shelf.tree.setCurrentItem(item)
    settle()
    found = [round(p.tone.frequency, 2) for p in opened.context.results.analysis.peaks or ()]  # type: ignore[union-attr]
    assert found == [4.86, 24.3, 48.6]


def test_hdf5_with_many_sets_is_chosen_from(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    with h5py.File(tmp_path / "a.h5", "w") as file:
        file.attrs["fs"] = 100.0
        file["fast"] = np.sin(np.arange(4000))
        file["slow/x"] = np.cos(np.arange(500))
    bench.opening.open_paths([tmp_path / "a.h5"])
    settle()
    preview = bench.opening.dialog
    assert preview is not None
    assert "1 series of another length or rate is left out" in " ".join(preview.understood.guesses)
    pick(preview.table, "Role of column 1", "leave")
    settle()
    pick(preview.table, "Role of column 2", "data")
    settle()
    preview.accept()
    settle()
    assert [c.name for c in bench.store.current.channels] == ["slow/x"]  # type: ignore[union-attr]


def test_export_and_replace_from_the_shelf(
    opened: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    ref = opened.store.ref
    assert ref is not None
    target = tmp_path / "copy"
    kind = f"{WRITERS[3].name} (*.parquet)"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(target), kind))
    opened.action("Export recording…").trigger()
    settle()
    written = open_recording(target.with_suffix(".parquet"))
    assert [c.name for c in written.channels] == ["Motor DE", "Gearbox DE", "Bullwheel"]
    assert "Saved" in opened.context.notices.text
    monkeypatch.setattr(
        QFileDialog, "getOpenFileName", lambda *a: (str(target.with_suffix(".parquet")), "")
    )
    opened.opening.replace_file(ref.id)
    settle()
    assert opened.store.ref is not None
    assert opened.store.ref.path.endswith("copy.parquet")
    assert opened.store.ref.name == "drive-steady"
    assert opened.context.results.analysis is not None
