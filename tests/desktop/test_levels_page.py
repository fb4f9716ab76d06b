"""The page of levels: what is read, its zone, its reason; units, weighting and a test spectrum."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel, QLineEdit, QPushButton
from tests.desktop.test_bench import popover

import tonecomb
from tonecomb.core.estimate.bands import Band
from tonecomb.core.method.method import Method
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.widgets import Choice, Number
from tonecomb.desktop.state.systems import system_of

Settle = Callable[[], None]


def follow(text: str) -> None:
    (button,) = [b for b in popover().findChildren(QPushButton) if b.text() == text]
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def typed(field: QLineEdit | Number, text: str) -> None:
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def method(bench: Bench) -> Method:
    found = bench.store.method
    assert found is not None
    return found


def read_alone(bench: Bench) -> list[dict[str, Any]]:
    """The levels as a script reads them by the same method."""
    ref = bench.store.ref
    assert ref is not None
    levels = tonecomb.analyse(tonecomb.open(Path(ref.path)), method(bench)).values()["levels"]
    assert isinstance(levels, list)
    return levels


def test_a_recording_of_acceleration_opens_with_its_velocity(opened: Bench, settle: Settle) -> None:
    opened.readings.show_page("levels")
    settle()
    (zone, name, value), (_, rest, rms) = opened.readings.levels.texts()
    assert (zone, name, rest) == ("", "velocity 10–1000 Hz rms", "all over the stretch")
    (wanted,) = read_alone(opened)
    assert float(value.split()[0]) == pytest.approx(wanted["value"], rel=2e-3)
    assert value.endswith("mm/s") and rms.endswith("m/s²")
    assert opened.readings.tabs["levels"].text() == "Levels 1"
    assert "Velocity 10–1000&nbsp;Hz rms: " in " ".join(
        one.text() for one in opened.readings.short.findChildren(QPushButton)
    ) + " ".join(one.text() for one in opened.readings.short.findChildren(QLabel))


def test_zones_are_typed_and_judged(opened: Bench, settle: Settle) -> None:
    opened.readings.show_page("levels")
    QTest.keyClick(opened, Qt.Key.Key_L, Qt.KeyboardModifier.ShiftModifier)
    follow("Add a level")
    fields = {
        one.accessibleName(): one
        for one in popover().findChildren(QLineEdit)
        if one.accessibleName()
    }
    numbers = popover().findChildren(Number)[-2:]
    for field, text in zip(numbers, ("400", "430"), strict=True):
        typed(field, text)
    typed(fields["Ends of the zones"], "0.5, 0.8")
    mesh = Band(400, 430, limits=(0.5, 0.8))
    assert method(opened).levels == (Band(10, 1000, unit="mm/s"), mesh)
    typed(fields["Ends of the zones"], "0.8, 0.5")
    assert method(opened).levels[1] == mesh, "they must rise"
    numbers[-1].setValue(300)
    assert method(opened).levels[1] == mesh, "so must the frequencies"
    popover().close()
    settle()
    _, (zone, name, value), _ = opened.readings.levels.texts()
    assert (zone, name) == ("C", "400–430 Hz rms")
    assert float(value.split()[0]) == pytest.approx(0.9, rel=0.01), "the demo's mesh, and its noise"
    assert "over its limit; zones end at 0.5, 0.8 m/s²" in " ".join(
        one.text() for one in opened.readings.levels.findChildren(QLabel)
    )
    opened.store.undo()
    assert len(method(opened).levels) == 2


def test_a_peak_comes_from_the_samples(opened: Bench, settle: Settle) -> None:
    opened.readings.show_page("levels")
    opened.store.edit_method(
        "x",
        bands=(Band(10, 1000, unit="µm", detector="peak-to-peak"), Band(10, 9000)),
    )
    settle()
    (_, name, value), (_, _, sure), _ = opened.readings.levels.texts()
    exact = [one.value for one in opened.readings.levels.found]
    assert exact == [one["value"] for one in read_alone(opened)], "to the last digit"
    assert name == "displacement 10–1000 Hz p–p" and value.endswith("µm")
    alone = read_alone(opened)
    assert float(value.split()[0]) == pytest.approx(alone[0]["value"], rel=1e-3)
    assert float(sure.split()[0]) == pytest.approx(alone[1]["value"], rel=1e-3)
    assert alone[1]["not_judged"].startswith("it reaches to 9000 Hz")


def test_inch_units_are_those_of_the_session(opened: Bench, settle: Settle) -> None:
    opened.store.edit_method("x", bands=(Band(10, 1000, unit="mm/s", limits=(2.54, 25.4)),))
    settle()
    before = opened.readings.levels.found[0].value
    opened.action("Inch units").trigger()
    settle()
    assert system_of(opened.store.document) == "inch"
    (found,) = opened.readings.levels.found
    assert (found.unit, found.band.limits) == ("in/s", (0.1, 1.0))
    assert found.value == pytest.approx(before / 25.4, rel=1e-6)
    opened.store.edit_method(
        "v", display=tonecomb.Display("Velocity", units=method(opened).shown.display.units)
    )
    settle()
    assert opened.stage.spectrum.label_of("left").startswith("Velocity, dB re")
    assert opened.context.results.analysis is not None
    assert opened.context.results.analysis.unit.symbol == "in/s"
    opened.action("Inch units").trigger()
    assert method(opened).levels == (Band(10, 1000, unit="mm/s", limits=(2.54, 25.4)),)


def test_a_test_spectrum_is_typed(opened: Bench, settle: Settle) -> None:
    opened.readings.show_page("levels")
    opened.action("Levels…").trigger()
    (field,) = [
        one for one in popover().findChildren(QLineEdit) if one.accessibleName() == "Test spectrum"
    ]
    typed(field, "m/s²:20=1,10=1")
    assert method(opened).follow.profile is None and "rising frequency" in " ".join(
        one.text() for one in popover().findChildren(QLabel)
    )
    typed(field, "m/s²:20=1e-6,1000=1e-6:3,3")
    popover().close()
    settle()
    text = " ".join(one.text() for one in opened.readings.levels.findChildren(QLabel))
    assert "outside: +" in text
    lines = opened.stage.spectrum.overlays.tolerances
    assert all(one.isVisible() and len(one.getData()[0]) for one in lines)
    upper, lower = (one.getData()[1] for one in lines)
    assert np.median(upper - lower) == pytest.approx(6.0, abs=0.01)


def test_sound_is_weighted_from_its_phrase(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    t = np.arange(16_000) / 8000
    rows = (f"{time:.6f},{0.1 * math.cos(200 * math.pi * time):.9f}" for time in t)
    (tmp_path / "fan.csv").write_text("time [s],sound [Pa]\n" + "\n".join(rows) + "\n")
    bench.opening.open_paths([tmp_path / "fan.csv"])
    settle()
    bench.method_line.edit("scaling")
    (choice,) = [
        one for one in popover().findChildren(Choice) if one.accessibleName() == "Weighting"
    ]
    choice.picked.emit("A")
    popover().close()
    settle()
    analysis = bench.context.results.analysis
    assert analysis is not None and "weighted by A" in analysis.sentence
    assert 20 * math.log10(analysis.rms / (0.1 / math.sqrt(2))) == pytest.approx(-19.1, abs=0.2)
