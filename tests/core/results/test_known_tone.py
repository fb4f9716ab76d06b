"""A measured tone against a known one: deviation, interval, and the calibration that follows."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.method import Method
from tonecomb.core.record.calibration import calibrated
from tonecomb.core.record.sensors import Calibration, ChannelGiven
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.known_tone import CALIBRATOR, calibration, check
from tonecomb.core.results.search import run

FS, N = 4096.0, 40_960


def measured(rms: float, frequency: float = 159.155, unit: str = "m/s²", seed: int = 0) -> Analysis:
    t = np.arange(N) / FS
    noise = 0.001 * rms * np.random.default_rng(seed).standard_normal(N)
    x = rms * np.sqrt(2) * np.cos(2 * np.pi * frequency * t) + noise
    return run(Method.of(frame=4096), recording(x, fs=FS, unit=unit))


def test_a_right_channel_is_told_as_right() -> None:
    off, level = [], []
    for seed in range(20):
        checked = check(measured(10.0, seed=seed), *CALIBRATOR)
        off.append(checked.parts_per_million / checked.ppm_std)
        level.append(checked.decibels / checked.decibels_std)
    for errors in (np.array(off), np.array(level)):
        assert np.abs(errors).max() < 4
        assert 0.5 < np.sqrt(np.mean(errors**2)) < 1.6, "the intervals are as wide as they say"


@given(st.floats(0.1, 100.0), st.floats(-20_000.0, 20_000.0))
def test_deviations_are_told_and_taken_away(rms: float, ppm: float) -> None:
    analysis = measured(rms, 159.155 * (1 + ppm * 1e-6))
    checked = check(analysis, *CALIBRATOR)
    assert checked.parts_per_million == pytest.approx(ppm, abs=5 * checked.ppm_std)
    assert checked.decibels == pytest.approx(20 * np.log10(rms / 10), abs=0.01)
    before = Calibration("m/s²", 100.0, "m/s²", gain=10.0)
    for known in (None, before):
        made = recording(np.array([0.0, 1.0]), fs=FS)
        plain = calibrated(made, (ChannelGiven("c1", calibration=known),) if known else ())
        so = calibrated(made, (ChannelGiven("c1", calibration=calibration(checked, known)),))
        factor = so.samples.read(0, 0, 2)[1] / plain.samples.read(0, 0, 2)[1]
        assert factor == pytest.approx(10 / checked.read[1])


@pytest.mark.parametrize(
    ("unit", "rms", "comparable", "into"),
    [
        ("g", 10 / 9.80665, True, "g"),
        ("V", 0.1, False, "m/s²"),
        ("FS", 0.02, False, "m/s²"),
        ("mm/s²", 10_000.0, True, "mm/s²"),
    ],
)
def test_units_are_converted_or_given_a_sensitivity(
    unit: str, rms: float, comparable: bool, into: str
) -> None:
    checked = check(measured(rms, unit=unit), *CALIBRATOR)
    assert checked.comparable == comparable
    said = calibration(checked, None)
    assert said.unit == into and said.raw == unit
    if comparable:
        assert checked.decibels == pytest.approx(0, abs=0.01)
    assert said.sensitivity == pytest.approx(rms / 10 if not comparable else 1.0, rel=1e-3)


@pytest.mark.parametrize(
    ("known", "sentence"),
    [
        ((300.0, 10.0, "m/s²"), "There is no peak near 300 Hz"),
        ((0.0, 1.0, "g"), "above 0"),
        ((159.155, float("nan"), "g"), "above 0"),
        ((159.155, -1.0, "g"), "above 0"),
    ],
)
def test_what_cannot_be_checked_is_said(known: tuple[float, float, str], sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        check(measured(10.0), *known)


def test_another_quantity_than_was_measured_is_refused() -> None:
    analysis = measured(10.0)
    shown = analysis.method.having(display=Display("Velocity", 2.0)).shown
    with pytest.raises(UserError, match="shown as another quantity"):
        check(analysis.displayed(shown), *CALIBRATOR)
