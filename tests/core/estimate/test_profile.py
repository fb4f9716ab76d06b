"""A test spectrum: what it asks for, where a record is off, and what cannot be judged."""

from __future__ import annotations

import math

import numpy as np
import pytest
from tests.support import recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.profile import Profile, parsed
from tonecomb.core.method.method import Method
from tonecomb.core.results.levels import ProfileReading, profile_reading
from tonecomb.core.results.search import run
from tonecomb.formats import readings

FS, N, G = 8192.0, 1 << 19, 9.80665
CHANCE = np.random.default_rng(10)
POINTS = ((20.0, 0.01), (80.0, 0.04), (350.0, 0.04), (2000.0, 0.007))
"""Hz, g²/Hz."""


def shaped() -> np.ndarray:
    """Noise in m/s² whose density is the points'."""
    f = np.fft.rfftfreq(N, 1 / FS)
    inside = (f >= 15) & (f <= 2500)
    density = np.zeros(len(f))
    logs = np.log(np.array(POINTS)).T
    density[inside] = np.exp(np.interp(np.log(f[inside]), *logs)) * G**2
    spread = CHANCE.standard_normal((2, len(f)))
    bins = (spread[0] + 1j * spread[1]) / math.sqrt(2) * np.sqrt(density * FS * N / 2)
    return np.asarray(np.fft.irfft(bins, N))


NOISE = shaped()


def held(x: np.ndarray, profile: Profile, symbol: str = "m/s²") -> ProfileReading:
    made = recording(x, fs=FS, unit=symbol)
    found = profile_reading(run(Method.of(frame=2048, profile=profile), made))
    assert found is not None
    return found


def test_what_it_asks_for_is_its_integral() -> None:
    f = np.geomspace(20, 2000, 200_001)
    wanted = math.sqrt(float(np.trapezoid(Profile(POINTS).density(f), f)))
    assert Profile(POINTS).rms == pytest.approx(wanted, rel=1e-6)
    falls = Profile(((10.0, 1.0), (1000.0, 0.01)))  # as 1/f, whose integral is a logarithm
    assert falls.rms == pytest.approx(math.sqrt(10 * math.log(100)))


@pytest.mark.parametrize(("symbol", "size"), [("m/s²", 1.0), ("g", 1 / G)])
def test_noise_of_that_density_is_within(symbol: str, size: float) -> None:
    found = held(size * NOISE, Profile(POINTS, "g"), symbol)
    assert found.rms == pytest.approx(found.asked, rel=0.02) and found.unit == "g"
    assert not found.breaches and found.words.endswith("within its tolerances")


def test_what_is_off_is_listed_by_frequency() -> None:
    """A notch of 8 dB at 500 to 560 Hz and a line at 1200 Hz."""
    bins = np.fft.rfft(NOISE)
    f = np.fft.rfftfreq(N, 1 / FS)
    bins[(f > 500) & (f < 560)] *= 10 ** (-8 / 20)
    x = np.fft.irfft(bins, N) + 10 * np.cos(2 * np.pi * 1200 * np.arange(N) / FS)
    found = held(x, Profile(POINTS, "g"))
    low, line = found.breaches
    assert 495 < low.low < 510 and 550 < low.high < 565 and low.off == pytest.approx(-8, abs=1.5)
    assert line.at == pytest.approx(1200, abs=2) and line.off > 5
    assert "−" in found.words and "at 1200 Hz" in found.words
    wide = held(x, Profile(POINTS, "g", below=9.5, above=3.0))
    assert [one.at for one in wide.breaches] == [line.at]


@pytest.mark.parametrize(
    ("profile", "why"),
    [
        (Profile(((20.0, 1.0), (4000.0, 1.0))), "sure up to 3276.8 Hz only"),
        (Profile(((2.0, 1.0), (400.0, 1.0))), "frames of this length"),
        (Profile(((20.0, 1.0), (400.0, 1.0)), "Pa"), "cannot be converted"),
    ],
)
def test_what_is_not_covered_is_not_judged(profile: Profile, why: str) -> None:
    found = held(NOISE, profile)
    assert why in found.why_not and not found.breaches and "not judged" in found.words


def test_in_all_that_is_written() -> None:
    done = tonecomb.analyse(
        recording(NOISE, fs=FS, unit="m/s²"),
        Method.of(frame=2048, profile=Profile(((20.0, 0.1), (2000.0, 0.1)), "g")),
    )
    told = done.values()["test_spectrum"]
    assert told["rms"] < told["asked_rms"] and told["breaches"][-1]["off_db"] < -3
    (table,) = readings.breaches(done.analysis)
    assert [row["at_hz"] for row in table.values()] == [one["at_hz"] for one in told["breaches"]]
    assert "test spectrum: " in done.text()


@pytest.mark.parametrize("text", ["g:20=0.01,80=0.04:3,6", ":1=2,3=4", "m/s²:1=1e-3,2=5"])
def test_as_text(text: str) -> None:
    assert parsed(parsed(text).text) == parsed(text)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "g",
        "g:1",
        "g:1=2",
        "g:2=1,1=1",
        "g:1=0,2=1",
        "g:1=1,2=1:x",
        "g:1=1,2=1:0,3",
        "furlong:1=1,2=1:3,3:4",
    ],
)
def test_what_is_no_test_spectrum_says_so(text: str) -> None:
    with pytest.raises(UserError):
        parsed(text)
