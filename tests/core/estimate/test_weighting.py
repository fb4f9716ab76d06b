"""Weightings against the tables of their standards, and sums of bands against bins."""

from __future__ import annotations

import math

import numpy as np
import pytest
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.weighting import WEIGHTINGS, check, fitting, weight
from tonecomb.core.method.method import Method
from tonecomb.core.results.search import run

# IEC 61672-1:2013, table 3: Hz (nominal), dB A, dB C.
SOUND = [
    (10, -70.4, -14.3),
    (20, -50.5, -6.2),
    (31.5, -39.4, -3.0),
    (63, -26.2, -0.8),
    (100, -19.1, -0.3),
    (250, -8.6, 0.0),
    (500, -3.2, 0.0),
    (1000, 0.0, 0.0),
    (2000, 1.2, -0.2),
    (4000, 1.0, -0.8),
    (8000, -1.1, -3.0),
    (16000, -6.6, -8.5),
    (20000, -9.3, -11.2),
]
# ISO 2631-1:1997, table 3: Hz (nominal), Wk, Wd, in thousandths. Its values of one-third octaves
# and the transfer functions of ISO 8041-1 agree within the 2 % that are asked of the functions.
FELT = [
    (0.5, 418, 853),
    (0.8, 477, 992),
    (1, 482, 1011),
    (1.6, 494, 968),
    (2, 531, 890),
    (3.15, 804, 642),
    (4, 967, 512),
    (5, 1039, 409),
    (6.3, 1054, 323),
    (8, 1036, 253),
    (12.5, 902, 161),
    (20, 636, 100),
    (31.5, 405, 63.2),
    (50, 246, 38.8),
    (80, 132, 21.1),
]


def exact(nominal: float) -> float:
    """The exact mid-band frequency of a one-third octave."""
    return float(10 ** (round(10 * math.log10(nominal)) / 10))


@pytest.mark.parametrize(("hz", "a", "c"), SOUND)
def test_sound_is_weighted_as_the_standard_says(hz: float, a: float, c: float) -> None:
    f = np.array([exact(hz)])
    assert 20 * math.log10(weight("A", f)[0]) == pytest.approx(a, abs=0.06)
    assert 20 * math.log10(weight("C", f)[0]) == pytest.approx(c, abs=0.06)


@pytest.mark.parametrize(("hz", "wk", "wd"), FELT)
def test_what_people_feel_is_weighted_as_the_standard_says(hz: float, wk: float, wd: float) -> None:
    f = np.array([exact(hz)])
    assert 1000 * weight("Wk", f)[0] == pytest.approx(wk, rel=0.02)
    assert 1000 * weight("Wd", f)[0] == pytest.approx(wd, rel=0.02)


@pytest.mark.parametrize(
    ("hz", "wm"),
    [
        (1, 0.833),
        (1.6, 0.934),
        (2.5, 0.910),
        (4, 0.818),
        (6.3, 0.669),
        (10, 0.494),
        (16, 0.337),
        (25, 0.220),
        (40, 0.140),
        (80, 0.0604),
    ],
)
def test_buildings_are_weighted_as_the_standard_says(hz: float, wm: float) -> None:
    """ISO 2631-2:2003, table A.1."""
    assert weight("Wm", np.array([exact(hz)]))[0] == pytest.approx(wm, rel=0.005)


@pytest.mark.parametrize(
    ("key", "symbol"), [("A", "m/s²"), ("Wk", "Pa"), ("Wk", "mm/s"), ("B", "Pa")]
)
def test_what_does_not_fit_says_what_does(key: str, symbol: str) -> None:
    with pytest.raises(UserError) as raised:
        check(key, symbol)
    for one in fitting(symbol) if key in WEIGHTINGS else ():
        assert one.key in raised.value.text
    assert "choose" in raised.value.text


def test_bands_and_bins_agree_for_pink_noise() -> None:
    """Weighted overall: the sum of the 1/3-octaves, that of the plain spectrum, and the density of
    the noise integrated against |H|², within 0.1 dB. A tone keeps its plain peak."""
    fs, n = 48_000.0, 1 << 20
    chance = np.random.default_rng(9)
    f = np.fft.rfftfreq(n, 1 / fs)
    shape = np.where((f > 15) & (f < 22_000), 1 / np.sqrt(np.maximum(f, 1)), 0)
    x = np.fft.irfft(shape * np.exp(2j * np.pi * chance.random(len(f))), n)
    x += 1e-4 * np.sqrt(2) * np.cos(2 * np.pi * 100.0 * np.arange(n) / fs)
    made = recording(x, fs=fs, unit="Pa")
    method = Method.of(frame=16_384, display=Display(weighting="A"), level="rms")
    plain = run(method, made)
    octaves = Display(weighting="A", drawn="octave", bands=3)
    bands = plain.displayed(method.having(display=octaves).shown).curve.values
    told = math.sqrt(float((bands**2).sum()))
    power = 2 * np.abs(np.fft.rfft(x)) ** 2 / n**2
    wanted = math.sqrt(float((power * weight("A", f) ** 2).sum()))
    for level in (told, plain.rms, plain.band_level(0, fs / 2)):
        assert 20 * math.log10(level / wanted) == pytest.approx(0, abs=0.1)
    peak = min(plain.peaks or (), key=lambda one: abs(one.tone.frequency - 100.0))
    assert plain.amplitude(peak)[0] == pytest.approx(1e-4, rel=0.05)
    assert "weighted by A" in plain.sentence and "weighted by A" in plain.label(decibels=True)
