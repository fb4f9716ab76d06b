"""Taps: found in the force and by ear, and what is wrong with each told."""

from __future__ import annotations

import numpy as np
import pytest

from tonecomb.core.modal.decays import of_decays
from tonecomb.core.modal.impacts import find_taps
from tonecomb.core.modal.modes import find_modes
from tonecomb.demo.structures import TAPS_DOUBLE, TAPS_FIRST, TAPS_MODES, TAPS_PEAKS, TAPS_SPACING
from tonecomb.demo.structures import taps as ropeway_taps

FS = 8192.0


def struck(seed: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Times of hits, the force, and what is heard: random spacing, loudness over 30 dB, one to
    four modes, and handling noise between the taps."""
    random = np.random.default_rng(seed)
    n = round(20 * FS)
    t, hits, at = np.arange(n) / FS, [], random.uniform(1, 2)
    while at < 19:
        hits.append(at)
        at += random.uniform(0.7, 2.5)
    force = np.zeros(n)
    for hit, size in zip(hits, 10 ** (random.uniform(-30, 0, len(hits)) / 20), strict=True):
        wide = random.uniform(0.6e-3, 2e-3)
        here = (t >= hit) & (t < hit + wide)
        force[here] += size * np.sin(np.pi * (t[here] - hit) / wide)
    w = 2 * np.pi * np.fft.rfftfreq(2 * n, 1 / FS)
    response = np.zeros(len(w), complex)
    for _ in range(random.integers(1, 5)):
        w0 = 2 * np.pi * 10 ** random.uniform(1.7, 3.2)
        damping = max(10 ** random.uniform(-2.6, -1.3), 6 / (0.7 * w0))
        size = random.choice([-1, 1]) * random.uniform(0.2, 1)
        response += -(w**2) * size / (w0**2 - w**2 + 2j * damping * w0 * w)
    heard = np.fft.irfft(np.fft.rfft(force, 2 * n) * response)[:n]
    heard = heard / np.abs(heard).max() + 10 ** (-65 / 20) * random.standard_normal(n)
    for _ in range(random.integers(0, 6)):
        start, lasts = random.uniform(0.3, 19), random.uniform(0.1, 0.6)
        if np.abs(np.array(hits) - start).min() < 0.8 or (
            np.abs(np.array(hits) - start - lasts).min() < 0.4
        ):
            continue
        here = (t >= start) & (t < start + lasts)
        count = here.sum()
        level = 10 ** (random.uniform(-50, -20) / 20)
        heard[here] += level * np.hanning(count) * random.standard_normal(count)
    return np.array(hits), force + 5e-4 * random.standard_normal(n), heard


@pytest.mark.parametrize("by_force", [True, False])
def test_every_tap_and_nothing_else_is_found(by_force: bool) -> None:
    right = wrong = missed = 0
    for seed in range(16):
        hits, force, heard = struck(seed)
        found = np.array(
            [tap.onset / FS for tap in find_taps(force if by_force else None, [heard], FS)]
        )
        apart = np.abs(found[:, None] - hits)
        right += int((apart.min(axis=1) < 0.002).sum())
        wrong += int((apart.min(axis=1) >= 0.002).sum())
        missed += int((apart.min(axis=0) >= 0.002).sum())
    assert right / (right + wrong) >= 0.98 and right / (right + missed) >= 0.98


def test_the_ropeway_s_double_hit_and_overload_are_told() -> None:
    force, *answers = ropeway_taps()
    taps = find_taps(force, answers, FS)
    wanted = [TAPS_FIRST + TAPS_SPACING * i for i in range(len(TAPS_PEAKS))]
    assert [tap.onset / FS for tap in taps] == pytest.approx(wanted, abs=2 / FS)
    faults = {tap.number: tap.faults for tap in taps if tap.faults}
    assert faults == {TAPS_DOUBLE + 1: ("double",), 1 + int(np.argmax(TAPS_PEAKS)): ("overload",)}
    assert "21 ms later with 35 %" in taps[TAPS_DOUBLE].why_not
    heard = find_taps(None, answers[:1], FS)
    assert [tap.number for tap in heard if "double" in tap.faults] == [TAPS_DOUBLE + 1]


def test_weak_overlapping_and_cut_taps_are_told() -> None:
    t = np.arange(round(12 * FS)) / FS
    force, answer = np.zeros_like(t), np.zeros_like(t)
    for at, size in ((1, 1.0), (4, 1.0), (4.15, 1.0), (7, 0.02), (11.9, 1.0)):
        here = (t >= at) & (t < at + 1e-3)
        force[here] += size * np.sin(np.pi * (t[here] - at) / 1e-3)
        after = t >= at
        ring = np.exp(-12 * (t[after] - at)) * np.sin(2 * np.pi * 80 * (t[after] - at))
        answer[after] += size * ring
    noise = np.random.default_rng(0).standard_normal((2, len(t)))
    taps = find_taps(force + 1e-4 * noise[0], [answer + 1e-4 * noise[1]], FS)
    assert [tap.faults for tap in taps] == [(), ("cut",), ("overlap",), ("weak",), ("cut",)]


def test_nothing_is_found_where_nothing_hits() -> None:
    noise = np.random.default_rng(3).standard_normal((2, 80_000))
    assert find_taps(None, [noise[0]], FS) == ()
    assert find_taps(None, [np.zeros(80_000)], FS) == ()
    t = np.arange(80_000) / FS
    assert find_taps(None, [np.sin(300 * t) + 0.01 * noise[1]], FS) == ()


@pytest.mark.parametrize("seed", range(4))
def test_modes_without_a_force(seed: int) -> None:
    """Fifteen taps in coloured noise, hands on structure and recorder at both ends."""
    random = np.random.default_rng(seed)
    t = np.arange(round(40 * FS)) / FS
    f, damping = np.array([71.0, 133.0, 290.0, 512.0]), np.array([0.02, 0.009, 0.012, 0.006])
    y = np.zeros_like(t)
    for at in 2 + 2.3 * np.arange(15) + random.uniform(-0.2, 0.2, 15):
        after = t >= at
        loud = 10 ** (random.uniform(-12, 0) / 20)
        for one, ratio in zip(f, damping, strict=True):
            size = loud * random.uniform(0.3, 1) * random.choice([-1, 1])
            w = 2 * np.pi * one
            y[after] += (
                size
                * np.exp(-ratio * w * (t[after] - at))
                * np.sin(w * np.sqrt(1 - ratio**2) * (t[after] - at))
            )
    noise = np.convolve(random.standard_normal(len(t)), 0.9 ** np.arange(60), "same")
    y += 10 ** (-45 / 20) * noise / noise.std()
    for ends in (t < 0.8, t > 39):
        y[ends] += 0.3 * random.standard_normal(int(ends.sum()))
    taps = [tap for tap in find_taps(None, [y], FS) if tap.sound]
    assert len(taps) >= 12
    found = find_modes(of_decays([y], FS, taps, 8192), 20, 900, power=0, groups=len(taps)).modes
    assert [one.frequency for one in found] == pytest.approx(f, rel=1e-3), "and none invented"
    for one, true, ratio in zip(found, f, damping, strict=True):
        assert abs(one.frequency - true) < 4 * one.frequency_std
        assert abs(one.damping - ratio) < 4 * one.damping_std
        assert one.damping == pytest.approx(ratio, rel=0.02)


def test_the_modes_of_the_ropeway_by_ear() -> None:
    _, *answers = ropeway_taps()
    taps = [tap for tap in find_taps(None, answers, FS) if tap.sound]
    found = find_modes(of_decays(answers, FS, taps, 32768), 20, 600, power=0, groups=len(taps))
    for one, true in zip(found.modes, TAPS_MODES, strict=True):
        assert one.frequency == pytest.approx(true.frequency_hz, rel=2e-4)
        assert one.damping == pytest.approx(true.damping_ratio, rel=0.02)
