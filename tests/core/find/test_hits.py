"""Hits that repeat, their bands and envelopes; and the cepstrum: against what was put in."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from scipy import signal
from tests.support import read_all, recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.find.bearing import Bearing
from tonecomb.core.find.hit_witnesses import mean_cycle, shape
from tonecomb.core.find.hits import HitEnvelopes, find_hits
from tonecomb.core.method.method import Method, default_method
from tonecomb.core.record.recording import Array
from tonecomb.core.results.cepstrum import cepstrum
from tonecomb.core.results.estimate import Estimate, run_spectrum
from tonecomb.core.steps.envelope import Envelope
from tonecomb.core.steps.prepare import prepare

FS = 12_800.0
N = int(12 * FS)
T = np.arange(N) / FS


def ringing(rng: np.random.Generator, rate: float, slip: float, f: float) -> tuple[Array, float]:
    """A hit every 1/rate with some slip, each ringing at ``f``; and how often they came."""
    at = np.cumsum((1 + slip * rng.standard_normal(int(N / FS * rate) + 2)) / rate)
    at = at[at < N / FS]
    x, t = np.zeros(N + 1000), np.arange(1000) / FS
    for one in at:
        k = math.ceil(one * FS)
        late = t + k / FS - one
        x[k : k + 1000] += np.exp(-0.02 * 2 * np.pi * f * late) * np.sin(2 * np.pi * f * late)
    return x[:N], float((len(at) - 1) / (at[-1] - at[0]))


def gears(rng: np.random.Generator) -> Array:
    """A mesh with its sidebands and harmonics of the shaft."""
    f, teeth, x = rng.uniform(15, 40), int(rng.integers(13, 40)), np.zeros(N)
    for m in range(1, 4):
        for side in range(-4, 5):
            a = rng.uniform(0.1, 1) / (1 + abs(side))
            x += a * np.cos(2 * np.pi * (m * teeth + side) * f * T + rng.uniform(0, 6))
    return x


def found(x: Array) -> HitEnvelopes:
    return find_hits(lambda a, b: x[a:b], len(x), FS)


@pytest.mark.parametrize("seed", range(4))
def test_hits_with_slip_are_found(seed: int) -> None:
    """At −10 dB, 1 % slip, beside gears: within 0.1 %, in a band that holds what rings."""
    rng = np.random.default_rng(seed)
    f = rng.uniform(1500, 5000)
    x, rate = ringing(rng, rng.uniform(40, 150), 0.01, f)
    noise = rng.normal(size=N)
    x = x * 10 ** (-10 / 20) / x.std() + noise + (gears(rng) if seed % 2 else 0)
    (one, *_) = found(x).hits
    assert one.frequency == pytest.approx(rate, rel=1e-3)
    assert abs(one.frequency - rate) < 4 * one.std
    assert one.band.low - 200 < f < one.band.high + 200
    assert one.band.kurtosis > 0


@pytest.mark.parametrize("seed", range(4))
def test_nothing_is_claimed_where_nothing_hits(seed: int) -> None:
    rng = np.random.default_rng(50 + seed)
    noise = rng.normal(size=N)
    swelling = (1 + 0.8 * np.sin(2 * np.pi * 0.3 * T)) * noise
    for x in (
        noise,
        gears(rng) + 0.3 * noise,
        np.convolve(noise, rng.normal(size=9), "same"),
        swelling,
    ):
        result = found(x)
        assert not result.hits
    assert max(abs(band.stands) for band in found(noise).best) < 6, "noise has no kurtosis"


def test_the_demos_bearing(demo: Path) -> None:
    made = tonecomb.open(demo / "drive-steady.h5")
    told = tonecomb.analyse(made, default_method(made).having(channel=2), asked={"hits": True})
    (one,) = told.result("hits").hits
    assert one.frequency == pytest.approx(88.37, rel=1e-3)
    assert one.band.low < 3100 < one.band.high
    assert told.values()["hits"][0]["frequency_hz"] == one.frequency
    assert told.analysis.found is not None and told.analysis.found.moving is None
    assert [round(m.frequency, -1) for m in told.resonances] == [3100]


def test_too_little_to_look_for_hits_in() -> None:
    with pytest.raises(UserError, match="1000 samples are too few"):
        find_hits(lambda a, b: np.zeros(b - a), 1000, FS)


def test_the_envelope_is_that_of_the_analytic_signal() -> None:
    """Of a modulated tone its modulation; of noise in the band what the library's transform of the
    whole has."""
    modulated = (1 + 0.5 * np.cos(2 * np.pi * 40 * T)) * np.cos(2 * np.pi * 3000 * T + 1)
    base = recording(modulated + np.cos(2 * np.pi * 500 * T), fs=FS)
    made = read_all(prepare(base, (Envelope(2500.0, 3500.0),)))
    inner = slice(5000, -5000)
    np.testing.assert_allclose(
        made[inner], (1 + 0.5 * np.cos(2 * np.pi * 40 * T))[inner], atol=1e-4
    )
    noise = np.random.default_rng(2).normal(size=N)
    band = signal.sosfiltfilt(
        signal.butter(8, [2600, 3400], "bandpass", fs=FS, output="sos"), noise
    )
    made = read_all(prepare(recording(band, fs=FS), (Envelope(2200.0, 3800.0),)))
    expected = np.abs(signal.hilbert(band))
    np.testing.assert_allclose(made[inner], expected[inner], atol=2e-3 * expected.max())


@pytest.mark.parametrize(
    ("band", "sentence"),
    [
        ((3500.0, 2500.0), "no envelope of 3500 to 2500 Hz"),
        ((100.0, 7000.0), "below 6400 Hz"),
        ((2500.0, 2500.5), "The band is too narrow"),
    ],
)
def test_envelopes_that_cannot_be(band: tuple[float, float], sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        prepare(recording(np.zeros(N), fs=FS), (Envelope(*band),))


def estimated(x: Array) -> Estimate:
    made = recording(x, fs=FS)
    return run_spectrum(default_method(made), made)


@pytest.mark.parametrize("spacing", [23.7, 61.3, 110.0])
def test_a_family_is_one_value_of_the_cepstrum(spacing: float) -> None:
    numbers = range(1, int(5000 / spacing))
    x = sum(np.cos(2 * np.pi * n * spacing * T + n * n) for n in numbers)
    x = x + np.random.default_rng(1).normal(size=N)
    first = cepstrum(estimated(np.asarray(x))).rahmonics[0]
    assert first.frequency == pytest.approx(spacing, rel=2e-3)
    assert abs(first.frequency - spacing) < 4 * first.frequency_std


def test_the_cepstrum_of_an_echo() -> None:
    """ln(1 + 2a·cos(ωτ) + a²): a value of 20·lg(e)·a at the echo's delay."""
    x = np.random.default_rng(3).normal(size=N)
    late = round(0.0125 * FS)
    x[late:] += 0.4 * x[:-late].copy()
    made = cepstrum(estimated(x))
    assert made.rahmonics[0].quefrency == pytest.approx(0.0125, abs=0.3 / FS)
    assert made.rahmonics[0].level == pytest.approx(20 * math.log10(math.e) * 0.4 / 2, rel=0.15)


def test_noise_has_no_rahmonics_and_a_cut_takes_a_family_out() -> None:
    for seed in range(20):
        noise = np.random.default_rng(seed).normal(size=N // 4)
        assert not cepstrum(estimated(noise)).rahmonics
    x = sum(np.cos(2 * np.pi * n * 50 * T + n * n) for n in range(1, 100))
    x = np.asarray(x) + np.random.default_rng(4).normal(size=N)
    plain = cepstrum(estimated(x))
    flat = cepstrum(plain.estimate, (0.01, 1.0)).liftered
    assert flat is not None
    before, after = (
        float(np.std(10 * np.log10(one.spectrum.mean_square[50:-50])))
        for one in (plain.estimate, flat)
    )
    assert after < 0.35 * before
    same = cepstrum(plain.estimate, (2.0, 3.0)).liftered
    assert same is not None
    np.testing.assert_allclose(
        same.spectrum.mean_square[5:], plain.estimate.spectrum.mean_square[5:], rtol=1e-9
    )


def test_the_method_of_a_cepstrum_is_that_of_the_spectrum() -> None:
    made = recording(np.random.default_rng(1).normal(size=50_000))
    told = tonecomb.analyse(made, Method.of(frame=1024), asked={"cepstrum": True})
    assert told.values()["rahmonics"] == []
    assert len(told.result("cepstrum").values) == 513


def test_a_bearings_frequencies_follow_from_its_geometry() -> None:
    """A deep-groove bearing of nine balls, with the textbook's figures; with all the elements of
    one circle of pure rolling, outer and inner ring share what passes."""
    outer, inner, element, cage = Bearing("DE", 9, 7.94, 39.04).known()
    assert outer.value == pytest.approx(3.5848, abs=2e-4)
    assert inner.value == pytest.approx(5.4152, abs=2e-4)
    assert element.value == pytest.approx(4.7135, abs=2e-4)
    assert cage.value == pytest.approx(0.39831, abs=1e-5)
    assert outer.value + inner.value == pytest.approx(9)
    assert outer.value == pytest.approx(9 * cage.value)
    assert (outer.name, outer.of_shaft, outer.tolerance) == ("DE outer ring", True, 2.0)


@pytest.mark.parametrize(
    ("bearing", "sentence"),
    [
        (Bearing("", 9, 40.0, 39.0), "give a diameter smaller than the circle's"),
        (Bearing("", 16, 7.94, 39.04), "16 elements do not fit into the bearing: .* room for 15"),
        (Bearing("", 0, 7.94, 39.04), "0 elements do not fit"),
        (Bearing("", 9, 7.94, 39.04, 95.0), "an angle below 90°"),
    ],
)
def test_bearings_that_cannot_be(bearing: Bearing, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        bearing.known()


def _quantised(rng: np.random.Generator) -> Array:
    return np.round(0.7 * np.sin(2 * np.pi * rng.uniform(30, 2000) * T + 1) * 128) / 128


def _vowel(rng: np.random.Generator) -> Array:
    pitch = rng.uniform(90, 220) * (1 + 0.01 * np.sin(10 * np.pi * T))
    turns = 2 * np.pi * np.cumsum(pitch) / FS
    x = sum(np.cos(k * turns) / (1 + (k / 4 - 1) ** 2) for k in range(1, 30))
    return np.asarray(x + 0.01 * rng.standard_normal(N))


def _sawtooth(rng: np.random.Generator) -> Array:
    return np.asarray(
        signal.sawtooth(2 * np.pi * rng.uniform(20, 300) * T) + 0.01 * rng.standard_normal(N)
    )


@pytest.mark.parametrize("make", [_quantised, _vowel, _sawtooth])
def test_what_only_repeats_is_no_hits(make: Callable[[np.random.Generator], Array]) -> None:
    """All of these have an envelope with lines at the multiples of some rate."""
    claims = [found(make(np.random.default_rng(seed))) for seed in range(4)]
    assert not [one.hits for one in claims if one.hits]


def test_noise_that_swells_is_told_from_hits() -> None:
    rng = np.random.default_rng(2)
    x = rng.standard_normal(N) * (1 + 0.8 * np.sin(2 * np.pi * 23.0 * T))
    claims = found(x)
    assert not claims.hits
    (swells,) = claims.swells
    assert swells.smooth and swells.frequency == pytest.approx(23.0, abs=3 * swells.std)


def test_an_impulse_is_told_from_a_sine_by_its_mean_cycle() -> None:
    """A raised cosine has no second harmonic, and half of its power within a third of a cycle."""
    phase = np.arange(6400) / 64
    assert shape(mean_cycle(1 + 0.9 * np.sin(2 * np.pi * phase), 64.0))[0] < 0.01
    second, duty = shape(mean_cycle((phase % 1 < 0.1) + 0.1, 64.0))
    assert second > 0.9 and duty < 0.1
