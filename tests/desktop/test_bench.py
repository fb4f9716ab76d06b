"""Real clicks and keys on the bench against what the screen then shows."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent, QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLabel
from tests.desktop import mouse
from tests.support import write_csv

from tonecomb.core.method.sentence import sentence
from tonecomb.core.record.windows import WINDOWS
from tonecomb.demo import ropeway
from tonecomb.desktop.actions import ACTIONS, MENUS
from tonecomb.desktop.acts.helping import keys_html
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.kit.widgets import Number, OptionList, Popover

Settle = Callable[[], None]
Key = Qt.Key


def sentence_shown(bench: Bench) -> str:
    """The method line as it is read on the screen."""
    parts = [w.text() for w in bench.method_line.phrases.values()]
    return " · ".join(parts)


def drag(view: Plot, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Drag with the left button between two points in axis units."""
    port = view.viewport()
    assert port is not None
    ends = [view.mapFromScene(view.box.mapViewToScene(QPointF(*p))) for p in (start, end)]
    mouse.drag(port, *ends)


def popover() -> Popover:
    found = QApplication.activePopupWidget()
    assert isinstance(found, Popover)
    return found


def drop(bench: Bench, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    bench.dropEvent(
        QDropEvent(
            QPointF(50, 50),
            Qt.DropAction.CopyAction,
            data,
            Qt.MouseButton.LeftButton,
            Qt.KeyboardModifier.NoModifier,
        )
    )


def test_demo_opens_by_key_and_is_analysed(bench: Bench, settle: Settle) -> None:
    taught = [w.text() for w in bench.stage.findChildren(QLabel) if w.isVisible()]
    assert any("Drop a recording here" in text for text in taught)
    QTest.keyClick(
        bench, Key.Key_D, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    settle()
    assert [ref.name for ref in bench.store.document.recordings] == [
        "drive-steady",
        "run-up",
        "bracket-taps",
        "station-log",
        "tower-sway",
        "undersampled",
    ]
    assert sentence_shown(bench).startswith("Gearbox DE · 0.0–60.0 s · mean removed · Hann · 32768")
    first = bench.readings.peaks.sorted.index(0, 0).data()
    assert first == "24.3000"
    assert "413.10" in bench.stage.spectrum.marks.labelled()
    assert bench.ruler.figure("frames") == "45, 98.1 % of 60 s"
    assert bench.ruler.figure("bin") == "0.3906 Hz"
    curve = bench.stage.spectrum.curve.getData()[1]
    assert curve.max() == pytest.approx(20 * np.log10(0.9 / 1e-6), abs=1.5)


def test_dragging_selects_the_stretch(opened: Bench, settle: Settle) -> None:
    view = opened.stage.waveform
    drag(view, (12.0, 0.0), (32.0, 0.5))
    settle()
    stretch = opened.store.method.source.stretch  # type: ignore[union-attr]
    assert stretch is not None
    assert (stretch.start, stretch.end) == pytest.approx((12.0, 32.0), abs=0.2)
    drag(view, (stretch.end, 0.0), (40.0, 0.0))  # its edge
    settle()
    assert opened.store.method.source.stretch.end == pytest.approx(40.0, abs=0.2)  # type: ignore[union-attr]
    assert opened.store.method.source.stretch.start == stretch.start  # type: ignore[union-attr]
    assert opened.context.results.analysis is not None
    assert opened.context.results.analysis.resolution.stretch_s == pytest.approx(28.0, abs=0.3)
    QTest.keyClick(opened, Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(opened, Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert opened.store.method.source.stretch is None  # type: ignore[union-attr]
    assert sentence_shown(opened).startswith("Gearbox DE · 0.0–60.0 s")


@pytest.mark.parametrize(
    ("phrase", "downs", "shown"),
    [
        ("window", 2, "Blackman"),
        ("detrend", 2, "mean kept"),
        ("scaling", 2, "PSD"),
        ("level", 1, "m/s² peak"),
        ("channel", 1, "Bullwheel"),
    ],
)
def test_choosing_a_phrase_by_keys(
    opened: Bench, settle: Settle, phrase: str, downs: int, shown: str
) -> None:
    """The sentence is always the truth of what is drawn."""
    button = opened.method_line.phrase(phrase)
    assert button is not None
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    chooser = popover().findChild(OptionList)
    assert chooser is not None
    for _ in range(downs):
        QTest.keyClick(chooser, Key.Key_Down)
    QTest.keyClick(chooser, Key.Key_Return)
    settle()
    assert button.text() == shown
    analysis, signal = opened.context.results.analysis, opened.store.current
    assert analysis is not None
    assert signal is not None
    assert opened.store.method is not None
    assert analysis.sentence == sentence(opened.store.method, signal.recording)
    assert analysis.peaks is not None


def test_typing_in_popovers_is_one_step_each(opened: Bench, settle: Settle) -> None:
    opened.method_line.edit("frame")
    field = popover().findChildren(Number)[0]
    for _ in range(3):
        field.setValue(field.value() / 2)
    popover().close()
    opened.method_line.edit("overlap")
    popover().findChildren(Number)[0].setValue(75)
    popover().close()
    settle()
    method = opened.store.method
    assert method is not None
    assert (method.frames.frame, method.frames.overlap) == (4096, 75.0)
    opened.store.undo()
    opened.store.undo()
    assert opened.store.method.frames.frame == 32768  # type: ignore[union-attr]
    opened.method_line.edit("stretch")
    start, end = popover().findChildren(Number)
    end.setValue(20.0)
    start.setValue(19.0)
    popover().close()
    assert opened.store.method.source.stretch.start == 19.0  # type: ignore[union-attr]


def test_keys_step_window_and_frame(opened: Bench, settle: Settle) -> None:
    for key, frame in ((Key.Key_BracketLeft, 16384), (Key.Key_BracketRight, 32768)):
        QTest.keyClick(opened, key)
        assert opened.store.method.frames.frame == frame  # type: ignore[union-attr]
    seen = []
    for _ in WINDOWS:
        QTest.keyClick(opened, Key.Key_Apostrophe)
        seen.append(opened.store.method.frames.window)  # type: ignore[union-attr]
    assert sorted(seen) == sorted(one.name for one in WINDOWS.values())
    QTest.keyClick(opened, Key.Key_Semicolon)
    assert opened.store.method.frames.window == "triangular"  # type: ignore[union-attr]
    settle()
    assert opened.context.results.analysis.method.frames.window == "triangular"  # type: ignore[union-attr]


def test_views_axes_and_zoom(opened: Bench, settle: Settle) -> None:
    spectrum, waveform = opened.stage.spectrum, opened.stage.waveform
    QTest.keyClick(opened, Key.Key_1)
    assert (waveform.isVisible(), spectrum.isVisible()) == (True, False)
    QTest.keyClick(opened, Key.Key_2)
    assert (waveform.isVisible(), spectrum.isVisible()) == (False, True)
    QTest.keyClick(opened, Key.Key_V)
    assert waveform.isVisible()
    settle()
    low, high = spectrum.level_limits()
    drag(spectrum, (300.0, (low + high) / 2), (500.0, (low + high) / 2))
    assert spectrum.limits() == pytest.approx((300.0, 500.0), abs=20)
    before = spectrum.limits()
    QTest.keyClick(opened, Key.Key_L)
    assert spectrum.limits() == pytest.approx(before, rel=1e-6), "the range survives the axis"
    QTest.keyClick(opened, Key.Key_D)
    assert spectrum.left.label.toPlainText().strip() == "Acceleration, m/s² rms"
    QTest.keyClick(opened, Key.Key_A)
    assert spectrum.limits()[1] == pytest.approx(6400)
    QTest.keyClick(opened, Key.Key_X)
    first, second = popover().findChildren(Number)
    second.setValue(600)
    first.setValue(20)
    popover().close()
    assert spectrum.limits() == pytest.approx((20, 600))


def test_readout_snaps_to_the_curve(opened: Bench) -> None:
    spectrum = opened.stage.spectrum
    spectrum.set_limits(400, 426)
    spectrum.hover(QPointF(413.3, 70))
    assert spectrum.readout.text().startswith("413.28 Hz · 117.9 dB")
    assert "m/s² rms" in spectrum.readout.text()
    opened.stage.waveform.hover(QPointF(12.0, 0))
    assert "12.0 s" in opened.stage.waveform.readout.text()
    assert opened.stage.waveform.readout.text().endswith("m/s²")


def test_zooming_the_waveform_shows_the_samples(opened: Bench, settle: Settle) -> None:
    view = opened.stage.waveform
    view.set_limits(10.0, 10.02)
    settle()
    x, y = view.inside.getData()
    recording = opened.store.current
    assert recording is not None
    start = round(x[0] * recording.rate)
    np.testing.assert_array_equal(y, recording.samples.read(1, start, start + len(y)))
    whole_range = view.box.viewRange()[1]
    view.show_all()
    settle()
    assert view.envelope.high.max() == recording.samples.read(1, 0, recording.length).max()  # type: ignore[union-attr]
    assert view.box.viewRange()[1] == whole_range


def test_readings_sort_choose_and_copy(opened: Bench, settle: Settle) -> None:
    table, rows = opened.readings.peaks.table, opened.readings.peaks.sorted
    table.sortByColumn(1, Qt.SortOrder.DescendingOrder)
    assert rows.index(0, 0).data() == "413.1000"
    amplitudes = [float(rows.index(i, 1).data()) for i in range(rows.rowCount())]
    assert amplitudes == sorted(amplitudes, reverse=True)
    place = table.visualRect(rows.index(0, 0)).center()
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=place)
    low, high = opened.stage.spectrum.limits()
    assert (low + high) / 2 == pytest.approx(413.1, abs=0.01)
    assert high - low < 200
    assert "413.10000(4) Hz" in opened.readings.peaks.detail.text()
    QTest.keyClick(opened, Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    lines = clipboard.text().splitlines()
    assert lines[0].startswith("frequency [Hz]\t")
    assert len(lines) == 1 + rows.rowCount()


def test_the_search_changes_what_is_found(opened: Bench, settle: Settle) -> None:
    before = opened.readings.peaks.sorted.rowCount()
    QTest.keyClick(opened, Key.Key_P)
    above = popover().findChildren(Number)[0]
    above.setValue(10)
    popover().close()
    settle()
    assert 0 < opened.readings.peaks.sorted.rowCount() < before
    assert opened.readings.search.text() == "10 dB down, 4 dB prominent"
    found = opened.readings.peaks.sorted.rowCount()
    assert opened.readings.tabs["peaks"].text() == f"Peaks {found}"
    opened.readings.edit_search()
    fields = {field.accessibleName(): field for field in popover().findChildren(Number)}
    fields["At most peaks"].setValue(found - 1)
    popover().close()
    settle()
    assert opened.readings.search.text().startswith(f"the highest {found - 1}, 10 dB down")
    opened.readings.edit_search()
    fields = {field.accessibleName(): field for field in popover().findChildren(Number)}
    fields["At most peaks"].setValue(50)
    fields["Down to below the highest"].setValue(60)
    fields["No closer than to a higher one"].setValue(30)
    popover().close()
    settle()
    kept = [round(p.tone.frequency, 1) for p in opened.context.results.analysis.peaks or ()]  # type: ignore[union-attr]
    assert 413.1 in kept
    assert 437.4 not in kept, "a sideband, 24.3 Hz off"


def test_a_frame_that_does_not_fit_is_told_with_a_remedy(opened: Bench, settle: Settle) -> None:
    drag(opened.stage.waveform, (10.0, 0.0), (11.0, 0.0))
    settle()
    assert "longer than the stretch" in opened.context.notices.text
    assert opened.context.results.analysis is None
    assert len(opened.store.document.recordings) == len(ropeway.FILES)
    QTest.mouseClick(opened.context.notices.remedy, Qt.MouseButton.LeftButton)
    settle()
    assert opened.context.notices.text == ""
    assert opened.context.results.analysis is not None


def test_dropped_files_open_and_bad_ones_leave_the_work(
    opened: Bench, settle: Settle, tmp_path: Path
) -> None:
    soundfile.write(tmp_path / "good.wav", np.sin(np.arange(9000) / 5), 3000)
    (tmp_path / "bad.wav").write_bytes(b"RIFF....WAVE")
    drop(opened, tmp_path / "bad.wav", tmp_path / "good.wav")
    settle()
    assert "bad.wav is cut short or damaged" in opened.context.notices.text
    assert opened.store.ref is not None
    assert (opened.store.ref.name, len(opened.store.document.recordings)) == (
        "good",
        len(ropeway.FILES) + 1,
    )
    assert "FS rms" in sentence_shown(opened)


def test_a_table_without_time_asks_for_its_rate(
    bench: Bench, settle: Settle, tmp_path: Path
) -> None:
    (tmp_path / "a.csv").write_text("x [g]\n" + "".join(f"{np.sin(i)}\n" for i in range(3000)))
    drop(bench, tmp_path / "a.csv")
    settle()
    preview = bench.opening.dialog
    assert preview is not None
    assert not preview.go.isEnabled(), "nothing can be analysed without a rate"
    preview.reject()
    assert bench.store.document.recordings == ()
    drop(bench, tmp_path / "a.csv")
    settle()
    preview = bench.opening.dialog
    assert preview is not None
    field = preview.facts.findChild(Number)
    assert field is not None
    assert QTest.qWaitForWindowActive(preview)
    field.setFocus()  # which it leaves with Tab
    QTest.keyClicks(field, "500")
    QTest.keyClick(field, Qt.Key.Key_Tab)
    settle()
    QTest.mouseClick(preview.go, Qt.MouseButton.LeftButton)
    settle()
    assert bench.ruler.figure("up to") == "250 Hz"
    told = float(bench.readings.peaks.sorted.index(0, 0).data())
    assert told == pytest.approx(500 / 2 / np.pi, abs=1e-3)


def test_missing_samples_are_shown_and_told(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    x = np.sin(np.arange(6000) / 4)
    x[2500] = np.nan
    soundfile.write(tmp_path / "a.wav", x, 1000, subtype="FLOAT")
    drop(bench, tmp_path / "a.wav")
    settle()
    assert "first is 2.5 s after its start (sample 2501" in bench.context.notices.text
    told = [label.text() for label in bench.readings.findChildren(QLabel)]
    assert any(text.startswith("channel 1 has 1 missing sample") for text in told)
    drag(bench.stage.waveform, (3.0, 0.0), (6.0, 0.0))
    settle()
    assert bench.context.results.analysis is not None
    assert bench.context.notices.text == ""


def test_units_and_names_from_the_shelf(
    bench: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    soundfile.write(tmp_path / "a.wav", 0.5 * np.sin(np.arange(9000) / 4), 1000)
    drop(bench, tmp_path / "a.wav")
    settle()
    ref = bench.store.ref
    assert ref is not None
    for text, unit in (("wobbles", "FS"), ("m/s^2", "m/s²")):
        monkeypatch.setattr(QInputDialog, "getText", lambda *a, typed=text, **k: (typed, True))
        bench.shelf.set_unit.emit(ref.id)
        settle()
        assert sentence_shown(bench).endswith(f"{unit} rms")
    assert (
        bench.stage.spectrum.left.label.toPlainText().strip().startswith("Acceleration, dB re 1 µm")
    )
    bench.store.undo()
    settle()
    assert sentence_shown(bench).endswith("FS rms")
    bench.shelf.rename.emit(ref.id)
    assert bench.store.ref.name == "m/s^2"  # type: ignore[union-attr]
    bench.shelf.remove.emit(ref.id)
    settle()
    assert bench.context.results.analysis is None
    bench.store.undo()
    settle()
    assert bench.context.results.analysis is not None


@pytest.mark.parametrize(
    ("action", "name", "start"),
    [
        ("Save report…", "r.html", b"<!doctype html>"),
        ("Export picture…", "p.png", b"\x89PNG"),
        ("Export picture…", "p.svg", b"<?xml"),
        ("Export spectrum…", "s.csv", b"# drive-steady"),
        ("Export readings…", "p.csv", b"# drive-steady"),
    ],
)
def test_exports(
    opened: Bench,
    settle: Settle,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    action: str,
    name: str,
    start: bytes,
) -> None:
    path = tmp_path / name
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(path), ""))
    opened.store.edit_method("Choose window", window="flat-top")  # exported before it is shown
    opened.action(action).trigger()
    settle()
    assert path.read_bytes().startswith(start)
    assert opened.context.notices.text == f"Saved {path}."
    if path.suffix in (".html", ".csv"):
        assert "Flat-top" in path.read_text()


def test_clipboard_takes_picture_and_numbers(opened: Bench, settle: Settle) -> None:
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    opened.action("Copy picture").trigger()
    settle()
    assert clipboard.image().width() > 500
    opened.action("Copy spectrum numbers").trigger()
    settle()
    assert len(clipboard.text().splitlines()) == 32768 // 2 + 2


def test_columns_fold_and_layout_is_remembered(opened: Bench, qtbot: object) -> None:
    opened.layout_.toggle_column(0)
    opened.layout_.toggle_theme()
    opened.layout_.toggle_log()
    opened.layout_.keep()
    again = Bench()
    try:
        assert again.shelf.isHidden()
        assert not again.readings.isHidden()
        assert again.layout_.theme.name == "Night"
        assert again.stage.spectrum.log_frequency
    finally:
        again.close()
        again.deleteLater()


def test_columns_fold_where_there_is_no_room_and_come_back(opened: Bench, qtbot: Any) -> None:
    def shown(width: int) -> str:
        opened.resize(width, 600)
        qtbot.wait(1)
        assert opened.width() == width
        assert opened.stage.width() >= 420
        return "".join(
            letter
            for letter, one in (("s", opened.shelf), ("r", opened.readings))
            if one.isVisible()
        )

    assert shown(1280) == "sr" and shown(800) == "r" and shown(660) == ""
    assert shown(800) == "r" and shown(1280) == "sr"
    shown(800)
    opened.layout_.toggle_column(0)  # opened by hand, it takes the other's room
    assert opened.shelf.isVisible() and not opened.readings.isVisible()
    opened.layout_.keep()
    again = Bench()
    try:
        again.resize(1280, 800)
        again.show()
        qtbot.wait(1)
        assert again.shelf.isVisible() and again.readings.isVisible(), "that was no choice"
    finally:
        again.close()
        again.deleteLater()
    assert shown(1280) == "sr"
    opened.layout_.toggle_column(0)
    assert shown(800) == "r" and shown(1280) == "r", "and what was folded by hand stays so"


def test_names_of_any_script_are_drawn_without_noise(
    bench: Bench, settle: Settle, tmp_path: Path
) -> None:
    """Letters that no font has are boxes; what Qt says of them would fail this test."""
    path = tmp_path / "नमस्ते ポンプ 🔧.csv"
    path.write_text("time [s],नमस्ते [g]\n" + "".join(f"{i / 100},{i % 7}\n" for i in range(900)))
    bench.opening.open_paths([path])
    settle()
    assert [ref.name for ref in bench.store.document.recordings] == [path.stem]
    bench.grab()


def test_the_stage_is_wide_enough(opened: Bench) -> None:
    assert opened.stage.width() >= 820
    labels = [w for w in opened.method_line.phrases.values()]
    assert labels[-1].geometry().right() < opened.method_line.width()


def test_every_action_is_in_a_menu_with_a_tip_and_a_key_of_its_own(bench: Bench) -> None:
    keys = [action.keys for action in ACTIONS if action.keys]
    assert len(keys) == len(set(keys))
    page = keys_html()
    for action in ACTIONS:
        assert action.menu in MENUS
        assert action.tip in bench.action(action.text).toolTip() or action.text in ("Undo", "Redo")
        assert not action.keys or action.keys in page.replace("&#x27;", "'")


def test_finder_runs_an_action_by_name(opened: Bench) -> None:
    QTest.keyClick(opened, Key.Key_K, Qt.KeyboardModifier.ControlModifier)
    finder = popover()
    QTest.keyClicks(finder.field, "level db")  # type: ignore[attr-defined]
    QTest.keyClick(finder.field, Key.Key_Return)  # type: ignore[attr-defined]
    assert opened.stage.spectrum.decibels is False


def test_a_csv_by_argument(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    bench.opening.open_paths([write_csv(tmp_path / "a.csv", rows=3000), tmp_path / "none.csv"])
    settle()
    assert bench.ruler.figure("up to") == "100 Hz"
    assert "none.csv does not exist" in bench.context.notices.text
    head = bench.shelf.tree.topLevelItem(0)
    assert head is not None
    assert "from the time column" in head.toolTip(0)
