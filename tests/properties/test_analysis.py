"""What must hold whatever the method: properties over random methods and signals."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import FEW, SUMS, estimated, recording, tone

from tonecomb.core.find.floor import noise_floor
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Stretch
from tonecomb.core.results.search import run

windows = st.sampled_from(SUMS)
methods = st.builds(
    Method.of,
    window=windows,
    frame=st.integers(64, 500),
    overlap=st.floats(0, 90),
    pad=st.integers(1, 4),
    detrend=st.sampled_from(["none", "mean", "line"]),
    scaling=st.sampled_from(["amplitude", "power", "psd"]),
)
seeds = st.integers(0, 10_000)


def noise(seed: int, n: int = 2500) -> np.ndarray:
    return np.random.default_rng(seed).standard_normal(n)


@given(method=methods, seed=seeds, gain=st.floats(1e-6, 1e6))
def test_gain_goes_through(method: Method, seed: int, gain: float) -> None:
    x = noise(seed)
    one, more = (estimated(method, recording(g * x)).values for g in (1.0, gain))
    factor = gain if method.shown.scaling == "amplitude" else gain**2
    np.testing.assert_allclose(more, factor * one, rtol=1e-9, atol=1e-12 * factor)


@given(method=methods, seed=seeds, rate=st.floats(0.1, 1e6))
def test_the_rate_only_stretches_the_axis(method: Method, seed: int, rate: float) -> None:
    x = noise(seed)
    one, other = (estimated(method, recording(x, fs=fs)) for fs in (1.0, rate))
    np.testing.assert_allclose(other.spectrum.frequency, rate * one.spectrum.frequency)
    density = 1 / rate if method.shown.scaling == "psd" else 1.0
    np.testing.assert_allclose(other.values, density * one.values, rtol=1e-9)


@given(method=methods, seed=seeds, order=st.permutations(range(3)))
def test_channel_order_does_not_matter(method: Method, seed: int, order: list[int]) -> None:
    columns = [noise(seed + i) for i in range(3)]
    shuffled = recording(*(columns[i] for i in order))
    for place, i in enumerate(order):
        expected = estimated(method.having(channel=i), recording(*columns)).values
        found = estimated(method.having(channel=place), shuffled).values
        np.testing.assert_array_equal(found, expected)


@given(method=methods, seed=seeds, start=st.integers(0, 900), length=st.integers(500, 1600))
def test_a_stretch_is_the_recording_cut_out(
    method: Method, seed: int, start: int, length: int
) -> None:
    x = noise(seed)
    inside = method.having(stretch=Stretch(start / 1000, (start + length) / 1000))
    found = estimated(inside, recording(x))
    alone = estimated(method, recording(x[start : start + length]))
    np.testing.assert_array_equal(found.values, alone.values)
    assert found.resolution == alone.resolution


@given(method=methods, seed=seeds)
def test_scalings_say_the_same(method: Method, seed: int) -> None:
    analysis = estimated(method, recording(noise(seed), fs=640.0))
    spectrum = analysis.spectrum
    power = spectrum.values("power", "rms")
    np.testing.assert_allclose(spectrum.values("amplitude", "rms") ** 2, power)
    np.testing.assert_allclose(spectrum.values("amplitude", "peak") ** 2, 2 * power)
    np.testing.assert_allclose(spectrum.values("amplitude", "peak-to-peak") ** 2, 8 * power)
    density = spectrum.values("psd", "rms")
    np.testing.assert_allclose(density * analysis.resolution.enbw_hz, power)


@given(
    window=windows,
    frame=st.integers(700, 2500),
    overlap=st.floats(0, 90),
    pad=st.integers(1, 3),
    offset=st.floats(-1, 1),
)
def test_a_tones_reading_does_not_depend_on_the_method(
    window: str, frame: int, overlap: float, pad: int, offset: float
) -> None:
    """Wherever it lies between bins, and with a stronger tone beside it."""
    fs, n = 1000.0, 12_000
    frequency = 123.4 + offset
    x = tone(n, frequency, 1000, 0.02) + tone(n, 173.3, 1000, 0.2) + 1e-5 * noise(1, n) + 3.0
    method = Method.of(window=window, frame=frame, overlap=overlap, pad=pad)
    peaks = run(method, recording(x, fs=fs)).peaks or ()
    found = min(peaks, key=lambda peak: abs(peak.tone.frequency - frequency)).tone
    # With few frames the skirts of the rectangular window count as noise.
    assert abs(found.frequency - frequency) < max(1e-4, 3 * found.frequency_std)
    assert abs(found.amplitude - 0.02) < max(2e-5, 3 * found.amplitude_std)
    if window != "rectangular":
        assert found.amplitude_std < 2e-4
        assert found.frequency_std < 1e-3


# Not the rectangular window: the skirt of one line fills the whole axis.
@pytest.mark.parametrize("window", [name for name in FEW if name != "rectangular"])
@pytest.mark.parametrize("averages", [1, 4, 60])
def test_the_floor_is_the_noises_level_in_spite_of_tones(window: str, averages: int) -> None:
    frame = 2000
    n = frame * averages
    x = noise(3, n) + sum(tone(n, b, frame, 5.0) for b in range(100, 1000, 90))
    spectrum = estimated(Method.of(window=window, frame=frame, overlap=0), recording(x)).spectrum
    floor = noise_floor(spectrum)
    expected = 2 * spectrum.enbw_hz / 1000.0  # σ² = 1 over half the sample rate
    # The lines take up to an eighth of the bins, which lifts the quantile a little.
    assert np.median(floor[20:-20]) == pytest.approx(expected, rel=0.25)


@given(method=methods, seed=seeds, sigma=st.floats(1e-3, 1e3), rate=st.floats(1.0, 1e5))
def test_a_noise_floors_density_does_not_depend_on_the_method(
    method: Method, seed: int, sigma: float, rate: float
) -> None:
    """White noise has 2σ²/fs, whatever the window, frame, overlap, padding and detrending."""
    made = recording(sigma * noise(seed, 30_000), fs=rate)
    spectrum = estimated(method, made).spectrum
    edge = 6 * method.frames.pad  # what detrending and the window's main lobe change
    inside = spectrum.values("psd", "rms")[edge:-edge]
    expected = 2 * sigma**2 / rate
    scatter = 5 / np.sqrt(30_000 / 4)  # of the mean of the bins, with some to spare
    assert np.mean(inside) == pytest.approx(expected, rel=scatter)
