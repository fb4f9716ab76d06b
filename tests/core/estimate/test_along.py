"""Frames that are followed while they are averaged, and tones from their lines."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.base.progress import silent
from tonecomb.core.estimate.along import WORTH_IT
from tonecomb.core.estimate.frame_statistics import courses_of, follow_frames
from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.find.floor import noise_floor
from tonecomb.core.find.kept_bins import in_turn, with_lines
from tonecomb.core.find.tone import Tone
from tonecomb.core.find.tones import fit_tones
from tonecomb.core.method.method import Method, plan
from tonecomb.core.record.recording import Array, ArraySamples, Recording
from tonecomb.core.record.windows import window
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.results.search import followed_spectrum, run, run_findings

FS, FRAME = 2000.0, 256
N = 1500 * FRAME // 2
TIME = np.arange(N) / FS


@dataclass(frozen=True)
class Counted(ArraySamples):
    """Samples that say how many of them were read."""

    read_so_far: list[int] = field(default_factory=list)

    def read(self, channel: int, start: int, stop: int) -> Array:
        self.read_so_far.append(stop - start)
        return super().read(channel, start, stop)


def counted(x: Array) -> tuple[Recording, list[int]]:
    one = recording(x, fs=FS)
    samples = Counted(*vars(ArraySamples.of(x)).values())
    return replace(one, samples=samples), samples.read_so_far


def noise(seed: int = 0) -> Array:
    return np.random.default_rng(seed).standard_normal(N)


RECORDS = {
    "tones": lambda: noise() + np.cos(600 * TIME) + 0.5 * np.cos(2000 * TIME + 1),
    "a step": lambda: noise() * np.where(TIME > 60, 5.0, 1.0) + 3 * np.cos(1234 * TIME),
    "a tone that runs": lambda: noise() + 2 * np.cos(1500 * TIME + 5 * np.cos(TIME / 5)),
    # A run of four frames in some twenty-three is looked at first.
    "a short tone": lambda: noise() + 8 * np.cos(3000 * TIME) * (np.abs(TIME - 40.6) < 0.35),
    "an offset": lambda: 1e5 + noise() + np.cos(600 * TIME),
    "silence": lambda: np.zeros(N),
}

MOVING = ("a short tone", "a step", "a tone that runs")


def figures(analysis: Analysis) -> list[tuple[object, ...]]:
    return [
        (
            p.tone.frequency,
            p.tone.amplitude,
            p.tone.frequency_std,
            p.tone.steady,
            p.behaviour and p.behaviour.kind,
        )
        for p in analysis.peaks or ()
    ]


@pytest.mark.parametrize("name", RECORDS)
def test_one_pass_finds_what_two_do(name: str) -> None:
    """And what a few frames did not let expect is found all the same."""
    made, passed = counted(RECORDS[name]())
    method = Method.of(frame=FRAME)
    assert plan(method, made).framing.count >= WORTH_IT
    at_once = run(method, made)
    times = sum(passed) / N
    assert at_once.found is not None
    estimate = run_spectrum(method, made)
    assert estimate.followed is None
    apart = Analysis.of(estimate, run_findings(estimate, method, made), method, made)
    if name != "silence":
        np.testing.assert_allclose(
            at_once.spectrum.mean_square, apart.spectrum.mean_square, rtol=1e-12
        )
    for one, other in zip(figures(at_once), figures(apart), strict=True):
        assert one[:3] == pytest.approx(other[:3], rel=1e-5)
        assert one[3:] == other[3:]
    if name != "silence":
        assert len(figures(at_once)) >= 1
    assert at_once.averages == pytest.approx(apart.averages, rel=1e-5)
    moved = (one.found.changes if one.found else None for one in (at_once, apart))
    levels = [one.level_db if one else 0.0 for one in moved]
    assert levels[0] == pytest.approx(levels[1], abs=1e-3)
    # Once all, and a few frames before that and for the first steps of tones; once or twice more
    # where a tone does not stand, and it is asked what it does.
    assert times < (1.6 if name not in MOVING else 3.6)


@pytest.mark.parametrize("setting", [{"window": "flat-top"}, {"pad": 2}, {"detrend": "line"}])
def test_other_frames_are_followed_by_themselves(setting: dict[str, object]) -> None:
    made, _ = counted(RECORDS["tones"]())
    assert followed_spectrum(Method.of(frame=FRAME), made).followed is not None
    assert followed_spectrum(Method.of(frame=FRAME, **setting), made).followed is None


def by_lines(x: Array, places: list[float]) -> tuple[list[Tone], list[Tone]]:
    """Tones near these places (bins), from the lines of the frames and from the samples."""
    made, method = recording(x, fs=FS), Method.of(frame=FRAME)
    p, spectrum = plan(method, made), run_spectrum(method, made).spectrum
    floor = noise_floor(spectrum)
    courses = courses_of(follow_frames(p.read, spectrum, floor, FS, 1.2), spectrum, p.averages)
    at = np.array(places)
    around = floor[np.round(at).astype(int)]
    fit = [
        fit_tones(p.read, p.framing, FS, window("hann"), at * FS / FRAME, around, courses=one)
        for one in (courses, None)
    ]
    return fit[0], fit[1]


@settings(max_examples=10, deadline=None)
@given(st.floats(8, 100), st.floats(2.2, 20), st.floats(-40, 40), st.floats(0.01, 1))
@example(5.4, 2.2, 0.0, 0.01)
@example(20.0, 2.5, 40.0, 1e-6)
def test_tones_from_lines_are_those_of_the_samples(
    place: float, apart: float, db: float, sigma: float
) -> None:
    """Two tones, near one another: what the samples say, and the truth."""
    places, sizes = [place, place + apart], [1.0, 10 ** (db / 20)]
    omega = 2 * np.pi * np.array(places) / FRAME
    n = np.arange(N)
    x = sigma * noise(1)
    for w, size in zip(omega, sizes, strict=True):
        x += size * np.cos(w * n + 0.7)
    lines, samples = by_lines(x, [place + 0.2, place + apart - 0.1])
    for one, other, w, size in zip(lines, samples, omega, sizes, strict=True):
        clear = size**2 * FRAME > 1e3 * sigma**2
        assert one.steady or not clear
        if not (one.steady and other.steady):
            continue
        truth = w * FS / (2 * np.pi)
        assert one.frequency == pytest.approx(truth, abs=5 * one.frequency_std + 1e-9)
        assert one.amplitude == pytest.approx(size, abs=5 * one.amplitude_std + 1e-6)
        assert one.phase_deg == pytest.approx(math.degrees(0.7), abs=5 * one.phase_std_deg + 1e-4)
        assert one.frequency == pytest.approx(other.frequency, abs=0.5 * other.frequency_std + 1e-9)
        # Lines are kept in single precision, whose rounding is told as the noise that it is.
        assert one.frequency_std == pytest.approx(other.frequency_std, rel=0.1, abs=1e-10)


@given(st.integers(1, 400), st.integers(1, 70), st.integers(1, 6))
def test_a_sample_of_frames(count: int, runs: int, each: int) -> None:
    framing = make_framing(64 + 32 * (count - 1), 64, 50.0, 1.0)
    some = framing.sample(runs, each)
    assert 1 <= some.count <= min(count, runs * each)
    assert set(some.numbers.tolist()) <= set(framing.numbers.tolist())
    if count > 2 * runs * each:
        assert some.count == runs * each
    if count > 2 * runs * each and runs > 1:
        assert some.numbers[0] == 0
        assert some.numbers[-1] == count - 1


def test_lines_that_were_not_kept_are_gathered() -> None:
    """In one pass for as many as there is room for, and they are what would have been kept."""
    made, passed = counted(RECORDS["tones"]())
    method = Method.of(frame=FRAME)
    p, spectrum = plan(method, made), run_spectrum(method, made).spectrum
    floor = noise_floor(spectrum)
    few, every = (
        courses_of(follow_frames(p.read, spectrum, floor, FS, out), spectrum, p.averages)
        for out in (30.0, 0.0)
    )
    assert len(few.bins) < 30 < len(every.bins) == FRAME // 2 + 1
    spans = [(int(few.bins[1]), int(few.bins[3])), (3, 9), (100, 110)]
    passed.clear()
    turns = list(in_turn(few, p.read, FS, spans, silent))
    assert [numbers for numbers, _ in turns] == [[0], [1, 2]]
    assert sum(passed) < 1.2 * N
    own = turns[1][1]
    assert own.bins.tolist() == [*range(2, 11), *range(99, 112)]
    there = every.lines[:, own.bins]
    np.testing.assert_allclose(own.lines, there, atol=1e-5 * np.abs(there).max())
    assert with_lines(own, p.read, FS, [(3, 4)], silent) is own


def test_a_pure_tone_is_read_to_nine_digits() -> None:
    """What is rounded alike in all frames would be off in their mean."""
    (peak,) = run(Method.of(frame=FRAME), recording(1.3 * np.cos(777.7 * TIME), fs=FS)).peaks or ()
    assert peak.tone.amplitude == pytest.approx(1.3, rel=2e-9)
    assert peak.tone.frequency == pytest.approx(777.7 / (2 * np.pi), rel=1e-12)
