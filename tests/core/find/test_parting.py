"""Tones within a frame's line of each other: both with their figures, or none; one stays one."""

from __future__ import annotations

import math
import re
from collections.abc import Callable

import numpy as np
import pytest
from tests.support import recording

import tonecomb
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run

FS, FRAME = 4096.0, 1024
HZ = FS / FRAME


def record(seed: int, tones: list[tuple[float, float]], n: int, snr_db: float) -> Array:
    """Tones by frequency and peak amplitude, and noise so far below the first."""
    rng, t = np.random.default_rng(seed), np.arange(n) / FS
    x = math.sqrt(0.5) * 10 ** (-snr_db / 20) * rng.standard_normal(n)
    for f, a in tones:
        x += a * np.cos(2 * np.pi * f * t + rng.uniform(0, 6))
    return x


def analysed(x: Array) -> Analysis:
    return run(Method.of(frame=FRAME), recording(x, fs=FS))


@pytest.mark.parametrize("gap", [0.3, 1.0, 2.5])
@pytest.mark.parametrize("ratio_db", [0.0, 20.0])
def test_pairs_are_both_there_with_intervals_that_hold(gap: float, ratio_db: float) -> None:
    """At any place down to the third bin, for 6 to 25 frames and 20 to 60 dB over the noise."""
    held = trials = 0
    for seed in range(8):
        rng = np.random.default_rng(seed)
        place = 3.0 if seed == 0 else rng.uniform(3, FRAME / 2 - 8)
        put = [(place * HZ, 1.0), ((place + gap) * HZ, 10 ** (-ratio_db / 20))]
        n = FRAME * int(rng.choice([7, 13, 26])) // 2
        peaks = analysed(record(seed, put, n, float(rng.choice([20, 40, 60])))).peaks or ()
        assert len(peaks) == 2, (seed, gap)
        for peak, (f, a) in zip(peaks, put, strict=True):
            tone = peak.tone
            assert tone.steady and tone.frequency == pytest.approx(f, abs=5 * tone.frequency_std)
            held += abs(tone.frequency - f) < 1.96 * tone.frequency_std
            held += abs(tone.amplitude - a) < 1.96 * tone.amplitude_std
            trials += 2
    assert held >= 0.85 * trials  # of 95 % of 32


def test_both_of_a_pair_have_their_phase_at_the_start() -> None:
    t = np.arange(9 * FRAME) / FS
    put = [(40.2, 1.0, 0.5), (41.3, 0.7, -1.2)]
    x = sum(a * np.cos(2 * np.pi * place * HZ * t + phase) for place, a, phase in put)
    x += 0.01 * np.random.default_rng(4).standard_normal(len(t))
    peaks = analysed(np.asarray(x)).peaks or ()
    for peak, (_, _, phase) in zip(peaks, put, strict=True):
        std = peak.tone.phase_std_deg
        assert std < 1
        assert peak.tone.phase_deg == pytest.approx(math.degrees(phase), abs=4 * std)


T = np.arange(16 * FRAME) / FS
CHANCE = np.random.default_rng(5)
WALK = np.cumsum(0.02 * CHANCE.standard_normal(len(T)))
ONES: dict[str, Callable[[float], Array]] = {
    "steady": lambda f: np.cos(2 * np.pi * f * T),
    "drift": lambda f: np.cos(2 * np.pi * (f * T + 0.6 * T**2)),
    "wander": lambda f: np.cos(2 * np.pi * f * T + 6 * np.sin(2 * np.pi * 0.7 * T)),
    "phase walk": lambda f: np.cos(2 * np.pi * f * T + WALK),
    "decay": lambda f: np.exp(-T) * np.cos(2 * np.pi * f * T),
    "gate": lambda f: ((T > 1) & (T < 2.2)) * np.cos(2 * np.pi * f * T),
    "step": lambda f: np.cos(2 * np.pi * (f * T + 2 * np.maximum(T - 2, 0))),
    "phase jump": lambda f: np.cos(2 * np.pi * f * T + 2.0 * (T > 2)),
    "modulated": lambda f: (1 + 0.5 * np.cos(2 * np.pi * 1.3 * T)) * np.cos(2 * np.pi * f * T),
}


@pytest.mark.parametrize("kind", ONES)
def test_one_tone_is_not_parted(kind: str) -> None:
    for seed, place in enumerate((3.0, 40.3, 222.7)):
        x = ONES[kind](place * HZ) + 0.01 * np.random.default_rng(seed).standard_normal(len(T))
        near = [one for one in analysed(x).peaks or () if abs(one.tone.frequency / HZ - place) < 4]
        assert len(near) <= 1 + (kind == "step")
        if kind in ("steady", "modulated"):
            assert near[0].tone.frequency == pytest.approx(
                place * HZ, abs=4 * near[0].tone.frequency_std
            )


def test_two_shafts_are_no_family_that_moves_and_no_noise() -> None:
    rng, t = np.random.default_rng(1), np.arange(20_000) / 1000
    x = np.cos(2 * np.pi * 24.9 * t) + 0.8 * np.cos(2 * np.pi * 24.6 * t + 1)
    done = tonecomb.analyse(recording(x + 0.01 * rng.standard_normal(len(t)), fs=1000.0))
    short = done.values()["in_short"]
    assert all(one.startswith("Single tone: ") for one in short[1:])
    places = sorted(float(re.findall(r"[\d.]+", one)[0]) for one in short[1:])
    assert places == pytest.approx([24.6, 24.9], abs=1e-3)
    told = {one.code: one.text for one in done.cautions}
    assert set(told) == {"unresolved"} and "24.6 and 24.9 Hz are 0.3 Hz apart" in told["unresolved"]


def test_the_record_decides_and_not_the_frame() -> None:
    """50 and 60 Hz in frames whose line is wider than that."""
    t = np.arange(3000) / 1000
    x = 0.3 * (np.cos(2 * np.pi * 50 * t) + np.cos(2 * np.pi * 60 * t + 2))
    x += 0.003 * np.random.default_rng(2).standard_normal(len(t))
    done = tonecomb.analyse(recording(x, fs=1000.0))
    peaks = done.analysis.peaks or ()
    assert [round(one.tone.frequency, 2) for one in peaks] == [50.0, 60.0]
    assert done.values()["in_short"][0].startswith("0.2998 m/s² rms over the stretch: 100 %")


def test_what_cannot_be_parted_has_an_interval_that_covers_it() -> None:
    """Two tones of which one wanders: neither figure is claimed to digits that neither has."""
    t = np.arange(8 * FRAME) / FS
    x = np.cos(2 * np.pi * 400 * t) + 0.7 * np.cos(2 * np.pi * 402.5 * t + 3 * np.sin(9 * t))
    x += 0.01 * np.random.default_rng(2).standard_normal(len(t))
    for peak in analysed(x).peaks or ():
        tone = peak.tone
        near = min(abs(tone.frequency - f) for f in (400.0, 402.5))
        assert near < 3 * tone.frequency_std + 0.2 or not tone.steady
