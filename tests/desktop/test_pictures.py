"""Pictures of what the stage shows, pane by pane, and the methods' sentences on them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog

from tonecomb.core.estimate.averages import Single
from tonecomb.core.estimate.shaft import of_comb
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.desktop.bench import Bench
from tonecomb.formats.report import figures
from tonecomb.formats.report.figures import Panel

Settle = Callable[[], None]
Key = Qt.Key


@pytest.fixture
def exported(
    runup: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> Callable[[], tuple[list[float], str, QImage]]:
    """Export the stage: heights of the panels that were stacked, heading, and the picture."""
    seen: list[tuple[list[float], str]] = []
    stacked = figures.stacked

    def counted(panels: list[Panel], kind: str, heading: str = "") -> bytes:
        seen.append(([panel.height for panel in panels], heading))
        return stacked(panels, kind, heading)

    monkeypatch.setattr(figures, "stacked", counted)
    path = tmp_path / "p.png"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))

    def export() -> tuple[list[float], str, QImage]:
        runup.action("Export picture…").trigger()
        settle()
        return *seen[-1], QImage(str(path))

    return export


def test_waveform_and_spectrum_alone_or_both(
    runup: Bench, settle: Settle, exported: Callable[[], tuple[list[float], str, QImage]]
) -> None:
    heights, heading, picture = exported()
    assert heights == [2.2, 4.4] and picture.width() == 10 * figures.DPI
    assert heading.startswith("run-up · Motor DE · 0.0–90.0 s") and heading.endswith("m/s² rms")
    QTest.keyClick(runup, Key.Key_2)
    assert exported()[0] == [4.4]
    QTest.keyClick(runup, Key.Key_1)
    assert exported()[0] == [2.2]


def test_every_pane_is_in_the_picture(
    runup: Bench, settle: Settle, exported: Callable[[], tuple[list[float], str, QImage]]
) -> None:
    QTest.keyClick(runup, Key.Key_4)
    settle()
    assert exported()[0] == [2.2, 4.4, 4.2]
    gram = runup.stage.panes["spectrogram"]
    gram.way.picked.emit(gram.way.choose("right") or "right")
    settle()
    assert exported()[0] == [2.2, 4.4, 4.2]
    QTest.keyClick(runup, Key.Key_4)
    runup.store.edit_method("Follow", tracks=(Wanted(70, 500),))
    QTest.keyClick(runup, Key.Key_6)
    settle()
    assert exported()[0] == [2.2, 4.2], "the trend takes the spectrum's room"
    QTest.keyClick(runup, Key.Key_6)
    QTest.keyClick(runup, Key.Key_5)
    settle()
    heights, _, picture = exported()
    view = runup.stage.panes["waterfall"].view
    assert heights[0] == 4.4 and heights[1] == pytest.approx(10 * view.height() / view.width())
    # What was taken from the screen is in it: ink where the relief is.
    assert picture.height() == pytest.approx(figures.DPI * sum(heights), abs=2)
    foot = picture.copy(0, picture.height() * 2 // 3, picture.width(), picture.height() // 3)
    assert len({foot.pixel(x, foot.height() // 2) for x in range(0, foot.width(), 3)}) > 5
    QTest.keyClick(runup, Key.Key_5)
    runup.store.edit_method("Single", average=Single(45.0))
    QTest.keyClick(runup, Key.Key_3)
    settle()
    assert len(exported()[0]) == 3


def test_a_run_up_says_how_it_was_made(
    runup: Bench, settle: Settle, exported: Callable[[], tuple[list[float], str, QImage]]
) -> None:
    runup.store.edit_method("Shaft", shaft=of_comb(4.5, 30, (1, 2, 17)))
    QTest.keyClick(runup, Key.Key_7)
    settle()
    heights, heading, _ = exported()
    assert heights == [2.2, 4.2]
    assert "by shaft angle, speed from a comb in 4.5–30 Hz, teeth 1, 2, 17" in heading
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    runup.action("Copy picture").trigger()
    settle()
    assert clipboard.image().width() == 10 * figures.DPI
    # Without a shaft there is nothing to export, and what to do is said.
    runup.store.edit_method("None", shaft=None)
    settle()
    runup.action("Export orders…").trigger()
    assert runup.context.notices.text == "No shaft is named; choose one with Shift+F."
    assert "Say what tells" in runup.stage.panes["run-up"].told.text()
    assert (
        runup.stage.panes["run-up"].scale.isHidden()
        and runup.stage.panes["run-up"].levels.lines == []
    )


def test_the_scale_of_the_map_is_dragged(runup: Bench, settle: Settle) -> None:
    runup.store.edit_method("Shaft", shaft=of_comb(4.5, 30, (1, 2, 17)))
    QTest.keyClick(runup, Key.Key_7)
    settle()
    pane = runup.stage.panes["run-up"]
    before, (low, high) = pane.map.image.image.copy(), pane.map.ends
    assert pane.scale.unit == "dB" and (pane.scale.low, pane.scale.high) == (low, high)
    pane.scale.changed.emit(low + 30, high)
    assert pane.map.ends == (low + 30, high) and pane.map.image.image.mean() < before.mean()
    pane.scale.automatic.emit()
    assert pane.map.ends == (low, high)
    runup.layout_.toggle_theme()
    assert pane.map.table[0].tolist() != [255, 255, 255]
    runup.layout_.toggle_decibels()
    assert pane.scale.unit == "m/s² rms" and pane.map.ends[0] == 0.0
    # Zoomed and shown whole again.
    pane.map.box.setXRange(0, 3, padding=0)
    assert pane.spectrum.box.viewRange()[0][1] == pytest.approx(3)
    runup.stage.show_all()
    assert pane.map.box.viewRange()[0][1] == pytest.approx(float(pane.map.found.map.frequency[-1]))  # type: ignore[union-attr]


def test_the_report_has_the_slices_that_are_shown(
    runup: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "r.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), ""))

    def page() -> str:
        runup.action("Save report…").trigger()
        settle()
        return path.read_text()

    assert "Changes in time" not in page()
    QTest.keyClick(runup, Key.Key_5)
    settle()
    assert "60 slices of 0.64 s each." in page()
    # A report is about the method as it is, whatever the stage still shows.
    runup.store.edit_method("Frame", frame=2048)
    assert "60 slices of 0.32 s each." in page()
