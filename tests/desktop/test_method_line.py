"""Every phrase edited in place, by keys and mouse; presets and the ruler's handle."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QMessageBox, QPushButton
from tests.desktop.test_bench import popover

from tonecomb.core.estimate.averages import InStep
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.widgets import Choice, Number
from tonecomb.desktop.method_line.framing import SignalSketch
from tonecomb.desktop.method_line.popovers import EDITORS
from tonecomb.formats.session import presets

Settle = Callable[[], None]


def named(kind: type, name: str) -> object:
    """A field of the open popover by its accessible name."""
    (found,) = [w for w in popover().findChildren(kind) if w.accessibleName() == name]
    return found


def write(name: str, value: str) -> None:
    field = named(Number, name)
    assert isinstance(field, Number)
    field.selectAll()
    QTest.keyClicks(field, value)
    QTest.keyClick(field, Qt.Key.Key_Return)


def pick(name: str, value: object) -> None:
    field = named(Choice, name)
    assert isinstance(field, Choice)
    field.choose(value)
    field.picked.emit(value)


def follow(text: str) -> None:
    (found,) = [b for b in popover().findChildren(QPushButton) if b.text() == text]
    QTest.mouseClick(found, Qt.MouseButton.LeftButton)


def method(bench: Bench) -> Method:
    assert bench.store.method is not None
    return bench.store.method


def test_every_phrase_opens_by_keys(opened: Bench, settle: Settle) -> None:
    """E, arrows along the sentence, Return; Escape closes."""
    opened.store.edit_method("More phrases", pad=2, leave_clipped=True)
    settle()
    QTest.keyClick(opened, Qt.Key.Key_E)
    line, seen = opened.method_line, []
    for _ in range(20):
        focused = opened.focusWidget()
        key = next(k for k, w in line.phrases.items() if w is focused)
        if key in seen:
            break
        seen.append(key)
        QTest.keyClick(focused, Qt.Key.Key_Return)
        assert line.popover is not None, key
        QTest.keyClick(line.popover, Qt.Key.Key_Escape)
        QTest.qWait(1)
        assert line.popover is None
        focused.setFocus()  # type: ignore[union-attr]
        QTest.keyClick(focused, Qt.Key.Key_Right)
    assert set(seen) == set(EDITORS) - {"steps", "drawn"}
    assert seen[0] == "channel"


def test_the_frame_in_seconds_and_by_its_bins(opened: Bench, settle: Settle) -> None:
    opened.method_line.edit("frame")
    write("Frame length in seconds", "0.5")
    assert method(opened).frames.frame == 6400
    write("Wanted spacing of bins, without padding", "3")
    assert method(opened).frames.frame == 4267, "12,800 Hz over 3 Hz"
    assert {"4096", "4320", "8192"} <= {b.text() for b in popover().findChildren(QPushButton)}
    follow("4320")
    assert method(opened).frames.frame == 4320
    write("Zero padding factor", "4")
    assert (method(opened).frames.frame, method(opened).frames.pad) == (4320, 4)
    assert "Padding ×4" in popover().findChildren(SignalSketch)[0].accessibleName()
    popover().close()
    opened.store.undo()
    assert method(opened).frames.frame == 32768, "one step"


def test_overlap_shows_the_weight_along_the_record(opened: Bench) -> None:
    opened.store.edit_method("Change", window="flat-top", overlap=0.0)
    opened.method_line.edit("overlap")
    sketch = popover().findChildren(SignalSketch)[0]
    assert "Weight along the record: 0 to 100 %" in sketch.accessibleName()
    follow("Recommended for Flat-top: 75 %")
    assert method(opened).frames.overlap == 75
    share = float(sketch.accessibleName().partition(": ")[2].partition(" ")[0])
    assert share == pytest.approx(38, abs=1)


def test_frames_in_step_and_frames_left_out(opened: Bench, settle: Settle) -> None:
    opened.method_line.edit("frames")
    (box,) = popover().findChildren(QCheckBox)
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    assert method(opened).averaging.leave_clipped
    follow("Strike out a part…")
    write("Strike out from", "5")
    write("Strike out to", "4")
    follow("Strike out")
    assert method(opened).averaging.struck == (), "the start must lie before the end"
    write("Strike out to", "6.5")
    follow("Strike out")
    assert method(opened).averaging.struck == (Stretch(5, 6.5),)
    popover().close()
    settle()
    spans = opened.stage.waveform.problems.spans.spans
    assert [(s.start, s.end) for s in spans if s.kind == "struck"] == [(5, 6.5)]
    assert "without 1 stretch struck out, without" in opened.method_line.told[7][1]
    frames = opened.context.results.analysis.resolution.frames  # type: ignore[union-attr]
    opened.store.edit_method("Change", frame=4096)
    settle()
    assert opened.context.results.analysis.resolution.frames > frames  # type: ignore[union-attr]
    opened.action("Strike out…").trigger()
    follow("Let it count")
    assert method(opened).averaging.struck == ()
    popover().close()
    opened.method_line.edit("frames")
    chooser = popover().focusProxy()
    QTest.keyClick(chooser, Qt.Key.Key_End)
    QTest.keyClick(chooser, Qt.Key.Key_Return)
    assert method(opened).averaging.average == InStep(Sync(1.0))
    pick("What frames start with", 0)
    write("Level of the trigger", "0.2")
    pick("Edge", True)
    wanted = InStep(Sync(1.0, 0, 0.2, True))
    assert method(opened).averaging.average == wanted
    popover().close()
    settle()
    assert opened.context.results.analysis.single is not None  # type: ignore[union-attr]
    assert opened.ruler.figure("frames") == "in step"


def test_velocity_in_bands_with_a_reference(opened: Bench, settle: Settle) -> None:
    opened.method_line.edit("scaling")
    pick("Quantity", "Velocity")
    write("Low cut", "5")
    pick("Drawn", ("octave", 3))
    popover().close()
    settle()
    spectrum = opened.stage.spectrum
    assert spectrum.label_of("left") == (
        "Velocity, dB re 1 nm/s rms, 1/3-octave bands (pale: under 3 bins wide)"
    )
    height = spectrum.height()
    for room, shown in ((150, "dB re 1 nm/s rms"), (height, spectrum.label_of("left"))):
        spectrum.resize(spectrum.width(), room)
        assert spectrum.left.labelText == shown
    now = opened.context.results.analysis
    assert now is not None
    x, y = spectrum.curve.getData()
    band = now.curve.at(413.1)
    assert y[np.searchsorted(x, 413.1)] == pytest.approx(20 * np.log10(band / 1e-6), abs=1e-6)
    assert now.amplitude_unit == "mm/s rms"
    at = spectrum.box.mapViewToScene(spectrum.box.viewRect().center())
    spectrum.hover(spectrum.box.mapSceneToView(at))
    assert "–" in spectrum.readout.text() and "Hz ·" in spectrum.readout.text()
    opened.method_line.edit("level")
    write("Reference of decibels", "0.001")
    popover().close()
    settle()
    assert spectrum.label_of("left") == (
        "Velocity, dB re 0.001 mm/s rms, 1/3-octave bands (pale: under 3 bins wide)"
    )
    opened.method_line.edit("drawn")
    pick("Drawn", ("decade", 0))
    write("Bands a decade", "20")
    assert method(opened).shown.display.words() == "20 bands a decade"
    pick("Drawn", ("total", 0))
    popover().close()
    settle()
    assert spectrum.label_of("left").endswith("running total")
    analysis = opened.context.results.analysis
    assert analysis is not None
    assert analysis.curve.values[-1] == pytest.approx(analysis.rms)


def test_presets_are_kept_used_and_handed_on(
    opened: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    settings.presets_file().unlink(missing_ok=True)
    opened.store.edit_method("Change", window="flat-top", stretch=Stretch(1, 20))
    QTest.keyClick(opened, Qt.Key.Key_P, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClicks(popover().focusProxy(), "Amplitudes")
    QTest.keyClick(popover().focusProxy(), Qt.Key.Key_Return)
    assert method(opened).frames.window == "flat-top"
    popover().close()
    opened.store.edit_method("Change", window="hann", stretch=Stretch(3, 9), frame=512)
    QTest.mouseClick(opened.method_line.presets, Qt.MouseButton.LeftButton)
    follow("Amplitudes")
    assert (method(opened).frames.window, method(opened).frames.frame) == ("flat-top", 32768)
    assert method(opened).source.stretch == Stretch(3, 9), "the stretch stays"
    opened.store.undo()
    assert method(opened).frames.frame == 512, "one step"
    opened.presets.export_to(tmp_path / "p.json")
    opened.presets.keep("Amplitudes")  # now the other method, over the one before
    asked: list[str] = []

    def question(*arguments: object) -> QMessageBox.StandardButton:
        asked.append(str(arguments[2]))
        return QMessageBox.StandardButton.Yes

    monkeypatch.setattr(QMessageBox, "question", question)
    opened.presets.import_from(tmp_path / "p.json")
    assert asked == ["Replace your own ‘Amplitudes’?"]
    (kept,) = presets.library(settings.presets_file())
    assert kept.method.frames.window == "flat-top"
    opened.method.show_presets()
    follow("Forget")
    assert presets.library(settings.presets_file()) == ()
    popover().close()
    (tmp_path / "p.json").write_text("{}")
    opened.presets.import_from(tmp_path / "p.json")
    assert "p.json is not a list of presets of Tone Comb; choose" in opened.context.notices.text


def test_the_handle_shows_before_it_is_let_go(opened: Bench, settle: Settle) -> None:
    handle, spectrum = opened.ruler.handle, opened.stage.spectrum
    start = QPoint(round(handle.place_of(15)), handle.height() // 2)
    there = QPoint(round(handle.place_of(12)), handle.height() // 2)
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(handle, there)
    assert method(opened).frames.frame == 32768, "nothing is changed yet"
    assert opened.ruler.figure("told apart from") == "6.25 Hz"
    assert spectrum.cell.text == "6.25 Hz × 0.32 s"
    QTest.keyClick(handle, Qt.Key.Key_Escape)
    assert (opened.ruler.figure("told apart from"), spectrum.cell.text) == ("0.781 Hz", "")
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=there)
    assert method(opened).frames.frame == 32768
    QTest.mousePress(handle, Qt.MouseButton.LeftButton, pos=start)
    QTest.mouseMove(handle, there)
    QTest.mouseRelease(handle, Qt.MouseButton.LeftButton, pos=there)
    assert method(opened).frames.frame == 4096
    assert spectrum.cell.text == ""


def test_a_stretch_too_short_for_a_frame(opened: Bench, settle: Settle) -> None:
    opened.store.edit_method("Change", stretch=Stretch(1.0, 1.2))
    settle()
    assert "is longer than the stretch" in opened.context.notices.text
    assert [caution.code for caution in opened.readings.cautions] == ["short-stretch"]
    (remedy,) = [
        b for b in opened.context.notices.findChildren(QPushButton) if b.text().startswith("Use")
    ]
    QTest.mouseClick(remedy, Qt.MouseButton.LeftButton)
    assert method(opened).frames.frame == 2048, "the longest power of two in 2,560 samples"
