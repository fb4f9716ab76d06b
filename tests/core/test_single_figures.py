"""Figures that hang on one sign, factor or bound each, against what they must be."""

from __future__ import annotations

import math

import numpy as np
import pytest
import scipy.stats
from tests.support import recording

from tonecomb.core.analysis import run
from tonecomb.core.estimate.compare import _rebinned
from tonecomb.core.estimate.display import Curve
from tonecomb.core.estimate.speed import smoothed
from tonecomb.core.find.zones import Limit, Zone
from tonecomb.core.method import Method
from tonecomb.core.modal.decays import _noise
from tonecomb.core.modal.response import Response
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.periods import count_periods
from tonecomb.core.record.pyramid import build
from tonecomb.core.record.timebase import TimeBase, spread_out
from tonecomb.formats.contents import Column
from tonecomb.formats.time_column import likely

CHANCE = np.random.default_rng(12)


def test_a_zone_holds_its_own_end() -> None:
    a = run(Method.of(frame=256), recording(CHANCE.standard_normal(2000)))
    for to, zone in ((a.rms, "A"), (np.nextafter(a.rms, 0), "B")):
        limit = Limit("all", "overall", (Zone("A", float(to)), Zone("B", 2 * a.rms)))
        assert limit.judge(a).zone == zone


def test_the_spread_of_periods_is_that_of_a_sample() -> None:
    """Crossings 10, 12 and 14 samples apart: 2 of them, over one less than there are."""
    crossings = np.cumsum([5.0, 10.0, 12.0, 14.0])
    knots = np.ravel([[c - 2, c + 2] for c in crossings])
    x = np.interp(np.arange(60), knots, np.tile([-1.0, 1.0], 4))
    found = count_periods(x, 1.0)
    assert found is not None
    assert (found.count, found.period, found.spread) == pytest.approx((3, 12.0, 2.0))


@pytest.mark.parametrize("scaling", ["psd", "amplitude-density", "energy"])
def test_a_slope_of_densities_stays_where_it_is(scaling: str) -> None:
    """On wider bins, at whose middles it is the mean of what they hold."""
    fine = np.arange(400) * 0.5
    power = 2.0 if scaling == "amplitude-density" else 1.0
    curve = Curve(fine, (3.0 + 2.0 * fine) ** (1 / power), False)
    coarse = np.arange(1, 40) * 4.5
    found = _rebinned(curve, coarse, 4.5, scaling) ** power  # type: ignore[arg-type]
    np.testing.assert_allclose(found, 3.0 + 2.0 * coarse, rtol=1e-9)


def test_the_disc_of_three_taps() -> None:
    """r² is the variance times F(2, 2m−2): 6.94 of it for three."""
    made = Response(
        np.arange(4.0), np.ones((1, 4), dtype=complex), np.full((1, 4), 0.9),
        np.full((1, 4), 0.25), 3.0, np.ones(4), 6, 6.0, "h1",
    )  # fmt: skip
    wanted = 0.25 * scipy.stats.f.ppf(0.95, 2, 4)
    np.testing.assert_allclose(made.disc() ** 2, wanted)
    np.testing.assert_allclose(made.disc(0.5) ** 2, 0.25 * scipy.stats.f.ppf(0.5, 2, 4))


def test_the_first_stamp_may_stand_for_a_part() -> None:
    """Four samples a stamp; of the first stamp only the last two were recorded."""
    nothing = np.zeros(0, dtype=np.intp)
    base = TimeBase(400.0, 0.0025, 0.0, 0.01, 9, nothing, np.zeros(0), nothing, 0, tick=0.01)
    stamps = np.array([0.0, 0.0, *np.repeat([0.01, 0.02], 4)])
    np.testing.assert_allclose(spread_out(stamps, base), 0.005 + 0.0025 * np.arange(10))


def test_a_shaft_is_not_where_a_few_frames_see_it() -> None:
    """Five frames in a row that are 1 % off, where a mode is passed: five deviations of the others,
    which hardly count. Were those let in that are six deviations off, half of it would stay."""
    t, off = np.linspace(0, 1, 300), []
    true = 20 + 10 * t
    for seed in range(20):
        seen = true * (1 + 0.002 * np.random.default_rng(seed).standard_normal(len(t)))
        seen[150:155] *= 1.01
        off.append(np.abs(smoothed(seen, 12) / true - 1)[150:155].max())
    assert np.mean(off) < 2.3e-3


@pytest.mark.parametrize(("times", "told"), [(6, 0), (7, 7)])
def test_where_no_value_comes_twice_a_limit_comes_seven_times(times: int, told: int) -> None:
    x = np.random.default_rng(1).uniform(-1, 1, 40_000)
    x[1000 : 1000 + 5000 * times : 5000] = 1.5
    found = clipped(lambda a, b: x[a:b], build(lambda a, b: x[a:b], len(x)))
    assert sum(b - a for a, b in found) == told


@pytest.mark.parametrize(("share", "rate"), [(0.97, 1000.0), (0.6, 970.0)])
def test_stamps_that_repeat_are_rounded_ones(share: float, rate: float) -> None:
    """Where under 95 in 100 rise the step is the mean of all; else what most steps are."""
    rises = np.random.default_rng(2).permutation(4000) < share * 4000
    times = np.cumsum(np.where(rises, 0.001 if share > 0.9 else 1 / 970 / 0.6, 0.0))
    size, found = likely(times, None)
    assert size == 1.0 and found == pytest.approx(rate, rel=1e-3)
    assert Column("time", "s", 4000).name == "time"


def test_the_noise_before_a_tap_is_that_of_its_samples() -> None:
    """Whatever taper it is seen through: σ² in every bin."""
    x = 0.3 * CHANCE.standard_normal(60_000)
    found = _noise(x, 50_000, 4096, 1000.0)
    assert found.mean() == pytest.approx(0.09, rel=0.15)
    assert math.isfinite(float(found.min()))
