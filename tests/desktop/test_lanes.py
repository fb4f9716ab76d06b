"""The waveform view: lanes, measuring, marks, and what is wrong with the samples."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QLabel
from tests.desktop import mouse

from tonecomb.core.method import document as edits
from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.stage.waveform.waveform import WaveformView
from tonecomb.formats.session import session

Settle = Callable[[], None]
CONTROL = Qt.KeyboardModifier.ControlModifier


def choose(bench: Bench, name: str, channel: int, settle: Settle) -> None:
    ref = next(r for r in bench.store.document.recordings if r.name == name)
    bench.store.apply("Choose channel", edits.select(bench.store.document, ref.id, channel))
    settle()


def place(view: WaveformView, time: float) -> QPoint:
    """Where a time is in the view's pixels, at half height."""
    low, high = view.box.viewRange()[1]
    scene = view.box.mapViewToScene(QPointF(time, (low + high) / 2))
    return view.mapFromScene(scene)


def drag_measure(view: WaveformView, start: float, end: float) -> None:
    """Drag with the left button and Ctrl held."""
    viewport = view.viewport()
    assert viewport is not None
    a, b = place(view, start), place(view, end)
    mouse.drag(viewport, a, b, CONTROL)


def test_measuring_a_known_period(opened: Bench, settle: Settle) -> None:
    """Ten turns of the motor: Δt, 1/Δt, Δy, and the frequency by counting."""
    choose(opened, "drive-steady", 0, settle)
    opened.stage.show_view(0)
    view, lanes = opened.stage.waveform, opened.stage.lanes
    view.set_limits(10.0, 10.6)
    settle()
    drag_measure(view, 10.05, 10.05 + 10 / 24.3)
    settle()
    assert lanes.measuring
    assert lanes.strip.isVisible()
    assert lanes.strip.periods.value() == 10
    assert lanes.strip.mean.text().startswith("periods of 41.")
    found = float(lanes.strip.mean.text().split(", ")[1].split()[0])
    assert found == pytest.approx(24.3, rel=2e-3)
    between = lanes.strip.between.text()
    assert between.startswith("Δt 0.41")
    assert "1/Δt 2.4" in between
    assert between.endswith("m/s²")
    # Another count, typed: the lines then stand at the ends of so many periods.
    lanes.strip.periods.setFocus()
    lanes.strip.periods.selectAll()
    QTest.keyClicks(lanes.strip.periods, "5")
    QTest.keyClick(lanes.strip.periods, Qt.Key.Key_Return)
    assert lanes.strip.mean.text().startswith("periods of 82.")
    before = between
    view.readouts.lines[1].setValue(10.3)
    settle()
    assert lanes.strip.between.text() != before, "a readout is moved on its own"
    assert opened.store.method.source.stretch is None  # type: ignore[union-attr]
    QTest.keyClick(opened, Qt.Key.Key_M)
    assert not lanes.measuring
    assert not view.readouts.lines[0].isVisible()


def test_lanes_below_and_over_each_other(opened: Bench, settle: Settle) -> None:
    lanes = opened.stage.lanes
    QTest.keyClick(opened, Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert [lane.channel for lane in lanes.lanes] == [1, 0, 2]
    assert [lane.title.text() for lane in lanes.lanes] == ["Gearbox DE", "Motor DE", "Bullwheel"]
    lanes.main.set_limits(3.0, 4.0)
    settle()
    for lane in lanes.lanes:
        assert lane.limits() == pytest.approx((3, 4))
        x, _ = lane.inside.getData()
        assert (x.min(), x.max()) == pytest.approx((3, 4), abs=0.01)
    choose(opened, "drive-steady", 2, settle)
    assert [lane.channel for lane in lanes.lanes] == [2, 0, 1]
    QTest.keyClick(opened, Qt.Key.Key_O, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert len(lanes.lanes) == 1
    assert [companion.channel for companion in lanes.companions] == [0, 1]
    ranges = {tuple(np.round(c.box.viewRange()[1], 2)) for c in lanes.companions}
    assert len(ranges) == 2, "each has an axis of its own"
    x, y = lanes.companions[0].curve.getData()
    assert (x.min(), x.max()) == pytest.approx((3, 4), abs=0.01)
    assert np.isfinite(y).all()
    QTest.keyClick(opened, Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert lanes.companions == []
    for _ in range(3):
        opened.store.undo()
    settle()
    assert opened.store.ref.beside == ()  # type: ignore[union-attr]


def test_lanes_have_room_and_labels_their_colour(opened: Bench, settle: Settle) -> None:
    opened.layout_.toggle_theme()
    opened.layout_.toggle_beside()
    opened.stage.lanes.measure_view()
    settle()
    lanes, ink = opened.stage.lanes, opened.layout_.theme.ink.lower()
    assert lanes.minimumSizeHint().height() <= lanes.height()
    assert lanes.strip.geometry().bottom() <= lanes.height()
    heights = [lane.box.height() for lane in lanes.lanes]
    assert min(heights) > 40
    opened.store.edit_method("Choose scaling", scaling="psd")
    settle()
    for plot in (*lanes.lanes, opened.stage.spectrum):
        assert plot.left.labelStyle["color"].lower() == ink
    opened.layout_.toggle_theme()
    assert (
        opened.stage.spectrum.left.labelStyle["color"].lower() == opened.layout_.theme.ink.lower()
    )


def test_marks_with_notes(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    view = opened.stage.waveform
    notes = iter([("gate opened", True), ("", False), ("gate shut", True), ("", True)])
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: next(notes))
    view.hover(QPointF(12.0, 0.0))
    QTest.keyClick(opened, Qt.Key.Key_M, Qt.KeyboardModifier.ShiftModifier)
    ref = opened.store.ref
    assert ref is not None
    assert [(mark.time, mark.note) for mark in ref.marks] == [(12.0, "gate opened")]
    assert [line.label.format for line in view.marks.lines] == ["gate opened"]
    view.marks.lines[0].sigClicked.emit(view.marks.lines[0], None)
    assert opened.store.ref.marks == ref.marks, "escaped"  # type: ignore[union-attr]
    view.marks.lines[0].sigClicked.emit(view.marks.lines[0], None)
    assert opened.store.ref.marks[0].note == "gate shut"  # type: ignore[union-attr]
    session.save(tmp_path / "s.tcomb", opened.store.document)
    assert session.load(tmp_path / "s.tcomb").current_ref.marks[0].note == "gate shut"  # type: ignore[union-attr]
    view.marks.lines[0].sigClicked.emit(view.marks.lines[0], None)
    assert opened.store.ref.marks == ()  # type: ignore[union-attr]
    opened.store.undo()
    assert len(view.marks.lines) == 1


def test_what_is_wrong_is_drawn_where_it_is(opened: Bench, settle: Settle) -> None:
    opened.setUpdatesEnabled(True)
    choose(opened, "station-log", 0, settle)
    view = opened.stage.waveform
    kinds = {span.kind: span for span in view.problems.spans.spans}
    assert kinds["missing"].start == pytest.approx(12.4, abs=0.01)
    assert kinds["missing"].text == "2 samples missing"
    assert kinds["gap"].start == pytest.approx(103.0, abs=0.01)
    view.set_limits(12.3, 12.5)
    settle()
    at = place(view, 12.4025)
    caution = view.grab().toImage().pixelColor(at.x(), view.height() // 3)
    assert caution.red() > caution.blue() + 60, "the band is there to be seen"
    view.hover(QPointF(12.402, 9.8))
    assert "2 samples missing" in view.readout.text()
    # The way out stands beside the sentence.
    assert opened.context.notices.remedy.text() == "Interpolate them"
    QTest.mouseClick(opened.context.notices.remedy, Qt.MouseButton.LeftButton)
    settle()
    assert opened.context.results.analysis is not None
    assert "missing" not in {span.kind for span in view.problems.spans.spans}
    choose(opened, "bracket-taps", 0, settle)
    clipped = [span for span in view.problems.spans.spans if span.kind == "clipped"]
    assert [round(span.start, 2) for span in clipped] == [42.0]
    told = [label.text() for label in opened.readings.findChildren(QLabel)]
    assert any("6 samples stand at the recorder's limit" in text for text in told)


def test_figures_of_the_stretch(opened: Bench, settle: Settle) -> None:
    choose(opened, "drive-steady", 0, settle)
    recording = opened.store.current
    assert recording is not None
    x = recording.samples.read(0, 0, recording.length)
    shown = {name: label.text() for name, label in opened.readings.stretch.values.items()}
    assert shown["rms"] == f"{np.sqrt(np.mean(x**2)):.4g}"
    assert shown["crest_factor"] == f"{np.abs(x - x.mean()).max() / x.std():.2f}"
    assert opened.readings.stretch.heading.text() == "Stretch, m/s²"
    opened.store.edit_method("Choose stretch", stretch=Stretch(1.0, 2.0))
    settle()
    part = x[12_800:25_600]
    assert opened.readings.stretch.values["mean"].text() == f"{part.mean():.4g}".replace("-", "−")
