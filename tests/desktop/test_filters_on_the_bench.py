"""Filters in the method line and their pane: what is typed, ticked and dragged, and then shown."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QCheckBox, QLabel
from tests.desktop.mouse import drag
from tests.desktop.test_method_line import method, named, pick, write

from tonecomb.core.method import document as edits
from tonecomb.core.steps.comb_notch import CombNotch
from tonecomb.core.steps.filters import BandPass, Filter, HighPass, LowPass
from tonecomb.core.steps.step import Step
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.widgets import Number
from tonecomb.desktop.stage.panes.before_after import BeforeAfterPane

Settle = Callable[[], None]
FS = 4000


@pytest.fixture
def tones(bench: Bench, settle: Settle, tmp_path: Path) -> Bench:
    """Three tones and noise, 20 s."""
    t = np.arange(20 * FS) / FS
    x = 0.1 * sum(np.sin(2 * np.pi * f * t) for f in (60, 300, 900))
    x = x + 0.001 * np.random.default_rng(3).normal(size=len(t))
    path = tmp_path / "tones.wav"
    soundfile.write(path, x, FS, subtype="FLOAT")
    bench.opening.open_paths([path])
    settle()
    return bench


def put(bench: Bench, *steps: Step) -> None:
    ref = bench.store.ref
    assert ref is not None
    bench.store.apply("Steps", edits.set_steps(bench.store.document, ref, steps))


def pane(bench: Bench, settle: Settle) -> BeforeAfterPane:
    QTest.keyClick(bench, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    settle()
    found = bench.stage.panes["before-after"]
    assert isinstance(found, BeforeAfterPane) and found.isVisible()
    return found


def place(found: BeforeAfterPane, frequency: float) -> QPoint:
    """Where a frequency is on the response, in the middle of its height."""
    plot = found.plot
    middle = sum(plot.box.viewRange()[1]) / 2
    return plot.mapFromScene(plot.box.mapViewToScene(QPointF(plot.place(frequency), middle)))


def test_a_filter_is_put_in_typed_and_switched_off(tones: Bench, settle: Settle) -> None:
    tones.method_line.edit("steps")
    pick("Add a step", LowPass)
    settle()
    assert method(tones).source.steps == (LowPass(500.0),)
    write("Low-pass: edge", "400")
    popover = tones.method_line.popover
    assert popover is not None
    told = [one.text() for one in popover.findChildren(QLabel)]
    assert any(one.startswith("−3 dB or less from 0 to 400 Hz") for one in told)
    pick("Low-pass: family", "elliptic")
    settle()
    ripple = named(Number, "Low-pass: ripple")
    assert isinstance(ripple, Number) and ripple.isVisible()
    (step,) = method(tones).source.steps
    assert step == LowPass(400.0, family="elliptic")
    assert [round(p.tone.frequency) for p in tones.context.results.analysis.peaks] == [60, 300]  # type: ignore[union-attr]
    (switch,) = [one for one in popover.findChildren(QCheckBox) if one.text() == "Low-pass"]
    switch.click()
    settle()
    assert len(tones.context.results.analysis.peaks) == 3  # type: ignore[union-attr, arg-type]
    assert "low-pass" not in tones.context.results.analysis.sentence  # type: ignore[union-attr]
    tones.store.undo()
    settle()
    assert "low-pass 400 Hz, elliptic 4" in tones.context.results.analysis.sentence  # type: ignore[union-attr]
    write("Low-pass: edge", "3000")
    assert "An edge at 3000 Hz lies outside" in popover.wrong.text()  # type: ignore[attr-defined]
    assert method(tones).source.steps == (step,)
    popover.close()


def test_before_and_after_are_shown(tones: Bench, settle: Settle) -> None:
    found = pane(tones, settle)
    assert found.pages.currentIndex() == 0, "nothing is filtered: it says how to"
    put(tones, LowPass(600.0))
    settle()
    assert found.pages.currentIndex() == 1
    before, after, removed = (strip.figure for strip in found.strips.strips)
    assert (before, after, removed) == ("0.1225 FS rms", "0.09998 FS rms", "0.06808 FS rms")
    assert found.told.text().startswith("1 of 3 peaks changed: 900 Hz −28.6")
    legend = dict(map(reversed, tones.stage.spectrum.filtered.legend()))  # type: ignore[arg-type]
    assert set(legend) == {"before", "taken out"}
    for curve in tones.stage.spectrum.filtered.curves:
        assert curve.isVisible() and len(curve.xData) > 100
    assert abs(found.plot.gain(np.array([600.0]))[0]) == pytest.approx(10 ** (-3.01 / 20), rel=1e-3)
    low, high = found.plot.box.viewRange()[1]
    assert low < -80 and 0 < high < 10, "the gain is in view"
    QTest.keyClick(tones, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert not tones.stage.spectrum.filtered.legend()
    QTest.keyClick(tones, Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert tones.stage.spectrum.filtered.legend() and found.told.text(), "and it comes back"


@pytest.mark.parametrize("log", [False, True])
def test_an_edge_is_dragged(tones: Bench, settle: Settle, log: bool) -> None:
    put(tones, BandPass(200.0, 500.0), HighPass(5.0, off=True))
    if log:
        QTest.keyClick(tones, Qt.Key.Key_L)
    found = pane(tones, settle)
    tones.stage.spectrum.set_limits(20, 1500)
    settle()
    drag(found.plot.viewport(), place(found, 500.0), place(found, 1000.0))
    settle()
    first = method(tones).source.steps[0]
    assert isinstance(first, Filter)
    assert first.edges[0] == 200.0
    assert first.edges[1] == pytest.approx(1000.0, rel=0.02)
    assert tones.store.history.undo_label == "Move a filter's edge"
    assert "900" in " ".join(
        str(round(p.tone.frequency)) for p in tones.context.results.analysis.peaks
    )  # type: ignore[union-attr]
    drag(found.plot.viewport(), place(found, 200.0), place(found, 1200.0))
    settle()
    assert method(tones).source.steps[0] == first, "an edge beyond the other is not taken"
    assert found.plot.edges[0].value() == pytest.approx(found.plot.place(200.0))


def test_where_a_filter_settles_is_hatched(tones: Bench, settle: Settle) -> None:
    put(tones, CombNotch(50.0))
    settle()
    marked = tones.stage.waveform.problems.spans
    assert "a filter settles here" in marked.at(0.5, 0.1).text  # type: ignore[union-attr]
    assert marked.at(10.0, 0.1) is None
    resolution = tones.context.results.analysis.resolution  # type: ignore[union-attr]
    assert resolution.covered_fraction < 0.8
