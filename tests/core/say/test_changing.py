"""Readings of records that change: a small part of ``./run bench truth``, with limits."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from benchmarks import changing
from benchmarks.changing import COMBS, FS, MODES, NOISES, SAMPLES, TIME, TONES, N
from benchmarks.truth import Score, made_recording, score, score_steady
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.estimate.averages import Exponential, Median
from tonecomb.core.estimate.frame_statistics import courses_of, follow_frames
from tonecomb.core.find.floor import noise_floor, significance
from tonecomb.core.find.variable_speed import find_moving
from tonecomb.core.method.method import Method, default_method, plan
from tonecomb.core.record.dropouts import HeldSamples
from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.confidence import band_db, band_words, limits_db
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.results.search import run
from tonecomb.core.say.behaviour import brief, words
from tonecomb.core.say.caution import Caution
from tonecomb.core.say.cautions import cautions
from tonecomb.core.say.numbers import span, with_std
from tonecomb.core.steps.steady import Steady

SEEDS = range(500, 502)


def read(x: Array, **settings: object) -> Analysis:
    made = made_recording(x)
    return run(default_method(made).having(**settings), made)


# Most false peaks a record.
FALSE = {
    "white": 0.2,
    "pink": 0.2,
    "brown": 0.2,
    "bursts": 0.4,
    "short bursts": 0.2,
    "slow AM": 0.2,
    "loud second": 0.4,
    "band bursts": 0.7,
    "ripple": 0.5,
    "dropouts": 0.7,
}


@pytest.mark.parametrize("kind", NOISES)
def test_noise_whose_level_changes_makes_no_peaks(kind: str) -> None:
    total = score(NOISES[kind], SEEDS)
    assert total.false_peaks / total.trials <= FALSE[kind]
    assert total.false_combs == 0
    assert total.resonances == 0


@pytest.mark.parametrize("kind", TONES)
def test_the_intervals_of_a_tone_hold_whatever_it_does(kind: str) -> None:
    total = score(TONES[kind], SEEDS)
    assert not total.missed["tone"]
    assert total.coverage("frequency") >= 0.75
    assert total.coverage("amplitude") >= (0.5 if kind == "jumps 10" else 0.75)
    assert total.heard == total.wanted
    assert total.false_peaks <= 2


DOES = {
    "steady": "steady",
    "present 50": "comes and goes",
    "on/off": "comes and goes",
    "AM 0.3@0.15": "modulated",
    "AM 0.3@12": "steady",
    "drift 2": "moves",
    "drift 10": "moves",
    "wander 0.3": "moves",
}


@pytest.mark.parametrize("kind", DOES)
def test_a_tone_says_what_it_does(kind: str) -> None:
    made = TONES[kind](3)
    (true,) = made.tones
    peak = max(read(made.samples).peaks or (), key=lambda p: p.level)
    doing = peak.behaviour
    assert doing is not None
    assert doing.kind == DOES[kind]
    assert doing.moved == pytest.approx(true.high - true.low, rel=0.25, abs=0.2)
    if doing.kind == "comes and goes":
        share = (true.rms / true.present) ** 2
        assert doing.share == pytest.approx(share, abs=0.08)
        assert doing.present / np.sqrt(2) == pytest.approx(true.present, rel=0.05)
    else:
        assert doing.share == 1.0
    assert bool(brief(doing)) == (doing.kind != "steady")
    assert words(doing)


def test_neighbours_that_take_turns_stay_two() -> None:
    made = TONES["alternating"](4)
    peaks = read(made.samples).peaks or ()
    assert len(peaks) == 2
    for peak, true in zip(peaks, sorted(made.tones, key=lambda t: t.frequency), strict=True):
        assert peak.tone.frequency == pytest.approx(true.frequency, abs=0.1)
        assert peak.behaviour is not None
        assert peak.behaviour.kind == "comes and goes"


@pytest.mark.parametrize("kind", ["steady", "wander 0.1", "wander 0.5", "wander 2", "voice"])
def test_a_family_is_followed(kind: str) -> None:
    """It is found, once, and the interval of its mean holds."""
    total = score(COMBS[kind], SEEDS)
    assert not total.missed["family"]
    assert total.false_combs == 0
    assert total.covered["fundamental"] >= len(SEEDS) - 1
    assert total.heard == total.wanted
    assert total.resonances == 0


@pytest.mark.parametrize("kind", ["run-up", "strangers", "sweep"])
def test_no_family_is_claimed_where_there_is_none(kind: str) -> None:
    total = score(COMBS[kind], range(500, 508))
    assert total.false_combs <= 1
    assert total.heard == total.wanted


def test_how_far_a_family_moves_is_told() -> None:
    made = COMBS["voice"](7)
    analysis = read(made.samples)
    (comb,) = analysis.combs
    assert comb.low is not None
    assert comb.high is not None
    assert comb.low < made.fundamentals[0] < comb.high
    assert 0.1 < comb.moved / comb.spacing < 0.6
    assert len(comb.lines) == len(set(comb.lines)), "a peak is a tooth once"
    told = {one.code: one for one in cautions(analysis, made_recording(made.samples))}["moving"]
    assert "moves from" in told.text
    assert told.edit is not None
    step = told.edit(analysis.method).source.steps[-1]
    assert isinstance(step, Steady)
    assert step.warp.wander == pytest.approx(comb.moved / 2 / comb.spacing)


def test_tones_that_move_each_by_itself_are_no_family() -> None:
    rng = np.random.default_rng(8)
    x = 0.5 * rng.standard_normal(N)
    for f in (151.0, 287.0, 402.0, 660.0, 815.0):
        course = f * (1 + 0.02 * changing.smooth(rng, 1.0))
        x += np.cos(2 * np.pi * np.cumsum(course) / FS)
    assert find_moving(lambda a, b: x[a:b], N, FS, np.zeros(0)) is None


def test_forty_weak_teeth_are_all_found() -> None:
    """The list is not cut: those beyond the highest thirty are read from the frames' lines."""
    made = COMBS["many"](9)
    analysis = read(made.samples)
    (comb,) = analysis.combs
    assert [tooth.number for tooth in comb.teeth if tooth.found] == list(range(1, 41))
    total = score(COMBS["many"], range(4))
    assert total.coverage("frequency") > 0.9
    assert total.coverage("amplitude") > 0.9


def test_a_list_that_is_cut_says_so() -> None:
    made = made_recording(COMBS["many"](9).samples)
    method = default_method(made)
    cut = method.having(peaks=type(method.search.peaks)(most=12))
    analysis = run(cut, made)
    assert len(analysis.peaks or ()) == 12
    told = {one.code: one for one in cautions(analysis, made)}["list-cut"]
    assert "40 peaks stand out; the list holds the 12 highest" in told.text
    assert told.edit is not None
    whole = run(told.edit(cut), made)
    assert len(whole.peaks or ()) == 40
    assert "list-cut" not in {one.code for one in cautions(whole, made)}


@pytest.mark.parametrize(
    ("kind", "least"),
    [("steady", 4), ("pair", 7), ("AM", 4), ("bursts", 3), ("harmonics", 3), ("taps", 4)],
)
def test_modes_hold_where_the_record_changes(kind: str, least: int) -> None:
    total: Score = score(MODES[kind], range(500, 504))
    assert total.told["mode"] >= least
    assert total.covered["mode"] >= 0.74 * total.told["mode"]
    assert total.covered["damping"] >= 0.74 * total.told["damping"]
    assert total.resonances == total.told["mode"]


@pytest.mark.parametrize("kind", SAMPLES)
def test_samples_that_are_not_what_was_there(kind: str) -> None:
    total = score(SAMPLES[kind], SEEDS)
    assert total.heard == total.wanted
    for code in {"clipped", "held", "quantised"} - {kind}:
        assert not total.codes[code]


def test_steady_records_are_left_in_peace() -> None:
    peaks, wrong = score_steady(range(24))
    assert peaks <= 2
    assert wrong <= 1


@pytest.mark.parametrize("code", ["nonstationary", "comes-and-goes", "held", "content-changes"])
def test_the_remedy_leaves_what_is_true(code: str) -> None:
    makes = {
        "nonstationary": NOISES["loud second"],
        "comes-and-goes": TONES["present 50"],
        "held": SAMPLES["held"],
        "content-changes": TONES["halves"],
    }
    made = made_recording(makes[code](2).samples)
    method = default_method(made)
    told = {one.code: one for one in cautions(run(method, made), made)}[code]
    assert told.text.endswith(".")
    assert told.remedy
    assert told.edit is not None
    better = run(told.edit(method), made)
    left = {one.code: one for one in cautions(better, made)}
    if code == "held":  # the samples are still there, but no frame that counts has them
        assert better.resolution.frames < run(method, made).resolution.frames
    else:
        assert code not in left


@settings(max_examples=12, deadline=None)
@given(
    st.floats(0.05, 0.9),
    st.floats(1.0, 40.0),
    st.integers(0, 1 << 30),
    st.sampled_from([0, 50, 75]),
)
def test_what_an_average_is_worth(share: float, times: float, seed: int, overlap: float) -> None:
    """Of noise that is so many times as loud in a part of the record: the scatter of the bins is
    that of as many averages as are told, whatever the overlap."""
    rng = np.random.default_rng(seed)
    x = rng.standard_normal(N) * np.where(share * TIME[-1] > TIME, times, 1.0)
    made = made_recording(x)
    method = Method.of(frame=1024, overlap=float(overlap))
    estimate, p = run_spectrum(method, made), plan(method, made)
    floor = noise_floor(estimate.spectrum)
    followed = follow_frames(p.read, estimate.spectrum, floor, FS)
    courses = courses_of(followed, estimate.spectrum, p.averages)
    bins = estimate.spectrum.mean_square[4:-4]
    scatter = (np.mean(bins) / np.std(bins)) ** 2
    assert np.median(courses.worth) == pytest.approx(scatter, rel=0.35)
    assert np.all(courses.worth <= p.averages)
    assert courses.share.sum() == pytest.approx(1.0)


@pytest.mark.parametrize("average", [Median(), Exponential()])
def test_other_averages_are_worth_no_more_than_they_were(average: Median | Exponential) -> None:
    x = NOISES["loud second"](1).samples
    analysis = read(x, average=average)
    assert analysis.averages is not None
    assert analysis.averages.max() <= analysis.spectrum.effective_averages
    assert len(analysis.peaks or ()) <= 1


def test_the_band_is_wider_where_the_level_changes() -> None:
    rng = np.random.default_rng(3)
    quiet = read(rng.standard_normal(N), scaling="psd")
    usual, limits = band_db(quiet), limits_db(quiet, quiet.spectrum.frequency)
    assert usual is not None
    assert limits is not None
    assert np.ptp(limits[0]) == 0.0
    loud = read(NOISES["band bursts"](1).samples, scaling="psd")
    wide = limits_db(loud, loud.spectrum.frequency)
    assert wide is not None
    assert np.ptp(wide[1]) > 1.0
    assert "wider where the level changes" in band_words(loud)
    assert "wider" not in band_words(quiet)


@pytest.mark.parametrize("nu", [2.0, 6.0, 24.0, 90.0])
def test_noise_exceeds_the_threshold_as_often_as_it_says(nu: float) -> None:
    """2 % of spectra, the floor's own scatter included; the plain χ² limit lets up to 7 % pass."""
    rng = np.random.default_rng(4)
    averages, passed, trials = np.full(1025, nu), 0, 100
    limit = significance(averages)
    for _ in range(trials):
        frames = rng.standard_normal((int(nu), 2048)) * np.hanning(2048)
        power = np.mean(np.abs(np.fft.rfft(frames, axis=1)) ** 2, axis=0)
        from tonecomb.core.find.floor import floor_of

        passed += bool(np.any((power > limit * floor_of(power, averages))[2:-2]))
    assert passed / trials <= 0.06


def test_held_samples_and_their_places() -> None:
    rng = np.random.default_rng(5)
    x = rng.standard_normal(10_000)
    x[3000:3040] = 0.0
    x[7000:7007] = 0.5  # seven may be chance
    looking = HeldSamples()
    for start in range(0, 10_000, 2500):
        looking.take(start, x[start : start + 2500])
    found = looking.found()
    assert (found.runs, found.samples, found.places) == (1, 40, ((3000, 3040),))
    assert found.step == 0.0
    coarse = HeldSamples()
    coarse.take(0, np.round(3 * np.sin(np.arange(1000) / 50)) * 0.25)
    assert coarse.found().step == pytest.approx(0.25)
    assert coarse.found().runs == 0, "a slow tone of few steps stands still without a jump"


@pytest.mark.parametrize("length", [4000, 6000])
def test_too_few_frames_tell_nothing(length: int) -> None:
    """Three frames, and five."""
    x = np.cos(2 * np.pi * 100 * np.arange(length) / 1000.0 + np.arange(length) ** 2 * 1e-6)
    analysis = run(Method.of(frame=2000), recording(x, fs=1000.0))
    assert [peak.behaviour for peak in analysis.peaks or ()] == [None] * len(analysis.peaks or ())
    assert brief(None) == ""
    assert "too few frames" in words(None)


def test_all_peaks_are_read_with_few_frames_too() -> None:
    """More than are fitted at once, in one frame."""
    n = 16_384
    t = np.arange(n) / 5000
    x = sum(np.cos(2 * np.pi * 60.3 * k * t + k) for k in range(1, 39))
    x = np.asarray(x) + 0.1 * np.random.default_rng(6).standard_normal(n)
    analysis = run(Method.of(frame=n), made_recording(x))
    found = [peak.tone.frequency for peak in analysis.peaks or ()]
    assert found == pytest.approx([60.3 * k for k in range(1, 39)], abs=0.01)


def changes_told(x: np.ndarray) -> dict[str, Caution]:
    made = recording(x)
    analysis = run(default_method(made), made)
    codes = ("nonstationary", "content-changes")
    return {one.code: one for one in cautions(analysis, made) if one.code in codes}


@pytest.mark.parametrize("length", [32, 64, 128, 300, 1000])
@pytest.mark.parametrize("kind", ["noise", "tone"])
def test_a_short_record_that_does_not_change_is_left_in_peace(length: int, kind: str) -> None:
    for seed in range(6):
        rng = np.random.default_rng(seed)
        x = rng.standard_normal(length)
        if kind == "tone":
            x = np.cos(2 * np.pi * rng.uniform(0.02, 0.4) * np.arange(length)) + 1e-4 * x
        assert changes_told(x) == {}


def test_the_figures_of_a_change_are_those_of_what_changes() -> None:
    """Beside a strong tone noise gets 36 dB louder: its band, with its own rms; and what is said of
    the level of all are the levels of all."""
    t = np.arange(20_000) / 1000
    noise = np.random.default_rng(1).standard_normal(len(t))
    told = changes_told(np.cos(2 * np.pi * 50 * t) + noise * np.where(t > 10, 0.05, 0.0008))
    text = told["nonstationary"].text
    low, high, by, soft, loud = map(float, re.findall(r"[\d.]+(?= to | Hz| dB| m/s²)", text))
    assert text.startswith("The level of the noise from ") and (low, high) == (0, 500)
    assert by == pytest.approx(20 * math.log10(loud / soft), abs=0.6)
    assert loud == pytest.approx(0.05, rel=0.1) and soft < 0.002
    text = changes_told(noise * np.where(t > 10, 4, 1))["nonstationary"].text
    by, soft, loud = map(float, re.findall(r"[\d.]+(?= to | dB| m/s²)", text))
    assert "over the stretch" in text
    assert by == pytest.approx(20 * math.log10(loud / soft), abs=0.6)
    assert loud == pytest.approx(4, rel=0.1) and soft == pytest.approx(1, rel=0.1)


def test_a_tone_that_stops_leaves_no_power_elsewhere_and_silence_is_called_so() -> None:
    t = np.arange(20_000) / 1000
    noise = np.random.default_rng(1).standard_normal(len(t))
    told = changes_told(np.cos(2 * np.pi * 150 * t) * (t < 9) + 0.01 * noise)
    assert set(told) == {"nonstationary"}
    x = np.cos(2 * np.pi * 150 * t) + 0.1 * noise
    x[9000:13_000] = 0
    silent = changes_told(x)["nonstationary"]
    start, end = map(float, re.findall(r"From ([\d.]+) to ([\d.]+) s there", silent.text)[0])
    assert 9 <= start < 9.6 and 12.4 < end <= 13
    assert silent.remedy == "Leave it out" and silent.edit is not None
    made = recording(x)
    better = run(silent.edit(default_method(made)), made)
    assert better.rms == pytest.approx(math.hypot(math.sqrt(0.5), 0.1), rel=0.02)
    assert "nonstationary" not in {one.code for one in cautions(better, made)}


@pytest.mark.parametrize(
    ("half", "rate", "noise"), [(0.04, 0.05, 0.02), (0.4, 0.2, 0.02), (0.4, 0.2, 0.3)]
)
def test_the_range_of_a_family_is_that_of_its_motion(
    half: float, rate: float, noise: float
) -> None:
    """Not that of the noise of its frames, which is several times as wide."""
    fs, seconds = 8000.0, 24
    t = np.arange(round(fs * seconds)) / fs
    angle = 2 * np.pi * 120 * t - half / rate * np.cos(2 * np.pi * rate * t)
    x = np.sum([np.cos(k * angle + k) / k for k in range(1, 7)], axis=0)
    x += noise * np.random.default_rng(3).standard_normal(len(t))
    found = find_moving(lambda a, b: x[a:b], len(x), fs, np.zeros(0))
    assert found is not None
    assert found.mean == pytest.approx(120, abs=4 * found.std + half * 0.3)
    room = 0.05 * half + 0.5 * noise * half**0.5
    assert found.high == pytest.approx(120 + half, abs=room)
    assert found.low == pytest.approx(120 - half, abs=room)


@pytest.mark.parametrize("shape", ["square", "saw"])
def test_a_family_that_stands_still_does_not_move(shape: str) -> None:
    fs = 8000.0
    turns = 31.367 * np.arange(160_000) / fs
    x = np.sign(np.sin(2 * np.pi * turns)) if shape == "square" else np.mod(turns, 1.0)
    x = x + 0.05 * np.random.default_rng(3).standard_normal(len(x))
    assert find_moving(lambda a, b: x[a:b], len(x), fs, np.zeros(0)) is None
    found = run(default_method(recording(x, fs=fs)), recording(x, fs=fs))
    assert found.combs[0].low is None
    assert found.combs[0].spacing == pytest.approx(31.367, abs=1e-3)


def test_figures_have_no_digits_that_no_clock_bears() -> None:
    assert with_std(437.600000001, 8e-9) == "437.60000(4)"
    assert with_std(24.3, 2e-4) == "24.3000(2)"
    assert span(119.962, 120.038) == "119.962 to 120.038"
    assert span(5.0, 29.13) == "5 to 29"


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize(("strength", "frequency"), [(150.0, 14.0), (200.0, 20.0), (300.0, 30.0)])
def test_pulses_beside_a_steady_line_leave_it_its_level(
    strength: float, frequency: float, seed: int
) -> None:
    """Many bins share the noise's level, which is that of the pulses beside the tone."""
    random = np.random.default_rng(seed)
    t = np.arange(2000) / 250
    x = 12 * np.cos(2 * np.pi * 60.05 * t + random.uniform(0, 6)) + 0.5 * random.normal(size=2000)
    for at in np.cumsum(random.normal(0.95, 0.05, 9)) - 0.5:
        late = np.maximum(t - at, 0.0)
        size = strength * np.exp(0.3 * random.normal())
        x += size * (late > 0) * np.exp(-late / 0.12) * np.sin(2 * np.pi * frequency * late)
    peaks = run(Method.of(frame=256), recording(x, fs=250.0)).peaks or ()
    peak = min(peaks, key=lambda one: abs(one.tone.frequency - 60.05))
    assert peak.behaviour is not None and peak.behaviour.kind == "steady"
    assert peak.tone.amplitude == pytest.approx(12, abs=max(0.6, 3 * peak.tone.amplitude_std))


@pytest.mark.parametrize("kind", ["pink", "dropouts"])
@pytest.mark.parametrize("seed", [1003, 1010])
def test_a_slope_whose_first_bins_are_hollow_has_no_peak(kind: str, seed: int) -> None:
    """What is taken off each frame takes from the first two bins: the third is no line by that."""
    assert not read(NOISES[kind](seed).samples).peaks


def test_a_knock_that_happens_to_have_its_own_spectrum_does_not_change_the_content() -> None:
    for seed in range(1000, 1004):
        assert "content-changes" not in changes_told(NOISES["short bursts"](seed).samples)
