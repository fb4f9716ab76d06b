"""Regions drawn on the spectrogram: kept, taken out, swapped, edited; a tooth along its track."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit, QMenu
from tests.desktop.mouse import drag
from tests.desktop.test_method_line import method

from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.steps.isolate import Isolate
from tonecomb.core.steps.regions import Outline, RegionBox, RegionTooth
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.stage.panes.trend import TrendPane
from tonecomb.desktop.stage.spectrogram.pane import GramPane

Settle = Callable[[], None]
FS, SECONDS = 4000, 12


@pytest.fixture
def wail(bench: Bench, settle: Settle, tmp_path: Path) -> Bench:
    """A family whose pitch wanders by a tenth."""
    t = np.arange(SECONDS * FS) / FS
    pitch = 58 * (1 + 0.06 * np.sin(2 * np.pi * 0.25 * t) + 0.03 * np.sin(2 * np.pi * 0.6 * t))
    turns = np.cumsum(pitch) / FS
    x = sum(np.cos(2 * np.pi * n * turns + n) / n for n in range(1, 13))
    x = x + 0.03 * np.random.default_rng(2).normal(size=len(t))
    soundfile.write(tmp_path / "wail.wav", 0.2 * x, FS, subtype="FLOAT")
    bench.opening.open_paths([tmp_path / "wail.wav"])
    settle()
    return bench


def pane(bench: Bench, settle: Settle) -> GramPane:
    if not bench.stage.shows("spectrogram"):
        QTest.keyClick(bench, Qt.Key.Key_4)
    settle()
    found = bench.stage.panes["spectrogram"]
    assert isinstance(found, GramPane)
    return found


def at(found: GramPane, time: float, frequency: float) -> QPoint:
    plot = found.shown
    place = QPointF(frequency, time) if plot is found.plot else QPointF(time, frequency)
    return plot.mapFromScene(plot.box.mapViewToScene(place))


@pytest.fixture
def pick(monkeypatch: pytest.MonkeyPatch) -> Callable[[str], None]:
    """Choose this from the next menu that opens."""

    def choose(text: str) -> None:
        def exec_(menu: QMenu, *_: object) -> QAction | None:
            found = next(one for one in menu.actions() if one.text() == text)
            found.trigger()
            return found

        monkeypatch.setattr(QMenu, "exec", exec_)

    return choose


@pytest.mark.parametrize("way", ["down", "right"])
def test_a_box_is_kept_and_swapped_by_a_key(
    wail: Bench, settle: Settle, pick: Callable[[str], None], way: str
) -> None:
    found = pane(wail, settle)
    found.way.choose(way)
    found.way.picked.emit(way)
    settle()
    pick("Keep only this box")
    drag(
        found.shown.viewport(),
        at(found, 3.0, 300.0),
        at(found, 9.0, 900.0),
        Qt.KeyboardModifier.ControlModifier,
    )
    settle()
    (step,) = method(wail).source.steps
    assert isinstance(step, Isolate)
    (box,) = step.regions
    assert isinstance(box, RegionBox)
    assert (box.start, box.end) == pytest.approx((3.0, 9.0), abs=0.2)
    assert (box.low, box.high) == pytest.approx((300.0, 900.0), abs=20)
    peaks = wail.context.results.analysis.peaks  # type: ignore[union-attr]
    assert all(250 < peak.tone.frequency < 950 for peak in peaks or ())
    assert len(found.shown.regions.lines) == 1
    QTest.keyClick(wail, Qt.Key.Key_Z, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert method(wail).source.steps == (step.swapped(),)
    assert "taken out: " in wail.context.results.analysis.sentence  # type: ignore[union-attr]


def test_an_outline_is_drawn_and_a_second_joins_it(
    wail: Bench, settle: Settle, pick: Callable[[str], None]
) -> None:
    found = pane(wail, settle)
    for text in ("Take this out", "Take this out"):
        QTest.keyClick(wail, Qt.Key.Key_I, Qt.KeyboardModifier.ShiftModifier)
        assert found.plot.regions.outlining
        pick(text)
        regions, path = found.plot.regions, [(2, 200), (4, 250), (6, 500), (5, 800), (3, 600)]
        points = [QPointF(f, t) for t, f in path]
        for i, place in enumerate(points):
            regions.drag(points[max(i - 1, 0)], place, i == len(points) - 1)
        settle()
        assert not found.plot.regions.outlining
    (step,) = method(wail).source.steps
    assert isinstance(step, Isolate)
    assert step.out
    assert len(step.regions) == 2
    assert isinstance(step.regions[0], Outline)
    assert step.regions[0].span == (2.0, 6.0)
    wail.method_line.edit("steps")
    popover = wail.method_line.popover
    assert popover is not None
    lines = [w for w in popover.findChildren(QLineEdit) if w.text().startswith("outline")]
    assert len(lines) == 2
    lines[1].setText("box 1 2 100 200")
    lines[1].editingFinished.emit()
    lines[0].setText("nonsense")
    lines[0].editingFinished.emit()
    assert lines[0].text().startswith("outline")
    lines[0].clear()
    lines[0].editingFinished.emit()
    settle()
    assert method(wail).source.steps[0].regions == (RegionBox(1.0, 2.0, 100.0, 200.0),)  # type: ignore[attr-defined]
    popover.close()


def test_a_tooth_is_kept_along_its_track(
    wail: Bench, settle: Settle, pick: Callable[[str], None]
) -> None:
    QTest.keyClick(wail, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    settle()
    before = wail.context.results.analysis.spectrum.rms  # type: ignore[union-attr]
    tree = wail.readings.combs.tree
    comb = tree.topLevelItem(0)
    assert comb is not None
    comb.setExpanded(True)
    child = comb.child(4)
    assert child is not None
    tree.scrollToItem(child)
    assert tree.itemAt(tree.visualItemRect(child).center()) is child
    pick("Keep only this tooth")
    tree.customContextMenuRequested.emit(tree.visualItemRect(child).center())
    settle()
    (step,) = method(wail).source.steps
    assert isinstance(step, Isolate)
    (tooth,) = step.regions
    assert isinstance(tooth, RegionTooth)
    assert tooth.number == 5
    assert len(tooth.points) > 100
    assert step.words(()).startswith("kept: tooth 5 of 58")
    after = wail.context.results.analysis.spectrum.rms  # type: ignore[union-attr]
    expected = (1 / 5) / np.sqrt(sum(1 / n**2 for n in range(1, 13)))
    assert after / before == pytest.approx(expected, rel=0.02)


def test_nothing_to_swap_is_said(wail: Bench) -> None:
    QTest.keyClick(wail, Qt.Key.Key_Z, Qt.KeyboardModifier.ShiftModifier)
    assert "Nothing is isolated" in wail.context.notices.text  # type: ignore[attr-defined]


def test_a_track_is_kept_alone(wail: Bench, settle: Settle) -> None:
    wail.store.edit_method("Follow", tracks=(Wanted(150.0, 195.0),), frame=1024)
    QTest.keyClick(wail, Qt.Key.Key_6)
    settle()
    found = wail.stage.panes["trend"]
    assert isinstance(found, TrendPane)
    QTest.mouseClick(found.alone, Qt.MouseButton.LeftButton)
    settle()
    (step,) = method(wail).source.steps
    assert isinstance(step, Isolate)
    (tooth,) = step.regions
    assert isinstance(tooth, RegionTooth)
    assert 170 < tooth.fundamentals.mean() < 178
    after = wail.context.results.analysis.spectrum.rms  # type: ignore[union-attr]
    assert after == pytest.approx(0.2 / 3 / np.sqrt(2), rel=0.1)
    peaks = wail.context.results.analysis.peaks  # type: ignore[union-attr]
    assert all(100 < peak.tone.frequency < 250 for peak in peaks or ())
