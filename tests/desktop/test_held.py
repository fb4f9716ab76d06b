"""Held traces: kept, drawn in the current scaling, listed, hidden, returned to, dropped."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QMenu, QTreeWidgetItem

from tonecomb.core.method import document as edits
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.scale import Scale
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.edits.held import MOST
from tonecomb.formats.session import session

Settle = Callable[[], None]


def curve(bench: Bench, number: int = 0) -> tuple[np.ndarray, np.ndarray]:
    found = bench.stage.spectrum.held.curves[number]
    assert found.isVisible()
    x, y = found.getData()
    return x, y


def held_items(bench: Bench) -> list[QTreeWidgetItem]:
    tree = bench.shelf.tree
    heads = [tree.topLevelItem(i) for i in range(tree.topLevelItemCount())]
    last = heads[-1]
    assert last is not None
    if last.text(0) != "Held traces":
        return []
    return [last.child(i) for i in range(last.childCount())]  # type: ignore[misc]


def test_a_trace_is_held_while_the_method_changes(opened: Bench, settle: Settle) -> None:
    before = opened.context.results.analysis
    assert before is not None
    QTest.keyClick(opened, Qt.Key.Key_H)
    opened.store.edit_method("Change", frame=1024, scaling="psd")
    settle()
    assert [item.text(0) for item in held_items(opened)] == ["Gearbox DE, Hann, 32768"]
    assert "32768 samples" in held_items(opened)[0].toolTip(0)
    x, y = curve(opened)
    mesh = np.argmax(np.where(abs(x - 413.1) < 12, y, -np.inf))
    density = before.spectrum.values("psd", "rms")
    at = round(413.1 / before.spectrum.bin_hz)
    assert y[mesh] == pytest.approx(10 * np.log10(density[at - 1 : at + 2].max() / 1e-12), abs=1e-6)
    assert "Gearbox DE, Hann, 32768" in opened.stage.spectrum.legend.text()
    opened.layout_.toggle_decibels()
    assert curve(opened)[1].max() == pytest.approx(density.max(), rel=1e-9)


def test_traces_of_other_recordings_and_units(opened: Bench, settle: Settle) -> None:
    """Converted where the quantity is the same, left out where it is not."""
    opened.context.held.hold()
    document = opened.store.document
    taps = next(ref for ref in document.recordings if ref.name == "bracket-taps")
    opened.store.apply("Choose", edits.select(document, taps.id, 1))
    settle()
    opened.layout_.toggle_decibels()
    mesh = curve(opened)[1].max()
    assert mesh == pytest.approx(0.9, rel=0.15)  # the highest bin of the mesh
    opened.store.apply("Choose", edits.select(opened.store.document, taps.id, 0))
    settle()
    assert not opened.stage.spectrum.held.curves[0].isVisible(), "newtons are no acceleration"
    given = edits.replace(taps.given, unit="mm/s^2")
    opened.store.apply(
        "Unit", edits.change_recording(opened.store.document, edits.replace(taps, given=given))
    )
    settle()
    assert curve(opened)[1].max() == pytest.approx(1000 * mesh, rel=1e-9)


def test_hiding_renaming_returning_dropping(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened.context.held.hold()
    opened.store.edit_method("Change", window="flat-top")
    settle()
    item = held_items(opened)[0]
    opened.shelf.tree.scrollToItem(item)
    viewport = opened.shelf.tree.viewport()
    place = opened.shelf.tree.visualItemRect(item).center()
    QTest.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=place)
    assert opened.stage.spectrum.held.curves == []
    assert not opened.stage.spectrum.legend.isVisible()
    QTest.qWait(QApplication.doubleClickInterval() + 50)
    QTest.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=place)
    assert len(opened.stage.spectrum.held.curves) == 1

    def choose(text: str) -> None:
        def pick(menu: QMenu, *_: object) -> None:
            next(action for action in menu.actions() if action.text() == text).trigger()

        monkeypatch.setattr(QMenu, "exec", pick)
        item = held_items(opened)[0]
        opened.shelf.open_menu(opened.shelf.tree.visualItemRect(item).center())
        settle()

    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("with Hann", True))
    choose("Rename…")
    assert held_items(opened)[0].text(0) == "with Hann"
    choose("Return to its method")
    assert opened.store.method.frames.window == "hann"  # type: ignore[union-attr]
    choose("Drop")
    assert held_items(opened) == []
    opened.store.undo()
    settle()
    assert len(curve(opened)[0]) > 100, "it is drawn again"


def test_held_traces_are_in_the_session(opened: Bench, settle: Settle, tmp_path: Path) -> None:
    opened.context.held.hold()
    opened.store.edit_method("Change", frame=2048)
    settle()
    wanted = curve(opened)[1].max()
    session.save(tmp_path / "s.tcomb", opened.store.document)
    opened.store.mark_saved(tmp_path / "s.tcomb", opened.store.document)
    opened.workspace.open_session(tmp_path / "s.tcomb")
    settle()
    assert opened.store.path == tmp_path / "s.tcomb", opened.context.notices.text
    assert not opened.store.history.undo_label, "it is the session, not what was there before"
    assert curve(opened)[1].max() == pytest.approx(wanted)
    ref = opened.store.ref
    assert ref is not None
    opened.workspace.remove(ref.id)
    settle()
    assert opened.store.document.held == (), "they go with their recording"


def test_held_means_held(opened: Bench, settle: Settle, tmp_path: Path) -> None:
    """Steps, units and calibrations that change later do not touch it, nor does a session."""
    opened.store.edit_method("Steps", steps=(Keep(10.0, 30.0), Scale((1,), 2.0)), frame=8192)
    settle()
    opened.context.held.hold()
    settle()
    before = [values.copy() for values in curve(opened)]
    opened.store.edit_method("Plain", steps=())
    settle()
    ref = opened.store.ref
    assert ref is not None
    given = edits.replace(ref.given, unit="mm/s^2")
    changed = edits.change_recording(opened.store.document, edits.replace(ref, given=given))
    opened.store.apply("Unit", changed)
    settle()

    def as_before() -> None:
        now = curve(opened)
        np.testing.assert_allclose(now[0], before[0])
        np.testing.assert_allclose(now[1], before[1], atol=1e-6)

    (trace,) = opened.store.document.held
    assert trace.method.source.steps == (Keep(10.0, 30.0), Scale((1,), 2.0))
    opened.store.undo()
    settle()
    as_before()
    session.save(tmp_path / "s.tcomb", opened.store.document)
    opened.store.mark_saved(tmp_path / "s.tcomb", opened.store.document)
    opened.workspace.open_session(tmp_path / "s.tcomb")
    settle()
    as_before()


def test_no_more_than_there_are_colours(opened: Bench) -> None:
    for _ in range(MOST + 1):
        opened.context.held.hold()
    assert len(opened.store.document.held) == MOST
    assert "7 traces are held already; drop one on the shelf first" in opened.context.notices.text
