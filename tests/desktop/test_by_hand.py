"""Peaks picked and marked, resonances fitted by hand, the machine's table, orders, the filter."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLineEdit, QMenu, QPushButton
from tests.desktop.test_bench import drag
from tests.desktop.test_peak_notes import choose

from tonecomb.core.estimate.bands import Band
from tonecomb.core.method.document import select
from tonecomb.core.method.machine import Known, Machine
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.machine import MachineDialog
from tonecomb.desktop.kit import settings

Settle = Callable[[], None]
Key = Qt.Key


def column(bench: Bench, at: int = 0) -> list[str]:
    rows = bench.readings.peaks.sorted
    return [rows.index(i, at).data() for i in range(rows.rowCount())]


def trigger(monkeypatch: pytest.MonkeyPatch, text: str) -> list[list[str]]:
    """Menus that open choose the entry with this text; what they held is kept."""
    seen: list[list[str]] = []

    def run(menu: QMenu, *_: object) -> None:
        seen.append([action.text() for action in menu.actions()])
        next(action for action in menu.actions() if action.text() == text).trigger()

    monkeypatch.setattr(QMenu, "exec", run)
    return seen


def test_a_peak_is_picked_and_let_go(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = column(opened)
    view = opened.stage.spectrum
    view.set_limits(700, 860)
    view.hover(QPointF(777.0, 0.0))
    cursor = view.cursor
    assert cursor is not None
    QTest.keyClick(opened, Key.Key_I)
    settle()
    (new,) = set(column(opened)) - set(before)
    assert abs(float(new) - cursor) < 1.0
    choose(opened, new)
    assert "picked by hand" in opened.readings.peaks.detail.text()
    trigger(monkeypatch, "Let it go")
    place = opened.readings.peaks.table.visualRect(opened.readings.peaks.table.currentIndex())
    opened.readings.peaks.open_menu(place.center())
    settle()
    assert column(opened) == before
    view.hover(None)
    QTest.keyClick(opened, Key.Key_I)
    assert "no place to pick a peak" in opened.context.notices.text


def test_a_mark_runs_through_every_view(opened: Bench, settle: Settle) -> None:
    opened.finding.find_combs()
    choose(opened, "413.100")
    QTest.keyClick(opened, Key.Key_J)
    settle()
    QTest.keyClick(opened, Key.Key_3)
    assert opened.store.ref is not None and opened.store.ref.peak_notes[0].marked
    for lines in opened.stage.marked:
        ((frequency, name),) = lines.marks
        assert frequency == pytest.approx(413.1, abs=1e-3) and name == "413.10 Hz"
    opened.stage.spectrum.set_limits(300, 500)
    with_mark = opened.stage.spectrum.grab().toImage()
    QTest.keyClick(opened, Key.Key_J)
    assert opened.context.notes.marks() == []
    QTest.qWait(50)
    assert opened.stage.spectrum.grab().toImage() != with_mark


def test_a_range_is_dragged_and_fitted(opened: Bench, settle: Settle) -> None:
    """The tower's two modes: one range with both, changed to two modes, dropped."""
    document = opened.store.document
    sway = next(ref for ref in document.recordings if ref.name == "tower-sway")
    opened.store.apply("Choose", select(document, sway.id, 0))
    settle()
    view = opened.stage.spectrum
    view.set_limits(0.1, 0.8)
    middle = float(np.mean(view.level_limits()))
    QTest.keyClick(opened, Key.Key_F)
    assert view.drag.choosing and "Drag over the range" in opened.context.notices.text
    drag(view, (0.2, middle), (0.6, middle))
    popover = QApplication.activePopupWidget()
    assert popover is not None and not view.drag.choosing
    assert view.limits() == pytest.approx((0.1, 0.8)), "the drag chose, and did not zoom"
    settle()
    method = opened.store.method
    assert method is not None
    assert (method.search.fits[0].low, method.search.fits[0].high) == pytest.approx(
        (0.2, 0.6), abs=0.01
    )
    (two,) = [b for b in popover.findChildren(QPushButton) if b.text() == "Two modes"]
    QTest.mouseClick(two, Qt.MouseButton.LeftButton)
    settle()
    popover.close()
    modes = opened.readings.resonances
    assert opened.readings.page == "resonances"
    rows = [modes.tree.topLevelItem(i) for i in range(modes.tree.topLevelItemCount())]
    by_hand = [item for item in rows if item is not None and item.text(3) == "hand"]
    assert [item.text(0)[:4] for item in by_hand] == ["0.31", "0.47"]
    modes.tree.setCurrentItem(by_hand[1])
    assert "excited by noise" in modes.told.text() and "Q" in modes.told.text()
    QTest.keyClick(opened, Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None and clipboard.text().startswith("natural frequency [Hz]\t")
    opened.store.undo()
    assert opened.store.method.search.fits[0].modes == 1  # type: ignore[union-attr]
    opened.context.fits.drop(opened.store.method.search.fits[0])  # type: ignore[union-attr]
    assert opened.store.method.search.fits == ()  # type: ignore[union-attr]


def test_the_machine_names_peaks_and_gives_orders(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    opened.finding.find_combs()
    table = tmp_path / "drive.csv"
    table.write_text("name;times shaft\nGear mesh;17\n", "utf-8")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(table), ""))

    def fill(dialog: MachineDialog) -> int:
        dialog.source.choose("comb A")
        dialog.source.picked.emit("comb A")
        assert dialog.rpm.text().endswith("/min")
        dialog.read_table()
        dialog.add_row(Known("bad", 1.0, False))
        dialog.table.item(1, 1).setText("fast")  # type: ignore[union-attr]
        dialog.accept()
        assert dialog.wrong.text() == "Row 2 lacks a number; type one."
        dialog.table.setCurrentCell(1, 0)
        dialog.remove_row()
        monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("drive/1", True))
        dialog.keep_rows()
        dialog.accept()
        return int(dialog.result())

    monkeypatch.setattr(MachineDialog, "exec", fill)
    QTest.keyClick(opened, Key.Key_T)
    settle()
    ref = opened.store.ref
    assert ref is not None
    assert ref.machine == Machine(None, "A", (Known("Gear mesh", 17.0, True),))
    assert (settings.machines_folder() / "drive1.csv").exists()
    opened.stage.spectrum.set_limits(0, 500)
    assert "C0 Gear mesh" in opened.stage.spectrum.marks.labelled()
    choose(opened, "413.100")
    assert "order 17.0000\nGear mesh" in opened.readings.peaks.detail.text()
    opened.stage.spectrum.hover(QPointF(24.3, 0.0))
    assert "order 0.99" in opened.stage.spectrum.readout.text()
    # The upper axis has its ticks where the orders are, even and logarithmic.
    axis = opened.stage.spectrum.orders
    assert axis.isVisible()
    (_, values), *_ = axis.tickValues(0.0, 500.0, 700)
    orders = np.array(values) / 24.3
    assert np.allclose(orders, np.round(orders), atol=1e-3)
    assert axis.tickStrings(values, 1, values[1] - values[0])[:2] == ["0", "5"]
    QTest.keyClick(opened, Key.Key_L)
    (_, values), *_ = axis.tickValues(1.0, 3.0, 700)
    assert "10" in axis.tickStrings(values, 1, 1.0)
    assert 10 ** values[axis.tickStrings(values, 1, 1.0).index("10")] == pytest.approx(
        243, rel=1e-4
    )
    QTest.keyClick(opened, Key.Key_O)
    assert not axis.isVisible()
    opened.store.undo()
    settle()
    assert "C0" in opened.stage.spectrum.marks.labelled()
    opened.stage.spectrum.hover(QPointF(opened.stage.spectrum.place(413.1), 0.0))
    assert "· peak 413.1000 Hz, C0" in opened.stage.spectrum.readout.text()


def test_filter_columns_and_copies(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    opened.finding.find_combs()
    settle()
    opened.readings.show_page("peaks")
    QTest.keyClick(opened, Key.Key_Q)
    field = opened.readings.filter_field
    assert isinstance(field, QLineEdit) and field.isVisible()
    QTest.keyClicks(field, "50.0")
    assert column(opened) == ["50.0000", "150.0000", "250.0000"]
    tree = opened.readings.combs.tree
    shown = [i for i in range(3) if not tree.topLevelItem(i).isHidden()]  # type: ignore[union-attr]
    assert shown == [1]
    field.clear()
    assert len(column(opened)) > 10
    trigger(monkeypatch, "Above the floor")
    opened.readings.choose_columns()
    assert [one.key for one in opened.readings.peaks.model.columns][-1] == "above_floor_db"
    assert column(opened, 3)[0].isdigit()
    assert "above_floor_db" in settings.settings().value("peak columns")
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    for page, start in (("peaks", "frequency [Hz]"), ("combs", "comb\tkind")):
        opened.readings.show_page(page)
        opened.finding.copy_readings()
        assert clipboard.text().startswith(start)
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *_, page=page: (str(tmp_path / page), "")
        )
        opened.action("Export readings…").trigger()
        settle()
        assert start.replace("\t", ",") in (tmp_path / f"{page}.csv").read_text()
    opened.readings.show_page("resonances")
    opened.finding.copy_readings()
    assert opened.context.notices.text == "There are no resonances to copy."


def test_a_comb_is_typed_and_sidebands_stand_about_a_peak(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_, **__: (24.3, True))
    QTest.keyClick(opened, Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    settle()
    choose(opened, "413.100")
    opened.action("Sidebands about the peak").trigger()
    settle()
    typed, sides = opened.context.combs.shown
    assert typed.dropped.spacing == 24.3 and {1, 2, 3} <= {
        tooth.number for tooth in typed.comb.teeth if tooth.found
    }
    assert sides.dropped.carrier == pytest.approx(413.1, abs=1e-3) and sides.tied == "A"


def test_a_band_is_shown_by_a_click(opened: Bench, settle: Settle) -> None:
    opened.stage.spectrum.set_limits(0, 100)
    opened.store.edit_method("Bands", bands=(Band(2900, 3300, "ringing"),))
    settle()
    opened.readings.show_page("levels")
    buttons = opened.readings.levels.findChildren(QPushButton)
    (name,) = [b for b in buttons if b.text().startswith("ringing")]
    QTest.mouseClick(name, Qt.MouseButton.LeftButton, pos=QPoint(4, 4))
    low, high = opened.stage.spectrum.limits()
    assert low < 2900 and high > 3300 and high - low < 600
