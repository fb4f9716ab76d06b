"""Handles for numbers: how far they reach, what a place on them means, keys and mouse."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from tests.desktop import mouse

from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.noise import Noise
from tonecomb.core.synthesis.sampling import Sampling
from tonecomb.core.synthesis.tones import Teeth, Tone
from tonecomb.desktop.kit.dial import Dial, Reach, turned
from tonecomb.desktop.stage.maker.phrase_editor import reach_of, setting_in

positive = st.floats(1e-6, 1e9)


@given(positive, st.floats(0.0, 1.0))
def test_a_place_and_its_value_belong_together(value: float, share: float) -> None:
    reach = Reach.around(value)
    assert reach.low <= value <= reach.high
    found = reach.value(share)
    assert reach.share(found) == pytest.approx(share, abs=2e-3), "three digits"
    assert float(f"{found:.3g}") == found


@given(st.integers(1, 10**9), st.floats(0.0, 1.0))
def test_whole_numbers_stay_whole(value: int, share: float) -> None:
    reach = Reach.around(float(value), whole=True)
    assert reach.low >= 1 and reach.value(share) == round(reach.value(share))
    assert turned(float(value), 1, coarse=False, whole=True) >= value + 1


@given(positive, st.integers(-9, 9), st.booleans())
def test_the_wheel_steps_by_the_third_digit(value: float, notches: int, coarse: bool) -> None:
    there = turned(value, notches, coarse=coarse)
    least = (10 if coarse else 1) * abs(notches) * value / 1000
    assert least * 0.999 - 1e-11 <= abs(there - value) <= least * 10.001 + 1e-11
    assert (there > value) == (notches > 0) or notches == 0


def test_nothing_has_a_reach_too() -> None:
    assert Reach.around(0.0) == Reach(0.0, 1.0)
    assert turned(0.0, 2, coarse=False) == 0.2
    assert Reach(0.0, 24.0, whole=True).value(0.5) == 12.0
    assert Reach(-180.0, 180.0).value(0.5) == 0.0


def test_every_setting_has_a_sensible_reach() -> None:
    made = Made("a", parts=(Tone(61.8), Noise(), Teeth()), sampling=Sampling(256.0, 256))
    for owner, attribute, low, high in (
        (made.parts[0], "phase", -180, 180),
        (made.parts[0], "frequency", 61.8 / 16, 61.8 * 16),
        (made.parts[1], "high", 0, 256),
        (made.parts[0], "start", 0, 1.0),
        (made.parts[2], "count", 1, 60),
        (made.parts[0], "am", 0, 100),
        (made.sampling, "bits", 0, 24),
        (made.sampling, "jitter", 0, 0.25e6 / 256),
        (made.sampling, "samples", 16, 4096),
        (made.parts[2], "roll_off", 0, 24),
    ):
        setting = setting_in(owner, attribute)
        assert setting is not None
        reach = reach_of(setting, attribute, float(getattr(owner, attribute)), made)
        assert (reach.low, reach.high) == pytest.approx((low, high)), attribute
    assert setting_in(made.sampling, "colour") is None


def test_keys_and_mouse_move_it(qtbot: Any, qapp: object) -> None:
    dial = Dial(100.0, Reach.around(100.0), "rate")
    qtbot.addWidget(dial)
    dial.resize(240, 24)
    dial.show()
    moved: list[float] = []
    held: list[bool] = []
    dial.moved.connect(moved.append)
    dial.held.connect(held.append)
    QTest.keyClick(dial, Qt.Key.Key_Right)
    QTest.keyClick(dial, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert moved == [101.0, 91.0]
    start = QPoint(round(dial.place_of(91.0)), 12)
    mouse.drag(dial, start, QPoint(round(dial.place_of(400.0)), 12))
    assert dial.value == pytest.approx(400.0, rel=0.05)
    assert held == [True, False] and moved[-1] == dial.value
    mouse.drag(dial, QPoint(120, 12), QPoint(-50, 12))
    assert dial.value == 6.25, "no further than its end"
    dial.set_value(50.0)
    assert dial.value == 50.0 and moved[-1] == 6.25, "without a word"
    # The grip is painted where the value stands.
    image = dial.grab().toImage()
    assert image.pixelColor(round(dial.place_of(50.0)), 12) != image.pixelColor(200, 3)
