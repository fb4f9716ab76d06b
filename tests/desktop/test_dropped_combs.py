"""Combs found by one key, dropped, dragged, snapped; teeth in every view and in the readings."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu, QTreeWidgetItem
from tests.desktop.test_bench import drag

from tonecomb.core.method.document import DroppedComb
from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.readings.combs import CombReadings
from tonecomb.formats.session import session

Settle = Callable[[], None]


def press(bench: Bench, key: Qt.Key, shift: bool = False) -> None:
    modifier = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
    QTest.keyClick(bench, key, modifier)


def dropped(bench: Bench) -> tuple[DroppedComb, ...]:
    assert bench.store.ref is not None
    return bench.store.ref.combs


def row(bench: Bench, comb: int, tooth: int | None = None) -> QTreeWidgetItem:
    item = bench.readings.combs.tree.topLevelItem(comb)
    assert item is not None
    child = item if tooth is None else item.child(tooth)
    assert child is not None
    return child


def test_one_key_finds_motor_mains_and_the_mesh_with_its_sidebands(
    opened: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    press(opened, Qt.Key.Key_B, shift=True)
    settle()
    motor, mains, sides = dropped(opened)
    assert motor.spacing == pytest.approx(24.3, abs=1e-3)
    assert mains.spacing == pytest.approx(50, abs=1e-3)
    assert (sides.carrier, sides.spacing) == pytest.approx((413.1, 24.3), abs=5e-3)
    readings = opened.readings.combs
    texts = [readings.words(shown) for shown in opened.context.combs.shown]
    assert texts[0].startswith("A: fundamental 24.300")
    assert "that of 50 Hz mains" in texts[1]
    assert "= comb A" in texts[2] and "17/1 of A" in texts[2]
    assert "modulation depth" in texts[2]
    assert row(opened, 0).text(3) == "4 of 4"
    assert [row(opened, 1, k).text(1) for k in (0, 1)] == ["50.000", "(100.000)"]
    assert row(opened, 1, 1).text(3) == "missing"
    # More columns are there to be chosen, and the choice is remembered.
    tree = opened.readings.combs.tree
    assert tree.isColumnHidden(4) and tree.isColumnHidden(5)
    assert row(opened, 1, 1).text(4) == "100.000" and row(opened, 1, 1).text(5) == ""
    share = 100 * opened.context.combs.shown[0].comb.teeth[0].amplitude ** 2
    share /= opened.context.combs.shown[0].comb.power
    assert float(row(opened, 0, 0).text(5)) == pytest.approx(share, rel=0.01)

    def choose(menu: QMenu, *_: object) -> None:
        next(action for action in menu.actions() if "Share" in action.text()).trigger()

    monkeypatch.setattr(QMenu, "exec", choose)
    opened.action("Columns of the readings…").trigger()
    assert not tree.isColumnHidden(5)
    made = CombReadings(opened.context.combs, opened.context.isolating)
    assert not made.tree.isColumnHidden(5)
    press(opened, Qt.Key.Key_B, shift=True)
    assert len(dropped(opened)) == 3
    assert "are there already" in opened.context.notices.text
    session.save(tmp_path / "s.tcomb", opened.store.document)
    assert session.load(tmp_path / "s.tcomb").recordings[0].combs == dropped(opened)
    opened.store.undo()
    assert dropped(opened) == (), "one step"


@pytest.mark.parametrize("leaves", [False, True])
def test_combs_asked_for_too_early_come_with_the_peaks(
    opened: Bench, settle: Settle, leaves: bool
) -> None:
    """The key is pressed while the peaks are still being refined; not for a channel that was chosen
    after."""
    results, early = opened.context.results, list[bool]()

    def press_early(_: object) -> None:
        if results.analysis is not None and results.analysis.peaks is None and not early:
            early.append(True)
            press(opened, Qt.Key.Key_B, shift=True)
            assert not dropped(opened)
            if leaves:
                other = (opened.store.method.source.channel + 1) % 3
                opened.store.edit_method("Channel", channel=other)

    results.analysis_changed.connect(press_early)
    opened.store.edit_method("Frame", frame=10000)
    settle()
    assert early and bool(dropped(opened)) != leaves


def test_dropping_dragging_and_removing(opened: Bench, settle: Settle) -> None:
    """B at the cursor; dragging tooth 3 moves the fundamental by a third; it snaps when let go."""
    opened.store.edit_method("Cut", stretch=Stretch(12, 32))
    settle()
    spectrum = opened.stage.spectrum
    spectrum.set_limits(0, 200)
    level = sum(spectrum.level_limits()) / 2
    spectrum.hover(QPointF(24.6, level))
    press(opened, Qt.Key.Key_B)
    (comb,) = dropped(opened)
    assert comb.spacing == pytest.approx(24.3, abs=1e-3), "it took the tones"
    assert comb.std > 0
    seen: list[float] = []
    opened.context.combs.changed.connect(
        lambda: seen.extend(s.comb.spacing for s in opened.context.combs.shown)
    )
    drag(spectrum, (72.9, level), (81.0, level))
    assert min(abs(f - 27.0) for f in seen) < 0.5, "81 Hz is three times 27"
    assert spectrum.limits() == pytest.approx((0, 200), abs=1), "no zoom"
    settle()
    while abs(dropped(opened)[0].spacing - 24.3) > 1e-3:
        opened.store.undo()
    drag(spectrum, (48.6, level), (48.9, level))
    settle()
    assert dropped(opened)[0].spacing == pytest.approx(24.3, abs=1e-3), "from near it snaps back"
    press(opened, Qt.Key.Key_Delete)
    assert dropped(opened) == ()
    spectrum.hover(None)
    press(opened, Qt.Key.Key_B)
    assert "point at a tone first" in opened.context.notices.text


def test_dragging_to_zoom_over_a_dense_comb_leaves_it(opened: Bench, settle: Settle) -> None:
    """Mains drop on the whole axis: wherever a drag begins it zooms, unless at a flag."""
    press(opened, Qt.Key.Key_B, shift=True)
    settle()
    before, spectrum = dropped(opened), opened.stage.spectrum
    for chosen in (None, 1):
        opened.context.combs.choose(chosen)
        for start in (50.0, 100.0, 413.1, 437.4):
            spectrum.show_all()
            level = sum(spectrum.level_limits()) / 2
            drag(spectrum, (start, level), (start + 525.0, level))
            assert dropped(opened) == before
            assert spectrum.limits() == pytest.approx((start, start + 525.0), abs=8)


def test_teeth_run_through_every_view(opened: Bench, settle: Settle) -> None:
    press(opened, Qt.Key.Key_B, shift=True)
    press(opened, Qt.Key.Key_3)
    settle()
    stage = opened.stage
    stage.spectrum.set_limits(300, 500)
    opened.context.combs.choose(2)
    for plot in (
        stage.spectrum,
        stage.spectra.second,
        stage.panes["phase"].plot,
        stage.panes["against"].plot,
    ):
        middle = sum(plot.level_limits()) / 2
        assert plot.combs.at(QPointF(plot.place(437.4), middle)) == (2, 1)
        assert plot.combs.at(QPointF(plot.place(425.0), middle)) is None
    opened.layout_.toggle_log()
    stage.spectrum.set_limits(300, 500)
    assert stage.spectrum.combs.at(QPointF(stage.spectrum.place(437.4), 90.0)) == (2, 1)
    opened.layout_.toggle_log()
    stage.spectrum.set_limits(300, 500)
    opened.readings.combs.tree.setCurrentItem(row(opened, 0, 1))
    low, high = stage.spectrum.limits()
    assert low <= 48.6 <= high, "a click goes to the place"
    assert high - low == pytest.approx(200, abs=1)


def test_the_menu_of_a_comb(opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch) -> None:
    """Sidebands about a tooth, typed figures, more teeth, a name."""
    spectrum = opened.stage.spectrum
    opened.context.combs.drop(413.1)
    opened.context.combs.drop(24.3)
    settle()
    assert [one.name for one in dropped(opened)] == ["A", "B"]

    def choose(text: str, comb: int, tooth: int | None = None) -> None:
        def pick(menu: QMenu, *_: object) -> None:
            (action,) = [a for a in menu.actions() if a.text() == text]
            action.trigger()

        monkeypatch.setattr(QMenu, "exec", pick)
        tree = opened.readings.combs.tree
        tree.expandAll()
        QApplication.processEvents()
        tree.customContextMenuRequested.emit(tree.visualItemRect(row(opened, comb, tooth)).center())

    opened.readings.show_page("combs")
    choose("Sidebands about this tooth", 0, 0)
    sides = dropped(opened)[2]
    assert (sides.carrier, sides.spacing) == pytest.approx((413.1, 24.3), abs=5e-3)
    assert opened.context.combs.shown[2].tied == "B"
    monkeypatch.setattr("PyQt6.QtWidgets.QInputDialog.getDouble", lambda *_: (23.9, True))
    choose("Type its frequency…", 1)
    assert dropped(opened)[1].spacing == 23.9
    choose("Snap to its tones", 1)
    assert dropped(opened)[1].spacing == pytest.approx(24.3, abs=1e-3)
    monkeypatch.setattr("PyQt6.QtWidgets.QInputDialog.getInt", lambda *_: (5, True))
    choose("How many teeth…", 1)
    assert row(opened, 1).childCount() == 5
    monkeypatch.setattr("PyQt6.QtWidgets.QInputDialog.getText", lambda *_, **__: ("motor", True))
    choose("Rename…", 1)
    assert row(opened, 1).text(0) == "motor"
    choose("Remove", 0)
    assert [one.name for one in dropped(opened)] == ["motor", "C"]
    spectrum.set_limits(50, 250)
    opened.context.combs.choose(None)
    assert spectrum.combs.at(QPointF(24.3 * 5, 90.0)) is None, "it was not chosen"
    opened.context.combs.choose(0)
    assert spectrum.combs.at(QPointF(24.3 * 5, 90.0)) == (0, 5)


def test_nothing_is_invented(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    noise = 0.1 * np.random.default_rng(3).standard_normal(60_000)
    soundfile.write(tmp_path / "noise.wav", noise, 8000)
    bench.opening.open_paths([tmp_path / "noise.wav"])
    settle()
    press(bench, Qt.Key.Key_B, shift=True)
    assert dropped(bench) == ()
    assert "No comb is sure enough among these peaks" in bench.context.notices.text
