"""What a waveform tells: periods, clipping, holes, figures of a stretch."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.stats
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.periods import count_periods
from tonecomb.core.record.pyramid import build
from tonecomb.core.record.statistics import stretch_figures


@given(
    periods=st.floats(3.2, 60),
    fs=st.sampled_from([1.0, 200.0, 12_800.0]),
    phase=st.floats(-3, 3),
    noise=st.sampled_from([0.0, 0.02]),
    offset=st.floats(-9, 9),
)
def test_periods_are_counted(
    periods: float, fs: float, phase: float, noise: float, offset: float
) -> None:
    n = 4000
    rng = np.random.default_rng(2)
    x = offset + np.sin(2 * np.pi * periods * np.arange(n) / n + phase) + noise * rng.normal(size=n)
    found = count_periods(x, fs)
    assert found is not None
    assert found.count in (int(periods), int(periods) - 1)
    # A crossing is as exact as the noise over the slope allows.
    sigma = noise * n / (2 * np.pi * periods) / fs * np.sqrt(2) / found.count
    assert found.period == pytest.approx(n / periods / fs, rel=1e-4, abs=5 * sigma)
    assert found.frequency == 1 / found.period


def test_nothing_to_count() -> None:
    assert count_periods(np.zeros(100), 1.0) is None
    assert count_periods(np.full(100, np.nan), 1.0) is None
    assert count_periods(np.linspace(0, 1, 100), 1.0) is None


def at_limits(x: np.ndarray) -> tuple[tuple[int, int], ...]:
    return clipped(lambda a, b: x[a:b], build(lambda a, b: x[a:b], len(x)))


@given(
    hz=st.sampled_from([125.0, 150.0, 250.0, 620.0, 380.0, 37.5]) | st.integers(1, 499),
    phase=st.floats(0, 6.28),
    single=st.booleans(),
)
def test_a_tone_that_comes_back_to_its_extreme_is_at_no_limit(
    hz: float, phase: float, single: bool
) -> None:
    x = 0.8 * np.cos(2 * np.pi * hz * np.arange(20_000) / 1000 + phase)
    x = x.astype(np.float32).astype(np.float64) if single else x
    assert at_limits(x) == ()


def test_a_channel_at_rest_is_at_no_limit() -> None:
    x = np.zeros(80_000)
    x[::4000] = 5.0
    assert at_limits(x) == () == at_limits(-x)
    cut = np.minimum(np.random.default_rng(1).standard_normal(80_000), 1.0)
    assert sum(b - a for a, b in at_limits(cut)) > 1000


def test_clipping_is_found_where_it_is() -> None:
    rng = np.random.default_rng(3)
    x = 0.4 * rng.normal(size=200_000)
    spans = [(255, 258), (70_000, 70_040), (199_990, 200_000)]
    for first, stop in spans:
        x[first:stop] = 3.5
    x[90_000:90_002] = 3.5  # where a limit is known, two are at it as well
    x[120_000:120_005] = -3.0
    built = build(lambda a, b: x[a:b], len(x))
    assert clipped(lambda a, b: x[a:b], built) == (
        *spans[:2],
        (90_000, 90_002),
        (120_000, 120_005),
        spans[2],
    )
    y = np.clip(rng.normal(size=1000), -9, 9)
    assert clipped(lambda a, b: y[a:b], build(lambda a, b: y[a:b], 1000)) == ()
    still = np.ones(1000)
    assert clipped(lambda a, b: still[a:b], build(lambda a, b: still[a:b], 1000)) == ()


@given(st.lists(st.tuples(st.integers(0, 3000), st.integers(1, 400)), max_size=6))
def test_holes_are_found_where_they_are(
    holes: list[tuple[int, int]],
) -> None:
    x = np.zeros(3000)
    for first, count in holes:
        x[first : first + count] = np.nan
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("tonecomb.core.record.parallel.PART", 256)
        built = build(lambda a, b: x[a:b], 3000)
    mask = np.zeros(3000, dtype=bool)
    for first, stop in built.holes:
        assert not mask[first:stop].any()
        mask[first:stop] = True
    np.testing.assert_array_equal(mask, np.isnan(x))
    assert built.missing == mask.sum()


@pytest.mark.parametrize(
    ("x", "kurtosis", "crest"),
    [
        (np.sin(2 * np.pi * np.arange(4000) / 40), 1.5, np.sqrt(2)),
        (np.tile([1.0, -1.0], 9), 1.0, 1.0),
    ],
)
def test_figures_of_a_stretch(x: np.ndarray, kurtosis: float, crest: float) -> None:
    made = recording(1e4 + 3 * x)
    figures = stretch_figures(made, 0, 0, len(x))
    assert figures is not None
    assert figures.kurtosis == pytest.approx(kurtosis, rel=1e-9)
    assert figures.crest_factor == pytest.approx(crest, rel=1e-9)
    assert figures.mean == pytest.approx(1e4)
    assert figures.peak_to_peak == pytest.approx(6.0)
    noise = np.random.default_rng(1).standard_t(5, size=5000)
    noise[77] = np.nan
    part = noise[100:4000]
    drawn = stretch_figures(recording(noise), 0, 100, 4000)
    assert drawn is not None
    assert drawn.kurtosis == pytest.approx(scipy.stats.kurtosis(part, fisher=False), rel=1e-12)
    assert drawn.rms == pytest.approx(np.sqrt(np.mean(part**2)), rel=1e-12)
    assert stretch_figures(recording(np.full(9, np.nan)), 0, 0, 9) is None
