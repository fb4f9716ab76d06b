"""Families among lines that stand and one that moves; tones from the lines of the frames."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.estimate.frame_statistics import courses_of, follow_frames
from tonecomb.core.find.bin_fit import tones_by_lines
from tonecomb.core.find.changes import spans
from tonecomb.core.find.comb import Comb, Line, Tooth
from tonecomb.core.find.combs import find_combs
from tonecomb.core.find.families import families
from tonecomb.core.find.floor import noise_floor
from tonecomb.core.find.variable_speed import Moving
from tonecomb.core.method.method import Method, plan
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.pyramid import build
from tonecomb.core.record.recording import Array
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.results.search import run

FS = 1000.0


def moving(mean: float, width: float, *, runs: bool = False) -> Moving:
    half = width / 2
    return Moving(mean, 0.01, mean - half, mean + half, (1, 2, 3, 4, 5), 1.0, runs)


def wide(*frequencies: float) -> list[Line]:
    return [Line(f, 0.2, 1.0, still=False) for f in frequencies]


def test_widened_teeth_belong_to_the_family_that_moves() -> None:
    """Two tops under one tooth are one tooth, and make no second family."""
    lines = wide(98.0, 103.0, 196.0, 207.0, 291.0, 309.0, 405.0)
    (comb,) = families(lines, 500.0, moving(100.0, 10.0), 2.0)
    assert (comb.low, comb.high) == (95.0, 105.0)
    assert [tooth.number for tooth in comb.teeth if tooth.found] == [1, 2, 3, 4]
    assert comb.moved == pytest.approx(10.0)
    assert comb.name == "A"


def test_what_stands_beside_it_is_found_as_before() -> None:
    """A tone that stands within the sweep of a tooth is none of its peaks."""
    still = [Line(50.0 * n, 1e-4, 0.5) for n in (1, 2, 3, 5)]
    first, second = families([*wide(118.0, 242.0, 357.0), *still], 500.0, moving(120.0, 8.0), 1.0)
    assert first.low is not None
    assert second.low is None
    assert second.spacing == pytest.approx(50.0)
    assert {tooth.line for tooth in second.teeth if tooth.found} == {3, 4, 5, 6}


def test_from_a_run_no_family_is_claimed() -> None:
    lines = wide(20.0, 40.0, 60.0, 80.0)
    assert len(families(lines, 500.0, None, 1.0)) == 1
    assert families(lines, 500.0, moving(25.0, 20.0, runs=True), 1.0) == ()


def test_a_family_that_stands_is_rather_believed() -> None:
    """What was heard to move has hardly a peak; the hits that slip have many."""
    lines = [Line(88.4 * n, 0.02 * n, 1.0, still=False) for n in range(1, 20)]
    (comb,) = families(lines, 2000.0, moving(84.0, 1.0), 1.0)
    assert comb.low is None
    assert comb.spacing == pytest.approx(88.4)


@settings(max_examples=40, deadline=None)
@given(st.integers(0, 1 << 30), st.sampled_from([5.0, 10.0, 25.0]))
def test_round_numbers_are_no_family_by_themselves(seed: int, grid: float) -> None:
    rng = np.random.default_rng(seed)
    numbers = rng.choice(np.arange(4, int(1900 / grid)), 7, replace=False)
    found = find_combs([Line(grid * n, 1e-4, 1.0) for n in numbers], 2000.0)
    for comb in found:  # seldom one is there: then it has more teeth than chance makes
        assert len(comb.lines) >= 4


def test_one_shaft_may_make_every_tone_there_is() -> None:
    """Its harmonics, and sidebands about a multiple far up: nothing else is there that would tell
    them from tones at round numbers, but that the fundamental is."""
    numbers = (1, 2, 3, 4, 14, 15, 16, 17, 18, 19, 20, 34)
    lines = [Line(24.3 * n, 1e-4, 1.0 if n == 17 else 0.1) for n in numbers]
    harmonics, sides = find_combs(lines, 6400.0)
    assert [tooth.number for tooth in harmonics.teeth if tooth.found] == [1, 2, 3, 4]
    assert (sides.carrier, sides.spacing) == pytest.approx((413.1, 24.3), abs=1e-3)


def test_a_short_family_that_shares_no_grid_is_found() -> None:
    lines = [Line(f, 1e-3, 1.0) for f in (31.7, 63.4, 95.1, 77.77, 143.21, 210.9)]
    (comb,) = find_combs(lines, 500.0)
    assert comb.spacing == pytest.approx(31.7)


def test_a_comb_goes_on_beyond_its_teeth() -> None:
    teeth = tuple(Tooth(n, 10.0 * n, n - 1, 10.0 * n, 1.0) for n in range(1, 11))
    comb = Comb(10.0, 0.01, teeth)
    assert comb.goes_on_to(130.2)
    assert not comb.goes_on_to(134.0)
    assert not comb.goes_on_to(90.0), "that is one of its teeth"
    assert not Comb(10.0, 0.01, teeth[:5]).goes_on_to(130.0), "too few to say"
    assert comb.moved == 0.0


@given(st.floats(1.0, 400.0), st.floats(0.001, 0.4), st.integers(1, 30), st.floats(-1, 1))
def test_what_a_family_sweeps_over(mean: float, width: float, tooth: int, place: float) -> None:
    one = moving(mean, width * mean)
    assert one.sweeps(tooth * (mean + 0.499 * place * width * mean))
    assert not one.sweeps(0.4 * mean)


@pytest.mark.parametrize("offset", [0.0, 0.2, 0.5, 0.8])
@pytest.mark.parametrize("snr_db", [60.0, 0.0])
def test_tones_by_lines_are_those_of_the_joint_fit(offset: float, snr_db: float) -> None:
    """A lone tone: the same figures, within what the noise leaves open."""
    n, f, amplitude = 40_000, (100 + offset) * FS / 1024, 0.7
    sigma = amplitude / math.sqrt(2) * 10 ** (-snr_db / 20)
    t = np.arange(n) / FS
    x = amplitude * np.cos(2 * np.pi * f * t + 0.4)
    x += sigma * np.random.default_rng(3).standard_normal(n)
    made, method = recording(x, fs=FS), Method.of(frame=1024)
    (jointly,) = run(method, made).peaks or ()
    estimate, p = run_spectrum(method, made), plan(method, made)
    floor = noise_floor(estimate.spectrum)
    followed = follow_frames(p.read, estimate.spectrum, floor, FS)
    courses = courses_of(followed, estimate.spectrum, p.averages)
    start = np.array([f + 0.3])
    (tone,) = tones_by_lines(courses, FS, start, floor[[round(f * 1024 / FS)]])
    assert tone is not None
    assert tone.steady
    assert tone.frequency == pytest.approx(f, abs=4 * tone.frequency_std + 1e-6)
    assert tone.frequency_std == pytest.approx(jointly.tone.frequency_std, rel=0.3)
    assert tone.amplitude == pytest.approx(amplitude, abs=4 * tone.amplitude_std + 1e-6)
    assert tone.phase_deg == pytest.approx(math.degrees(0.4), abs=4 * tone.phase_std_deg + 1e-3)
    assert tones_by_lines(courses, FS, np.array([1.0]), floor[:1]) == [None]


def of(x: Array) -> tuple[tuple[int, int], ...]:
    return clipped(lambda a, b: x[a:b], build(lambda a, b: x[a:b], len(x)))


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 1 << 30), st.sampled_from([3.0, 20.0, 200.0]), st.floats(0.01, 0.3))
def test_a_coarse_record_is_at_no_limit(seed: int, steps: float, noise: float) -> None:
    """Whatever its steps; cut off so that a fifth of it is lost it is, and each place is told."""
    rng = np.random.default_rng(seed)
    x = np.sin(np.arange(30_000) * rng.uniform(0.05, 1.0)) + noise * rng.standard_normal(30_000)
    coarse = np.round(steps * x)
    assert of(coarse) == ()
    if steps >= 20:
        limit = np.quantile(coarse, 0.8)
        cut = np.minimum(coarse, limit)
        runs = of(cut)
        assert runs
        assert all((cut[a:b] == limit).all() for a, b in runs)


def test_spans_of_frames() -> None:
    frames = np.array([False, True, True, False, False, True])
    starts = np.arange(6) * 0.5
    assert spans(frames, starts, 1.0) == ((0.875, 1.625), (2.875, 3.125))
    assert spans(np.tile([True, False], 200), np.arange(400) * 0.5, 1.0) == ()
