"""All recordings of a folder, like the one on the bench."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QLabel

from tonecomb.batches.one import ChannelOutcome, Outcome
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.limit_curve import LimitCurve, parsed
from tonecomb.desktop.dialogs.many import WAITS, ManyDialog, OverviewDialog

Settle = Callable[[], None]
FS = 2000


@pytest.fixture
def plant(tmp_path: Path) -> Path:
    folder, t = tmp_path / "plant", np.arange(8000) / FS
    folder.mkdir()
    for i in range(3):
        x = 0.1 * (1 + i) * np.cos(2 * np.pi * 100.3 * t)
        x += 1e-3 * np.random.default_rng(i).normal(size=len(t))
        soundfile.write(folder / f"pump {i}.wav", x, FS, subtype="FLOAT")
    (folder / "broken.wav").write_bytes(b"RIFF and no more")
    return folder


def test_a_folder_is_analysed_like_this(
    bench: Bench, settle: Settle, plant: Path, monkeypatch: pytest.MonkeyPatch, qtbot: Any
) -> None:
    bench.opening.open_paths([plant / "pump 0.wav"])
    settle()
    bench.store.edit_method("Frame", frame=2048)
    QTest.keyClick(bench, Qt.Key.Key_H)  # hold the trace
    settle()
    asked: list[ManyDialog] = []

    def accept(dialog: ManyDialog) -> int:
        assert dialog.chosen == plant / "Tone Comb"
        dialog.out.setText("")
        assert dialog.chosen == plant / "Tone Comb", "never where the program was started"
        dialog.out.setText("out")
        dialog.most.setValue(0.15)
        dialog.below.setChecked(True)
        dialog.drawn.setChecked(True)
        dialog.curve.line.setText("50:0.2, 900:0.1")
        dialog.curve.line.textEdited.emit("50:0.2, 900:0.1")
        asked.append(dialog)
        return int(QDialog.DialogCode.Accepted)

    monkeypatch.setattr(ManyDialog, "exec", accept)
    bench.opening.open_paths([plant])  # as it is dropped on the window
    qtbot.waitUntil(lambda: bench.many.overview is not None, timeout=20_000)
    assert bench.many.overview.model.rowCount() == 4, "there from the start, waiting"
    qtbot.waitUntil(lambda: "Tables" in bench.many.overview.told.text(), timeout=20_000)
    assert asked[0].below.isVisibleTo(asked[0])
    told = [child.text() for child in asked[0].findChildren(QLabel)]
    assert any("2048 samples" in text for text in told)
    shown = bench.many.overview
    assert isinstance(shown, OverviewDialog) and shown.page == plant / "out" / "overview.html"
    assert shown.page.is_file()
    names = [shown.sorted.index(i, 0).data() for i in range(4)]
    assert names == ["broken", "pump 2", "pump 1", "pump 0"], "the worst first"
    zones = {shown.sorted.index(i, 0).data(): shown.sorted.index(i, 4).data() for i in range(4)}
    assert "overall: 0.212" in zones["pump 2"] and "held trace: 3.5" in zones["pump 2"]
    assert "curve: 1.485 dB at 100" in zones["pump 2"], zones["pump 2"]
    assert "overall" not in zones["pump 1"] and zones["pump 0"] == "within"
    # A row opens its recording.
    shown.table.setFocus()
    shown.table.selectRow(1)
    QTest.keyClick(shown.table, Qt.Key.Key_Return)
    settle()
    assert [ref.name for ref in bench.store.document.recordings] == ["pump 0", "pump 2"]
    shown.close()


def test_without_a_method_the_first_is_opened(bench: Bench, settle: Settle, plant: Path) -> None:
    (plant / "broken.wav").unlink()
    bench.many.offer(plant)
    settle()
    assert [ref.name for ref in bench.store.document.recordings] == ["pump 0"]
    (plant.parent / "empty").mkdir()
    bench.many.offer(plant.parent / "empty")
    settle()
    assert bench.many.overview is None and "holds no recordings" in bench.context.notices.text


def test_a_curve_is_drawn_over_the_spectrum_or_typed(qtbot: Any, qapp: QApplication) -> None:
    f = np.linspace(0, 1000, 2001)
    curve = LimitCurve(f, 1e-3 + np.exp(-((f - 100) ** 2)), "g rms")
    qtbot.addWidget(curve)
    curve.resize(560, 260)
    curve.show()
    board = curve.board
    for where in ((20.0, 0.5), (500.0, 0.01), (100.0, 2.0)):
        QTest.mouseClick(board, Qt.MouseButton.LeftButton, pos=board.place(*where).toPoint())
    for (a, b), (c, d) in zip(curve.points, ((20, 0.5), (100, 2), (500, 0.01)), strict=True):
        assert a == pytest.approx(c, rel=0.03) and b == pytest.approx(d, rel=0.1)
    # A drag moves the middle one, but not past its neighbour.
    start, end = board.place(*curve.points[1]).toPoint(), board.place(900.0, 0.1).toPoint()
    QTest.mousePress(board, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(board, end)
    QTest.mouseRelease(board, Qt.MouseButton.LeftButton, pos=end)
    assert curve.points[0][0] < curve.points[1][0] < curve.points[2][0]
    assert curve.points[1][1] == pytest.approx(0.1, rel=0.1)
    assert parsed(curve.line.text())[0][0] == pytest.approx(curve.points[0][0], rel=1e-3)
    QTest.keyClick(board, Qt.Key.Key_Delete)
    assert len(curve.points) == 2
    last = board.place(*curve.points[1]).toPoint()
    QTest.mouseClick(board, Qt.MouseButton.RightButton, pos=last)
    assert len(curve.points) == 1
    curve.line.clear()
    QTest.keyClicks(curve.line, "10:0.5, 1000:x")
    assert "1000:x" in curve.wrong.text()
    QTest.keyClicks(curve.line, "\b0.05")
    assert curve.points == ((10.0, 0.5), (1000.0, 0.05)) and not curve.wrong.text()


def test_rows_come_as_recordings_are_done(qtbot: Any, qapp: QApplication) -> None:
    """The chosen row stays chosen, and those that wait stand below."""
    files = [Path(f"/x/{i}.wav") for i in range(4)]
    shown = OverviewDialog(None, (), "none", Path("x"), files)  # type: ignore[arg-type]
    qtbot.addWidget(shown)

    def told() -> list[tuple[str, str]]:
        rows = range(shown.sorted.rowCount())
        return [(shown.sorted.index(i, 0).data(), shown.sorted.index(i, 4).data()) for i in rows]

    shown.table.selectRow(2)
    shown.add(
        Outcome("/x/3.wav", "3", "", channels=(ChannelOutcome("a", "g", "", 1.0, ("over",)),))
    )
    shown.add(Outcome("/x/0.wav", "0", "", failed="no rate"))
    qtbot.waitUntil(lambda: shown.model.waiting == 2, timeout=2000)
    assert told() == [("0", "could not be used"), ("3", "over"), ("1", WAITS), ("2", WAITS)]
    assert shown.told.text() == "2 of 4 recordings: 1 exceed a limit, 1 could not be used."
    (row,) = shown.table.selectionModel().selectedRows()
    assert row.data() == "2"


def test_a_thousand_rows_are_sorted_by_their_figures(qtbot: Any, qapp: QApplication) -> None:
    every = tuple(
        Outcome(
            f"/x/{i}.wav",
            f"point {i}",
            "",
            channels=(
                ChannelOutcome(
                    "a", "mm/s", "", (i * 37) % 1000 / 10, ("over",) if i == 500 else ()
                ),
            ),
        )
        for i in range(1000)
    )
    shown = OverviewDialog(None, every, "all", Path("x"))  # type: ignore[arg-type]
    qtbot.addWidget(shown)
    shown.show()
    assert shown.sorted.index(0, 0).data() == "point 500"
    shown.table.sortByColumn(3, Qt.SortOrder.DescendingOrder)
    rms = [float(shown.sorted.index(i, 3).data().split()[0]) for i in range(1000)]
    assert rms == sorted(rms, reverse=True)
