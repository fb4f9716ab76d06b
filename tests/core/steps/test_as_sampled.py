"""Samples taken anew: slower, coarser, clipped, some missing, by a clock that strays."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import read_all, recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import Method
from tonecomb.core.record.quantised import quantised
from tonecomb.core.record.truth import folded
from tonecomb.core.results.reconstruction import between
from tonecomb.core.results.search import run
from tonecomb.core.say.cautions import cautions
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.steps.prepare import prepare

FS, N = 8000.0, 40_000
T = np.arange(N) / FS


@given(st.floats(20.0, 3500.0), st.floats(300.0, 20_000.0))
def test_a_tone_taken_anew_is_the_formula_at_other_instants(frequency: float, rate: float) -> None:
    made = recording(np.cos(2 * np.pi * frequency * T + 0.4), fs=FS)
    signal = prepare(made, (AsSampled(rate, no_filter=True),))
    t = np.arange(signal.length) / rate
    assert signal.rate == rate and t[-1] <= T[-1] < t[-1] + 1 / rate + 1e-9
    inside = (t > 40 / FS) & (t < T[-1] - 40 / FS)
    x = read_all(signal)
    assert np.abs(x - np.cos(2 * np.pi * frequency * t + 0.4))[inside].max() < 2e-4
    place = folded(frequency, rate)
    if 0.02 * rate < place < 0.48 * rate and inside.sum() > 500:
        spectrum = np.abs(np.fft.rfft(x[inside] * np.hanning(inside.sum())))
        at = np.argmax(spectrum) * rate / inside.sum()
        assert at == pytest.approx(place, abs=2 * rate / inside.sum())


def test_the_filter_keeps_what_it_should_and_folds_nothing() -> None:
    made = recording(tone(N, 150, N, 1.0) + np.cos(2 * np.pi * 1234.0 * T), fs=FS)
    x = read_all(prepare(made, (AsSampled(500.0),)))[100:-100]
    t = np.arange(len(x)) + 100
    assert x == pytest.approx(np.cos(2 * np.pi * 150 / N * t * FS / 500 + 0.3), abs=1e-4)
    whole = read_all(prepare(made, (AsSampled(FS / 4, no_filter=True),)))
    assert np.array_equal(whole, read_all(made)[::4]), "sample by sample where they coincide"


def test_bits_and_full_scale() -> None:
    rng = np.random.default_rng(3)
    made = recording(3.3 * np.cos(2 * np.pi * 97.3 * T) + 0.1 * rng.standard_normal(N), fs=FS)
    x = read_all(made)
    coarse = read_all(prepare(made, (AsSampled(FS, bits=6),)))
    assert np.array_equal(coarse, quantised(x, 6, 5.0)), "of ± 5, which holds it"
    assert np.mean((coarse - x) ** 2) == pytest.approx((10 / 64) ** 2 / 12, rel=0.01)
    clipped = prepare(made, (AsSampled(FS, full_scale=2.0),))
    assert np.abs(read_all(clipped)).max() == 2.0
    for step, code in (
        (AsSampled(FS, bits=2, full_scale=10.0), "quantised"),
        (AsSampled(FS, full_scale=2.0), "clipped"),
        (AsSampled(FS, missing=2.0), "nan"),
    ):
        method = Method.of(frame=2048).having(steps=(step,))
        codes = [one.code for one in cautions(run(method, made), made)]
        assert code in codes, f"as a real file like it would get: {codes}"


def test_missing_samples_are_bridged_and_told() -> None:
    made = recording(np.cos(2 * np.pi * 50 * T), fs=FS)
    signal = prepare(made, (AsSampled(FS, missing=5.0),))
    off = np.abs(read_all(signal) - read_all(made)) > 1e-12
    assert off.mean() == pytest.approx(0.05, abs=0.006)
    assert "5 % of the samples are missing" in signal.problems[0].text


def test_a_clock_that_strays_adds_its_noise() -> None:
    made = recording(np.cos(2 * np.pi * 700 * T), fs=FS)
    late = read_all(prepare(made, (AsSampled(FS, jitter=5.0),)))
    noise = np.mean((late - read_all(made))[50:-50] ** 2)
    assert noise == pytest.approx((2 * np.pi * 700 * 5e-6) ** 2 / 2, rel=0.05)


@pytest.mark.parametrize(
    ("step", "sentence"),
    [
        (AsSampled(0.0), "A rate of 0 Hz cannot be sampled at"),
        (AsSampled(float("nan")), "A rate of nan Hz"),
        (AsSampled(1e9), "up to 1000 times"),
        (AsSampled(0.1), "leave nothing to analyse"),
        (AsSampled(500.0, bits=99), "99 bits"),
        (AsSampled(500.0, full_scale=-1.0), "± -1"),
        (AsSampled(500.0, missing=80.0), "80 % miss"),
        (AsSampled(500.0, jitter=1e6), "half the time"),
    ],
)
def test_what_cannot_be_taken_is_said(step: AsSampled, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        prepare(recording(tone(N, 150, N), fs=FS), (step,))


def test_what_lies_between_samples_of_a_slower_logger() -> None:
    x = np.cos(2 * np.pi * 60 * T) + 0.5 * np.cos(2 * np.pi * 430.0 * T)
    made = recording(x, fs=FS)
    steps = (AsSampled(500.0, no_filter=True),)
    found = between(prepare(made, steps), 0, steps, 1.0, 1.1, 700)
    low = np.cos(2 * np.pi * 60 * found.time)
    assert found.there is not None
    high = np.cos(2 * np.pi * 430 * found.time)
    assert np.abs(found.there - low - 0.5 * high).max() < 1e-3
    turned = np.cos(2 * np.pi * 70 * found.time)  # 500 − 430
    assert np.abs(found.implied - low - 0.5 * turned).max() < 1e-3
    assert between(prepare(made, ()), 0, (), 1.0, 1.1, 50).there is None
