"""Taps, transfer function and modes on the bench, by mouse and keys."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton

from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.transfer import TransferPopover
from tonecomb.desktop.stage.transfer import TransferPane
from tonecomb.formats.session import session

Settle = Callable[[], None]


@pytest.fixture
def tapped(bench: Bench, demo: Path, settle: Settle, qtbot: Any) -> Bench:
    """The bracket, with its transfer function asked for."""
    bench.opening.open_paths([demo / "bracket-taps.uff"])
    settle()
    qtbot.waitUntil(bench.isActiveWindow)
    QTest.keyClick(bench, Qt.Key.Key_G, Qt.KeyboardModifier.ShiftModifier)
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, TransferPopover)
    assert popover.reference.currentText() == "Hammer", "the force is what others answer"
    popover.low.setValue(20.0)
    popover.high.setValue(600.0)
    use = next(one for one in popover.findChildren(QPushButton) if one.text() == "Work it out")
    QTest.mouseClick(use, Qt.MouseButton.LeftButton)
    settle()
    return bench


def pane_of(bench: Bench) -> TransferPane:
    pane = bench.stage.panes["transfer"]
    assert isinstance(pane, TransferPane)
    return pane


def test_curves_modes_and_taps_are_shown(tapped: Bench) -> None:
    pane = pane_of(tapped)
    assert (
        pane.isVisible() and pane.told.text() == "3 answers over Hammer · 10 of 12 taps · 3 modes"
    )
    assert pane.level.label_of("left") == "Accelerance, dB re 1 (m/s²)/N"
    found = pane.found
    assert found is not None
    wanted = 20 * np.log10(np.abs(found.curves[0]))
    shown = pane.level.curves[0].values
    assert np.allclose(shown[1:], wanted[1:])
    assert [mark.label.format for mark in pane.level.marks] == ["61.8 Hz", "143 Hz", "388 Hz"]
    assert pane.coherence.isVisible() and pane.coherence.floor.value() == pytest.approx(0.1)
    assert tapped.readings.tabs["modes"].text() == "Modes 3"
    tree = tapped.readings.modes.tree
    first, fifth = tree.topLevelItem(0), tree.topLevelItem(3 + 4)
    assert first is not None and fifth is not None
    assert [first.text(i) for i in range(3)] == ["61.8 Hz", "1.2 %", "1.00 0.62 0.20"]
    assert fifth.text(0) == "tap 5" and fifth.text(2).startswith("double hit")
    notes = [mark.label.format for mark in tapped.stage.waveform.marks.lines]
    assert notes == ["1", "2", "3", "4", "(5)", "6", "7", "8", "(9)", "10", "11", "12"]
    assert tapped.stage.spectrum.limits() == pytest.approx((0.0, 690.0))


def test_a_tap_is_set_aside_and_taken_back(tapped: Bench, settle: Settle, qtbot: Any) -> None:
    page = tapped.readings.modes
    tapped.readings.show_page("modes")
    page.tree.setCurrentItem(page.tree.topLevelItem(3))
    settle()
    tapped.activateWindow()
    qtbot.waitUntil(tapped.isActiveWindow)
    assert tapped.stage.waveform.limits()[0] == pytest.approx(2.0, abs=0.01), "it is looked at"
    QTest.keyClick(page.tree, Qt.Key.Key_Delete)
    settle()
    assert "9 of 12 taps" in pane_of(tapped).told.text()
    QTest.keyClick(page.tree, Qt.Key.Key_Delete)  # the chosen row stayed
    settle()
    assert "10 of 12 taps" in pane_of(tapped).told.text()
    page.tree.setCurrentItem(page.tree.topLevelItem(3 + 8))
    QTest.keyClick(tapped, Qt.Key.Key_Space, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert "11 of 12 taps" in pane_of(tapped).told.text(), "the overload counts if it must"
    tapped.action("Set the first and last tap aside").trigger()
    settle()
    assert "9 of 12 taps" in pane_of(tapped).told.text()
    for _ in range(4):
        tapped.store.undo()
    settle()
    assert "10 of 12 taps" in pane_of(tapped).told.text()


@pytest.mark.parametrize("way", ["parts", "circle", "poles", "shapes"])
def test_other_pictures_of_it(tapped: Bench, settle: Settle, qtbot: Any, way: str) -> None:
    pane = pane_of(tapped)
    pane.way.choose(way)
    pane.way.picked.emit(way)
    qtbot.wait(60)
    found = pane.found
    assert found is not None and found.modes is not None
    if way == "parts":
        assert pane.level.label_of("left") == "Accelerance, real part, (m/s²)/N"
        assert np.allclose(pane.phase.curves[1].values, found.curves[1].imag)
    elif way == "poles":
        assert pane.poles.isVisible() and len(pane.poles.poles) == len(found.modes.poles)
    elif way == "circle":
        assert pane.circle.label_of("bottom") == "Real part, (m/s²)/N"
    else:
        cells = pane.shapes.cells()
        assert len(cells) == 3
        tapped.stage.spectrum.set_limits(300, 400)
        middle = cells[0].center()
        at = QPoint(round(middle.x()), round(middle.y()))
        QTest.mouseClick(pane.shapes, Qt.MouseButton.LeftButton, pos=at)
        low, high = tapped.stage.spectrum.limits()
        assert low < 61.8 < high, "it is brought into view"
    assert not pane.grab().isNull()


def test_it_is_kept_with_the_session(tapped: Bench, tmp_path: Path, settle: Settle) -> None:
    file = tmp_path / "taps.tcomb"
    session.save(file, tapped.store.document)
    again = session.load(file)
    assert again == tapped.store.document
    between = again.recordings[0].method.between
    assert between is not None and (between.low, between.high) == (20.0, 600.0)
    tapped.store.edit_method("Leave it", between=None)
    settle()
    assert pane_of(tapped).told.text() == "No reference is chosen."
    assert not tapped.readings.tabs["modes"].isVisible()


def test_without_a_force_the_taps_are_heard(
    bench: Bench, demo: Path, settle: Settle, qtbot: Any
) -> None:
    bench.opening.open_paths([demo / "bracket-taps.uff"])
    settle()
    bench.stage.show_pane("transfer")
    bench.finding.choose_transfer()
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, TransferPopover)
    popover.reference.choose(None)
    popover.reference.picked.emit(None)
    assert not popover.estimator.isEnabled()
    popover.high.setValue(600.0)
    popover.low.setValue(500.0)
    popover.low.setValue(700.0)
    popover.apply()
    assert "cannot be fitted" in popover.wrong.text(), "and nothing is closed"
    popover.low.setValue(20.0)
    popover.apply()
    settle()
    pane = pane_of(bench)
    assert "11 of 12 taps · 3 modes" in pane.told.text() and not pane.phase.isVisible()
