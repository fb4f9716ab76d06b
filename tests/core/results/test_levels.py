"""Levels of lines and of what is between them, against closed forms."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pytest
from tests.support import recording

from tonecomb.core.estimate.averages import Median
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.method import Method
from tonecomb.core.record.windows import window
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run
from tonecomb.core.results.zones import Limit, Zone

FS = 51_200.0
BINS = (2.0, 2.31, 2.67, 3.0, 3.5, 4.72, 6.5, 7.95, 12.49, 20.0)
SIZES = {"Velocity": 1e3, "Displacement": 1e6}  # mm and µm a metre
CHANCE = np.random.default_rng(35)


def analysed(x: Any, frame: int, display: Display, fs: float = FS, **settings: Any) -> Analysis:
    """What is found in samples of acceleration."""
    made = recording(x, fs=fs, unit="m/s²")
    return run(Method.of(frame=frame, display=display, **settings), made)


@pytest.mark.parametrize("frame", [1024, 8192, 65_536])
@pytest.mark.parametrize("quantity", ["Velocity", "Displacement"])
def test_the_level_of_a_tone_is_that_of_its_frequency(quantity: str, frame: int) -> None:
    """However few bins it lies from zero: its closed form to 0.5 %, in a band and overall."""
    order = list(SIZES).index(quantity) + 1
    t = np.arange(max(2 * round(FS), 4 * frame)) / FS
    for bins in BINS:
        f = bins * FS / frame
        x = np.sqrt(2) * np.cos(2 * np.pi * f * t + CHANCE.uniform(0, 6.28))
        noise = 1e-4 * CHANCE.standard_normal(len(t))
        found = analysed(x + noise, frame, Display(quantity))
        wanted = SIZES[quantity] / (2 * np.pi * f) ** order
        assert found.band_level(0.9 * f, 1.1 * f) == pytest.approx(wanted, rel=5e-3), bins
        assert found.band_level(f / 1.001, 1000 * f) == pytest.approx(wanted, rel=5e-3), bins
        assert found.rms == pytest.approx(wanted, rel=5e-3), bins
        assert found.band_level(1.01 * f, 1.05 * f) < 0.01 * wanted, "none of it beyond"
        octaves = Display(quantity, drawn="octave", bands=3)
        found = found.displayed(Method.of(display=octaves).shown)
        if (narrow := found.curve.at(f)) == narrow:  # a band that is as wide as a bin
            assert narrow == pytest.approx(wanted, rel=5e-3), bins


@pytest.mark.parametrize("window", ["rectangular", "hamming", "blackman-harris", "kaiser:8.6"])
def test_what_a_window_leaks_is_not_integrated(window: str) -> None:
    """A strong tone at 700 Hz, and a slow one whose displacement is as large."""
    t = np.arange(200_000) / 10_240.0
    high = 100 * np.sqrt(2) * np.cos(2 * np.pi * 700.3 * t)
    low = 100 * (13.3 / 700.3) ** 2 * np.sqrt(2) * np.cos(2 * np.pi * 13.3 * t + 1)
    noise = 1e-3 * CHANCE.standard_normal(len(t))
    display = Display("Displacement")
    found = analysed(high + low + noise, 4096, display, 10_240.0, window=window)
    each = 100e6 / (2 * np.pi * 700.3) ** 2
    assert found.band_level(500, 1000) == pytest.approx(each, rel=0.005)
    if window != "rectangular":  # under which the slow one is no peak
        assert found.band_level(10, 20) == pytest.approx(each, rel=0.01)
        assert found.rms == pytest.approx(each * math.sqrt(2), rel=0.02)


@pytest.mark.parametrize("quantity", ["Velocity", "Displacement"])
def test_the_level_of_noise_is_its_integral(quantity: str) -> None:
    """White noise of density s from 50 to 500 Hz: ∫ s/ω² df and ∫ s/ω⁴ df."""
    fs, rms = 4096.0, 2.0
    x = rms * CHANCE.standard_normal(1 << 20)
    found = analysed(x, 4096, Display(quantity), fs)
    power = 2 * (list(SIZES).index(quantity) + 1)
    density = rms**2 / (fs / 2) / (2 * np.pi) ** power
    whole = density * (50.0 ** (1 - power) - 500.0 ** (1 - power)) / (power - 1)
    assert found.band_level(50, 500) == pytest.approx(SIZES[quantity] * math.sqrt(whole), rel=0.01)


def test_a_line_is_on_one_side_of_a_limit() -> None:
    """A tenth of a bin inside a band, and as far outside."""
    t = np.arange(100_000) / 5120.0
    x = np.sqrt(2) * np.cos(2 * np.pi * 100.0 * t) + 1e-3 * CHANCE.standard_normal(len(t))
    found = analysed(x, 2048, Display(), 5120.0)
    assert found.band_level(99.75, 400) == pytest.approx(1.0, rel=2e-3)
    assert found.band_level(100.25, 400) < 0.05
    assert found.band_level(0, 100.25) == pytest.approx(1.0, rel=2e-3)


def test_a_shaft_that_breathes_keeps_its_power() -> None:
    """16.7 Hz that wander by 2 %, less than a bin: velocity as of its middle frequency, where a
    window's bins by themselves say 3 % more and displacement 29 %."""
    t = np.arange(4 * round(FS)) / FS
    phase = 2 * np.pi * 16.7 * (t + 0.02 / (2 * np.pi * 0.7) * np.sin(2 * np.pi * 0.7 * t))
    x = np.sqrt(2) * np.cos(phase) + 1e-4 * CHANCE.standard_normal(len(t))
    velocity = analysed(x, 8192, Display("Velocity"))
    assert velocity.band_level(10, 1000) == pytest.approx(1e3 / (2 * np.pi * 16.7), rel=0.01)
    displacement = velocity.displayed(Method.of(display=Display("Displacement")).shown)
    assert displacement.rms == pytest.approx(1e6 / (2 * np.pi * 16.7) ** 2, rel=0.02)


def test_modes_below_one_hertz_are_in_the_displacement() -> None:
    """Without a chosen low cut it begins at half of the lowest thing that is found, and says so."""
    fs = 50.0
    t = np.arange(round(3600 * fs)) / fs
    x = 0.01 * np.sqrt(2) * np.cos(2 * np.pi * 0.31 * t) + 1e-4 * CHANCE.standard_normal(len(t))
    found = analysed(x, 8192, Display("Displacement"), fs)
    assert found.rms == pytest.approx(0.01e6 / (2 * np.pi * 0.31) ** 2, rel=0.01)
    assert found.display.cut == pytest.approx(0.155, abs=0.006)
    assert f"from {found.display.cut:g} Hz" in found.sentence
    chosen = analysed(x, 8192, Display("Displacement", low_cut=1.0), fs)
    assert chosen.rms < 0.02 * found.rms and "from 1 Hz" in chosen.sentence


def test_levels_come_from_the_mean_whatever_is_drawn() -> None:
    """A median raises a tone's bins by 1.5 dB, and a maximum all of them."""
    t = np.arange(100_000) / 5120.0
    x = np.sqrt(2) * np.cos(2 * np.pi * 123.0 * t) + 0.3 * CHANCE.standard_normal(len(t))
    mean = analysed(x, 2048, Display("Velocity"), 5120.0)
    found = analysed(x, 2048, Display("Velocity"), 5120.0, average=Median())
    assert found.rms == pytest.approx(mean.rms, rel=1e-3)
    assert found.band_level(100, 150) == pytest.approx(mean.band_level(100, 150), rel=1e-3)
    assert found.values.max() > 1.1 * mean.values.max()
    limit = Limit("x", "band", (Zone("A", 1.0),), 100, 150)
    assert limit.judge(found).value == pytest.approx(limit.judge(mean).value, rel=1e-3)


def test_lines_are_parted_where_they_are_looked_for() -> None:
    """Beside the window, not when a page of it is drawn; to the same figures."""
    t = np.arange(40_000) / 5120.0
    x = np.cos(2 * np.pi * 123.4 * t) + 0.1 * CHANCE.standard_normal(len(t))
    found = analysed(x, 2048, Display(), 5120.0)
    assert found.found is not None and found.found.content is found.content
    anew = found.found.content_of(found.estimate, window("hann"))
    assert anew.whole == found.content.whole and len(anew.frequency) == 1
