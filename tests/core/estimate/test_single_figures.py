"""Figures that hang on one sign, factor or bound each, against what they must be."""

from __future__ import annotations

import math

import numpy as np
import pytest
import scipy.stats
from hypothesis import given
from hypothesis import strategies as st
from tests.support import estimated, recording

from tonecomb.core.estimate.bands import bin_shares
from tonecomb.core.estimate.display import Curve
from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.estimate.level import stretch_level
from tonecomb.core.estimate.phase import one_frame
from tonecomb.core.estimate.speed import smoothed
from tonecomb.core.find.tone import Amplitude, Information
from tonecomb.core.method.method import Method
from tonecomb.core.modal.decays import _noise
from tonecomb.core.modal.response import Response
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.periods import count_periods
from tonecomb.core.record.pyramid import build
from tonecomb.core.record.statistics import channel_figures
from tonecomb.core.record.timebase import TimeBase, spread_out
from tonecomb.core.record.windows import WINDOWS
from tonecomb.core.results.cepstrum import cepstrum
from tonecomb.core.results.compare import _rebinned
from tonecomb.core.results.confidence import confidence_db
from tonecomb.core.results.search import run
from tonecomb.core.results.zones import Limit, Zone
from tonecomb.core.steps.comb_notch import CombNotch
from tonecomb.core.steps.decimate import decimated
from tonecomb.core.steps.fir import compact
from tonecomb.formats.contents import FileColumn
from tonecomb.formats.time_column import likely

FS = 1000.0
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
        np.arange(4.0),
        np.ones((1, 4), dtype=complex),
        np.full((1, 4), 0.9),
        np.full((1, 4), 0.25),
        3.0,
        np.ones(4),
        6,
        6.0,
        "h1",
    )
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
    assert FileColumn("time", "s", 4000).name == "time"


def test_the_noise_before_a_tap_is_that_of_its_samples() -> None:
    """Whatever taper it is seen through: σ² in every bin."""
    chance = np.random.default_rng(12)
    found = [_noise(0.3 * chance.standard_normal(60_000), 50_000, 4096, 1000.0) for _ in range(9)]
    assert np.mean(found) == pytest.approx(0.09, rel=0.06)


def test_a_band_up_to_nyquist_holds_the_half_bins_at_both_ends() -> None:
    """Bins of the ends are half as wide, and hold all that is there: each counts in full."""
    frequency = np.arange(9.0)
    first, stop, shares = bin_shares(frequency, 1.0, 0.0, 8.0)
    np.testing.assert_allclose(shares, np.ones(9)[first:stop])
    first, stop, shares = bin_shares(frequency, 1.0, 7.75, 8.0)
    np.testing.assert_allclose(shares[-first + 8 :], 0.5)


@given(
    frame=st.integers(8, 64),
    overlap=st.sampled_from([0.0, 50.0, 75.0]),
    start=st.floats(0.2, 0.5),
    long=st.floats(0.01, 0.3),
)
def test_a_sample_that_several_frames_hold_counts_once(
    frame: int, overlap: float, start: float, long: float
) -> None:
    length = 12 * frame
    span = (int(start * length), int((start + long) * length) + 1)
    framing = make_framing(length, frame, overlap, FS).without([span])
    x = CHANCE.standard_normal(length)
    held = np.zeros(length, dtype=bool)
    for n in framing.numbers:
        held[n * framing.hop : n * framing.hop + frame] = True
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("tonecomb.core.estimate.level._READ", 3 * frame)
        found = stretch_level(lambda a, b: x[a:b], framing, "none")
    assert found.rms == pytest.approx(math.sqrt(np.mean(x[held] ** 2)))


def test_the_ends_of_a_stretch_are_half_a_frame_each() -> None:
    """Beyond half a frame a window stands for what is there."""
    x = np.ones(1000)
    x[:32], x[-32 - 40 :] = 3.0 * (-1.0) ** np.arange(32), 5.0 * (-1.0) ** np.arange(72)
    framing = make_framing(1000, 64, 50.0, FS)
    found = stretch_level(lambda a, b: x[a:b], framing, "none")
    held = (framing.count - 1) * 32 + 64
    end = 32 + 1000 - held
    assert found.share == pytest.approx((32 + end) / 1000)
    assert found.ends == pytest.approx(math.sqrt((32 * 9 + end * 25) / (32 + end)))


@pytest.mark.parametrize("averages", [1.0, 7.5, 60.0])
def test_the_limits_of_a_density_are_those_of_chi_squared(averages: float) -> None:
    low, high = confidence_db(averages)
    holds = scipy.stats.chi2.cdf(2 * averages * 10 ** (-np.array([low, high]) / 10), 2 * averages)
    np.testing.assert_allclose(holds, [0.975, 0.025], atol=1e-6)


def test_a_frame_holds_what_alternates_in_its_last_bin_once() -> None:
    """As it holds what is constant in its first; what lies between counts for two."""
    found = one_frame(3.0 * (-1.0) ** np.arange(64), 64.0, WINDOWS["hann"], 1, "none")
    assert abs(found.bins[-1]) == pytest.approx(3.0)


@given(st.lists(st.floats(-1e3, 1e3), min_size=1, max_size=40), st.floats(-1e4, 1e4))
def test_figures_of_a_channel(values: list[float], offset: float) -> None:
    x = np.array(values) + offset
    (found,) = channel_figures(recording(x), [0])
    wanted = (x.min(), x.max(), x.mean(), math.sqrt(np.mean(x**2)))
    assert (found.min, found.max, found.mean, found.rms) == pytest.approx(wanted, abs=1e-6)


@pytest.mark.parametrize("gain", [0.0, 1.0])
def test_taps_that_end_have_their_exact_gain_for_what_is_constant(gain: float) -> None:
    taps = compact(1000.0, lambda f: np.where(f < 2, gain, 1 - gain) + 0j, 3.0)
    assert taps.sum() == pytest.approx(gain, abs=1e-12)


@pytest.mark.parametrize("phase", np.linspace(0, 3, 7))
def test_what_decimation_stops_is_not_there_at_the_ends_either(phase: float) -> None:
    x = np.cos(2 * np.pi * 0.2 * np.arange(4001) + phase)
    y = decimated(recording(x).samples, 4001, FS, 4).read(0, 0, 1001)
    assert np.abs(y).max() < 0.4
    assert np.abs(y[24:-24]).max() < 1e-3


def test_an_echo_stands_at_its_delay_and_a_cut_of_nothing_changes_nothing() -> None:
    x = np.random.default_rng(3).standard_normal(40_000)
    x[37:] += 0.6 * x[:-37]
    estimate = estimated(Method.of(frame=512), recording(x)).estimate
    found = cepstrum(estimate, (0.0301, 0.0302))  # between two samples
    at = 5 + int(np.argmax(found.values[5:200]))
    assert found.quefrency[at] == pytest.approx(0.037)
    assert found.liftered is not None
    left = found.liftered.spectrum.mean_square
    np.testing.assert_allclose(left[3:], estimate.spectrum.mean_square[3:], rtol=1e-9)


@pytest.mark.parametrize(("floor", "left"), [(0.1, 0.8), (0.3, 0.4), (0.45, 0.25)])
def test_an_amplitude_is_that_without_the_noise_and_no_less_than_half(
    floor: float, left: float
) -> None:
    """Of frames of power 1 whose complex amplitudes have twice the floor as variance."""
    c = np.exp(1j * np.linspace(0, 3, 19))
    found = Amplitude.of(c, floor, make_framing(1000, 100, 50.0, FS), WINDOWS["hann"])
    assert found.value == pytest.approx(math.sqrt(left))


def test_the_share_of_what_lies_across_the_frames() -> None:
    """Of Σ v·t² over the stretch, where v is the sum of the shifted windows."""
    framing, taper = make_framing(700, 200, 50.0, FS), WINDOWS["hann"]
    w, within, whole = taper.samples(200), 0.0, 0.0
    middle = (framing.places - 1) * framing.hop / 2
    for n in framing.numbers:
        t = np.arange(200) - 100.0
        within += float(w @ t**2)
        whole += float(w @ (t + n * framing.hop - middle) ** 2)
    assert Information(framing, taper).across == pytest.approx(1 - within / whole, rel=1e-3)


@pytest.mark.parametrize(("off", "gain"), [(0.0, 0.0), (0.75, 0.0), (1.0, 0.5), (1.25, 1.0)])
def test_a_tooth_of_a_comb_notch_is_half_as_high_at_its_width(off: float, gain: float) -> None:
    one = CombNotch(frequency=50.0, width=2.0)
    at = np.array([50.0, 150.0]) + off  # half its width off, times so much
    np.testing.assert_allclose(one.response(at, FS), gain, atol=1e-12)
