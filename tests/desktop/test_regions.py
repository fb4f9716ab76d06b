"""The regions of the bench by themselves: axes, gestures, ruler, shelf, results."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QMenu
from tests.desktop import mouse
from tests.desktop.test_bench import drag, popover
from tests.support import write_csv

from tonecomb.core.find.peaks import Peak
from tonecomb.core.say import numbers
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.plot import Axis, Plot
from tonecomb.desktop.kit.widgets import Number
from tonecomb.desktop.shelf.rows import facts
from tonecomb.formats.session import session

Settle = Callable[[], None]


@pytest.mark.parametrize(
    ("low", "high", "wanted"),
    [
        (0.0, 60.0, "20"),
        (9.7, 9.92, "9.80"),
        (-4.0, 4.0, "−2"),
        (0.0, 2e-3, "0.0010"),
        (10.0, 10.05, "10.02"),
    ],
)
def test_linear_ticks(qapp: object, low: float, high: float, wanted: str) -> None:
    axis = Axis("bottom")
    texts = [
        text
        for spacing, values in axis.tickValues(low, high, 300)[:2]
        for text in axis.tickStrings(values, 1.0, spacing)
    ]
    assert wanted in texts
    assert len({len(text.partition(".")[2]) for text in texts}) == 1, "the same decimals for all"
    assert not any(text in ("-0", "−0", "−0.0") or "-" in text for text in texts)


@pytest.mark.parametrize(
    ("low", "high", "wanted"),
    [
        (1.0, 1000.0, ["1", "2", "5", "10", "20", "50", "100"]),
        (0.01, 1e5, ["0.01", "0.1", "1000"]),
        (40.0, 90.0, ["50", "60", "80"]),
        (48.0, 50.0, ["48", "49"]),
    ],
)
def test_logarithmic_ticks(qapp: object, low: float, high: float, wanted: list[str]) -> None:
    axis = Axis("bottom")
    axis.log = True
    levels = axis.tickValues(math.log10(low), math.log10(high), 600)
    texts = axis.tickStrings(levels[0][1], 1.0, levels[0][0])
    assert set(wanted) <= set(texts)
    if len(levels) > 1:
        assert set(axis.tickStrings(levels[1][1], 1.0, levels[1][0])) == {""}


def wheel(view: Plot, x: float, notches: int, keys: Qt.KeyboardModifier) -> None:
    y = sum(view.box.viewRange()[1]) / 2
    place = QPointF(view.mapFromScene(view.box.mapViewToScene(QPointF(x, y))))
    event = QWheelEvent(
        place,
        QPointF(view.mapToGlobal(place.toPoint())),
        QPoint(),
        QPoint(0, 120 * notches),
        Qt.MouseButton.NoButton,
        keys,
        Qt.ScrollPhase.NoScrollPhase,
        False,
    )
    QApplication.sendEvent(view.viewport(), event)


def test_wheel_pan_and_double_click(opened: Bench, settle: Settle) -> None:
    none, control = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ControlModifier
    view = opened.stage.waveform
    wheel(view, 30.0, 8, none)
    low, high = view.limits()
    assert high - low == pytest.approx(60 * 0.85**8, rel=0.01)
    assert low < 30 < high
    port = view.viewport()
    assert port is not None
    middle = view.mapFromScene(view.box.mapViewToScene(QPointF((low + high) / 2, 0)))
    mouse.drag(port, middle, middle + QPoint(80, 0), Qt.KeyboardModifier.ShiftModifier)
    assert view.limits()[0] < low, "the view moves with the mouse"
    assert opened.store.method.source.stretch is None, "and nothing is selected"  # type: ignore[union-attr]
    bottom = view.box.viewRange()[1]
    wheel(view, 30.0, 3, control)
    assert view.box.viewRange()[1][1] - view.box.viewRange()[1][0] < bottom[1] - bottom[0]
    for _ in range(80):
        wheel(view, 30.0, -8, none)
    assert view.limits() == (0.0, 60.0), "never beyond the recording"
    spectrum = opened.stage.spectrum
    spectrum.set_limits(100, 200)
    QTest.mouseDClick(spectrum.viewport(), Qt.MouseButton.LeftButton, pos=spectrum.rect().center())
    assert spectrum.limits() == (0.0, 6400.0)


def test_a_tall_box_zooms_the_level(opened: Bench) -> None:
    view = opened.stage.spectrum
    drag(view, (300.0, 110.0), (600.0, 70.0))
    assert view.limits() == pytest.approx((300, 600), abs=10)
    assert view.level_limits() == pytest.approx((70, 110), abs=2)
    QTest.keyClick(opened, Qt.Key.Key_Y)
    low, high = popover().findChildren(Number)
    high.setValue(90.0)
    low.setValue(80.0)
    popover().close()
    assert view.level_limits() == pytest.approx((80, 90))
    QTest.keyClick(opened, Qt.Key.Key_1)
    QTest.keyClick(opened, Qt.Key.Key_X)
    start, end = popover().findChildren(Number)
    end.setValue(12.0)
    start.setValue(11.0)
    popover().close()
    assert opened.stage.waveform.limits() == pytest.approx((11, 12))


def test_the_rulers_handle(opened: Bench, settle: Settle) -> None:
    handle = opened.ruler.handle
    handle.setFocus()
    QTest.keyClick(handle, Qt.Key.Key_Left)
    assert opened.store.method.frames.frame == 16384  # type: ignore[union-attr]
    QTest.mouseClick(handle, Qt.MouseButton.LeftButton, pos=QPoint(4, handle.height() // 2))
    assert opened.store.method.frames.frame == 64  # type: ignore[union-attr]
    assert opened.ruler.figure("bin") == "200 Hz"
    QTest.keyClick(handle, Qt.Key.Key_Left)
    assert opened.store.method.frames.frame == 64, "the end of the line"  # type: ignore[union-attr]
    opened.store.undo()
    assert opened.store.method.frames.frame == 32768, "one drag, one step"  # type: ignore[union-attr]


def test_what_was_computed_is_not_computed_again(
    opened: Bench, settle: Settle, titles: list[str]
) -> None:
    titles.clear()
    for changes in ({"scaling": "psd"}, {"scaling": "amplitude", "level": "peak"}):
        opened.store.edit_method("Show", **changes)
        settle()
    assert "Averaging the spectrum" not in titles, "scaling and level only change what is shown"
    assert opened.context.results.analysis.values_unit == "m/s² peak"  # type: ignore[union-attr]
    method = opened.store.method
    assert method is not None
    opened.store.edit_method("Search", peaks=replace(method.search.peaks, above_db=20.0))
    settle()
    assert titles.count("Refining the peaks") == 1, "the spectrum is kept, only peaks are new"
    assert "Averaging the spectrum" not in titles
    opened.store.undo()
    opened.store.edit_method("Choose window", window="hamming")
    settle()
    opened.store.undo()
    settle()
    assert titles.count("Averaging the spectrum") == 1, "going back comes from the cache"


def test_a_late_result_is_not_shown(opened: Bench, settle: Settle) -> None:
    shown: list[str] = []
    opened.context.results.analysis_changed.connect(
        lambda a: shown.append(a.method.frames.window if a else "")
    )
    for window in ("hamming", "flat-top", "rectangular"):
        opened.store.edit_method("Choose window", window=window)
        QTest.qWait(60)
    settle()
    assert shown[-1] == "rectangular"
    assert opened.context.results.analysis.method.frames.window == "rectangular"  # type: ignore[union-attr]
    order = [window for i, window in enumerate(shown) if i == 0 or shown[i - 1] != window]
    wanted = [w for w in ("hamming", "flat-top", "rectangular") if w in order]
    assert order == wanted, "each at most once, none after its successor"


def test_the_waveform_breaks_where_samples_are_missing(
    bench: Bench, settle: Settle, tmp_path: Path
) -> None:
    rows = [f"{i * 0.01:.2f},{'' if 100 <= i < 120 else math.sin(i)}" for i in range(400)]
    (tmp_path / "a.csv").write_text("time [s],x [g]\n" + "\n".join(rows) + "\n")
    bench.opening.open_paths([tmp_path / "a.csv"])
    settle()
    assert bench.opening.dialog is not None, "a choice is to be made"
    bench.opening.dialog.accept()
    settle()
    x, y = bench.stage.waveform.inside.getData()
    assert np.isnan(y[(x > 1.0) & (x < 1.19)]).all()
    assert np.isfinite(y[(x > 2.0) & (x < 3.0)]).all()
    bench.stage.waveform.hover(QPointF(1.1, 0))
    assert "missing" in bench.stage.waveform.readout.text()


def test_shelf_tells_facts_and_selects(opened: Bench, settle: Settle) -> None:
    assert facts(opened.store.current) == "60 s · 12.8 kHz"
    items = opened.shelf.channel_rows()
    wall = next(item for item in items if item.text(0) == "Hut wall")
    opened.shelf.tree.scrollToItem(wall)
    area = opened.shelf.tree.visualItemRect(wall)
    viewport = opened.shelf.tree.viewport()
    QTest.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=area.center())
    settle()
    assert opened.store.method.source.channel == 1  # type: ignore[union-attr]
    assert "The stretch holds missing" in opened.context.notices.text
    assert opened.shelf.told.text().startswith("Sample rate from the time column ‘time’")
    opened.store.undo()
    settle()
    assert opened.context.results.analysis.channel.name == "Gearbox DE"  # type: ignore[union-attr]
    assert opened.shelf.tree.currentItem() is items[1]


def test_shelf_menu(opened: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    chosen = iter(["Remove from shelf"])

    def pick(menu: QMenu, *_: object) -> None:
        text = next(chosen)
        next(action for action in menu.actions() if action.text() == text).trigger()

    monkeypatch.setattr(QMenu, "exec", pick)
    head = opened.shelf.tree.topLevelItem(1)
    assert head is not None
    opened.shelf.open_menu(opened.shelf.tree.visualItemRect(head).center())
    names = [ref.name for ref in opened.store.document.recordings]
    rest = ["drive-steady", "bracket-taps", "station-log", "tower-sway", "undersampled"]
    assert names == rest
    chosen = iter(["Move down", "Move up", "Move up"])
    for wanted in (["bracket-taps", "drive-steady"], rest[:2], rest[:2]):
        place = [ref.name for ref in opened.store.document.recordings].index("drive-steady")
        head = opened.shelf.tree.topLevelItem(place)
        assert head is not None
        opened.shelf.open_menu(opened.shelf.tree.visualItemRect(head).center())
        assert [ref.name for ref in opened.store.document.recordings] == wanted + rest[2:]


def test_a_session_whose_table_lost_its_rate(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    source = write_csv(tmp_path / "a.csv", rows=3000)
    bench.opening.open_paths([source])
    settle()
    session.save(tmp_path / "s.tcomb", bench.store.document)
    bench.store.mark_saved(tmp_path / "s.tcomb", bench.store.document)
    source.write_text("x\n" + "1\n2\n" * 1000)
    bench.opening.open_paths([tmp_path / "s.tcomb"])
    settle()
    assert "sample rate of a is unknown" in bench.context.notices.text
    assert bench.context.results.analysis is None


def test_recent_files_are_listed_and_open(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    for name in ("one.csv", "two.csv", "one.csv"):
        path = tmp_path / name
        if not path.exists():
            write_csv(path, rows=3000)
        bench.opening.open_paths([path])
        settle()
    assert [Path(path).name for path in settings.recent_files()] == ["one.csv", "two.csv"]
    actions = bench.menus.recent.actions()
    assert [action.text() for action in actions] == ["one.csv", "two.csv"]
    actions[1].trigger()
    settle()
    assert bench.store.ref.name == "two"  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("value", "std", "text"),
    [
        (24.29993, 2e-4, "24.2999"),
        (413.1, 0.03, "413.10"),
        (1003.2, 4.0, "1003"),
        (0.31, 1e-9, "0.3100"),
        (50.0, 0.0, "50.000"),
        (50.0, math.nan, "50.000"),
        (-3.25, 0.1, "−3.2"),
        (math.nan, 1.0, "–"),
    ],
)
def test_a_frequency_has_the_digits_that_are_known_of_it(
    value: float, std: float, text: str
) -> None:
    assert numbers.warranted(value, std) == text


def test_other_cells() -> None:
    assert [numbers.level(x) for x in (0.36, 0.000396, 1234.5, math.nan)] == [
        "0.3600",
        "3.96e−4",
        "1234",
        "–",
    ]
    assert [numbers.whole(x) for x in (87.2, -0.4, math.nan, math.inf)] == ["87", "0", "–", "∞"]


def test_stepping_through_peaks(opened: Bench) -> None:
    seen: list[Peak] = []
    opened.readings.peak_chosen.connect(seen.append)
    for key in (Qt.Key.Key_N, Qt.Key.Key_N):
        QTest.keyClick(opened, key)
    QTest.keyClick(opened, Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    assert [round(peak.tone.frequency, 1) for peak in seen] == [24.3, 48.6, 24.3]


@pytest.mark.parametrize("width", [640, 853, 1024, 1280])
def test_what_the_ruler_shows_is_shown_whole(opened: Bench, settle: Settle, width: int) -> None:
    ruler = opened.ruler
    ruler.setFixedWidth(width)
    settle()
    shown = [one for one in ruler.findChildren(QLabel) if one.text() and one.isVisibleTo(ruler)]
    assert len(shown) >= 4, "what matters most stays"
    for one in shown:
        assert one.width() >= one.sizeHint().width() - 1, one.text()
