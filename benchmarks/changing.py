"""Records that change, made with a known content: what the readings of them are held against.

All are 20 s at 5 kHz. Each maker takes a seed and gives samples and the truth about them.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, firwin, lfilter, sosfilt

FS, SECONDS = 5000.0, 20.0
N = round(FS * SECONDS)
TIME = np.arange(N) / FS
Samples = NDArray[np.float64]


@dataclass(frozen=True)
class TrueTone:
    """Mean frequency (Hz) and rms over the record, the range that it covers (Hz), and the rms
    while it stands."""

    frequency: float
    rms: float
    low: float
    high: float
    present: float


@dataclass(frozen=True)
class TrueMode:
    """Natural frequency (Hz) and damping ratio."""

    frequency: float
    damping: float


@dataclass(frozen=True)
class Made:
    """A record, what is in it, and the cautions of which it calls for one. In ``ranges`` (Hz)
    readings are right whatever they are; ``fundamentals`` are means over the record, and with
    ``no_family`` any family is false."""

    samples: Samples
    tones: tuple[TrueTone, ...] = ()
    fundamentals: tuple[float, ...] = ()
    modes: tuple[TrueMode, ...] = ()
    ranges: tuple[tuple[float, float], ...] = ()
    wanted: tuple[str, ...] = ()
    no_family: bool = False


Make = Callable[[int], Made]


def _rng(seed: int, salt: int) -> np.random.Generator:
    return np.random.default_rng([seed, salt, 1313])


def smooth(rng: np.random.Generator, seconds: float) -> Samples:
    """Slow noise of unit rms with about so long a memory, shape (N,)."""
    sos = butter(2, 1 / (2 * np.pi * seconds), fs=50.0, output="sos")
    slow = sosfilt(sos, rng.standard_normal(4000))[2000 : 2000 + round(50 * SECONDS) + 2]
    slow = slow / np.std(slow)
    return np.asarray(np.interp(TIME, np.arange(len(slow)) / 50.0, slow))


def gate(rng: np.random.Generator, count: int, seconds: float) -> Samples:
    """1 during so many spans at random, else 0, with edges of 2 ms."""
    out = np.zeros(N)
    for start in rng.uniform(0, SECONDS - seconds, count):
        out[round(start * FS) : round((start + seconds) * FS)] = 1.0
    return np.clip(np.convolve(out, np.ones(10) / 10, "same"), 0, 1)


def _noise(kind: str, seed: int) -> Made:
    rng = _rng(seed, sum(map(ord, kind)))
    w = rng.standard_normal(N)
    if kind == "white":
        return Made(w)
    if kind == "pink":
        spectrum = np.fft.rfft(w) / np.sqrt(np.maximum(np.arange(N // 2 + 1), 1.0))
        return Made(np.fft.irfft(spectrum, N))
    if kind == "brown":
        return Made(lfilter([1.0], [1.0, -0.9999], w))
    if kind == "bursts":
        return Made(w * (1 + 30.6 * gate(rng, 8, 0.4)), wanted=("nonstationary",))
    if kind == "short bursts":
        return Made(w * (1 + 30.6 * gate(rng, 12, 0.03)))
    if kind == "slow AM":
        phase = rng.uniform(0, 2 * np.pi)
        return Made(
            w * (1 + 0.9 * np.sin(2 * np.pi * 0.15 * TIME + phase)), wanted=("nonstationary",)
        )
    if kind == "loud second":
        return Made(w * (1 + 30.6 * gate(rng, 1, 1.0)), wanted=("nonstationary",))
    if kind == "band bursts":
        low = rng.uniform(200, 1200)
        sos = butter(4, [low, 1.6 * low], "bandpass", fs=FS, output="sos")
        band = sosfilt(sos, rng.standard_normal(N))
        return Made(0.1 * w + band * gate(rng, 6, 0.4))
    if kind == "ripple":
        taps = firwin(int(rng.integers(61, 181)), rng.uniform(300, 1200), fs=FS)
        return Made(lfilter(taps, 1, w))
    assert kind == "dropouts"
    for start in rng.integers(0, N - 500, 12):
        w[start : start + int(rng.integers(100, 400))] = w[start]
    return Made(w, wanted=("held",))


def _tone(kind: str, seed: int, sigma: float = 1.0) -> Made:
    """A tone of rms 1 and what becomes of it, in white noise of rms ``sigma``."""
    rng = _rng(seed, 7 + sum(map(ord, kind)))
    f0 = rng.uniform(250, 1900)
    bin_hz = FS / 4096
    course: Samples = np.full(N, f0)
    envelope: Samples = np.ones(N)
    jumps: Samples = np.zeros(N)
    wanted: tuple[str, ...] = ()
    name, _, value = kind.partition(" ")
    sides: tuple[tuple[float, float], ...] = ()
    if name == "present":
        share = float(value) / 100
        start = rng.uniform(0, (1 - share) * SECONDS)
        envelope = np.where((start <= TIME) & (start + share * SECONDS > TIME), 1.0, 0.0)
        wanted = ("comes-and-goes",)
    elif name == "on/off":
        turning = np.sin(2 * np.pi * TIME / rng.uniform(4, 6) + rng.uniform(0, 6))
        envelope = np.where(turning > 0, 1.0, 0.0)
        wanted = ("comes-and-goes",)
    elif name == "AM":
        depth, rate = map(float, value.split("@"))
        envelope = 1 + depth * np.sin(2 * np.pi * rate * TIME + rng.uniform(0, 6))
        sides = ((f0 - rate - 2, f0 - rate + 2), (f0 + rate - 2, f0 + rate + 2))
    elif name == "drift":
        course = f0 + float(value) * bin_hz * rng.choice([-1, 1]) * (TIME / SECONDS - 0.5)
        wanted = ("moving",) if float(value) >= 2 else ()
    elif name == "wander":
        slow = smooth(rng, 0.7)
        course = f0 * (1 + float(value) / 100 * slow / 2)
        wanted = ("moving",) if float(value) > 0.1 else ()
    elif name == "jumps":
        for at in rng.uniform(1, SECONDS - 1, int(value)):
            jumps += rng.uniform(0.8, 2 * np.pi - 0.8) * (at < TIME)
    phase = 2 * np.pi * np.cumsum(course) / FS + jumps + rng.uniform(0, 6)
    x = np.sqrt(2) * envelope * np.cos(phase) + sigma * rng.standard_normal(N)
    rms = float(np.sqrt(np.mean(envelope**2)))
    there = envelope[envelope > 0.05]
    weight = envelope**2 / np.sum(envelope**2)
    modulated = name == "AM" and float(value.split("@")[1]) > 5
    tone = TrueTone(
        float(weight @ course),
        1.0 if modulated else rms,
        float(course.min()),
        float(course.max()),
        float(np.sqrt(np.mean(there**2))),
    )
    return Made(x, (tone,), ranges=sides, wanted=wanted)


def _alternating(seed: int) -> Made:
    """Two tones ten bins apart that take turns."""
    rng = _rng(seed, 2)
    f0, gap = rng.uniform(250, 1900), 12.2
    first = np.where(np.sin(2 * np.pi * TIME / 5 + rng.uniform(0, 6)) > 0, 1.0, 0.0)
    x = rng.standard_normal(N)
    tones: list[TrueTone] = []
    for f, envelope in ((f0, first), (f0 + gap, 1 - first)):
        x += np.sqrt(2) * envelope * np.cos(2 * np.pi * f * TIME + rng.uniform(0, 6))
        tones.append(TrueTone(f, float(np.sqrt(np.mean(envelope))), f, f, 1.0))
    return Made(x, tuple(tones), wanted=("comes-and-goes",))


def family(rng: np.random.Generator, f0: Samples, teeth: int, roll: float, sigma: float) -> Samples:
    """Harmonics of a course of the fundamental (Hz, shape (N,)) in white noise."""
    turns = np.cumsum(f0) / FS
    x = sigma * rng.standard_normal(N)
    for n in range(1, teeth + 1):
        if n * f0.max() < 0.47 * FS:
            x += np.cos(2 * np.pi * (n * turns + rng.random())) * n**-roll * rng.uniform(0.7, 1.4)
    return x


def _comb(kind: str, seed: int) -> Made:
    rng = _rng(seed, 11 + sum(map(ord, kind)))
    name, _, value = kind.partition(" ")
    f0 = np.full(N, rng.uniform(20, 60))
    if name == "wander":
        f0 = f0 * (1 + float(value) / 100 * smooth(rng, 1.0) / 2)
        return Made(
            family(rng, f0, 10, 0.3, 0.7),
            fundamentals=(float(f0.mean()),),
            ranges=((0, FS / 2),),
            wanted=("moving",) if float(value) >= 0.5 else (),
        )
    if name == "voice":
        f0 = rng.uniform(90, 180) * (1 + 0.1 * smooth(rng, 0.5) / 1.5)
        x = family(rng, f0, 12, 0.8, 0.05)
        return Made(x, fundamentals=(float(f0.mean()),), ranges=((0, FS / 2),), wanted=("moving",))
    if name == "run-up":
        f0 = rng.uniform(8, 15) * (1 + rng.uniform(0.6, 1.5) * TIME / SECONDS)
        return Made(
            family(rng, f0, 8, 0.3, 0.5),
            ranges=((0, FS / 2),),
            wanted=("moving", "content-changes"),
            no_family=True,
        )
    if name == "many":
        f0[:] = rng.uniform(25, 50)
        x = 3.0 * rng.standard_normal(N)
        tones: list[TrueTone] = [
            TrueTone(n * f0[0], 0.5, n * f0[0], n * f0[0], 0.5) for n in range(1, 41)
        ]
        for tone in tones:
            x += np.sqrt(0.5) * np.cos(2 * np.pi * tone.frequency * TIME + rng.uniform(0, 6))
        return Made(x, tuple(tones), fundamentals=(float(f0[0]),))
    if name == "strangers":
        rms = float(np.sqrt(0.5))
        numbers = rng.choice(np.arange(5, 200), 8, replace=False)
        tones = [TrueTone(10.0 * n, rms, 10.0 * n, 10.0 * n, rms) for n in numbers]
        x = rng.standard_normal(N)
        for tone in tones:
            x += np.cos(2 * np.pi * tone.frequency * TIME + rng.uniform(0, 6))
        return Made(x, tuple(tones), no_family=True)
    assert name == "steady"
    return Made(family(rng, f0, 10, 0.3, 0.7), fundamentals=(float(f0[0]),), ranges=((0, FS / 2),))


def _ring(f0: float, damping: float, force: Samples) -> Samples:
    omega = 2 * np.pi * f0 / FS
    turn = omega * np.sqrt(1 - damping**2)
    poles = [1, -2 * np.exp(-damping * omega) * np.cos(turn), np.exp(-2 * damping * omega)]
    x = np.asarray(lfilter([1.0], poles, force))
    result: Samples = x / np.std(x)
    return result


def _mode(kind: str, seed: int) -> Made:
    rng = _rng(seed, 17 + sum(map(ord, kind)))
    f0, damping = rng.uniform(150, 900), rng.uniform(0.008, 0.02)
    force = rng.standard_normal(N)
    modes = [TrueMode(f0, damping)]
    x = 0.05 * rng.standard_normal(N)
    ranges: tuple[tuple[float, float], ...] = ()
    if kind == "AM":
        force = force * (1 + 0.8 * np.sin(2 * np.pi * 0.2 * TIME + rng.uniform(0, 6)))
    elif kind == "bursts":
        force = force * (0.1 + gate(rng, 8, 0.5))
    elif kind == "pair":
        f1 = f0 * (1 + 2 * damping * rng.uniform(5, 9))
        modes.append(TrueMode(f1, damping))
        x += _ring(f1, damping, rng.standard_normal(N))
    elif kind == "harmonics":
        x += 3 * family(rng, np.full(N, rng.uniform(30, 50)), 30, 0.0, 0.0)
        ranges = ((0, FS / 2),)
    elif kind == "taps":
        force = np.zeros(N)
        force[(np.arange(15) * 1.3 * FS + rng.uniform(0, 0.2, 15) * FS).astype(int) + 100] = 1.0
    x += _ring(f0, damping, force)
    return Made(x, modes=tuple(modes), ranges=ranges)


def _samples(kind: str, seed: int) -> Made:
    rng = _rng(seed, 23 + sum(map(ord, kind)))
    f0 = rng.uniform(100, 900)
    tone = np.sin(2 * np.pi * f0 * TIME + rng.uniform(0, 6))
    everything = ((0.0, FS / 2),)
    if kind == "quantised":
        x = np.round((tone + 0.002 * rng.standard_normal(N)) * rng.uniform(3, 8))
        return Made(x, ranges=everything, wanted=("quantised",))
    if kind == "clipped":
        x = tone + 0.3 * rng.standard_normal(N)
        limit = np.quantile(np.abs(x), 1 - 10 ** rng.uniform(-2.5, -1))
        return Made(np.clip(x, -limit, limit), ranges=everything, wanted=("clipped",))
    if kind == "held":
        x = tone + 0.3 * rng.standard_normal(N)
        for start in rng.integers(0, N - 500, 6):
            x[start : start + int(rng.integers(20, 300))] = x[start]
        return Made(x, ranges=everything, wanted=("held",))
    assert kind == "coarse"  # a steady record of 12 bits: nothing is wrong with it
    x = np.round((tone + 0.1 * rng.standard_normal(N)) * 1000)
    rms = 1000 * float(np.sqrt(0.5))
    return Made(x, (TrueTone(f0, rms, f0, f0, rms),))


def _halves(seed: int) -> Made:
    """Six tones, of which three stand in either half, at one level."""
    rng = _rng(seed, 29)
    x, first = rng.standard_normal(N), 1.0 * (TIME < SECONDS / 2)
    tones = []
    for i, f in enumerate(rng.permutation(np.linspace(200, 1900, 6) + rng.uniform(-60, 60, 6))):
        envelope = first if i < 3 else 1 - first
        x += envelope * np.cos(2 * np.pi * f * TIME + rng.uniform(0, 6))
        tones.append(TrueTone(f, 0.5, f, f, np.sqrt(0.5)))
    return Made(x, tuple(tones), wanted=("content-changes", "comes-and-goes"))


def _sweep(seed: int) -> Made:
    rng = _rng(seed, 31)
    low, high = rng.uniform(50, 300), rng.uniform(1200, 2200)
    phase = 2 * np.pi * np.cumsum(low + (high - low) * TIME / SECONDS) / FS
    return Made(
        np.cos(phase) + 0.3 * rng.standard_normal(N),
        ranges=((low - 30, high + 30),),
        wanted=("moving", "content-changes"),
    )


def steady(seed: int) -> Made:
    """White, pink or brown noise, with or without a few tones, coarse or not: nothing changes."""
    rng = _rng(seed, 41)
    kind = seed % 6
    x = _noise(("white", "pink", "brown")[kind] if kind < 3 else "white", seed).samples.copy()
    tones: list[TrueTone] = []
    for f in rng.uniform(30, 2300, rng.integers(1, 6)) if kind >= 3 else ():
        rms = rng.uniform(0.2, 2)
        x += np.sqrt(2) * rms * np.cos(2 * np.pi * f * TIME + rng.uniform(0, 6))
        tones.append(TrueTone(float(f), rms, float(f), float(f), rms))
    return Made(np.round(200 * x) if kind == 5 else x, tuple(tones))


NOISES: dict[str, Make] = {
    kind: partial(_noise, kind)
    for kind in (
        "white",
        "pink",
        "brown",
        "bursts",
        "short bursts",
        "slow AM",
        "loud second",
        "band bursts",
        "ripple",
        "dropouts",
    )
}
TONES: dict[str, Make] = {
    kind: partial(_tone, kind)
    for kind in (
        "steady",
        "present 50",
        "present 20",
        "on/off",
        "AM 0.3@0.15",
        "AM 0.9@0.15",
        "AM 0.3@1.5",
        "AM 0.9@1.5",
        "AM 0.3@12",
        "AM 0.9@12",
        "drift 0.5",
        "drift 2",
        "drift 10",
        "wander 0.03",
        "wander 0.3",
        "jumps 1",
        "jumps 10",
    )
} | {"alternating": _alternating, "halves": _halves}
COMBS: dict[str, Make] = {
    kind: partial(_comb, kind)
    for kind in (
        "steady",
        "wander 0.1",
        "wander 0.5",
        "wander 2",
        "voice",
        "run-up",
        "many",
        "strangers",
    )
} | {"sweep": _sweep}
MODES: dict[str, Make] = {
    kind: partial(_mode, kind) for kind in ("steady", "pair", "AM", "bursts", "harmonics", "taps")
}
SAMPLES: dict[str, Make] = {
    kind: partial(_samples, kind) for kind in ("quantised", "clipped", "held", "coarse")
}
