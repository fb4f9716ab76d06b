"""How right readings are: tones, damping and combs over random trials.

What is put in comes from generators of their own, not from the models that are fitted.
"""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from functools import partial

import numpy as np
from scipy.signal import lfilter

from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.find.comb import Comb, Line
from tonecomb.core.find.combs import find_combs
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.tones import fit_tones
from tonecomb.core.method.method import Method, default_method
from tonecomb.core.record.recording import ArraySamples, Channel, Recording
from tonecomb.core.record.windows import window
from tonecomb.core.results.search import run

FS, SECONDS = 2000.0, 30.0


@dataclass(frozen=True)
class Trial:
    """What was put into a signal: fundamentals, or a carrier and a spacing."""

    samples: np.ndarray
    fundamentals: tuple[float, ...] = ()
    carrier: float = 0.0
    spacing: float = 0.0


def recording(x: np.ndarray, fs: float = FS) -> Recording:
    """A recording in memory."""
    return Recording(
        id="r",
        name="made",
        format="made",
        sample_rate=fs,
        rate_source="given",
        rate_found="given",
        length=len(x),
        channels=(Channel("x", "V"),),
        samples=ArraySamples.of(x),
    )


def _tone(rng: np.random.Generator, frequency: float, amplitude: float) -> np.ndarray:
    t = np.arange(round(FS * SECONDS)) / FS
    return amplitude * np.cos(2 * np.pi * frequency * t + rng.uniform(0, 2 * np.pi))


def two_combs(seed: int, snr_db: float) -> Trial:
    """Two combs of harmonics, a third of them missing, the fundamental in half of the trials;
    five strangers; noise so far below a tone of amplitude 1, per sample."""
    rng = np.random.default_rng(seed)
    fundamentals = [rng.uniform(15, 45), rng.uniform(50, 90)]
    rng.shuffle(fundamentals)
    x = np.sqrt(0.5 * 10 ** (-snr_db / 10)) * rng.standard_normal(round(FS * SECONDS))
    for which, f0 in enumerate(fundamentals):
        count = min(12 - 3 * which, int(0.45 * FS / f0))
        there = rng.random(count) > 1 / 3
        there[0] = rng.random() < 0.5
        if there.sum() < 4:
            there[:5] = True
        for n in np.flatnonzero(there) + 1:
            x += _tone(rng, n * f0, rng.lognormal(0, 0.4))
    for _ in range(5):
        x += _tone(rng, rng.uniform(10, 0.45 * FS), rng.lognormal(0, 0.4))
    return Trial(x, tuple(fundamentals))


def sidebands(seed: int, snr_db: float) -> Trial:
    """A carrier with sidebands on both sides, one of them missing; five strangers."""
    rng = np.random.default_rng(seed)
    carrier, spacing = rng.uniform(300, 700), rng.uniform(8, 40)
    x = np.sqrt(0.5 * 10 ** (-snr_db / 10)) * rng.standard_normal(round(FS * SECONDS))
    x += _tone(rng, carrier, 1.5)
    numbers = [-3, -2, -1, 1, 2, 3]
    numbers.pop(rng.integers(len(numbers)))
    for n in numbers:
        x += _tone(rng, carrier + n * spacing, 0.7 / abs(n) ** 0.5)
    for _ in range(5):
        x += _tone(rng, rng.uniform(10, 0.45 * FS), rng.lognormal(0, 0.4))
    return Trial(x, carrier=carrier, spacing=spacing)


def found(trial: Trial) -> tuple[tuple[Comb, ...], float]:
    """Combs found in a trial, and the seconds that the search took."""
    made = recording(trial.samples)
    method = default_method(made)
    method = method.having(peaks=replace(method.search.peaks, above_db=40, most=60))
    peaks = run(method, made).peaks or ()
    lines = [Line(p.tone.frequency, p.tone.frequency_std, p.tone.amplitude) for p in peaks]
    start = time.perf_counter()
    combs = find_combs(lines, FS / 2)
    return combs, time.perf_counter() - start


def right(combs: tuple[Comb, ...], fundamental: float) -> bool:
    """Whether one of the combs of harmonics has this fundamental."""
    return any(c.carrier is None and abs(c.spacing / fundamental - 1) < 1e-3 for c in combs)


def right_sidebands(combs: tuple[Comb, ...], trial: Trial) -> bool:
    """Whether carrier and spacing were found."""
    return any(
        c.carrier is not None
        and abs(c.carrier - trial.carrier) < 0.05
        and abs(c.spacing / trial.spacing - 1) < 1e-3
        for c in combs
    )


def combs_rates(trials: int, snr_db: float) -> tuple[float, float, float, float]:
    """Shares of trials with either comb, with both, and with the sidebands, and the median
    seconds."""
    either, both, sides, seconds = 0, 0, 0, []
    for seed in range(trials):
        trial = two_combs(seed, snr_db)
        combs, took = found(trial)
        seconds.append(took)
        hits = [right(combs, f0) for f0 in trial.fundamentals]
        either += bool(combs) and any(
            abs(combs[0].spacing / f0 - 1) < 1e-3 for f0 in trial.fundamentals
        )
        both += all(hits)
        trial = sidebands(seed, snr_db)
        sides += right_sidebands(found(trial)[0], trial)
    return either / trials, both / trials, sides / trials, float(np.median(seconds))


def tones_ratios(name: str, snr_db: float, trials: int) -> tuple[float, float, float]:
    """Root-mean-square errors of frequency (as ratio), amplitude and phase of one tone in one
    frame over the Cramér–Rao bound; no window."""
    n, rng = 1024, np.random.default_rng(7)
    ratio = 10 ** (snr_db / 10)
    sigma, taper, framing = np.sqrt(0.5 / ratio), window(name), make_framing(n, n, 0, 1.0)
    errors = []
    for _ in range(trials):
        frequency, phase = (100 + rng.random()) / n, rng.uniform(-3, 3)
        x = np.cos(2 * np.pi * frequency * np.arange(n) + phase) + sigma * rng.standard_normal(n)
        floor = np.array([2 * sigma**2 * taper.enbw / n])
        guess = np.array([frequency + rng.uniform(-0.2, 0.2) / n])
        read = ArraySamples.of(x).read
        (one,) = fit_tones(partial(read, 0), framing, 1.0, taper, guess, floor)
        turned = np.angle(np.exp(1j * (np.radians(one.phase_deg) - phase)))
        errors.append((one.frequency - frequency, one.amplitude - 1.0, turned))
    rms = np.sqrt(np.mean(np.square(errors), axis=0))
    bounds = (
        np.sqrt(12 / (ratio * n * (n**2 - 1))) / (2 * np.pi),
        sigma * np.sqrt(2 / n),
        2 * sigma * np.sqrt(2 / n),  # at the frame's start
    )
    f, a, p = (float(r / b) for r, b in zip(rms, bounds, strict=True))
    return f, a, p


def _mode(modes: list[Resonance], f0: float) -> Resonance | None:
    near = [one for one in modes if abs(one.frequency / f0 - 1) < 0.05]
    return min(near, key=lambda one: abs(one.frequency - f0), default=None)


def noise_damping(q: float, trials: int) -> tuple[float, float, float]:
    """Of a mode in white noise, made by a recursive filter: rms error of the damping ratio as a
    share of it, the bound 1/√(αT) on that, and the share of trials in which it was found."""
    fs, f0, seconds = 500.0, 97.3, 600.0
    omega, damping = 2 * np.pi * f0 / fs, 1 / (2 * q)
    frame = 1 << int(np.clip(np.log2(8 * q * fs / f0 / np.pi), 8, 14))
    errors = []
    for seed in range(trials):
        noise = np.random.default_rng(seed).standard_normal(round(fs * seconds) + 20_000)
        fall, turn = damping * omega, omega * np.sqrt(1 - damping**2)
        poles = [1, -2 * np.exp(-fall) * np.cos(turn), np.exp(-2 * fall)]
        x = lfilter([1.0], poles, noise)[20_000:]
        found = run(Method.of(frame=frame, overlap=75), recording(x, fs)).resonances
        if (one := _mode(list(found), f0)) is not None:
            errors.append(one.damping / damping - 1)
    bound = np.sqrt(1 / (damping * 2 * np.pi * f0 * seconds))
    return float(np.sqrt(np.mean(np.square(errors)))), float(bound), len(errors) / trials


def decay_damping(q: float, trials: int) -> tuple[float, float, float]:
    """The same of a decay of 4 s after a hit, 40 dB above the noise at its start, with two other
    modes; the bound is that of one damped cosine with free amplitude and phase."""
    fs, f0, n = 4000.0, 97.3, 16_000
    damping, sigma = 1 / (2 * q), np.sqrt(0.5) * 10 ** (-40 / 20)
    t = np.arange(n) / fs
    alpha, omega = damping * 2 * np.pi * f0, 2 * np.pi * f0
    fall, turning = np.exp(-alpha * t), omega * t + 0.4
    changes = np.stack(
        [
            -t * fall * np.cos(turning),
            -t * fall * np.sin(turning),
            fall * np.cos(turning),
            -fall * np.sin(turning),
        ]
    )
    bound = sigma * np.sqrt(np.linalg.inv(changes @ changes.T)[0, 0]) / alpha
    errors = []
    for seed in range(trials):
        x = sigma * np.random.default_rng(seed).standard_normal(n)
        for at, ratio, amplitude in ((f0, damping, 1.0), (31.0, 0.02, 0.5), (240.0, 0.01, 0.4)):
            rate = 2 * np.pi * at
            x += (
                amplitude
                * np.exp(-ratio * rate * t)
                * np.cos(rate * np.sqrt(1 - ratio**2) * t + 0.4)
            )
        method = Method.of(frame=n, window="rectangular", overlap=0)
        if (one := _mode(list(run(method, recording(x, fs)).resonances), f0)) is not None:
            errors.append(one.damping / damping - 1)
    rms = float(np.sqrt(np.mean(np.square(errors)))) if errors else np.nan
    return rms, float(bound), len(errors) / trials


def _print_tones(trials: int) -> None:
    print(
        f"One tone in one frame of 1024 over {trials} trials: rms error over the Cramér–Rao "
        "bound (goal: within 1.05 × the window's own inflation)\n"
    )
    print("| window | SNR per sample | frequency | amplitude | phase |")
    print("|:--|--:|--:|--:|--:|")
    goals = {
        "rectangular": (1.0, 1.0),
        "hamming": (1.28, 1.17),
        "hann": (1.53, 1.22),
        "blackman-harris": (2.16, 1.42),
    }
    for name, (by_f, by_a) in goals.items():
        for snr in (-10.0, 20.0, 60.0):
            f, a, p = tones_ratios(name, snr, trials)
            print(f"| {name} | {snr:g} dB | {f:.2f} ({by_f:g}) | {a:.2f} ({by_a:g}) | {p:.2f} |")


def _print_damping(trials: int) -> None:
    print(
        f"\nDamping ratio over {trials} trials: rms error, the bound, and their ratio (goals: "
        "1.0–1.2 in noise; in a decay 0.5 %, and 1.5 from a Q of 100)\n"
    )
    print("| excited by | Q | rms error | bound | ratio | found |")
    print("|:--|--:|--:|--:|--:|--:|")
    for kind, measure, qs in (
        ("noise, 600 s at 97 Hz", noise_damping, (10, 30, 100, 500)),
        ("a hit, 4 s", decay_damping, (30, 100, 200, 500)),
    ):
        for q in qs:
            rms, bound, share = measure(q, trials)
            print(
                f"| {kind} | {q} | {100 * rms:.2g} % | {100 * bound:.2g} % | {rms / bound:.2f} "
                f"| {100 * share:.0f} % |"
            )


def main(trials: int = 200) -> None:
    _print_tones(2 * trials)
    _print_damping(trials // 5)
    print(
        f"\nCombs over {trials} trials (goals: first 99/97 %, both 97/93 %, sidebands 95/90 %, "
        "50 ms)\n"
    )
    print("| SNR per sample | first comb right | both right | sidebands right | search |")
    print("|--:|--:|--:|--:|--:|")
    for snr in (30.0, -10.0):
        first, both, sides, seconds = combs_rates(trials, snr)
        print(
            f"| {snr:g} dB | {100 * first:.1f} % | {100 * both:.1f} % | {100 * sides:.1f} % "
            f"| {1000 * seconds:.0f} ms |"
        )
