"""How right readings are: tones, damping and combs over random trials.

What is put in comes from generators of their own, not from the models that are fitted.
"""

from __future__ import annotations

import time
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.analysis import run
from tonecomb.core.combs import Comb, Line, find_combs
from tonecomb.core.method import default_method
from tonecomb.core.recording import ArraySamples, Channel, Recording

FS, SECONDS = 2000.0, 30.0


@dataclass(frozen=True)
class Trial:
    """What was put into a signal: fundamentals, or a carrier and a spacing."""

    samples: np.ndarray
    fundamentals: tuple[float, ...] = ()
    carrier: float = 0.0
    spacing: float = 0.0


def _recording(x: np.ndarray) -> Recording:
    return Recording(
        id="r", name="made", format="made", sample_rate=FS, rate_source="given",
        rate_found="given", length=len(x), channels=(Channel("x", "V"),),
        samples=ArraySamples.of(x),
    )  # fmt: skip


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
    made = _recording(trial.samples)
    method = default_method(made)
    method = replace(method, search=replace(method.search, above_db=40, most=60))
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


def main(trials: int = 200) -> None:
    print(f"Combs over {trials} trials (goals: first 99/97 %, both 97/93 %, sidebands 95/90 %, "
          "50 ms)\n")  # fmt: skip
    print("| SNR per sample | first comb right | both right | sidebands right | search |")
    print("|--:|--:|--:|--:|--:|")
    for snr in (30.0, -10.0):
        first, both, sides, seconds = combs_rates(trials, snr)
        print(f"| {snr:g} dB | {100 * first:.1f} % | {100 * both:.1f} % | {100 * sides:.1f} % "
              f"| {1000 * seconds:.0f} ms |")  # fmt: skip
