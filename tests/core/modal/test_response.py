"""Transfer functions, modes and shock spectra against closed forms and theory."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.frf_settings import FrfSettings, over, shown
from tonecomb.core.modal.impacts import Tap
from tonecomb.core.modal.modes import find_modes, mac
from tonecomb.core.modal.response import Response, hammer_reaches, of_frames, of_taps
from tonecomb.core.modal.shock import shock_spectrum

FS = 4096.0
MODES = ((61.8, 0.012, 0.021), (143.0, 0.009, -0.034), (388.0, 0.015, 0.052))


def closed(f: np.ndarray, extra: float = 0.0) -> np.ndarray:
    """The accelerance at s = iω + extra."""
    s = 2j * np.pi * f + extra
    total = np.zeros(len(f), complex)
    for frequency, damping, residue in MODES:
        w0 = 2 * np.pi * frequency
        total += s**2 * residue / (s**2 + 2 * damping * w0 * s + w0**2)
    return total


def hits(count: int) -> tuple[np.ndarray, np.ndarray, list[Tap]]:
    """Smooth pulses, whose spectrum ends well below half the rate, and their exact answer."""
    n = round(10 * FS) * count
    t = np.arange(n) / FS
    force = np.zeros(n)
    taps = []
    for k in range(count):
        at = 10.0 * k + 1.0
        force += (1 + 0.2 * k) * np.exp(-0.5 * ((t - at) / 6e-4) ** 2)
        onset = round((at - 6 * 6e-4) * FS)
        taps.append(Tap(k + 1, onset, round(at * FS), 1.0, 3e-3, round((10 * k + 10.5) * FS)))
    f = np.fft.rfftfreq(2 * n, 1 / FS)
    response = closed(f)
    response[0] = 0.0
    answer = np.fft.irfft(np.fft.rfft(force, 2 * n) * response)[:n]
    return force, answer, taps


@pytest.mark.parametrize("decay", [0.0, 1.0, 0.3])
@pytest.mark.parametrize("estimator", ["h1", "h2", "hv"])
def test_full_decays_give_the_closed_form(decay: float, estimator: str) -> None:
    force, answer, taps = hits(3)
    r = of_taps(force, [answer], FS, taps, 32768, decay=decay, estimator=estimator)  # type: ignore[arg-type]
    inside = (r.frequency > 10) & (r.frequency < 600)
    wanted = closed(r.frequency[inside], 1 / decay if decay else 0.0)
    ratio = r.h[0, inside] / wanted
    assert np.abs(np.abs(ratio) - 1).max() < 1e-3
    assert np.abs(np.angle(ratio, deg=True)).max() < 0.1
    assert r.coherence is not None and r.coherence[0, inside].min() > 0.999999


@pytest.mark.parametrize("decay", [0.0, 0.5])
def test_modes_are_those_that_were_put_in_whatever_the_exponential(decay: float) -> None:
    force, answer, taps = hits(3)
    random = np.random.default_rng(1)
    answer = answer + 1e-5 * random.standard_normal(len(answer))
    r = of_taps(force, [answer, -2 * answer], FS, taps, 32768, decay=decay)
    found = find_modes(r, 20, 600).modes
    assert len(found) == 3
    for one, (frequency, damping, residue) in zip(found, MODES, strict=True):
        assert one.frequency == pytest.approx(frequency, rel=2e-4)
        assert one.damping == pytest.approx(damping, rel=0.01)
        assert one.constant.real == pytest.approx([residue, -2 * residue], rel=0.01)
        assert one.shape.real == pytest.approx([-0.5, 1.0], abs=0.01)


def running(noise_in: float, noise_out: float, seed: int = 0) -> tuple[list, int, np.ndarray]:
    """White noise through one mode, with noise on either side; the true transfer function."""
    random = np.random.default_rng(seed)
    n = 1 << 19
    x = random.standard_normal(n)
    f = np.fft.rfftfreq(n, 1 / FS)
    h = 1 / (1 - (f / 300) ** 2 + 2j * 0.2 * f / 300)
    y = np.fft.irfft(np.fft.rfft(x) * h)
    x = x + noise_in * random.standard_normal(n)
    y = y + noise_out * random.standard_normal(n)
    return [lambda a, b: x[a:b], lambda a, b: y[a:b]], n, h


@pytest.mark.parametrize("noise_in, noise_out", [(0.0, 0.5), (0.5, 0.0)])
def test_bias_of_h1_and_h2_is_that_of_theory(noise_in: float, noise_out: float) -> None:
    reads, n, _ = running(noise_in, noise_out)
    true = None
    for estimator in ("h1", "h2", "hv"):
        r = of_frames(reads, n, FS, 2048, estimator=estimator)  # type: ignore[arg-type]
        true = 1 / (1 - (r.frequency / 300) ** 2 + 2j * 0.2 * r.frequency / 300)
        inside = (r.frequency > 100) & (r.frequency < 500)
        # At white input the noise's share of each channel is known.
        by_in = 1 + noise_in**2
        by_out = 1 + noise_out**2 / np.abs(true) ** 2
        wanted = {"h1": 1 / by_in, "h2": by_out, "hv": np.sqrt(by_out / by_in)}[estimator]
        ratio = np.abs(r.h[0]) / np.abs(true) / wanted
        assert float(np.median(ratio[inside])) == pytest.approx(1.0, abs=0.01)
    assert r.coherence is not None
    wanted = 1 / (by_in * by_out)
    assert float(np.median((r.coherence[0] / wanted)[inside])) == pytest.approx(1.0, abs=0.02)


def test_the_disc_holds_as_often_as_it_says() -> None:
    held = total = 0
    for seed in range(30):
        reads, _, _ = running(0.0, 1.0, seed)
        r = of_frames(reads, 16 * 1024, FS, 1024, overlap=0.0, taper="rectangular")
        true = 1 / (1 - (r.frequency / 300) ** 2 + 2j * 0.2 * r.frequency / 300)
        inside = (r.frequency > 600) & (r.frequency < 1900)
        held += int((np.abs(r.h[0] - true) < r.disc()[0])[inside].sum())
        total += int(inside.sum())
    assert held / total == pytest.approx(0.95, abs=0.01)


def test_one_frame_has_no_coherence() -> None:
    force, answer, taps = hits(1)
    r = of_taps(force, [answer], FS, taps, 32768)
    assert r.coherence is None and np.isnan(r.disc()).all()


def system(seed: int, snr: float) -> tuple[Response, np.ndarray, np.ndarray]:
    """One to four modes in three answers, others beside the range, and noise."""
    random = np.random.default_rng(seed)
    n = int(random.integers(1, 5))
    f = np.linspace(20, 400, 1200)
    w = 2 * np.pi * f
    while True:
        at = np.sort(random.uniform(26, 380, n))
        damping = 1 / (2 * 10 ** random.uniform(np.log10(20), np.log10(500), n))
        if np.all(np.diff(at) > 1.5 * (2 * damping * at)[1:]):
            break
    h = np.zeros((3, len(f)), complex)
    for one, ratio in zip(at, damping, strict=True):
        w0 = 2 * np.pi * one
        size = random.standard_normal(3)[:, None] * 2 * ratio
        h += size * (-(w**2) / (w0**2 - w**2 + 2j * ratio * w0 * w))
    for w0 in 2 * np.pi * np.array([random.uniform(2, 10), random.uniform(600, 1600)]):
        size = 0.05 * random.standard_normal(3)[:, None]
        h += size * (-(w**2) / (w0**2 - w**2 + 0.02j * w0 * w))
    sd = np.sqrt((np.abs(h) ** 2).mean()) * 10 ** (-snr / 20) * np.ones(h.shape)
    h = h + sd / np.sqrt(2) * (
        random.standard_normal(h.shape) + 1j * random.standard_normal(h.shape)
    )
    r = Response(f, h, np.ones(h.shape), sd**2, 10.0, np.ones(len(f)), 4000, 1000.0, "h1")
    return r, at, damping


def test_random_structures_are_read_and_intervals_hold() -> None:
    held, total = 0, 0
    for seed in range(8):
        r, at, damping = system(seed, (40, 20)[seed % 2])
        found = find_modes(r, 20, 400).modes
        assert len(found) == len(at), f"seed {seed}"
        for one, f, ratio in zip(found, at, damping, strict=True):
            assert abs(one.frequency - f) < 5 * one.frequency_std
            held += abs(one.damping - ratio) < 1.96 * one.damping_std
            total += 1
    assert held / total > 0.85


@pytest.mark.slow
def test_a_thousand_random_structures() -> None:
    right, held, total = 0, 0, 0
    for seed in range(1000):
        r, at, damping = system(seed, (40, 20)[seed % 2])
        found = find_modes(r, 20, 400).modes
        right += len(found) == len(at)
        if len(found) == len(at):
            for one, ratio in zip(found, damping, strict=True):
                held += abs(one.damping - ratio) < 1.96 * one.damping_std
                total += 1
    print(right, held / total)
    assert right >= 990 and 0.92 <= held / total <= 0.97


def test_noise_has_no_modes() -> None:
    for seed in range(8):
        random = np.random.default_rng(seed)
        f = np.linspace(20, 400, 800)
        h = random.standard_normal((2, 800)) + 1j * random.standard_normal((2, 800))
        r = Response(
            f, h, np.ones(h.shape), np.full(h.shape, 2.0), 10.0, np.ones(800), 4000, 1000.0, "h1"
        )
        assert find_modes(r, 20, 400).modes == ()


def test_mac_of_shapes() -> None:
    a = np.array([1.0, 0.5, -0.2])
    assert mac(a, -3j * a) == pytest.approx(1.0)
    assert mac(np.array([1.0, 0.0]), np.array([0.0, 1.0])) == 0.0


def test_where_the_hammer_ends() -> None:
    force, answer, taps = hits(1)
    r = of_taps(force, [answer], FS, taps, 8192)
    # A Gaussian of σ has fallen by 10 dB at f = √(ln 10)/(2πσ).
    wanted = math.sqrt(math.log(10)) / (2 * math.pi * 6e-4)
    assert hammer_reaches(r, 10.0) == pytest.approx(wanted, rel=0.01)


PULSES: dict[str, Any] = {
    "half sine": lambda u: np.sin(np.pi * u),
    "haversine": lambda u: np.sin(np.pi * u) ** 2,
    "sawtooth": lambda u: u * np.minimum(1.0, (1 - u) / 0.08),  # falls within 8 % of it
    "trapezium": lambda u: np.minimum(1.0, np.minimum(u, 1 - u) / 0.15),
    "triangle": lambda u: 1 - np.abs(2 * u - 1),
}


def answers(x: np.ndarray, fine: float, f: float, q: float) -> np.ndarray:
    """Absolute acceleration of a mass on a spring and damper whose foot is accelerated so: its
    equation of motion integrated in steps with the exact solution for straight lines between."""
    from scipy.signal import cont2discrete, lfilter

    w = 2 * np.pi * f
    b, a, _ = cont2discrete(([w / q, w * w], [1, w / q, w * w]), 1 / fine, method="foh")
    return np.asarray(lfilter(b.ravel(), a, x))


@pytest.mark.parametrize("shape", PULSES)
@pytest.mark.parametrize("after", [0.0, 0.25, 6.0])
@pytest.mark.parametrize("before", [0.0, 1.0])
@pytest.mark.parametrize("q", [10.0, 2.0])
def test_shock_spectra_against_the_equation_of_motion(
    shape: str, after: float, before: float, q: float
) -> None:
    """Primary, residual and maxi-max of pulses at whose start the stretch begins or before, and at
    whose end it ends, a little later or long after (in lengths of the pulse)."""
    fs, lasts, finer = 20_000.0, 0.011, 32
    made = PULSES[shape]
    t = np.arange(round((before + 1 + after) * lasts * fs) + 1) / fs
    u = t / lasts - before
    x = 50 * np.where((u >= 0) & (u <= 1), made(np.clip(u, 0, 1)), 0.0)
    found = shock_spectrum(x, fs, q=q, low=20, high=1500, fraction=2)
    assert (found.rest is None) == (before == 0)
    long = np.arange(round(fs * finer * (before + 1) * lasts + fs * finer * 2 / 20)) / fs / finer
    v = long / lasts - before
    foot = 50 * np.where((v >= 0) & (v <= 1), made(np.clip(v, 0, 1)), 0.0)
    # It is over where it has fallen to a hundredth, two of the record's samples on.
    end = (int(np.flatnonzero(np.abs(foot) > 0.5)[-1]) // finer + 2) * finer
    for i, f in enumerate(found.frequency):
        y = np.abs(answers(foot, fs * finer, float(f), q))
        assert found.primary[i] == pytest.approx(y[:end].max(), rel=0.02, abs=0.15), f
        assert found.residual[i] == pytest.approx(y[end:].max(), rel=0.02, abs=0.4), f
        assert found.maximax[i] == pytest.approx(y.max(), rel=0.01, abs=0.15), f


@pytest.mark.parametrize("q, tolerance", [(1e4, 0.002), (10.0, 0.01)])
def test_a_half_sine_s_shock_spectrum(q: float, tolerance: float) -> None:
    fs, lasts, start = 50_000.0, 0.011, 0.01
    t = np.arange(round(0.2 * fs)) / fs
    inside = (t >= start) & (t < start + lasts)
    x = np.where(inside, 100 * np.sin(np.pi * (t - start) / lasts), 0.0)
    found = shock_spectrum(x, fs, q=q, low=10, high=2000)
    fine = np.linspace(0, 0.4, 400_001)
    for f, most in list(zip(found.frequency, found.maximax, strict=True))[::10]:
        # Absolute acceleration of the mass, by the convolution of pulse and answer.
        w, damping = 2 * np.pi * f, 1 / (2 * q)
        swing = w * math.sqrt(1 - damping**2)
        dt = fine[1]
        pulse = np.where(fine < lasts, 100 * np.sin(np.pi * fine / lasts), 0.0)
        ring = np.exp(-damping * w * fine) * (
            2 * damping * w * np.cos(swing * fine)
            + w**2 * (1 - 2 * damping**2) / swing * np.sin(swing * fine)
        )
        size = 1 << 20
        answer = np.fft.irfft(np.fft.rfft(pulse, size) * np.fft.rfft(ring, size))[: len(fine)] * dt
        assert most == pytest.approx(np.abs(answer).max(), rel=tolerance)


def test_what_is_asked_is_checked() -> None:
    assert over("m/s²", "N") == "(m/s²)/N" and over("V", "V") == "1"
    assert shown("receptance", "m/s²", "N") == (-2, 1.0, "m/N")
    power, factor, symbol = shown("mobility", "g", "N")
    assert (power, symbol) == (-1, "(m/s)/N") and factor == pytest.approx(9.80665)
    with pytest.raises(UserError, match="needs a reference"):
        shock_free = FrfSettings(None, hits=False)
        shock_free.check(_signal())
    with pytest.raises(UserError, match="no channel 8"):
        FrfSettings(7).check(_signal())
    with pytest.raises(UserError, match="cannot be fitted"):
        FrfSettings(0, low=500.0, high=100.0).check(_signal())


def _signal():  # type: ignore[no-untyped-def]
    from tests.support import recording

    from tonecomb.core.steps.prepare import prepare

    return prepare(recording(np.zeros(1000), np.zeros(1000), fs=1000.0), ())
