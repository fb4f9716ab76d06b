"""The same estimate as velocity, against another reference, in bands, as a running total."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.bands import FRACTIONS, G
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.method import Method, Shown
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run
from tonecomb.formats import readings

FS, N = 1000.0, 16_000
NOISE = np.random.default_rng(4).normal(size=N)


def shown(x: np.ndarray, unit: str, display: Display, **settings: object) -> Analysis:
    method = Method.of(frame=2000, display=display, **settings)  # type: ignore[arg-type]
    return run(method, recording(x, fs=FS, unit=unit))


@pytest.mark.parametrize(
    ("unit", "quantity", "wanted", "symbol", "turn"),
    [
        ("m/s²", "Velocity", 2.0 / (2 * np.pi * 40) * 1e3, "mm/s", -90),
        ("g", "Displacement", 2.0 * 9.80665 / (2 * np.pi * 40) ** 2 * 1e6, "µm", -180),
        ("mm/s", "Acceleration", 2.0e-3 * (2 * np.pi * 40), "m/s²", 90),
        ("mm", "Velocity", 2.0 * (2 * np.pi * 40), "mm/s", 90),
        ("m/s²", "Acceleration", 2.0, "m/s²", 0),
    ],
)
def test_a_tone_as_another_quantity(
    unit: str, quantity: str, wanted: float, symbol: str, turn: float
) -> None:
    """Amplitude and phase of the integral or derivative of a cosine, by hand."""
    x = tone(N, 40, 1000, 2.0, phase=0.3) + 1e-4 * NOISE
    a = shown(x, unit, Display(quantity), level="peak")
    (peak,) = [p for p in a.peaks or () if abs(p.tone.frequency - 40) < 0.1]
    assert a.amplitude(peak)[0] == pytest.approx(wanted, rel=1e-4)
    assert a.amplitude_unit == f"{symbol} peak"
    away = peak.tone.phase_deg - np.degrees(0.3) - turn
    assert (away + 180) % 360 - 180 == pytest.approx(0, abs=0.1)
    assert a.curve.at(40.0) == pytest.approx(wanted, rel=1e-3), "the curve shows the same"
    if turn:
        assert (
            f"{quantity.lower()} amplitude from 1 Hz · {symbol} peak".replace(" · ", ", ")
            in a.sentence
        )


def test_nothing_below_the_low_cut() -> None:
    a = shown(tone(N, 3, 1000) + tone(N, 60, 1000), "m/s²", Display("Velocity", low_cut=10.0))
    assert [round(p.tone.frequency) for p in a.peaks or ()] == [60]
    frequency, values = a.spectrum.frequency, a.curve.values
    assert (values[frequency < 10] == 0).all()
    assert (values[frequency >= 10] > 0).all()


def test_a_typed_reference() -> None:
    a = shown(tone(N, 50, 1000, np.sqrt(2)), "g", Display(reference=0.01))
    assert a.decibels(np.array([a.curve.at(50.0)]))[0] == pytest.approx(40.0, abs=1e-6)
    assert a.label(decibels=True) == "Acceleration, dB re 0.01 g rms"
    assert a.sentence.endswith("amplitude, g rms, dB re 0.01 g")


@given(
    drawn=st.sampled_from([("octave", n) for n in FRACTIONS] + [("decade", n) for n in (1, 10, 40)])
)
def test_bands_hold_the_power_of_their_bins(drawn: tuple[str, int]) -> None:
    """White noise: every band's rms is the root of its width times the density; the densities
    are flat; and a band's power is the sum over its bins, counted another way."""
    kind, number = drawn
    display = Display(drawn=kind, bands=number)  # type: ignore[arg-type]
    a = shown(NOISE, "V", display)
    edges, rms = a.curve.frequency, a.curve.values
    ratio = G ** (1 / number) if kind == "octave" else 10 ** (1 / number)
    np.testing.assert_allclose(edges[1:] / edges[:-1], ratio)
    assert edges[-1] <= 500.0
    assert np.diff(edges).min() >= 0.5, "not narrower than a bin"
    assert edges[-1] * ratio > 500.0, "as far as bands go"
    psd = replace(a, method=a.method.having(scaling="psd")).displayed(Shown("psd", "rms", display))
    np.testing.assert_allclose(psd.curve.values * np.diff(edges), rms**2)
    fine = np.linspace(0, 500, 500_001)  # the staircase of the density, cut finely
    density = a.spectrum.values("psd", "rms")[np.round(fine / 0.5).astype(int)]
    for (low, high), value in zip(pairwise(edges), rms, strict=True):
        inside = (fine >= low) & (fine < high)
        assert value**2 == pytest.approx(density[inside].sum() * 1e-3, rel=0.01)


def test_the_running_total_ends_at_the_rms() -> None:
    a = shown(NOISE + tone(N, 100, 1000, 4.0), "V", Display(drawn="total"), scaling="psd")
    values = a.curve.values
    assert values[-1] ** 2 == pytest.approx(a.levels.whole)
    assert values[-1] == pytest.approx(a.spectrum.rms, rel=1e-3)
    assert (np.diff(values) >= 0).all()
    step = values[int(105 / 0.5)] ** 2 - values[int(95 / 0.5)] ** 2
    assert step == pytest.approx(8.0, rel=0.05), "the tone's mean square"
    assert a.label(decibels=False) == "Voltage, V rms, running total"


def test_bands_as_csv() -> None:
    a = shown(NOISE, "V", Display(drawn="octave", bands=1), scaling="psd")
    lines = readings.spectrum(a).csv().split("\r\n")
    assert lines[2] == "from [Hz],to [Hz],octave bands [(V)²/Hz]"
    low, high, value = (float(cell) for cell in lines[-2].split(","))
    assert (low, high) == pytest.approx((177.828, 354.813), rel=1e-5)
    assert value == pytest.approx(2 / FS, rel=0.1)


@pytest.mark.parametrize(
    ("unit", "display", "sentence"),
    [
        ("V", Display("Velocity"), "Voltage in V cannot be shown as velocity"),
        ("m/s²", Display("Velocity", low_cut=0.0), "low cut of 0 Hz"),
        ("V", Display(reference=-1.0), "decibel reference of -1"),
        ("V", Display(drawn="octave", bands=5), "1/5 octave"),
        ("V", Display(drawn="decade", bands=0), "0 bands a decade"),
    ],
)
def test_what_cannot_be_shown_is_said(unit: str, display: Display, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        shown(NOISE, unit, display)
