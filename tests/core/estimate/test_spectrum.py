"""The averaged spectrum against theory, a direct transform, and the library's Welch."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal
from hypothesis import given
from hypothesis import strategies as st
from tests.support import SUMS, estimated, recording, tone

from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.core.base.units import unit
from tonecomb.core.estimate.averages import Single
from tonecomb.core.estimate.framing import effective_averages, make_framing
from tonecomb.core.estimate.spectrum import averaged_spectrum, level_label, to_decibels
from tonecomb.core.method.method import Method, resolution
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.windows import window
from tonecomb.core.results.estimate import run_spectrum

methods = st.builds(
    Method.of,
    window=st.sampled_from(SUMS),
    frame=st.integers(16, 700),
    overlap=st.floats(0, 90),
    pad=st.integers(1, 4),
    detrend=st.sampled_from(["none", "mean"]),
)


@given(method=methods, seed=st.integers(0, 1000), offset=st.floats(-50, 50))
def test_agrees_with_the_library(method: Method, seed: int, offset: float) -> None:
    x = np.random.default_rng(seed).standard_normal(3000) + offset
    ours = estimated(method, recording(x, fs=512.0)).spectrum
    frames = method.frames
    overlap = frames.frame - ours.framing.hop
    w = window(frames.window).samples(frames.frame)

    def off(segments: np.ndarray) -> np.ndarray:
        return segments - (segments @ w / w.sum())[..., None]

    for scaling, theirs in (("power", "spectrum"), ("psd", "density")):
        frequency, expected = scipy.signal.welch(
            x,
            512.0,
            window(frames.window).samples(frames.frame),
            frames.frame,
            overlap,
            frames.frame * frames.pad,
            {"none": False, "mean": off}[frames.detrend],
            scaling=theirs,
        )
        np.testing.assert_allclose(ours.frequency, frequency, atol=1e-9)
        values = ours.values(scaling, "rms")  # type: ignore[arg-type]
        np.testing.assert_allclose(values, expected, rtol=1e-10, atol=1e-10 * expected.max())


@given(method=methods, seed=st.integers(0, 1000))
def test_parseval(method: Method, seed: int) -> None:
    """The sum over the bins is the mean square of the windowed frames."""
    method = method.having(detrend="none")
    x = np.random.default_rng(seed).standard_normal(3000)
    spectrum = estimated(method, recording(x)).spectrum
    w = window(method.frames.window).samples(method.frames.frame)
    frames = np.lib.stride_tricks.sliding_window_view(x, method.frames.frame)[
        :: spectrum.framing.hop
    ]
    expected = np.mean((frames * w) ** 2) / np.mean(w**2)
    assert spectrum.rms**2 == pytest.approx(expected, rel=1e-12)


@pytest.mark.parametrize("frame", [8, 9])
def test_one_frame_is_the_direct_transform(frame: int, rng: np.random.Generator) -> None:
    """One-sided: DC and Nyquist single, all others doubled in power; also for odd lengths."""
    x = rng.standard_normal(frame)
    method = Method.of(window="rectangular", frame=frame, detrend="none", overlap=0)
    ours = estimated(method, recording(x)).spectrum.mean_square
    n = np.arange(frame)
    for k in range(frame // 2 + 1):
        single = k == 0 or 2 * k == frame
        direct = abs(np.sum(x * np.exp(-2j * np.pi * k * n / frame))) ** 2 / frame**2
        assert ours[k] == pytest.approx(direct * (1 if single else 2), rel=1e-12)


@given(method=methods, level=st.sampled_from(["rms", "peak", "peak-to-peak"]))
def test_a_tone_on_a_bin_has_its_amplitude(method: Method, level: str) -> None:
    method = method.having(frame=max(method.frames.frame, 64), level=level, detrend="none")  # type: ignore[arg-type]
    cycles = method.frames.frame // 4
    x = tone(5 * method.frames.frame, cycles, method.frames.frame, amplitude=2.5)
    values = estimated(method, recording(x)).values
    factor = {"rms": 1 / np.sqrt(2), "peak": 1.0, "peak-to-peak": 2.0}[level]
    assert values[cycles * method.frames.pad] == pytest.approx(2.5 * factor, rel=1e-4)


@pytest.mark.parametrize("name", SUMS)
@pytest.mark.parametrize(("frame", "overlap"), [(512, 50), (1000, 75)])
def test_white_noise_has_its_density(name: str, frame: int, overlap: float) -> None:
    density, fs = 0.02, 2000.0  # unit²/Hz
    x = np.random.default_rng(3).standard_normal(800_000) * np.sqrt(density * fs / 2)
    method = Method.of(window=name, frame=frame, overlap=overlap, scaling="psd")
    values = estimated(method, recording(x, fs=fs)).values
    edge = int(window(name).main_lobe)  # bins that the removed mean reaches
    assert values[edge:-edge].mean() == pytest.approx(density, rel=0.01)


def test_streamed_in_threads_equals_in_memory(rng: np.random.Generator) -> None:
    x = rng.standard_normal(2_400_000)
    framing = make_framing(len(x), 1000, 66.0, 1.0)
    reads: list[int] = []

    def read(start: int, stop: int) -> np.ndarray:
        reads.append(stop - start)
        return x[start:stop]

    hann = window("hann")
    w = hann.samples(1000)

    def off(segments: np.ndarray) -> np.ndarray:
        return segments - (segments @ w / w.sum())[..., None]

    one = averaged_spectrum(read, framing, 1.0, hann, threads=1)
    two = averaged_spectrum(read, framing, 1.0, hann, threads=2)
    np.testing.assert_allclose(two.mean_square, one.mean_square, rtol=1e-12)
    _, expected = scipy.signal.welch(
        x, 1.0, w, 1000, 1000 - framing.hop, detrend=off, scaling="spectrum"
    )
    np.testing.assert_allclose(one.mean_square, expected, rtol=1e-10, atol=1e-20)
    assert max(reads) < len(x) / 3, "the record is read in blocks, not whole"


def test_energy_of_a_transient_within_a_frame() -> None:
    """∫ ESD df = ∫ x² dt, whatever is zero around it; and the root of the PSD is its root."""
    fs = 4000.0
    x = np.zeros(8000)
    t = np.arange(500) / fs
    x[900:1400] = 30 * np.exp(-40 * t) * np.sin(2 * np.pi * 300 * t)
    for frame in (4000, 8000):
        method = Method.of(
            frame=frame,
            overlap=0.0,
            window="rectangular",
            detrend="none",
            average=Single(frame / fs / 2),
        )
        spectrum = estimated(method, recording(x, fs=fs)).spectrum
        energy = spectrum.values("energy", "rms").sum() * spectrum.bin_hz
        assert energy == pytest.approx(np.sum(x**2) / fs, rel=1e-12)
    density = spectrum.values("amplitude-density", "rms")
    np.testing.assert_allclose(density**2, spectrum.values("psd", "rms"), rtol=1e-14)


@pytest.mark.parametrize(
    ("scaling", "shown", "decibels"),
    [
        ("amplitude-density", "Acceleration density, m/s²/√Hz", "dB re 1 µm/s²/√Hz"),
        ("energy", "Acceleration energy density, (m/s²)²·s/Hz", "dB re (1 µm/s²)²·s/Hz"),
    ],
)
def test_labels_of_the_densities(scaling: str, shown: str, decibels: str) -> None:
    assert level_label(scaling, "rms", unit("m/s²"), False) == shown  # type: ignore[arg-type]
    assert level_label(scaling, "rms", unit("m/s²"), True).endswith(decibels)  # type: ignore[arg-type]
    one = to_decibels(np.array([1e-3]), scaling, unit("m/s²"))[0]  # type: ignore[arg-type]
    assert one == pytest.approx(60 if scaling == "amplitude-density" else 90)


def test_line_removed_leaves_no_drift() -> None:
    drift = np.linspace(-40, 90, 4000)
    x = drift + tone(4000, 50, 500)
    with_line = estimated(Method.of(frame=500, detrend="line"), recording(x)).spectrum.mean_square
    assert with_line[0:10].max() < 1e-6
    assert with_line[50] == pytest.approx(0.5, rel=1e-3)


def test_effective_averages_are_those_of_welch() -> None:
    assert effective_averages(make_framing(10_000, 1000, 0, 1.0), "hann") == 10
    half = make_framing(1000 * 50, 1000, 50, 1.0)
    # ρ = 1/6 for a half-overlapped Hann window.
    expected = half.count / (1 + 2 * (1 - 1 / half.count) / 36)
    assert effective_averages(half, "hann") == pytest.approx(expected, rel=1e-9)


@pytest.mark.parametrize("name", ["hann", "flat-top"])
@pytest.mark.parametrize("overlap", [50, 75])
def test_effective_averages_tell_the_scatter(name: str, overlap: float) -> None:
    x = np.random.default_rng(5).standard_normal(600_000)
    method = Method.of(window=name, frame=256, overlap=overlap)
    values = [
        estimated(method.having(stretch=Stretch(i * 6.0, i * 6.0 + 6.0)), recording(x)).spectrum
        for i in range(100)
    ]
    inner = np.array([s.mean_square[8:-8] for s in values])
    scatter = inner.var(axis=0).mean() / inner.mean() ** 2
    assert 1 / scatter == pytest.approx(values[0].effective_averages, rel=0.05)


def test_ruler_figures() -> None:
    r = resolution(Method.of(frame=400, pad=2), recording(np.zeros(1900), fs=1000.0))
    assert (r.bin_hz, r.enbw_hz, r.frame_s, r.nyquist_hz) == (1.25, 3.75, 0.4, 500.0)
    assert r.frames == 8
    assert r.covered_fraction == pytest.approx(1800 / 1900)
    assert r.separable_hz == pytest.approx(5.0, abs=0.01)


@pytest.mark.parametrize("bad", [np.nan, np.inf, -np.inf])
def test_missing_samples_are_refused_with_their_place(bad: float) -> None:
    x = np.ones(5000)
    x[1234] = bad
    with pytest.raises(UserError, match=r"missing or infinite.*1\.234 s.*sample 1235"):
        estimated(Method.of(frame=512), recording(x))
    after = Method.of(frame=512, stretch=Stretch(1.3, 5.0))
    assert np.isfinite(estimated(after, recording(x)).values).all()


@pytest.mark.parametrize(
    ("method", "sentence"),
    [
        (Method.of(stretch=Stretch(2, 9)), "stretch 2–9 s is outside made: it lasts from 0 to 5 s"),
        (Method.of(stretch=Stretch(3, 3)), "stretch 3–3 s is empty"),
        (Method.of(frame=6000), r"frame \(6000 samples, 6 s\) is longer than the stretch"),
        (Method.of(frame=1), "too short"),
        (Method.of(overlap=100), "overlap of 100 %"),
        (Method.of(pad=0), "padding"),
        (Method.of(window="none"), "choose one of rectangular"),
        (Method.of(channel=3), "no channel 4"),
    ],
)
def test_methods_that_do_not_fit(method: Method, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        estimated(method, recording(np.zeros(5000)))


def test_values_too_large_to_square_are_refused() -> None:
    with pytest.raises(UserError, match="too large to be squared"):
        estimated(Method.of(frame=256), recording(1e200 * np.ones(5000) * np.arange(5000)))


def test_can_be_cancelled() -> None:
    def stop(fraction: float) -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        run_spectrum(Method.of(frame=256), recording(np.zeros(5000)), stop)
