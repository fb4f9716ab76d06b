"""Tracks, band levels and slices against signals of known law."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.bands import Band, band_rms
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.method import Method, default_method, resolution
from tonecomb.core.record.recording import Stretch
from tonecomb.core.results.slices import Slicing, run_slices
from tonecomb.core.results.trend import run_trend
from tonecomb.formats.registry import open_recording

FS, SECONDS = 2000.0, 60.0
Law = Callable[[np.ndarray], np.ndarray]
LAWS: dict[str, tuple[Law, Law]] = {
    # Frequency in Hz, and its integral, over time in s.
    "even": (lambda t: 60 + 8 * t, lambda t: 60 * t + 4 * t**2),
    "logarithmic": (
        lambda t: 40 * 12 ** (t / SECONDS),
        lambda t: 40 * SECONDS / np.log(12) * (12 ** (t / SECONDS) - 1),
    ),
    "quadratic": (lambda t: 500 - 0.11 * t**2, lambda t: 500 * t - 0.11 / 3 * t**3),
}


def swept(law: str, noise: float, seed: int = 0) -> np.ndarray:
    t = np.arange(round(FS * SECONDS)) / FS
    rng = np.random.default_rng(seed)
    return np.asarray(np.cos(2 * np.pi * LAWS[law][1](t)) + noise * rng.standard_normal(len(t)))


@pytest.mark.parametrize("law", LAWS)
@pytest.mark.parametrize("name", ["hann", "blackman-harris", "flat-top"])
@pytest.mark.parametrize("noise", [0.01, 1.0])
def test_a_swept_tone_is_followed(law: str, name: str, noise: float) -> None:
    """Within half a resolution cell throughout, and 0.1 bin rms where it sweeps slowly."""
    made = recording(swept(law, noise), fs=FS)
    method = Method.of(frame=1024, window=name, overlap=50)
    trend = run_trend(method, made, (Wanted(20.0, 800.0),))
    (track,) = trend.tracks
    true = LAWS[law][0](trend.time)
    off = track.frequency - true
    assert np.isfinite(off).all()
    assert np.abs(off).max() < resolution(method, made).separable_hz / 2
    speed = np.abs(np.gradient(true, trend.time)) * trend.frame_s / trend.bin_hz  # bins a frame
    slow = speed < 1.0
    assert slow.sum() > 5 or law == "even"
    if slow.any():
        assert np.sqrt(np.mean((off[slow] / trend.bin_hz) ** 2)) < 0.1
    if noise == 0.01 and name == "hann":
        steady = speed < 0.5
        assert track.amplitude[steady] == pytest.approx(np.sqrt(0.5), rel=0.02)


def test_gaps_where_nothing_stands_out_and_no_jumping() -> None:
    """A tone that pauses, beside clicks of another that are louder for a moment."""
    t = np.arange(round(FS * 40)) / FS
    x = np.where((t > 15) & (t < 22), 0.0, np.cos(2 * np.pi * 120.3 * t))
    x += np.where((np.abs(t - 8) < 0.3), 1.3 * np.cos(2 * np.pi * 260 * t), 0.0)
    x += 0.2 * np.random.default_rng(3).standard_normal(len(t))
    trend = run_trend(Method.of(frame=1024), recording(x, fs=FS), (Wanted(100.0, 300.0),))
    (track,) = trend.tracks
    away = (trend.time > 15.3) & (trend.time < 21.7)
    assert np.isnan(track.frequency[away]).mean() > 0.9
    there = (trend.time < 14.7) | (trend.time > 22.3)
    assert track.frequency[there] == pytest.approx(120.3, abs=0.1), "it does not jump to 260 Hz"


@pytest.mark.parametrize("law", LAWS)
def test_band_levels_of_a_swept_tone(law: str) -> None:
    """Its rms within 1 % in a band that holds it, nothing in one that does not, and the
    velocity that belongs to it."""
    made = recording(swept(law, 0.0), fs=FS, unit="m/s²")
    bands = (Band(10.0, 900.0), Band(900.0, 1000.0))
    method = Method.of(frame=1024, bands=bands)
    trend = run_trend(method, made, ())
    assert trend.bands[0] == pytest.approx(np.sqrt(0.5), rel=0.01)
    assert trend.bands[1].max() < 1e-3
    # The samples themselves, without a window: over few periods a frame's rms swings.
    assert trend.rms.mean() == pytest.approx(np.sqrt(0.5), rel=0.01)
    assert np.median(trend.crest) == pytest.approx(np.sqrt(2), rel=0.01)
    assert np.median(trend.kurtosis) == pytest.approx(1.5, abs=0.01)
    shown = method.having(bands=(Band(10.0, 900.0, unit="mm/s"),))
    velocity = run_trend(shown, made, ()).bands[0]
    expected = 1e3 * np.sqrt(0.5) / (2 * np.pi * LAWS[law][0](trend.time))
    assert velocity == pytest.approx(expected, rel=0.05)


def test_the_demos_run_up(demo: Path) -> None:
    """The motor's speed from its orders 1, 2 and 17 within 0.2 %."""
    runup = open_recording(demo / "run-up.flac")
    method = default_method(runup).having(frame=4096, overlap=75.0)
    trend = run_trend(method, runup, (Wanted(4.0, 31.0, (1, 2, 17)),))
    speed = 5 + 24 * trend.time / 90
    assert trend.tracks[0].frequency == pytest.approx(speed, rel=2e-3)
    assert trend.tracks[0].wanted.title == "comb 4–31 Hz"


@given(f0=st.floats(12.0, 60.0), missing=st.integers(1, 5), seed=st.integers(0, 99))
def test_a_comb_with_a_tooth_missing(f0: float, missing: int, seed: int) -> None:
    n = 8192
    x = sum(tone(n, k * f0, FS, 1 / k, k) for k in range(1, 6) if k != missing)
    x = x + 0.05 * np.random.default_rng(seed).standard_normal(n)
    wanted = Wanted(0.8 * f0, 1.2 * f0, (1, 2, 3, 4, 5))
    (track,) = run_trend(Method.of(frame=2048), recording(x, fs=FS), (wanted,)).tracks
    assert track.frequency == pytest.approx(f0, rel=3e-3)


def test_what_cannot_be_followed_is_told() -> None:
    made = recording(np.random.default_rng(0).standard_normal(20_000), fs=FS)
    for wanted, words in (
        (Wanted(500.0, 400.0), "followed from 500 to 400 Hz"),
        (Wanted(10.0, 5000.0), "followed from 10 to 5000 Hz"),
        (Wanted(100.1, 100.2), "No bin lies between"),
        (Wanted(10.0, 50.0, (0, 1)), "teeth from 1 up"),
    ):
        with pytest.raises(UserError, match=words):
            run_trend(Method.of(frame=256), made, (wanted,))
    (track,) = run_trend(Method.of(frame=256), made, (Wanted(100.0, 900.0),)).tracks
    assert np.isnan(track.frequency).mean() > 0.9, "noise is no tone"


def test_slices_evenly_apart_and_at_times() -> None:
    made = recording(swept("even", 0.01), fs=FS)
    method = Method.of(frame=1000, overlap=50, stretch=Stretch(10.0, 50.0))
    even = run_slices(method, made, Slicing(count=9, width=2.0))
    assert even.time == pytest.approx(np.linspace(11.0, 49.0, 9))
    for i, time in enumerate(even.time):
        top = even.first.frequency[np.argmax(even.mean_square[i])]
        assert top == pytest.approx(60 + 8 * time, abs=9.0)
        assert even.spectrum(i).rms == pytest.approx(np.sqrt(0.5), rel=0.02)
    apart = run_slices(method, made, Slicing(every=5.0))
    assert apart.time == pytest.approx(np.arange(10.25, 49.76, 5.0))
    chosen = run_slices(method, made, Slicing(at=(20.0, 5.0, 40.0)))
    assert chosen.time.tolist() == [20.0, 40.0]
    usual = run_slices(method, made, Slicing())
    assert len(usual.time) == 60
    octaves = method.having(display=Display(drawn="octave", bands=3))
    three = run_slices(octaves, made, Slicing(count=3))
    bands = three.curves()
    assert bands.stepped and bands.values.shape == (3, len(bands.frequency) - 1)
    for row, spectrum in zip(bands.values, map(three.spectrum, range(3)), strict=True):
        at = int(np.argmax(row))
        ends = bands.frequency[at : at + 2]
        assert row[at] == pytest.approx(band_rms(spectrum, *ends.tolist()))


def test_a_band_up_to_nyquist_holds_what_alternates_once() -> None:
    x = 3.0 * (-1.0) ** np.arange(8000)
    method = Method.of(frame=1000, bands=(Band(400.0, 500.0),))
    trend = run_trend(method, recording(x, fs=1000.0), ())
    assert trend.bands[0] == pytest.approx(3.0, rel=1e-6)


@pytest.mark.parametrize(
    ("slicing", "words"),
    [
        (Slicing(at=(99.0,)), "None of the chosen times"),
        (Slicing(every=0.0), "distance above 0"),
        (Slicing(count=0), "at least one slice"),
        (Slicing(width=500.0), "longer than the stretch"),
        (Slicing(count=200_000), "too many; ask for 50000"),
        (Slicing(every=1e-9), "too many"),
        (Slicing(count=40_000), "more than can be held"),
    ],
)
def test_slices_that_cannot_be(slicing: Slicing, words: str) -> None:
    made = recording(np.ones(120_000), fs=FS)
    with pytest.raises(UserError, match=words):
        run_slices(Method.of(frame=1000), made, slicing)
