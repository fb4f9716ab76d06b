"""Made recordings: samples against formulas written down again here, noise against statistics, and
readings against what was put in."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np
import pytest
import scipy.signal as other
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import read_all

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import default_method
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.truth import folded
from tonecomb.core.results.against_truth import compared
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.synthesis.hits import Hits, RungMode, parsed
from tonecomb.core.synthesis.low_pass import SamplingLowPass
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.noise import SEGMENT, Noise
from tonecomb.core.synthesis.part import Conditions, Part
from tonecomb.core.synthesis.sampling import MOST_SAMPLES, Sampling
from tonecomb.core.synthesis.starters import STARTERS, starter
from tonecomb.core.synthesis.table import PARTS
from tonecomb.core.synthesis.tones import Sweep, Teeth, Tone
from tonecomb.core.synthesis.waves import Pulses, Square, Triangle

FS, N = 1000.0, 4000
T = np.arange(N) / FS
TAU = 2 * np.pi


def samples(*parts: Part, **how: Any) -> np.ndarray:
    return read_all(made(*parts, **how).recording("a"))


def made(*parts: Part, rate: float = FS, samples: int = N, seed: int = 1, **how: Any) -> Made:
    return Made("made", parts=parts, sampling=Sampling(rate, samples, **how), seed=seed)


def teeth_phases(part: Teeth) -> np.ndarray:
    """What is random about a comb is known where its condition is."""
    return part.phases(made(part).conditions(0))


def comb(part: Teeth, time: np.ndarray) -> np.ndarray:
    return sum(  # type: ignore[no-any-return]
        10 ** (-part.roll_off * np.log2(n) / 20) * np.cos(TAU * n * part.frequency * time + phase)
        for n, phase in enumerate(teeth_phases(part), start=1)
    )


def rung(onsets: np.ndarray, f: float, damping: float) -> np.ndarray:
    w = TAU * f
    total = np.zeros(N)
    for onset in onsets:
        s = np.maximum(T - onset, 0)
        total += np.exp(-damping * w * s) * np.sin(w * math.sqrt(1 - damping**2) * s)
    return total


WARPED = T + 0.02 / (TAU * 3) * np.sin(TAU * 3 * T)
FORMULAS: list[tuple[Part, Callable[[], np.ndarray]]] = [
    (Tone(61.8, 2.0, "rms", 30.0), lambda: 8**0.5 * np.cos(TAU * 61.8 * T + np.pi / 6)),
    (Tone(741.3, 1.5), lambda: 1.5 * np.cos(TAU * (FS - 741.3) * T)),
    (
        Tone(61.8, am=40.0, am_rate=3.0),
        lambda: np.cos(TAU * 61.8 * T) * (1 + 0.4 * np.cos(TAU * 3 * T)),
    ),
    (
        Tone(61.8, fm=2.0, fm_rate=3.0),
        lambda: np.cos(TAU * 61.8 * T + 0.02 * 61.8 / 3 * np.sin(TAU * 3 * T)),
    ),
    (
        Tone(61.8, start=1.0, end=2.5),
        lambda: np.where((T >= 1) & (T < 2.5), np.cos(TAU * 61.8 * T), 0),
    ),
    (Sweep(8.0, 24.0), lambda: np.cos(TAU * (8 * T + 2 * T**2))),
    (
        Sweep(24.0, 8.0, "logarithmic"),
        lambda: np.cos(TAU * 24 * 4 / np.log(3) * (1 - 3.0 ** (-T / 4))),
    ),
    (Sweep(8.0, 24.0, "quadratic"), lambda: np.cos(TAU * (8 * T + T**3 / 3))),
    (
        Sweep(8.0, 24.0, start=1.0, end=3.0),
        lambda: np.where((T >= 1) & (T < 3), np.cos(TAU * (8 * (T - 1) + 4 * (T - 1) ** 2)), 0),
    ),
    (
        Square(10.3, 1.5, 30.0, 40.0),
        lambda: 1.5 * other.square(TAU * (10.3 * T + 40 / 360 + 0.15), 0.3),
    ),
    (
        Triangle(10.3, 1.5, 40.0),
        lambda: 1.5 * other.sawtooth(TAU * (10.3 * T + 40 / 360 + 0.5), 0.5),
    ),
    (
        Pulses(10.3, 2.0, width=5.0),
        lambda: 1 + other.square(TAU * (10.3 * T + 0.5 * 0.0515), 0.0515),
    ),
    (Teeth(24.3, 5), lambda: comb(Teeth(24.3, 5), T)),
    (Teeth(24.3, 5, fm=2.0, fm_rate=3.0), lambda: comb(Teeth(24.3, 5), WARPED)),
    (
        Hits(3.0, 0.0, (RungMode(61.8, 1.5, 2.0), RungMode(143.0, 1.0))),
        lambda: 2 * rung(np.arange(12) / 3, 61.8, 0.015) + rung(np.arange(12) / 3, 143.0, 0.01),
    ),
    (
        Hits(3.0, 0.0, (RungMode(143.0, 1.0),), start=0.7, end=2.0),
        lambda: rung(0.7 + np.arange(4) / 3, 143.0, 0.01),
    ),
]


@pytest.mark.parametrize(("part", "formula"), FORMULAS, ids=lambda one: getattr(one, "key", ""))
def test_samples_are_those_of_the_formula(part: Part, formula: Callable[[], np.ndarray]) -> None:
    assert np.abs(samples(part) - formula()).max() < 1e-11 * (10 if part.key == "sweep" else 1)


def test_the_angle_of_a_tone_is_right_an_hour_on() -> None:
    long = made(Tone(61.8, 1.0), rate=51200.0, samples=51200 * 3600).recording("a")
    first = long.length - 1000
    # The periods since the start as a fraction of whole numbers, so that nothing is rounded.
    turns = np.array([(618 * (first + i)) % 512000 for i in range(1000)]) / 512000
    assert np.abs(long.samples.read(0, first, long.length) - np.cos(TAU * turns)).max() < 1e-8


def test_a_wander_moves_a_comb_by_as_much_as_is_said() -> None:
    part = Teeth(24.3, 3, wander=1.0, over=2.0)
    c = replace(made(part).conditions(0), duration=400.0)
    t = np.arange(0, 400, 0.01)
    time, pace = part.wandered(t, c)
    assert np.std(pace) == pytest.approx(0.01, rel=0.1) and abs(pace.mean() - 1) < 1e-3
    assert np.gradient(time, t)[5:-5] == pytest.approx(pace[5:-5], abs=2e-5)
    at = part.at(T, T, c)
    warped, _ = part.wandered(T, c)
    assert np.abs(at - comb(part, warped)).max() < 1e-11


EVERY: tuple[Part, ...] = (
    Tone(61.8, am=10.0),
    Teeth(24.3, 9, wander=1.0),
    Sweep(),
    Square(),
    Triangle(),
    Pulses(),
    Hits(7.0, 3.0, (RungMode(143.0, 0.1), RungMode(61.8, 2.0))),
    Hits(5.0, fm=20.0),
    Noise(),
    Noise("pink"),
    Noise("brown", 0.1, "density", 5.0, 900.0, am=50.0),
)


@settings(max_examples=4)
@given(st.lists(st.integers(1, 39_999), min_size=1, max_size=4, unique=True), st.booleans())
def test_the_same_bits_in_blocks_of_any_size(cuts: list[int], filtered: bool) -> None:
    how = {"low_pass": 180.0, "jitter": 30.0, "bits": 16, "full_scale": 30.0} if filtered else {}
    recorded = made(*EVERY, samples=40_000, **how).recording("a")
    edges = [0, *sorted(cuts), 40_000]
    blocks = [recorded.samples.read(0, a, b) for a, b in pairwise(edges)]
    assert np.array_equal(np.concatenate(blocks), read_all(recorded))


def test_another_seed_is_another_chance() -> None:
    assert np.array_equal(samples(*EVERY), samples(*EVERY))
    for part in (Noise(), Noise("pink"), Hits(scatter=2.0), Teeth()):
        assert not np.array_equal(samples(part), samples(part, seed=2))
    x = samples(Noise(), Noise())  # and two parts are not one twice
    assert np.std(x) == pytest.approx(0.1 * 2**0.5, rel=0.05)


@pytest.mark.parametrize(
    ("part", "low_pass"),
    [
        (Noise(amount=0.3), 0.0),
        (Noise(amount=0.01, measure="density"), 0.0),
        (Noise("pink", 0.3, low=2.0), 0.0),
        (Noise("pink", 0.3, "density"), 0.0),
        (Noise("brown", 0.3, low=5.0, high=300.0), 0.0),
        (Noise(amount=0.3, low=100.0, high=1700.0), 0.0),
        (Noise(amount=0.3, high=1700.0), 300.0),
    ],
    ids=["rms", "density", "pink", "pink density", "brown", "folded", "behind a low-pass"],
)
def test_noise_has_its_level_and_its_colour(part: Noise, low_pass: float) -> None:
    n = 1 << 19
    x = samples(part, samples=n, low_pass=low_pass)
    f, power = other.welch(x, FS, nperseg=4096)
    # Written down again: the density before sampling, its folds added up.
    top = part.high or FS / 2
    fine = np.linspace(max(part.low, FS / SEGMENT), top, 400_001)
    exponent = {"white": 0, "pink": 1, "brown": 2}[part.colour]
    size = part.amount**2
    if part.measure == "rms":
        size /= np.trapezoid(fine ** -float(exponent), fine)
    expected = np.zeros_like(f)
    for k in range(4):
        place = k * FS / 2 + (f if k % 2 == 0 else FS / 2 - f)
        shape = np.maximum(place, FS / SEGMENT) ** -float(exponent) * size
        if low_pass:
            shape = shape / (1 + (place / low_pass) ** 16)
        expected += np.where((place >= part.low) & (place <= top), shape, 0)
    within = (f > max(part.low, 0.01 * FS) + 3) & (f < min(top, FS / 2) - 3)
    if part.high > FS / 2:
        within &= np.abs(f - part.low) > 3
        within &= np.abs(f - folded(part.high, FS)) > 3
    ratio = power[within] / expected[within]
    assert ratio.mean() == pytest.approx(1.0, abs=0.01)
    assert np.abs(ratio - 1).max() < 0.5, "255 averages"
    if part.measure == "rms" and not low_pass and part.colour == "white":
        assert x.std() == pytest.approx(part.amount, rel=0.01)


@pytest.mark.parametrize(
    "part",
    [
        Tone(37.0, phase=40.0),
        Square(37.0, 1.3, 30.0, 40.0),
        Triangle(37.0, 1.3, 40.0),
        Pulses(37.0, width=3.0),
        Hits(20.0, 0.0, (RungMode(143.0, 1.5), RungMode(61.8, 3.0, 0.5))),
    ],
    ids=lambda one: one.key,
)
def test_the_low_pass_is_that_circuit(part: Part) -> None:
    """Against the circuit simulated step by step, a thousand times as fast."""
    fast = 512_000
    u = samples(part, rate=float(fast), samples=fast // 2)
    zeros, poles, gain = other.butter(4, TAU * 100, analog=True, output="zpk")
    sections = other.zpk2sos(*other.bilinear_zpk(zeros, poles, gain, fast))
    y = other.sosfilt(sections, u)[::512]
    x = samples(part, samples=500, low_pass=100.0, order=4)
    # The simulated steps of a wave stand up to a sample late.
    most = 1e-6 if part.key in ("tone", "triangle", "hits") else 1e-3
    assert np.abs(x - y)[200:].max() < most
    assert abs(complex(SamplingLowPass(100.0, 4).response(100.0))) == pytest.approx(0.5**0.5)


@given(
    st.floats(5.0, 900.0),
    st.floats(100.0, 2000.0),
    st.integers(1500, 12_000),
    st.sampled_from(["hann", "hamming", "blackman-harris", "flat-top"]),
    st.integers(0, 5),
)
def test_a_tone_is_read_at_its_folded_place(
    frequency: float, rate: float, count: int, window: str, seed: int
) -> None:
    place = folded(frequency, rate)
    if not 16 < place * 256 / rate < 112:  # its line would touch its own image
        return
    told = made(
        Tone(frequency, 1.0, phase=50.0), Noise(amount=0.05), rate=rate, samples=count, seed=seed
    )
    recording = told.recording("a")
    method = default_method(recording).having(window=window, frame=512)
    analysis = tonecomb.analyse(recording, method).analysis
    line = next(one for one in compared(analysis) if one.kind == "line")
    assert line.shows == pytest.approx(place) and line.frequency == frequency
    assert line.is_folded == (frequency > rate / 2)
    assert abs(line.off) < 4 and abs(line.amplitude_off) < 4
    assert abs(line.phase_off) < 4 * line.read_phase_std


def test_readings_meet_what_was_put_in_as_often_as_they_say() -> None:
    off, sizes = [], []
    for seed in range(40):
        rng = np.random.default_rng(seed)
        told = made(Tone(rng.uniform(60, 440), 1.0), Noise(amount=0.3), samples=8000, seed=seed)
        a = tonecomb.analyse(told.recording("a")).analysis
        line = compared(a)[0]
        off.append(abs(line.off))
        sizes.append(abs(line.amplitude_off))
    for found in (np.array(off), np.array(sizes)):
        assert np.mean(found < 1) > 0.5 and np.mean(found < 3) > 0.97


def test_the_laws_of_sweeps_as_they_are_read() -> None:
    """The frequency of a tenth of a second, by its zero crossings."""
    for law, middle in (("linear", 16.0), ("logarithmic", 192**0.5), ("quadratic", 12.0)):
        part = Sweep(8.0, 24.0, law)
        x = samples(part, samples=400_000, rate=100_000.0)
        around = np.flatnonzero((x[190_000:210_000] > 0)[1:] != (x[190_000:210_000] > 0)[:-1])
        read = 0.5 * (len(around) - 1) / (np.diff(around[[0, -1]])[0] / 100_000)
        assert read == pytest.approx(middle, rel=0.01), law


def test_quantisation_noise_and_clipping() -> None:
    parts = Tone(61.837, 0.7), Noise(amount=0.05)  # which spreads the values within a step
    plain = samples(*parts, samples=100_000)
    coarse = samples(*parts, samples=100_000, bits=8, full_scale=1.0)
    assert np.mean((coarse - plain) ** 2) == pytest.approx((2 / 256) ** 2 / 12, rel=0.01)
    assert len(np.unique(coarse)) <= 256
    told = made(Tone(61.837, 1.5), full_scale=1.0)
    assert "reach 1.5 m/s² and full scale is ± 1 m/s²" in told.recording("a").problems[0].text
    assert read_all(told.recording("a")).max() == 1.0
    codes = [one.code for one in tonecomb.analyse(told.recording("a")).cautions]
    assert codes[:2] == ["beyond-scale", "clipped"]


def test_a_jittered_clock_adds_the_noise_that_it_should() -> None:
    """A tone taken σ early or late has noise of (2πfσA)²/2 (Shinagawa, Akazawa, Wakimoto 1990)."""
    plain = samples(Tone(200.3, 1.0), samples=100_000)
    late = samples(Tone(200.3, 1.0), samples=100_000, jitter=20.0)
    assert np.mean((late - plain) ** 2) == pytest.approx((TAU * 200.3 * 20e-6) ** 2 / 2, rel=0.02)


def test_a_tone_in_a_part_of_the_time_is_told_as_it_stands() -> None:
    told = made(Tone(100.3, 1.0, start=1.0, end=3.0), Noise(amount=0.01))
    recording = told.recording("a")
    method = default_method(recording).having(frame=256)
    line = compared(tonecomb.analyse(recording, method).analysis)[0]
    assert line.note == "comes and goes"
    assert line.read_amplitude == pytest.approx(0.5**0.5, rel=0.02)
    assert line.read == pytest.approx(100.3, abs=0.05)


def test_what_is_known_of_parts_that_have_several_lines() -> None:
    gear = tonecomb.analyse(starter("gear").recording("a")).analysis
    lines = [one for one in compared(gear) if one.kind == "line"]
    assert [round(one.shows, 1) for one in lines] == [413.1, 388.8, 437.4, 24.3]
    assert all(abs(one.off) < 4 for one in lines)
    square = tonecomb.analyse(made(Square(10.3), Noise(amount=0.01)).recording("a")).analysis
    read = [one for one in compared(square) if one.kind == "line" and one.read_std > 0]
    assert len(read) > 10 and all(
        abs(one.amplitude_off) < 4.5 for one in read if one.is_folded is False
    )
    struck = tonecomb.analyse(starter("hits").recording("a")).analysis
    modes = [one for one in compared(struck) if one.kind == "mode"]
    assert [one.read for one in modes] == pytest.approx([61.8, 143.0], abs=0.2)
    pair = tonecomb.analyse(starter("two-tones").recording("a")).analysis
    first, second = (one for one in compared(pair) if one.kind == "line")
    assert first.note == "in one line with 24.6 Hz" and math.isnan(first.off)
    assert second.note == "in one line with 24.3 Hz"
    noise = compared(
        tonecomb.analyse(made(Noise(amount=0.2), samples=40_000).recording("a")).analysis
    )
    assert noise[0].read_amplitude == pytest.approx(0.2, rel=0.05)


def test_truth_goes_through_the_chain() -> None:
    """A stretch, a part that is kept, and a logger that is slower still."""
    told = made(Tone(137.0, 1.0, phase=20.0), Noise(amount=0.01))
    recording = told.recording("a")
    method = default_method(recording).having(
        stretch=Stretch(0.5, 2.5), steps=(tonecomb.step("keep:0.75:3.9"),), frame=512
    )
    line = compared(tonecomb.analyse(recording, method).analysis)[0]
    assert abs(line.phase_off) < 4 * line.read_phase_std
    slow = method.having(stretch=None, steps=(AsSampled(100.0, no_filter=True),), frame=128)
    line = compared(tonecomb.analyse(recording, slow).analysis)[0]
    assert line.shows == 37.0 and abs(line.off) < 4
    behind = slow.having(steps=(AsSampled(100.0),))
    assert compared(tonecomb.analyse(recording, behind).analysis)[0].note == "taken out"
    filtered = method.having(steps=(tonecomb.step("low-pass:137:order=2"),), stretch=None)
    line = compared(tonecomb.analyse(recording, filtered).analysis)[0]
    assert line.read_amplitude == pytest.approx(0.5, rel=1e-3)
    assert abs(line.amplitude_off) < 4


@pytest.mark.parametrize(
    ("broken", "sentence"),
    [
        (lambda: made(Tone(0.0)), "frequency of 0 Hz; give one above 0"),
        (lambda: made(Tone(math.nan)), "frequency of nan"),
        (lambda: made(rate=0.0), "A rate of 0 Hz cannot be sampled at"),
        (lambda: made(*[Tone()] * 65), "has 65 parts; leave it at 64"),
        (lambda: made(Sweep(-3.0, 8.0)), "The sweep has a first of -3 Hz"),
        (lambda: made(samples=0), "has no sample"),
        (lambda: made(samples=MOST_SAMPLES + 1), "has more than 1099511627776 samples"),
        (lambda: made(bits=8), "full scale of 0 does not go with 8 bits"),
        (lambda: made(jitter=900.0), "A clock that strays by 900 µs"),
        (lambda: made(low_pass=-1.0), "A low-pass at -1 Hz"),
        (lambda: made(Tone(start=9.0)), "stands from 9 to 4 s of 4 s"),
        (lambda: made(Noise(fm=2.0)), "noise has no frequency that could swing"),
        (lambda: made(Noise(low=600.0)), "goes from 600 to 500 Hz"),
        (lambda: made(Hits(rung=(RungMode(50.0, 100.0),))), "100 % of damping"),
        (lambda: made(Hits(1e6, rung=(RungMode(50.0, 1e-9),))), "too many ring at once"),
        (lambda: made(Pulses(100.0, width=11.0)), "make them shorter"),
        (lambda: made(Teeth(count=0)), "has 0 teeth"),
        (lambda: made(Square(duty=0.0)), "0 % of a"),
        (lambda: Sampling(100.0).lasting(0.001), "has no sample"),
        (lambda: Sampling(100.0).lasting(1e15), "more than"),
        (lambda: starter("drum"), "There is no starter ‘drum’; choose from two-tones"),
    ],
)
def test_what_cannot_be_made_is_said(broken: Callable[[], Any], sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        found = broken()
        found.check()


def test_every_part_has_words_and_a_reach() -> None:
    assert {type(one) for one in EVERY} == set(PARTS)
    c = Conditions(FS, 4.0)
    for kind in PARTS:
        part = kind()
        part.check(c)
        words = part.words("m/s²")
        assert "@" not in words and "  " not in words and " ," not in words
        x = samples(part)
        assert part.random or np.abs(x).max() <= part.reach() * (1 + 1e-9)
    swung = Tone(am=5.0, fm=1.0, start=1.0).words("g")
    assert swung == (
        "a tone of 61.8 Hz, 1 g peak, phase 0°, swinging in amplitude by 5 % at 1 Hz, "
        "in frequency by 1 % at 1 Hz, from 1 s to the end"
    )
    assert parsed(RungMode(61.8, 1.5, 2.0).written()) == RungMode(61.8, 1.5, 2.0)
    for one in STARTERS:
        one.made.check()
        assert one.made.hint.count("\n") == 1, "two lines"
