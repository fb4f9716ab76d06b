"""Taps, transfer function and modes on the bench, by mouse and keys."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QPushButton, QTableWidgetItem

from tonecomb.core.method.document import select, set_sketch
from tonecomb.core.method.sketch import Place, Sketch
from tonecomb.core.modal.shock import shock_spectrum
from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.sketch import SketchDialog
from tonecomb.desktop.dialogs.transfer import TransferPopover
from tonecomb.desktop.stage.panes.shock import ShockPane
from tonecomb.desktop.stage.transfer.pane import TransferPane
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
    assert pane.level.marks.names == ["61.8 Hz", "143 Hz", "388 Hz"]
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


def test_a_mode_is_named_and_a_known_one_set_aside(
    tapped: Bench, settle: Settle, qtbot: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    page, pane = tapped.readings.modes, pane_of(tapped)
    tapped.readings.show_page("modes")
    answers = iter([("first bending", True), ("the rail alone", True)])
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: next(answers))
    tapped.activateWindow()
    qtbot.waitUntil(tapped.isActiveWindow)
    page.tree.setCurrentItem(page.tree.topLevelItem(0))
    QTest.keyClick(page.tree, Qt.Key.Key_R)
    page.tree.setCurrentItem(page.tree.topLevelItem(1))
    QTest.keyClick(page.tree, Qt.Key.Key_Delete)
    rows = [page.tree.topLevelItem(i) for i in range(2)]
    assert [one.text(2) for one in rows if one] == ["first bending", "set aside: the rail alone"]
    shown = pane.level.marks.names
    assert shown == ["first bending, 61.8 Hz", "388 Hz"], "what does not matter is not marked"
    assert "first bending" in page.text() and "set aside: the rail alone" in page.text()
    assert len(tapped.store.ref.mode_notes) == 2 if tapped.store.ref else False
    QTest.keyClick(page.tree, Qt.Key.Key_Delete)
    assert len(pane.level.marks.names) == 3, "and taken back"


def test_shapes_move_on_a_sketch(tapped: Bench, settle: Settle, tmp_path: Path) -> None:
    signal = tapped.store.current
    assert signal is not None
    dialog = SketchDialog(tapped, signal.channels, Sketch())

    def fill(i: int, *texts: str) -> None:
        for j, text in zip((1, 2, 3, 5), texts, strict=False):
            dialog.table.setItem(i, j, QTableWidgetItem(text))

    fill(1, "0", "0", "0", "3, 9")
    assert "joined to ‘9’" in dialog.wrong.text() and not dialog.take.isEnabled()
    fill(1, "0", "0", "far", "3")
    assert dialog.wrong.text() == "A place of Bracket is no number of metres."
    fill(1, "0", "0", "0", "3")
    fill(2, "1,5", "0", "0", "4")
    fill(3, "1,5", "0", "−0.4")
    dialog.ways[2].choose("+x")
    dialog.ways[2].picked.emit("+x")
    assert not dialog.wrong.text()
    wanted = Sketch((Place(1), Place(2, 1.5, along="+x"), Place(3, 1.5, 0, -0.4)), ((1, 2), (2, 3)))
    assert dialog.sketch == wanted
    ref = tapped.store.ref
    assert ref is not None
    tapped.store.apply("Sketch", set_sketch(tapped.store.document, ref, dialog.sketch))
    again = SketchDialog(tapped, signal.channels, dialog.sketch)
    assert again.sketch == wanted, "it opens as it was left"
    pane = pane_of(tapped)
    pane.way.choose("shapes")
    pane.way.picked.emit("shapes")
    assert pane.shapes.on_sketch and not pane.shapes.grab().isNull()
    file = tmp_path / "sketched.tcomb"
    session.save(file, tapped.store.document)
    assert session.load(file).recordings[0].sketch == wanted


def test_modes_are_held_against_another_recording_s(
    tapped: Bench, demo: Path, settle: Settle, tmp_path: Path
) -> None:
    pane, first = pane_of(tapped), tapped.store.document.current
    assert first is not None
    pane.way.choose("alike")
    pane.way.picked.emit("alike")
    settle()
    themselves = tapped.context.watched["alike"].shown
    assert np.diag(themselves.mac) == pytest.approx(1) and len(themselves.pairs) == 3
    copy = tmp_path / "after-repair.uff"
    copy.write_bytes((demo / "bracket-taps.uff").read_bytes())
    tapped.opening.open_paths([copy])
    settle()
    tapped.store.apply("Choose", select(tapped.store.document, first, 0))
    settle()
    assert [pane.other.itemText(i) for i in range(2)] == ["themselves", "after-repair"]
    pane.other.setCurrentIndex(1)
    pane.other.activated.emit(1)
    settle()
    found = tapped.context.watched["alike"].shown
    assert found.name_b == "after-repair" and found.mac == pytest.approx(themselves.mac)
    assert not pane.likeness.grab().isNull()


def test_the_shock_response_of_a_tap(bench: Bench, demo: Path, settle: Settle) -> None:
    bench.opening.open_paths([demo / "bracket-taps.uff"])
    settle()
    bench.store.edit_method("Choose", stretch=Stretch(1.9, 3.9), channel=1)
    bench.stage.show_pane("shock")
    settle()
    pane = bench.stage.panes["shock"]
    assert isinstance(pane, ShockPane) and pane.found is not None
    signal = bench.store.current
    assert signal is not None
    first, stop = (round(one * signal.rate) for one in (1.9, 3.9))
    x = signal.samples.read(1, first, stop)
    wanted = shock_spectrum(x, signal.rate, q=10.0, fraction=12)
    assert pane.found.maximax == pytest.approx(wanted.maximax)
    assert dict(pane.plot.lines)["maxi-max"] == pytest.approx(np.log10(wanted.maximax))
    assert "m/s² at" in pane.told.text() and pane.plot.label_of("left") == "Greatest answer, m/s²"
    pane.q.choose(50.0)
    pane.q.picked.emit(50.0)
    settle()
    assert pane.found.q == 50.0 and pane.found.maximax.max() > wanted.maximax.max()


@pytest.mark.parametrize("way", ["unwrapped", "parts", "circle", "poles", "shapes"])
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
    elif way == "unwrapped":
        phase = pane.phase.curves[0].values
        turns = (phase[1:] - np.angle(found.curves[0][1:], deg=True)) / 360
        assert np.abs(turns - np.round(turns)).max() < 1e-6
        assert np.nanmax(np.abs(np.diff(phase[1:]))) <= 180.0
        assert pane.phase.label_of("left") == "Phase lead, unwrapped, °"
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


def test_without_a_reference_nothing_of_another_recording_stays(
    tapped: Bench, settle: Settle, demo: Path
) -> None:
    pane = pane_of(tapped)
    assert pane.level.marks.names and not pane.level.legend.isHidden()
    tapped.opening.open_paths([demo / "undersampled.wav"])
    settle()
    last = tapped.store.document.recordings[-1]
    tapped.store.apply("Choose", select(tapped.store.document, last.id, 0))
    settle()
    assert pane.told.text() == "No reference is chosen."
    assert pane.level.marks.names == [] and pane.level.legend.isHidden()
    assert not pane.level.curves


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
    pane.way.choose("lengths")
    pane.way.picked.emit("lengths")
    settle()
    table = pane.lengths
    assert (table.rowCount(), table.columnCount()) == (3, 5)
    cells = [table.item(0, j) for j in range(1, 5)]
    assert all(cell is not None and cell.text().startswith("61.") for cell in cells)
