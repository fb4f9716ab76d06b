"""Run-ups by the shaft's angle: speed, orders, and the modes that orders sweep through."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording as recorded

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.orders import Turning, by_angle, order_levels
from tonecomb.core.estimate.shaft import Shaft, of_comb
from tonecomb.core.estimate.speed import smoothed
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Array, Stretch
from tonecomb.core.results.run_up import analyse_run_up
from tonecomb.core.steps.prepare import prepare
from tonecomb.formats.registry import open_recording

FS = 2048.0


def turned(seconds: float, low: float, high: float, bend: float = 0.0) -> tuple[Array, Array]:
    """Speed in Hz and turns at each sample, from low to high, bent in the middle."""
    t = np.arange(round(seconds * FS)) / FS
    u = t / seconds
    speed = low + (high - low) * u + bend * np.sin(np.pi * u) ** 2
    whole = seconds * (low * u + (high - low) * u**2 / 2)
    whole += bend * seconds * (u / 2 - np.sin(2 * np.pi * u) / (4 * np.pi))
    return speed, whole


def through(force: Array, frequency: float, damping: float) -> Array:
    """Acceleration of a mode of unit mass, integrated sample by sample four times as finely with
    the exact solution for a force that changes in straight lines between."""
    fine = 4
    t = np.arange(len(force) * fine) / fine
    f = np.interp(t, np.arange(len(force)), force)
    pole = complex(-damping, math.sqrt(1 - damping**2)) * 2 * np.pi * frequency
    dt = 1 / (FS * fine)
    decay = np.exp(pole * dt)
    first = (decay - 1) / pole
    second = (decay - 1 - pole * dt) / (pole**2 * dt)
    from scipy.signal import lfilter

    steps = first * f[:-1] + second * np.diff(f)
    state = np.concatenate([[0], lfilter([1], [1, -decay], steps)])
    # x = Im(state) / ω_d; its acceleration from the equation of motion.
    moved, moving = state.imag / pole.imag, (pole * state).imag / pole.imag
    natural = abs(pole)
    return (f - 2 * damping * natural * moving - natural**2 * moved)[::fine]


@pytest.mark.parametrize("bend", [0.0, 6.0])
def test_orders_stand_still_by_angle(bend: float) -> None:
    speed, turns = turned(20, 6, 14, bend)
    made = recorded(np.cos(2 * np.pi * 3 * turns + 0.3), fs=FS)
    t = np.arange(len(speed)) / FS
    angled = by_angle(prepare(made, ()), 0, Turning(t[::8], turns[::8]), highest=8)
    x = angled.samples.read(0, 0, angled.length)
    at = np.arange(angled.length) / angled.rate
    inner = slice(200, -200)
    wrong = x - np.cos(2 * np.pi * 3 * at + 0.3)
    assert np.abs(wrong[inner]).max() < 2e-4


def test_the_demos_run_up_by_its_orders(demo: Path) -> None:
    truth = json.loads((demo / "truth.json").read_text())["recordings"]["run-up"]
    recording = open_recording(demo / "run-up.flac")
    shaft = replace(of_comb(4.5, 30.0, tuple(truth["orders"])), channel=0)
    found = analyse_run_up(Method.of(channel=1, shaft=shaft), recording)
    low, high = truth["speed_hz"]
    true = low + (high - low) * found.levels.time / truth["duration_s"]
    np.testing.assert_allclose(found.levels.speed, true, rtol=0.0005)
    assert [one.frequency for one in found.crossings] == pytest.approx(
        [mode["frequency_hz"] for mode in truth["modes"]], rel=0.005
    )
    below, met = found.crossings
    assert (below.order, met.order) == (2.0, 17.0)
    assert below.speed > high and math.isnan(below.damping)
    assert met.damping == pytest.approx(truth["modes"][1]["damping_ratio"], rel=0.03)
    orders = [peak.tone.frequency for peak in found.orders]
    assert orders == pytest.approx(truth["orders"], abs=0.002)
    # In the map the highest cell of every row of the motor's own channel is an order.
    motor = analyse_run_up(Method.of(channel=0, shaft=shaft, stretch=Stretch(0.0, 30.0)), recording)
    highest = motor.map.centres[motor.map.mean_square.argmax(axis=1)]
    assert np.abs(highest[:, None] - np.array(truth["orders"])).min(axis=1).max() < 0.2
    assert motor.crossings == ()
    # The bracket alone is enough: what its resonance does to the phase is not taken for speed.
    alone = analyse_run_up(Method.of(channel=1, shaft=replace(shaft, channel=None)), recording)
    true = low + (high - low) * alone.levels.time / truth["duration_s"]
    np.testing.assert_allclose(alone.levels.speed, true, rtol=0.002)
    assert [one.frequency for one in alone.crossings] == pytest.approx([61.8, 143.0], rel=0.005)


@given(st.integers(0, 1000), st.floats(-3, 3), st.floats(-3, 3))
def test_a_speed_is_smoothed_past_what_a_shaft_cannot_do(
    seed: int, slope: float, bend: float
) -> None:
    u = np.linspace(0, 1, 160)
    speed = 10 + slope * u + bend * u**2
    seen = speed * (1 + 1e-4 * np.random.default_rng(seed).standard_normal(len(u)))
    seen[60:66] *= 1.03  # a resonance is passed
    seen[100:104] = np.nan
    found = smoothed(seen, 16)
    np.testing.assert_allclose(found, speed, rtol=3e-3)
    assert np.isnan(smoothed(np.full(20, np.nan), 4)).all()


@pytest.mark.parametrize(
    ("seconds", "low", "high", "damping"),
    [(40, 5, 25, 0.02), (40, 25, 5, 0.02), (12, 5, 25, 0.02), (40, 5, 25, 0.006)],
)
def test_a_mode_is_told_from_the_sweep_through_it(
    seconds: float, low: float, high: float, damping: float
) -> None:
    """The sweep moves the peak and widens it; what is told is the mode."""
    speed, turns = turned(seconds, low, high)
    force = speed**2 * np.cos(2 * np.pi * 4 * turns)
    rng = np.random.default_rng(1)
    answer = through(force, 57.0, damping) + 0.05 * force + rng.standard_normal(len(force))
    reference = np.cos(2 * np.pi * turns)
    made = recorded(answer, reference, fs=FS)
    shaft = Shaft(tacho=Sync(channel=1, level=0.0), orders=(4.0,))
    (one,) = analyse_run_up(Method.of(shaft=shaft), made).crossings
    assert one.frequency == pytest.approx(57.0, rel=0.002)
    assert abs(one.damping - damping) < max(0.1 * damping, 3 * one.damping_std)
    assert one.speed == pytest.approx(57.0 / 4, rel=0.002)


@pytest.mark.parametrize("pulses", [1, 3])
def test_speed_from_a_tachometer(pulses: int) -> None:
    speed, turns = turned(20, 6, 14, 5.0)
    uneven = 0.02 * np.sin(2 * np.pi * turns)  # the marks are not even on the shaft
    tacho = (np.mod(pulses * turns + pulses * uneven, 1.0) < 0.2).astype(float)
    made = recorded(1.5 * np.cos(2 * np.pi * 2.5 * turns), tacho, fs=FS)
    shaft = Shaft(tacho=Sync(channel=1, level=0.5), pulses=pulses, orders=(2.5,))
    found = analyse_run_up(Method.of(shaft=shaft, level="peak"), made)
    known = np.interp(found.levels.time, np.arange(len(speed)) / FS, speed)
    np.testing.assert_allclose(found.levels.speed[2:-2], known[2:-2], rtol=0.003)
    np.testing.assert_allclose(np.abs(found.levels.amplitude[0]) * math.sqrt(2), 1.5, rtol=0.02)
    (peak,) = found.orders
    assert peak.tone.frequency == pytest.approx(2.5, abs=0.002)
    assert f"speed from c2, {pulses}" in found.sentence


@pytest.mark.parametrize("seed", range(6))
def test_no_mode_is_invented(seed: int) -> None:
    rng = np.random.default_rng(seed)
    speed, turns = turned(30, 5, 20)
    force = sum(speed**2 * np.cos(2 * np.pi * n * turns) for n in (1, 2, 5))
    steady = 20 * np.cos(2 * np.pi * 50 * np.arange(len(speed)) / FS)  # the mains, no mode
    made = recorded(force + steady + 10 * rng.standard_normal(len(speed)), fs=FS)
    found = analyse_run_up(Method.of(shaft=of_comb(4.5, 21, (1, 2, 5))), made)
    assert found.crossings == ()
    assert [round(p.tone.frequency, 2) for p in found.orders] == [1, 2, 5]


NOISE = recorded(np.random.default_rng(0).standard_normal(16384), np.zeros(16384), fs=FS)


@pytest.mark.parametrize(
    ("shaft", "words"),
    [
        (None, "No shaft is named"),
        (Shaft(), "speed is not known"),
        (of_comb(5, 20, (1, 2)), "speed is not known well enough"),
        (of_comb(5, 2000, (1,)), "Nothing can be followed"),
        (replace(of_comb(5, 20, (1,)), channel=5), "no channel 6"),
        (replace(of_comb(5, 20, (1,)), orders=()), "orders to follow"),
        (Shaft(tacho=Sync(channel=1, level=0.5)), "passes its level 0 times"),
        (Shaft(tacho=Sync(channel=0, level=0.5), pulses=0), "0 pulses"),
        (Shaft(comb=Wanted(5, 20)), "speed is not known"),
    ],
)
def test_what_cannot_be_analysed_is_told(shaft: Shaft | None, words: str) -> None:
    with pytest.raises(UserError, match=words):
        analyse_run_up(Method.of(frame=1024, shaft=shaft), NOISE)


@given(
    st.floats(0.05, 40),
    st.floats(-60, 60),
    st.floats(-400, 400),
)
def test_the_swept_mode_is_the_integral(damped: float, off: float, rate: float) -> None:
    """∫ e^(−qτ + iπ·rate·τ²) dτ by a fine sum, for poles and sweeps of every kind."""
    from tonecomb.core.find.crossings import _swept

    q = complex(2 * np.pi * damped, 2 * np.pi * off)
    step = min(0.02 / abs(q), 0.002 / math.sqrt(abs(rate) + 1))
    tau = (np.arange(min(int(30 / q.real / step), 2_000_000)) + 0.5) * step
    summed = np.exp(-q * tau + 1j * np.pi * rate * tau**2).sum() * step
    found = _swept(np.array([q]), np.array([rate]))[0]
    assert abs(found - summed) < 2e-3 * abs(summed) + 1e-6


@given(
    st.integers(0, 99),
    st.floats(5, 15),
    st.floats(-3, 12),
    st.floats(0, 3),
    st.sampled_from([0.5, 1.0, 2.5, 4.0]),
)
def test_any_smooth_run_up_is_undone(
    seed: int, low: float, rise: float, bend: float, order: float
) -> None:
    """However the speed goes, an order's amplitude is the same in every frame."""
    speed, turns = turned(12, low, max(low + rise, 2.0), bend)
    phase = np.random.default_rng(seed).uniform(0, 6)
    made = recorded(0.7 * np.cos(2 * np.pi * order * turns + phase), fs=FS)
    t = np.arange(len(speed)) / FS
    turning = Turning(t[::16], turns[::16])
    angled = by_angle(prepare(made, ()), 0, turning, highest=6)
    levels = order_levels(angled, turning, (order,))
    whole = order * levels.turns == round(order * levels.turns)
    assert whole
    inner = levels.amplitude[0, 1:-1] * math.sqrt(2)
    np.testing.assert_allclose(np.abs(inner), 0.7, rtol=3e-3)
    np.testing.assert_allclose(np.exp(1j * (np.angle(inner) - phase)), 1, atol=0.02)
    middle = np.interp(levels.time, t, speed)
    np.testing.assert_allclose(levels.speed, middle, rtol=0.02)


@pytest.mark.parametrize("seed", range(3))
def test_two_modes_and_a_speed_that_comes_back(seed: int) -> None:
    """Up and down again through two modes, by a tachometer that jitters by a sample."""
    seconds = 30.0
    t = np.arange(round(seconds * FS)) / FS
    speed = 6 + 18 * np.sin(np.pi * t / seconds) ** 2
    turns = np.cumsum(speed) / FS
    force = speed**2 * np.cos(2 * np.pi * 5 * turns)
    answer = through(force, 48.0, 0.015) + 0.8 * through(force, 83.0, 0.02)
    noise = np.random.default_rng(seed).standard_normal(len(t))
    tacho = (np.mod(turns, 1) < 0.1).astype(float)
    made = recorded(answer + 2 * noise, tacho, fs=FS)
    shaft = Shaft(tacho=Sync(channel=1, level=0.5), orders=(5.0,))
    found = analyse_run_up(Method.of(shaft=shaft), made).crossings
    assert [one.frequency for one in found] == pytest.approx([48.0, 83.0], rel=0.005)
    for one, damping in zip(found, (0.015, 0.02), strict=True):
        assert abs(one.damping - damping) < max(0.12 * damping, 3 * one.damping_std)


@pytest.mark.parametrize(
    ("shaft", "words"),
    [
        (of_comb(5, 30, (1, 2)), "speed from a comb in 5–30 Hz, teeth 1, 2"),
        (replace(of_comb(5, 30, (1,)), channel=1), "a comb of c2 in 5–30 Hz, teeth 1"),
        (replace(of_comb(5, 30, (1,)), channel=7), "a comb of a missing channel in"),
        (Shaft(tacho=Sync(channel=0, level=1.0)), "speed from c1, 1 pulse a turn"),
        (Shaft(tacho=Sync(channel=1, level=1.0), pulses=2), "speed from c2, 2 pulses a turn"),
        (Shaft(), "speed unknown"),
    ],
)
def test_the_sentence_says_what_tells_the_speed(shaft: Shaft, words: str) -> None:
    assert words in shaft.words(NOISE)


@pytest.mark.parametrize("rate", [3000.0, 6400.0, 12_800.0])
def test_phases_of_orders_are_those_about_the_tachometer_s_mark(rate: float) -> None:
    """Of cosines at the first mark, however the marks' times were smoothed."""
    t = np.arange(round(24 * rate)) / rate
    turns = 6 * t + 8 * t**2 / 48
    put = {1.0: -40.0, 2.0: 75.0, 17.0: 10.0}
    x = sum(np.cos(2 * np.pi * n * turns + np.radians(phase)) for n, phase in put.items())
    made = recorded(np.asarray(x), (np.mod(turns - 0.3, 1.0) < 0.2).astype(float), fs=rate)
    shaft = Shaft(tacho=Sync(channel=1, level=0.5), orders=tuple(put))
    levels = analyse_run_up(Method.of(shaft=shaft), made).levels
    for order, row in zip(levels.orders, levels.amplitude, strict=True):
        # The first mark is 0.3 of a turn after the record's start.
        wanted = put[order] + 360.0 * order * 0.3
        off = np.degrees(np.angle(row * np.exp(-1j * np.radians(wanted))))
        # Marks of a few samples are timed to a ten-thousandth of a turn, smoothed.
        assert abs(np.median(off)) < max(0.1, 0.04 * order), (order, np.median(off))
