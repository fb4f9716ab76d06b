"""Machines whose speed breathes, and controls that do not, each with its truth.

Orders of one shaft, hits locked to it that ring a mode, a mode under noise, the mains standing
still. Drawn anew for every seed: speeds, orders, levels, the law of the speed.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.signal import lfilter

Array = np.ndarray
LAWS = ("wander", "ramp", "steps", "drive", "steady")
CONTROLS = ("white", "tones apart", "one modulated tone", "pauses")


@dataclass(frozen=True, eq=False)
class Machine:
    """What was put in: samples, the shaft (mean Hz), its swing at each sample, hits a turn, the
    modes (Hz, damping ratio), orders and what stands still (Hz)."""

    samples: Array
    fs: float
    shaft: float
    swing: Array
    hits: float
    modes: tuple[tuple[float, float], ...]
    orders: tuple[float, ...]
    still: tuple[float, ...]


def wandering(n: int, fs: float, rms: float, rng: np.random.Generator) -> Array:
    """A random walk's spectrum from 0.02 to 2.5 Hz."""
    f = np.fft.rfftfreq(n, 1 / fs)
    inside = (f > 0.02) & (f < 2.5)
    spectrum = np.zeros(len(f), complex)
    draws = rng.standard_normal((2, inside.sum()))
    spectrum[inside] = (draws[0] + 1j * draws[1]) / f[inside] ** 0.5
    swing = np.fft.irfft(spectrum, n)
    return np.asarray((swing - swing.mean()) * rms / swing.std())


def mode(noise: Array, fs: float, frequency: float, damping: float) -> Array:
    """Noise through a mode."""
    omega = 2 * np.pi * frequency / fs
    fall = np.exp(-damping * omega)
    turn = omega * np.sqrt(1 - damping**2)
    return np.asarray(lfilter([np.sin(turn)], [1, -2 * fall * np.cos(turn), fall**2], noise))


def rung(times: Array, n: int, fs: float, frequency: float, damping: float) -> Array:
    """Decays that begin at these times (s), between the samples."""
    omega = 2 * np.pi * frequency
    length = int(7 / (damping * omega) * fs)
    x = np.zeros(n + length)
    first = np.ceil(times * fs).astype(int)
    late = (first[:, None] + np.arange(length)) / fs - times[:, None]
    decay = np.exp(-damping * omega * late) * np.sin(omega * np.sqrt(1 - damping**2) * late)
    np.add.at(x, first[:, None] + np.arange(length), decay)
    return x[:n]


def law(kind: str, n: int, fs: float, rms: float, rng: np.random.Generator) -> Array:
    """By what share the speed is off its mean, at each sample."""
    t, seconds = np.arange(n) / fs, n / fs
    swing = wandering(n, fs, rms, rng)
    if kind == "steady":
        swing = 0 * swing
    if kind == "ramp":
        swing = 0.2 * swing + 10 * rms * (t / seconds - 0.5)
    if kind == "steps":
        for at in rng.uniform(0.1, 0.9, 3) * seconds:
            swing = 0.2 * swing + rng.choice([-3, 3]) * rms / (1 + np.exp(-(t - at) / 0.2))
    if kind == "drive":
        swing = 0.3 * swing + 1.3 * rms * np.sin(2 * np.pi * 0.35 * t + rng.uniform(0, 6))
    return np.asarray(swing - swing.mean())


def machine(kind: str, rms: float, seed: int, fs: float = 6000.0, seconds: float = 24.0) -> Machine:
    """A machine whose speed follows a kind of law, off by ``rms`` of its mean."""
    rng = np.random.default_rng([seed, LAWS.index(kind), 77])
    n = round(fs * seconds)
    swing = law(kind, n, fs, rms, rng)
    shaft = rng.uniform(19, 38)
    turns = shaft * np.cumsum(1 + swing) / fs
    teeth = int(rng.integers(17, 37))
    hits = float(rng.uniform(3.1, 5.9))
    hits += 0.13 if abs(hits - round(hits)) < 0.06 else 0.0
    orders = (1, 2, 3, 5, teeth, teeth - 1, teeth + 1, 2 * teeth)
    levels = (1.1, 0.6, 0.3, 0.5, 0.6, 0.15, 0.18, 0.25)
    x = 0.12 * rng.standard_normal(n)
    for order, level in zip(orders, levels, strict=True):
        x += level * rng.uniform(0.8, 1.2) * np.cos(2 * np.pi * order * turns + rng.uniform(0, 6))
    modes = (
        (rng.uniform(350, 800), rng.uniform(0.01, 0.025)),
        (rng.uniform(1500, 2300), rng.uniform(0.015, 0.03)),
    )
    at = np.interp(np.arange(1, int(turns[-1] * hits)) / hits, turns, np.arange(n) / fs)
    heights = rng.uniform(1.2, 2.2)
    x += heights * rung(at[at < seconds - 0.5], n, fs, *modes[1])
    x += 0.16 * mode(rng.standard_normal(n), fs, *modes[0])
    t = np.arange(n) / fs
    still = (50.01, 100.02)
    x += 0.06 * np.cos(2 * np.pi * still[0] * t) + 0.12 * np.cos(2 * np.pi * still[1] * t)
    return Machine(x, fs, shaft, swing, hits, modes, tuple(map(float, orders)), still)


def control(kind: str, seed: int, fs: float = 6000.0, seconds: float = 24.0) -> Array:
    """A record in which nothing breathes together."""
    rng = np.random.default_rng([seed, CONTROLS.index(kind), 78])
    n = round(fs * seconds)
    t = np.arange(n) / fs
    x = 0.1 * rng.standard_normal(n)
    if kind == "tones apart":
        for f in np.exp(rng.uniform(np.log(20), np.log(2500), 10)):
            swing = wandering(n, fs, 10 ** rng.uniform(-4, -2.4), rng)
            x += rng.uniform(0.1, 1) * np.cos(2 * np.pi * f * np.cumsum(1 + swing) / fs)
    if kind == "one modulated tone":
        f, by = rng.uniform(60, 1200), rng.uniform(1e-4, 5e-3)
        swing = by * np.sin(2 * np.pi * rng.uniform(0.3, 2) * t)
        x += np.cos(2 * np.pi * f * np.cumsum(1 + swing) / fs)
        x += 0.2 * np.cos(2 * np.pi * 50 * t) + 0.1 * np.cos(2 * np.pi * 100 * t)
    if kind == "pauses":
        at = 0.0
        while at < seconds - 0.6:
            last = rng.uniform(0.15, 0.5)
            a, m = int(at * fs), int(last * fs)
            u = np.arange(m) / m
            pitch = rng.uniform(100, 170) * (1 + rng.uniform(-0.2, 0.2) * u)
            phase = 2 * np.pi * np.cumsum(pitch) / fs
            x[a : a + m] += np.sin(np.pi * u) * sum(np.cos(h * phase) / h for h in range(1, 15))
            at += last + rng.exponential(0.15)
    return np.asarray(x)
