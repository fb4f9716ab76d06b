"""How true readings are on records that change: false peaks, coverage of intervals, cautions.

The records are those of :mod:`changing`; each reading is held against what was put in.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field

import numpy as np

from benchmarks import changing
from benchmarks.changing import FS, Made, Make
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.method import default_method
from tonecomb.core.record.recording import Array, ArraySamples, Channel, Recording
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run
from tonecomb.core.say.cautions import cautions

NEAR_HZ = 3.0  # of the range that a tone covers, in which a peak is its
SIGMAS = 1.96


@dataclass
class Score:
    """Counts over the trials of one kind. ``covered`` and ``told`` by what is read."""

    trials: int = 0
    false_peaks: int = 0
    false_combs: int = 0
    resonances: int = 0
    missed: Counter[str] = field(default_factory=Counter)
    covered: Counter[str] = field(default_factory=Counter)
    told: Counter[str] = field(default_factory=Counter)
    codes: Counter[str] = field(default_factory=Counter)
    wanted: int = 0
    heard: int = 0

    def coverage(self, what: str) -> float:
        """Share of the 95 % intervals that hold the truth, nan where there was none."""
        return self.covered[what] / self.told[what] if self.told[what] else float("nan")


def made_recording(x: np.ndarray, fs: float = FS) -> Recording:
    """Samples at ``fs`` (Hz) as a recording."""
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


def score(make: Make, seeds: range) -> Score:
    """Try a kind of record with these seeds."""
    total = Score()
    for seed in seeds:
        made = make(seed)
        recording = made_recording(made.samples)
        analysis = run(default_method(recording), recording)
        codes = {one.code for one in cautions(analysis, recording)}
        total.trials += 1
        total.codes.update(codes)
        if made.wanted:
            total.wanted += 1
            total.heard += bool(codes & set(made.wanted))
        _tones(total, made, analysis)
        _families(total, made, analysis)
        _modes(total, made, analysis)
    return total


def _interval(total: Score, what: str, error: float, std: float) -> None:
    total.told[what] += 1
    total.covered[what] += abs(error) <= SIGMAS * std


def _tones(total: Score, made: Made, analysis: Analysis) -> None:
    peaks = analysis.peaks or ()
    modes = [(m.frequency, 6 * m.damping * m.frequency + 5) for m in made.modes]

    def right(peak: Peak) -> bool:
        f = peak.tone.frequency
        return (
            any(low - 2 <= f <= high + 2 for low, high in made.ranges)
            or any(t.low - NEAR_HZ <= f <= t.high + NEAR_HZ for t in made.tones)
            or any(abs(f - at) < reach for at, reach in modes)
        )

    total.false_peaks += sum(not right(peak) for peak in peaks)
    for true in made.tones:
        near = [p for p in peaks if true.low - NEAR_HZ <= p.tone.frequency <= true.high + NEAR_HZ]
        if not near:
            total.missed["tone"] += 1
            continue
        peak = max(near, key=lambda p: p.tone.amplitude)
        tone = peak.tone
        _interval(total, "frequency", tone.frequency - true.frequency, tone.frequency_std)
        amplitude, std = analysis.amplitude(peak)
        _interval(total, "amplitude", amplitude - true.rms, std)


def _families(total: Score, made: Made, analysis: Analysis) -> None:
    if not made.fundamentals and not made.no_family:
        return
    harmonics = [comb for comb in analysis.combs if comb.carrier is None]
    for f0 in made.fundamentals:
        near = [comb for comb in harmonics if abs(comb.spacing / f0 - 1) < 0.03]
        total.missed["family"] += not near
        if near:
            _interval(total, "fundamental", near[0].spacing - f0, near[0].spacing_std)
    total.false_combs += sum(
        all(
            comb.carrier is not None or abs(comb.spacing / f0 - 1) >= 0.03
            for f0 in made.fundamentals
        )
        for comb in analysis.combs
    )


def _modes(total: Score, made: Made, analysis: Analysis) -> None:
    found = analysis.resonances
    total.resonances += len(found)
    for mode in made.modes:
        near = [r for r in found if abs(r.frequency / mode.frequency - 1) < 3 * mode.damping]
        total.missed["mode"] += not near
        if near:
            one = near[0]
            _interval(total, "mode", one.frequency - mode.frequency, one.frequency_std)
            _interval(total, "damping", one.damping - mode.damping, one.damping_std)


GROUPS = {
    "noise": changing.NOISES,
    "tone": changing.TONES,
    "family": changing.COMBS,
    "mode": changing.MODES,
    "samples": changing.SAMPLES,
}


def _percent(total: Score, *what: str) -> str:
    return " ".join(
        "–" if not total.told[one] else f"{100 * total.coverage(one):.0f}" for one in what
    )


def main(trials: int = 20) -> None:
    print(
        f"Records that change, {trials} trials each: what a record has too much, what is missed, "
        "coverage of 95 % intervals in percent, and cautions\n"
    )
    print(
        "| record | false peaks | false combs | false modes | missed | frequency, amplitude "
        "| fundamental | mode, damping | caution heard | others |"
    )
    print("|:--|--:|--:|--:|--:|--:|--:|--:|--:|:--|")
    for group, kinds in GROUPS.items():
        for kind, make in kinds.items():
            total = score(make, range(1000, 1000 + trials))
            modes = max(total.resonances - total.told["mode"], 0) / trials
            heard = f"{total.heard} of {total.wanted}" if total.wanted else "–"
            others = ", ".join(
                f"{code} {count}"
                for code, count in total.codes.most_common()
                if code not in make(0).wanted and code != "alias-risk"
            )
            print(
                f"| {group}, {kind} | {total.false_peaks / trials:.2g} "
                f"| {total.false_combs / trials:.2g} | {modes:.2g} "
                f"| {sum(total.missed.values())} | {_percent(total, 'frequency', 'amplitude')} "
                f"| {_percent(total, 'fundamental')} | {_percent(total, 'mode', 'damping')} "
                f"| {heard} | {others} |",
                flush=True,
            )
    steady = score_steady(range(300))
    print(f"\nOf 300 steady records {steady[0]} have a false peak, {steady[1]} a wrong caution.")


def score_steady(seeds: range) -> tuple[int, int]:
    """How many steady records have a false peak, and a caution that they do not call for."""
    peaks = wrong = 0
    for seed in seeds:
        made = changing.steady(seed)
        recording = made_recording(made.samples)
        analysis = run(default_method(recording), recording)
        total = Score()
        _tones(total, made, analysis)
        peaks += total.false_peaks > 0
        codes = {one.code for one in cautions(analysis, recording)}
        allowed = {"alias-risk"}  # the noise does reach up to the Nyquist frequency
        if _slow(made.samples, analysis.method.frames.frame):
            allowed.add("frames-level")
        wrong += bool(codes - allowed)
    return peaks, wrong


def _slow(samples: Array, frame: int) -> bool:
    """Whether parts as long as a frame have means of their own."""
    whole = len(samples) // frame * frame
    parts = samples[:whole].reshape(-1, frame)
    return bool((parts - parts.mean(axis=1, keepdims=True)).std() < 0.97 * samples.std())
