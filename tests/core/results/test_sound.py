"""What is heard: pitch, level, loudness, fades, and switches without a step."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array
from tonecomb.core.results.sound import SPEEDS, Heard, Sound, Way, equally_loud, k_weighting
from tonecomb.core.steps.prepare import prepare

RATE = 48_000


PLAIN = Way()


def sound(x: Array, fs: float, way: Way = PLAIN, *others: Array) -> Sound:
    signal = prepare(recording(x, *others, fs=fs), ())
    return Sound(signal, tuple(range(1 + len(others))), 0, signal.length, RATE, way)


def tone(fs: float, f: float, seconds: float = 20.0, amplitude: float = 0.1) -> Array:
    return np.asarray(amplitude * np.cos(2 * np.pi * f * np.arange(round(seconds * fs)) / fs))


@pytest.mark.parametrize(
    ("fs", "f", "way"),
    [
        (8000.0, 1000.0, Way()),
        (51_200.0, 1000.0, Way()),
        (44_100.0, 15_000.0, Way()),
        (12_800.0, 20.0, Way(8)),
        (51_200.0, 20.0, Way(64)),
        (1000.0, 20.0, Way(1, 300.0)),
        (2000.0, 12.0, Way(2, 150.0)),
        (100.0, 7.0, Way(32)),
    ],
)
def test_a_tone_sounds_at_its_pitch_and_level(fs: float, f: float, way: Way) -> None:
    made = sound(tone(fs, f, 40.0), fs, way)
    count = min(9600, made.frames // 2)
    first = (made.frames - count) // 2
    y = made.plain(first, count)[:, 0]
    t = (first + np.arange(count)) / RATE
    pitch = way.sounds_as(f)
    basis = np.stack([np.cos(2 * np.pi * pitch * t), np.sin(2 * np.pi * pitch * t)], axis=1)
    part = np.linalg.lstsq(basis, y, rcond=None)[0]
    assert np.hypot(*part) == pytest.approx(0.1, rel=1e-3)
    assert np.abs(y - basis @ part).max() < 0.1 * 10 ** (-70 / 20)


def test_what_is_too_high_is_not_folded_down() -> None:
    """At eight times the speed 4 kHz would be 32 kHz: nothing is heard of it."""
    made = sound(tone(12_800.0, 4000.0), 12_800.0, Way(8))
    assert np.abs(made.plain(made.frames // 2, 4800)).max() < 0.1 * 10 ** (-60 / 20)


@given(first=st.integers(-500, 70_000), count=st.integers(1, 3000))
def test_any_part_is_as_in_the_whole(first: int, count: int) -> None:
    made = WHOLE
    np.testing.assert_allclose(
        made.plain(first, count)[max(-first, 0) : made.frames - first],
        ALL[max(first, 0) : max(first + count, 0)],
        atol=1e-12,
    )


WHOLE = sound(np.random.default_rng(1).normal(size=12_000), 8000.0)
ALL = WHOLE.plain(0, WHOLE.frames)


def test_loudness_is_that_of_the_standard() -> None:
    """997 Hz at full scale: −3.01 LKFS in one ear (BS.1770-4, annex 2); 100 Hz is 1.1 dB less by
    the weighting's own curve; what is played faster is weighted where it sounds."""
    loud, peak = sound(tone(RATE, 997.0, amplitude=1.0), RATE).measured()
    assert loud == pytest.approx(-3.01, abs=0.02)
    assert peak == pytest.approx(1.0, rel=1e-3)
    low, _ = sound(tone(RATE, 100.0, amplitude=1.0), RATE).measured()
    at_100, at_997 = k_weighting(np.array([100.0, 997.0]))
    expected = 10 * math.log10(at_100 / at_997)
    assert low - loud == pytest.approx(expected, abs=0.05)
    fast, _ = sound(tone(8000.0, 12.5, 80.0, 1.0), 8000.0, Way(8)).measured()
    assert fast == pytest.approx(low, abs=0.3)
    assert sound(np.zeros(8000), 8000.0).measured()[0] == -math.inf


def test_sounds_are_made_equally_loud_and_none_clips() -> None:
    rng = np.random.default_rng(3)
    quiet, loud = 1e-4 * rng.normal(size=24_000), 5 * tone(8000.0, 700.0, 3.0)
    loud[4000] = 30.0  # a hit that leaves little room
    made = equally_loud(sound(quiet, 8000.0), sound(loud, 8000.0))
    levels = [one.measured()[0] + 20 * math.log10(one.gain) for one in made]
    assert levels[0] == pytest.approx(levels[1], abs=0.01)
    assert levels[0] <= -19.99
    for one in made:
        assert np.abs(one.render(0, one.frames)).max() <= 10 ** (-1 / 20) + 1e-6
    silent = equally_loud(sound(np.zeros(8000), 8000.0))
    assert silent[0].gain == 1.0


def test_it_begins_and_ends_without_a_click_and_missing_samples_are_silent() -> None:
    x = np.full(8000, 0.3)
    x[3000:3100] = np.nan
    made = sound(x, 8000.0)
    y = made.render(0, made.frames)[:, 0]
    edges = np.concatenate([np.diff(y[:960]), np.diff(y[-960:])])
    assert (y[0], y[-1]) == (0.0, 0.0)
    assert np.abs(edges).max() < 0.3 * 2 * np.pi / 960
    assert np.isfinite(y).all()
    assert made.frame(made.time(1234)) == 1234


def test_two_channels_are_left_and_right() -> None:
    made = sound(tone(8000.0, 300.0), 8000.0, Way(), tone(8000.0, 700.0))
    both = made.render(48_000, 4800)
    t = (48_000 + np.arange(4800)) / RATE
    np.testing.assert_allclose(both[:, 0], 0.1 * np.cos(2 * np.pi * 300 * t), atol=1e-5)
    np.testing.assert_allclose(both[:, 1], 0.1 * np.cos(2 * np.pi * 700 * t), atol=1e-5)


@given(blocks=st.lists(st.integers(1, 700), min_size=8, max_size=20), when=st.integers(0, 6))
def test_a_switch_makes_no_step(blocks: list[int], when: int) -> None:
    """From one tone to another at any moment: within 20 ms, below −60 dB of full scale in what a
    step would be, however it is read."""
    heard = Heard((TONES[0], TONES[1]), first=20_000)
    parts = []
    for k, count in enumerate(blocks):
        if k == when:
            heard.switch(1)
        parts.append(heard.take(count))
    y = np.concatenate(parts)[:, 0]
    steps = np.abs(np.diff(y))
    assert steps.max(initial=0.0) < 0.1 * 2 * np.pi * 300 / RATE + 1e-3
    if sum(blocks[when:]) > 1000:
        t = (20_000 + sum(blocks) - 1) / RATE
        assert y[-1] == pytest.approx(0.1 * np.cos(2 * np.pi * 300 * t + np.pi), abs=1e-4)


TONES = (sound(tone(8000.0, 300.0), 8000.0), sound(-tone(8000.0, 300.0), 8000.0))


def test_a_switch_back_in_the_middle_goes_back() -> None:
    heard = Heard(TONES, first=20_000)
    heard.switch(1)
    heard.take(400)
    heard.switch(0)
    y = np.concatenate([heard.take(100) for _ in range(30)])[:, 0]
    assert np.abs(np.diff(y)).max() < 0.1 * 2 * np.pi * 300 / RATE + 1e-3
    assert heard.number == 0


def test_it_loops_or_ends() -> None:
    short = sound(tone(8000.0, 300.0, 0.1), 8000.0)
    once = Heard((short,))
    assert len(once.take(10_000)) == short.frames == 4800
    assert len(once.take(100)) == 0
    round_ = Heard((short,), first=4000, loop=True)
    assert len(round_.take(10_000)) == 10_000
    assert round_.at == 4000 + 10_000 - 2 * 4800


def test_ways_that_cannot_be() -> None:
    assert SPEEDS[-1] == 64
    for way in (Way(3), Way(1, -5.0)):
        with pytest.raises(UserError, match="Nothing is heard"):
            way.check()
