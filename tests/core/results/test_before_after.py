"""What filters took out, on the demo and on hum of known level."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from tests.support import read_all, recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import Method, default_method
from tonecomb.core.record.recording import Array, Stretch
from tonecomb.core.results.before_after import compare, without_taking
from tonecomb.core.say.cautions import cautions
from tonecomb.core.steps.comb_notch import CombNotch
from tonecomb.core.steps.filters import HighPass, LowPass
from tonecomb.core.steps.remove import RemoveMean


def level(x: Array, f: float, fs: float) -> float:
    """Of a tone over a whole record, under a window that lets no neighbour in."""
    w = np.blackman(len(x))
    return float(abs((x * w) @ np.exp(-2j * np.pi * f * np.arange(len(x)) / fs)) / w.sum())


def test_the_mains_are_taken_out_of_the_drive(demo: Path) -> None:
    """Every tooth by 40 dB; every other tone that is listed stays within 0.1 dB."""
    made = tonecomb.open(demo / "drive-steady.h5")
    method = default_method(made).having(channel=1, steps=(CombNotch(50.0),))
    told = compare(method, made)
    assert [round(one.frequency) for one in told.changed] == [50, 150, 250]
    assert all(one.gone and one.change_db < -15 and one.name for one in told.changed)
    before, after = (
        read_all(tonecomb.prepare(made, steps), 1)[30_000:-30_000]
        for steps in ((), method.source.steps)
    )
    for f in (50.0, 150.0, 250.0):
        assert 20 * math.log10(level(after, f, 12_800.0) / level(before, f, 12_800.0)) < -40
    assert len(told.changes) > 12
    before_rms, after_rms, removed = told.rms
    assert before_rms**2 == pytest.approx(after_rms**2 + removed**2, rel=1e-3)


def test_the_hum_caution_takes_the_hum_out(demo: Path) -> None:
    made = tonecomb.open(demo / "drive-steady.h5")
    method = default_method(made).having(channel=1, stretch=Stretch(0.0, 30.0))
    found = tonecomb.analyse(made, method)
    hum = next(one for one in found.cautions if one.code == "hum")
    assert hum.remedy == "Take it out (comb notch)" and hum.edit is not None
    better = hum.edit(method)
    (step,) = better.source.steps
    assert isinstance(step, CombNotch) and step.frequency == pytest.approx(50.0, rel=1e-5)


def test_before_after_and_what_was_taken_add_up() -> None:
    fs, n = 1000.0, 60_000
    t = np.arange(n) / fs
    rng = np.random.default_rng(2)
    parts = [np.cos(2 * np.pi * f * t) for f in (40.0, 100.0, 300.0)]
    made = recording(3.0 + sum(parts) + 0.01 * rng.normal(size=n), fs=fs)
    method = Method.of(frame=2048, steps=(RemoveMean(), LowPass(100.0)))
    told = compare(method, made)
    assert told.rms == pytest.approx(
        (math.sqrt(1.5), math.sqrt(0.75), math.sqrt(0.54291)), rel=0.01
    )
    changes = {round(one.frequency): one for one in told.changes}
    assert abs(changes[40].change_db) < 0.01
    assert changes[100].change_db == pytest.approx(-3.01, abs=0.01)
    assert [round(one.frequency) for one in told.changed] == [100, 300]
    (before, after, removed) = (wave.high.max() for wave in told.waves)
    assert (before, after, removed) == pytest.approx((3.0, 1.7, 1.3), abs=0.15)
    assert without_taking(method.source.steps)[0] == RemoveMean()
    with pytest.raises(UserError, match="add a filter"):
        compare(method.having(steps=(RemoveMean(), HighPass(2.0, off=True))), made)


def test_what_may_be_folded_down_can_be_taken_out() -> None:
    made = recording(np.random.default_rng(1).normal(size=40_000))
    method = default_method(made)
    told = next(
        one
        for one in cautions(tonecomb.analyse(made, method).analysis, made)
        if one.code == "alias-risk"
    )
    assert told.edit is not None
    better = told.edit(method)
    assert better.source.steps == (LowPass(400.0, 8),)
    assert "alias-risk" not in {one.code for one in tonecomb.analyse(made, better).cautions}
