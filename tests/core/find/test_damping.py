"""Natural frequency and damping against simulated modes, from noise and from decays."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy.signal import lfilter
from tests.support import recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.averages import Single
from tonecomb.core.estimate.display import Display
from tonecomb.core.find.damping import Data, NoiseModel, decay_columns, fit_noise
from tonecomb.core.find.mode import Resonance, half_power_width
from tonecomb.core.find.mode_lines import ModeLines
from tonecomb.core.method.method import Method, default_method
from tonecomb.core.method.searches import Fit
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.windows import window
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.results.search import run
from tonecomb.core.say.cautions import cautions
from tonecomb.demo.structures import SWAY_MODES, TAPS_MODES
from tonecomb.formats.registry import open_recording

FS = 1000.0


def excited(f0: float, damping: float, seconds: float, seed: int) -> np.ndarray:
    """White noise through a two-pole filter with exactly this mode."""
    omega = 2 * np.pi * f0 / FS
    turn, fall = omega * np.sqrt(1 - damping**2), damping * omega
    rng = np.random.default_rng(seed)
    noise = rng.standard_normal(round(seconds * FS) + 8000)
    x = lfilter([1.0], [1, -2 * np.exp(-fall) * np.cos(turn), np.exp(-2 * fall)], noise)[8000:]
    return np.asarray(x / x.std() + 0.02 * rng.standard_normal(len(x)))


def test_a_free_decay_is_a_sum_of_the_columns() -> None:
    """Of two modes with any phases and a constant: nothing is left beside them."""
    n, at = 4096, np.array([0.31, np.log(2e-3), 0.4, np.log(5e-4)])
    k = np.arange(n)
    x = 0.3 * (k == 0)  # a spectrum that is flat
    for (omega, logged), phase in zip(at.reshape(-1, 2), (0.4, 2.0), strict=True):
        alpha = np.exp(logged)
        damped = omega * np.sqrt(1 - (alpha / omega) ** 2)
        x = x + np.exp(-alpha * k) * np.cos(damped * k + phase)
    bins = np.fft.rfft(x)[150:320]
    target = np.concatenate([bins.real, bins.imag])
    columns = decay_columns(at, n, 150, 320)
    left = target - columns @ np.linalg.lstsq(columns, target, rcond=None)[0]
    assert np.abs(left).max() < 1e-9 * np.abs(target).max()
    columns = decay_columns(at + np.array([0, 0.02, 0, 0]), n, 150, 320)
    left = target - columns @ np.linalg.lstsq(columns, target, rcond=None)[0]
    assert np.abs(left).max() > 1e-4 * np.abs(target).max(), "of another damping there is"


def test_parts_of_modes_under_noise_are_solved_for() -> None:
    weights, at = window("hann").samples(1024), np.array([0.5, np.log(8e-3), 0.62, np.log(3e-3)])
    mode = ModeLines(weights, 60, 130)
    parts = np.array([2.0, 0.1, 0.7, -0.05, 0.3])
    bare = NoiseModel(mode, np.ones(70), np.ones(70, dtype=bool))
    measured = bare.columns(at) @ parts
    counts = np.arange(70) % 7 != 3
    model = NoiseModel(mode, np.where(counts, measured, 1e3), counts)
    found, fitted = model.solved(at, measured)
    assert found == pytest.approx(parts, rel=1e-6, abs=1e-9)
    assert fitted == pytest.approx(measured, rel=1e-9)
    assert np.abs(model.residual(at, measured)).max() < 1e-9 and len(
        model.residual(at, measured)
    ) == np.count_nonzero(counts)


def ringing(modes: tuple[tuple[float, float, float], ...], noise: float, seed: int) -> np.ndarray:
    """Modes (Hz, damping ratio, amplitude) hit at 0.2 s, on noise; 4 s at 4 kHz."""
    t = np.arange(16_000) / 4000 - 0.2
    x = noise * np.random.default_rng(seed).standard_normal(len(t))
    for f0, damping, amplitude in modes:
        omega = 2 * np.pi * f0
        turning = np.cos(omega * np.sqrt(1 - damping**2) * t + 0.4)
        x += np.where(t >= 0, amplitude * np.exp(-damping * omega * t) * turning, 0)
    return np.asarray(x)


@pytest.mark.parametrize(("q", "frame"), [(10, 512), (30, 1024), (100, 4096)])
@pytest.mark.parametrize("name", ["hann", "blackman-harris"])
def test_a_mode_in_noise(q: float, frame: int, name: str) -> None:
    """Without bias, close to the bound 1/(αT), and with a standard deviation that is honest; the
    half-power width is too large by what the window adds."""
    f0, damping, seconds = 120.0, 1 / (2 * q), 120.0
    found: list[Resonance] = []
    for seed in range(16):
        made = recording(excited(f0, damping, seconds, seed), fs=FS)
        spectrum = run_spectrum(Method.of(frame=frame, window=name, overlap=66), made).spectrum
        data, width = Data(spectrum, window(name), FS, None), half_power_width(spectrum, f0)
        found += fit_noise(data, (f0 - 6 * width, f0 + 6 * width), [(f0, width)], 0.3)
    assert len(found) == 16
    error = np.array([one.damping for one in found]) / damping - 1
    bound = np.sqrt(1 / (damping * 2 * np.pi * f0 * seconds))
    assert abs(error.mean()) < 3 * bound / 4, "sixteen records: a quarter of the scatter"
    assert np.sqrt(np.mean(error**2)) < 1.6 * bound
    told = np.array([one.damping_std / one.damping for one in found])
    assert 0.8 * bound < told.mean() < 1.8 * bound
    frequency = np.array([(one.frequency - f0) / one.frequency_std for one in found])
    assert np.sqrt(np.mean(frequency**2)) < 1.7
    assert np.mean([one.half_power for one in found]) > 2 * damping * f0


@pytest.mark.parametrize("q", [30, 100, 300])
@pytest.mark.parametrize("name", ["rectangular", "hann"])
def test_a_decay(q: float, name: str) -> None:
    """To 0.5 % at 40 dB, with two neighbours; the window plays no part."""
    f0, damping = 97.3, 1 / (2 * q)
    modes = ((f0, damping, 1.0), (31.0, 0.02, 0.5), (240.0, 0.01, 0.4))
    errors, told = [], []
    for seed in range(6):
        made = recording(ringing(modes, 0.01, seed), fs=4000)
        method = Method.of(frame=16_000, window=name, overlap=0)
        analysis = run(method, made)
        near = [one for one in analysis.resonances if abs(one.frequency - f0) < 3]
        if not near:  # at a Q of 300 a Hann window is as wide as the line
            assert (q, name) == (300, "hann")
            return
        one = near[0]
        assert one.kind == "decay"
        assert abs(one.frequency / f0 - 1) < 5e-4
        errors.append(one.damping / damping - 1)
        told.append(one.damping_std / damping)
    assert abs(np.mean(errors)) < 0.005
    assert np.sqrt(np.mean(np.square(errors))) < max(0.005, 3 * np.mean(told))


def test_the_demos_tap_and_sway(demo: Path) -> None:
    """One hit on the bracket: within 0.05 % and 2 %; the tower's sway in gusts."""
    taps = open_recording(demo / "bracket-taps.uff")
    method = Method.of(
        channel=1, window="rectangular", frame=16384, average=Single(), stretch=Stretch(6.9, 9.0)
    )
    found = run(method, taps).resonances
    for one, mode in zip(found, TAPS_MODES, strict=True):
        assert one.frequency == pytest.approx(mode.frequency_hz, rel=5e-4)
        assert one.damping == pytest.approx(mode.damping_ratio, rel=0.02)
    hand = method.having(
        fits=tuple(Fit(0.8 * m.frequency_hz, 1.2 * m.frequency_hz) for m in TAPS_MODES)
    )
    by_hand = run(hand, taps).resonances
    for one, mode in zip(by_hand, TAPS_MODES, strict=True):
        assert one.damping == pytest.approx(mode.damping_ratio, rel=0.02)
    double = method.having(stretch=Stretch(21.9, 24.0))
    assert len(run(double, taps).resonances) < 3, "a second hit is no decay"
    sway = open_recording(demo / "tower-sway.parquet")
    found = run(default_method(sway), sway).resonances
    together = default_method(sway).having(fits=(Fit(0.2, 0.6, 2),))
    found += run(together, sway).resonances
    for one, mode in zip(found, SWAY_MODES * 2, strict=True):
        assert abs(one.frequency - mode.frequency_hz) < 3 * one.frequency_std
        assert abs(one.damping - mode.damping_ratio) < 3 * one.damping_std


def test_the_resonance_that_a_bearing_rings(demo: Path) -> None:
    """Found with the comb that rings it, whose sidebands are tied to its fundamental; the motor
    and the mesh, modulated as it is, ring nothing."""
    drive = open_recording(demo / "drive-steady.h5")
    for channel in (0, 1):
        assert run(default_method(drive).having(channel=channel), drive).resonances == ()
    for frame in (32768, 8192):
        analysis = run(default_method(drive).having(channel=2, frame=frame), drive)
        (one,) = analysis.resonances
        assert one.kind == "ringing"
        assert one.frequency == pytest.approx(3100.0, abs=4 * one.frequency_std)
        assert one.damping == pytest.approx(0.021, abs=4 * one.damping_std)
        assert any(abs(comb.spacing - 88.37) < 0.03 for comb in analysis.combs)


def test_a_tone_is_no_resonance_and_noise_is_none() -> None:
    n = 60_000
    noise = np.random.default_rng(2).standard_normal(n)
    single = Method.of(frame=4096, average=Single())
    for method, x in (
        (Method.of(frame=2048), tone(n, 97.3, 1000) + 0.01 * noise),
        (single, tone(n, 97.3, 1000) + 0.1 * noise),
        (Method.of(frame=512), noise),
        # Tones that run together into one wide line are no mode.
        (Method.of(frame=256), tone(n, 97.3, 1000) + tone(n, 103.0, 1000) + 0.01 * noise),
        (single, noise),
    ):
        assert run(method, recording(x, fs=FS)).resonances == ()


def test_a_resonance_narrower_than_the_window_is_cautioned() -> None:
    """The window's width is no damping; with a longer frame there is one to read."""
    made = recording(excited(120.0, 2e-4, 900.0, 1), fs=FS)
    method = Method.of(frame=512)
    analysis = run(method, made)
    assert analysis.resonances == ()
    told = {one.code: one for one in cautions(analysis, made)}["damping-limited"]
    assert "its damping cannot be told" in told.text
    assert told.edit is not None
    longer = run(told.edit(method), made)
    for _ in range(6):
        if longer.resonances:
            break
        again = {one.code: one for one in cautions(longer, made)}["damping-limited"]
        assert again.edit is not None
        longer = run(again.edit(method), made)
    assert longer.resonances[0].damping == pytest.approx(2e-4, rel=0.4)
    assert "damping-limited" not in {one.code for one in cautions(longer, made)}


def test_the_fit_goes_with_the_quantity_that_is_shown() -> None:
    made = recording(excited(120.0, 0.02, 100.0, 3), fs=FS, unit="m/s²")
    plain = run(Method.of(frame=1024), made)
    shown = run(Method.of(frame=1024, display=Display("Velocity")), made)
    (one,), (other,) = plain.resonances, shown.resonances
    np.testing.assert_allclose(
        other.fit, one.fit * (1e3 / (2 * np.pi * one.fit_frequency)) ** 2, rtol=1e-9
    )
    near = (one.fit_frequency > 117) & (one.fit_frequency < 123)
    data = np.interp(one.fit_frequency, plain.spectrum.frequency, plain.spectrum.mean_square)
    ratio = 10 * np.log10(one.fit[near] / data[near])
    assert abs(ratio.mean()) < 0.6, "it lies on the data"


@pytest.mark.parametrize("excitation", ["noise", "hit"])
def test_two_modes_that_run_together_are_fitted_by_hand(excitation: str) -> None:
    """Neither is found alone; with the range and the number given both are, as far as told."""
    pairs = ((118.0, 0.02), (126.0, 0.015))
    if excitation == "noise":
        made = recording(excited(*pairs[0], 400.0, 5) + excited(*pairs[1], 400.0, 6), fs=FS)
        method = Method.of(frame=1024, overlap=66, fits=(Fit(90.0, 155.0, 2),))
    else:
        made = recording(ringing(tuple((*p, 1.0) for p in pairs), 0.01, 1), fs=4000)
        method = Method.of(frame=16_000, window="rectangular", fits=(Fit(90.0, 155.0, 2),))
    found = run(method, made).resonances
    for one, (f0, damping) in zip(found, pairs, strict=True):
        assert abs(one.frequency - f0) < max(3.5 * one.frequency_std, 2e-4 * f0)
        assert abs(one.damping - damping) < max(3.5 * one.damping_std, 0.005 * damping)
        assert one.damping_std < 0.1 * damping
    alone = run(method.having(fits=(Fit(90.0, 155.0, 1),)), made)
    assert len(alone.resonances) < 2 and len(alone.unfitted) in (0, 1)


def test_a_mode_too_wide_to_be_a_peak_is_fitted_by_hand() -> None:
    made = recording(excited(120.0, 0.25, 300.0, 4), fs=FS)
    analysis = run(Method.of(frame=512, fits=(Fit(30.0, 300.0),)), made)
    (one,) = analysis.resonances
    assert one.damping == pytest.approx(0.25, abs=3.5 * one.damping_std)
    assert one.damping_std < 0.02


def test_a_range_without_a_mode_is_told() -> None:
    noise = recording(np.random.default_rng(8).standard_normal(60_000), fs=FS)
    analysis = run(Method.of(frame=512, fits=(Fit(100.0, 140.0), Fit(200.0, 200.5))), noise)
    told = {one.code: one for one in cautions(analysis, noise)}["unfitted"]
    assert "cannot be fitted to 100–140 Hz, nor to 1 other" in told.text
    assert told.edit is not None and told.edit(analysis.method).search.fits == ()
    with pytest.raises(UserError, match="from 400 to 600 Hz"):
        run(Method.of(frame=512, fits=(Fit(400.0, 600.0),)), noise)


def test_half_power_width_of_a_window() -> None:
    """Of a tone it is the window's −3 dB width, padded finely."""
    for name in ("hann", "flat-top"):
        spectrum = run_spectrum(
            Method.of(frame=1000, window=name, pad=16), recording(tone(8000, 100, 1000), fs=FS)
        ).spectrum
        width = half_power_width(spectrum, 100.0)
        assert width == pytest.approx(window(name).width_3db, rel=0.01)
