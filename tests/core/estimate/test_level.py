"""The rms of a stretch: that of its samples wherever it is said, and where frames have another."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import butter, sosfilt
from scipy.signal import detrend as scipy_detrend
from tests.support import estimated, recording

import tonecomb
from tonecomb.batches.plan import Plan, Rule
from tonecomb.core.base.units import unit
from tonecomb.core.estimate.averages import AVERAGES
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.spectrum import Scaling, is_amplitude, to_decibels
from tonecomb.core.find.hits import find_hits
from tonecomb.core.method.method import Method, default_method
from tonecomb.core.record.recording import Recording, Stretch
from tonecomb.core.results.zones import Limit, Zone, over
from tonecomb.core.say.distortion import distortion_words
from tonecomb.core.steps.combine import VectorSum

FS = 1000.0
T = np.arange(30_000) / FS
CHANCE = np.random.default_rng(8)


def loud(where: slice) -> np.ndarray:
    x = 0.1 * CHANCE.standard_normal(len(T))
    x[where] += 7.0 * np.sin(2 * np.pi * 80.0 * T[where])
    return x


SLOW = 0.05 * T + np.sin(2 * np.pi * 0.11 * T) + 0.05 * CHANCE.standard_normal(len(T))
RECORDS = {
    "loud start": loud(slice(0, 300)),
    "loud end": loud(slice(-1200, None)),
    "trend": SLOW,
    "knock": 0.1 * CHANCE.standard_normal(len(T)) + 90.0 * (T == 8.704),
    "decay": 7.0 * np.exp(-T / 0.4) * np.sin(2 * np.pi * 60.0 * T),
}
CUT = sorted(set(AVERAGES) - {"synchronous"})
CAUSES = {
    "trend": ("slower than the first bin",) * 2,
    "knock": ("short, where frames hardly weigh", "something short is louder than the rest"),
}


@settings(max_examples=30)
@given(
    seed=st.integers(0, 10_000),
    start=st.integers(0, 900),
    length=st.integers(300, 2000),
    detrend=st.sampled_from(["none", "mean", "line"]),
    key=st.sampled_from(CUT),
    offset=st.floats(-1e4, 1e4),
    window=st.sampled_from(["hann", "flat-top", "rectangular"]),
)
def test_rms_over_the_stretch_is_that_of_its_samples(
    seed: int, start: int, length: int, detrend: str, key: str, offset: float, window: str
) -> None:
    """Whatever the window, the way of averaging and the frame, and however loud an end is."""
    chance = np.random.default_rng(seed)
    x = offset + chance.standard_normal(3000) * np.linspace(3, 0, 3000) ** 2
    average = AVERAGES[key]()
    stretch = Stretch(start / FS, (start + length) / FS)
    method = Method.of(detrend=detrend, average=average, frame=128, window=window, stretch=stretch)
    samples = x[start : start + length]
    found = estimated(method, recording(x, fs=FS))
    if not average.cut:
        middle = round((2 * start + length) / 2 - 64)
        samples = x[middle : middle + 128]
    kind = {"mean": "constant", "line": "linear"}.get(detrend)
    wanted = scipy_detrend(samples, type=kind) if kind else samples
    assert found.rms == pytest.approx(math.sqrt(np.mean(wanted**2)), rel=1e-9, abs=1e-9)


def test_samples_whose_frames_are_left_out_do_not_count() -> None:
    x = CHANCE.standard_normal(8000)
    x[3000:3400] *= 50
    made = recording(x, fs=FS)
    found = estimated(Method.of(frame=256, struck=(Stretch(3.0, 3.4),)), made)
    kept = np.r_[
        x[: found.spectrum.framing.runs[0][1] * 128 + 128],
        x[
            found.spectrum.framing.runs[1][0] * 128 : (found.spectrum.framing.places - 1) * 128
            + 256
        ],
    ]
    assert found.rms == pytest.approx(kept.std(), rel=1e-9)


@pytest.mark.parametrize("name", RECORDS)
def test_one_figure_everywhere_and_a_caution_where_frames_have_another(name: str) -> None:
    x, made = RECORDS[name], recording(RECORDS[name], fs=FS)
    done = tonecomb.analyse(made, default_method(made))
    a, values = done.analysis, done.values()
    assert values["rms"] == a.rms == pytest.approx(x.std(), rel=1e-9)
    short = values["in_short"][0]
    assert short.startswith(f"{a.rms:.4g} m/s² rms over the stretch: ")
    assert CAUSES.get(name, ("at a loud end",))[0] in short
    share = float(re.findall(r"(\d+) % (?:at|slower|short)", short)[0])
    assert share == pytest.approx(100 * (1 - a.spectrum.rms**2 / x.std() ** 2), abs=0.6)
    told = {one.code: one.text for one in done.cautions}["frames-level"]
    assert f"{a.rms:.4g} m/s² rms, the frames {a.spectrum.rms:.4g}: " in told
    assert CAUSES.get(name, ("", "an end of the stretch is louder"))[1] in told


def test_an_even_record_gets_no_such_caution() -> None:
    x = CHANCE.standard_normal(30_000) + np.cos(2 * np.pi * 80.0 * T)
    made = recording(x, fs=FS)
    done = tonecomb.analyse(made, default_method(made))
    assert "frames-level" not in {one.code for one in done.cautions}
    assert not done.analysis.uneven and not done.analysis.other_ends


def loud_start(symbol: str = "m/s²") -> Recording:
    return recording(RECORDS["loud start"], fs=FS, unit=symbol)


def test_a_loud_end_does_not_pass_as_good() -> None:
    """Its samples are judged where there are some; a band, or a velocity, is not judged by frames
    that hardly weigh it."""
    zones = (Zone("A", 0.2), Zone("B", 5.0))
    made = loud_start()
    a = tonecomb.analyse(made, default_method(made)).analysis
    assert Limit("all", "overall", zones).judge(a).zone == "B"
    shown = default_method(made).having(display=Display("Velocity"))
    velocity = tonecomb.analyse(made, shown).analysis
    assert velocity.rms_of == "in the frames" and velocity.rms == velocity.spectrum.rms
    for limit, judged in (
        (Limit("band", "band", zones, 10, 200), a),
        (Limit("all", "overall", zones), velocity),
    ):
        found = limit.judge(judged)
        assert not found.zone and "not judged, an end of the stretch" in found.words


@pytest.mark.parametrize("scaling", ["amplitude", "power", "psd", "amplitude-density", "energy"])
def test_twice_the_signal_is_six_decibels_in_every_scaling(scaling: Scaling) -> None:
    """In decibels, over a curve's limit, and against a held trace with a margin."""
    x = CHANCE.standard_normal(8000)
    method = Method.of(frame=512, scaling=scaling)
    one, twice = (estimated(method, recording(k * x, fs=FS)) for k in (1.0, 2.0))
    symbol = unit("m/s²")
    levels = [to_decibels(a.values[1:], scaling, symbol) for a in (one, twice)]
    shift = levels[1] - levels[0]
    np.testing.assert_allclose(shift, 20 * math.log10(2), rtol=1e-9)
    assert twice.values[5] / one.values[5] == pytest.approx(2 if is_amplitude(scaling) else 4)
    curve = tuple(zip(one.spectrum.frequency[1:].tolist(), one.values[1:].tolist(), strict=True))
    found = Limit("curve", "curve", points=curve).judge(twice)
    assert found.value == pytest.approx(20 * math.log10(2), rel=1e-6)
    margins = [over(one, by).judge(one).value for by in (0.0, 6.0)]
    assert margins[0] - margins[1] == pytest.approx(6.0, rel=1e-6)


@pytest.mark.parametrize("window", ["hann", "flat-top", "blackman-harris"])
@pytest.mark.parametrize("detrend", ["mean", "line"])
def test_a_tone_leaves_the_lowest_bins_of_velocity_clean(window: str, detrend: str) -> None:
    """30 m/s² at 1000.6 Hz are 4.77 mm/s there, and nothing at 1 Hz, whatever part of a cycle each
    frame ends with; an offset and a slope go."""
    fs = 8000.0
    t = np.arange(64_000) / fs
    x = 30 * np.sqrt(2) * np.cos(2 * np.pi * 1000.6 * t + 0.3)
    x += 9.81 + (3 * t if detrend == "line" else 0)
    shown = Display("Velocity", low_cut=0.5)
    method = Method.of(frame=8192, window=window, detrend=detrend, display=shown)
    found = estimated(method, recording(x, fs=fs))
    low = found.values[found.spectrum.frequency < 20]
    assert low.max() < (0.02 if window == "flat-top" else 2e-3)  # mm/s rms; 0.6 with plain means
    assert found.values.max() == pytest.approx(30e3 / (2 * np.pi * 1000.6), rel=0.2)


def test_a_line_in_the_lowest_bins_of_displacement_gets_a_caution() -> None:
    x = 0.1 * CHANCE.standard_normal(30_000) + 0.3 * np.cos(2 * np.pi * 1.1 * T)
    made = recording(x, fs=FS)
    method = Method.of(frame=2048, display=Display("Displacement", low_cut=0.1))
    done = tonecomb.analyse(made, method)
    told = {one.code: one for one in done.cautions}["near-zero"]
    assert told.text.startswith("1.1 Hz lies ") and "from 1.46 Hz on" in told.text
    assert told.remedy.startswith("Use ") and told.edit is not None
    better = tonecomb.analyse(made, told.edit(method))
    assert "near-zero" not in {one.code for one in better.cautions}


def test_what_lies_below_the_low_cut_is_said() -> None:
    x = 0.1 * CHANCE.standard_normal(30_000) + 0.3 * np.cos(2 * np.pi * 4.4 * T)
    made = recording(x, fs=FS)
    method = Method.of(frame=4096, display=Display("Velocity", low_cut=8.0))
    done = tonecomb.analyse(made, method)
    told = {one.code: one for one in done.cautions}["below-cut"]
    assert told.text == "4.4 Hz lies below 8 Hz, from where on there is a level."
    assert told.edit is not None
    better = tonecomb.analyse(made, told.edit(method))
    assert "below-cut" not in {one.code for one in better.cautions}
    assert better.analysis.rms > 2 * done.analysis.rms


@pytest.mark.parametrize(("low", "words"), [(60.2, "does not count"), (59.9, "counts"), (40, "")])
def test_a_line_at_a_bands_limit_is_said(low: float, words: str) -> None:
    x = 0.1 * CHANCE.standard_normal(30_000) + np.cos(2 * np.pi * 60.0 * T)
    method = Method.of(frame=1024, bands=(Band(low, 200.0),))
    done = tonecomb.analyse(recording(x, fs=FS), method)
    told = [one.text for one in done.cautions if one.code == "near-limit"]
    assert bool(told) == bool(words) and all(f"it {words}." in one for one in told)


def test_a_line_at_the_limit_of_another_quantity_is_said() -> None:
    """In acceleration the line at 9.95 Hz is 32 dB below another, in velocity the strongest."""
    x = 0.12 * np.cos(2 * np.pi * 9.95 * T) + 5 * np.cos(2 * np.pi * 410 * T)
    row = Band(10.0, 380.0, unit="mm/s")
    done = tonecomb.analyse(recording(x, fs=FS), Method.of(frame=1024, bands=(row,)))
    (told,) = [one.text for one in done.cautions if one.code == "near-limit"]
    assert told.startswith("9.95 Hz lies ")
    assert told.endswith("velocity 10–380 Hz rms ends: it does not count.")


def test_the_length_of_a_vector_is_said_to_have_other_frequencies() -> None:
    """Two axes in phase at 50 Hz: the length shows 100, 200, 300 Hz, and nothing at 50."""
    x = np.cos(2 * np.pi * 50 * T)
    made = recording(x, 0.5 * x, fs=FS)
    method = default_method(made).having(steps=(VectorSum((0, 1)),), channel=2)
    done = tonecomb.analyse(made, method)
    told = {one.code: one.text for one in done.cautions}
    assert "twice its frequency" in told["vector-sum"]
    assert "The spectrum of c1, c2 together" in told["vector-sum"]
    remedy = next(one for one in done.cautions if one.code == "vector-sum")
    assert remedy.edit is not None
    power = tonecomb.analyse(made, remedy.edit(method))
    top = power.analysis.spectrum.frequency[power.analysis.values.argmax()]
    assert top == pytest.approx(50, abs=0.5)
    axes = [tonecomb.analyse(made, method.having(channel=i)).analysis.spectrum for i in (0, 1)]
    total = axes[0].mean_square + axes[1].mean_square
    np.testing.assert_allclose(power.analysis.spectrum.mean_square, total)
    assert power.analysis.rms == pytest.approx(math.sqrt(0.625), rel=1e-6)
    assert power.analysis.sentence.startswith("power sum of c1, c2 · ")
    assert "vector-sum" not in {one.code for one in power.cautions}
    assert remedy.edit(method).having(channel=1).source.axes == ()
    plain = tonecomb.analyse(made, method.having(channel=0))
    assert "vector-sum" not in {one.code for one in plain.cautions}


def test_distortion_names_its_quantity_and_its_harmonics() -> None:
    x = np.sum(
        [a * np.cos(2 * np.pi * 24.3 * n * T) for n, a in ((1, 1), (2, 0.4), (3, 0.3))], axis=0
    )
    made = recording(x + 1e-3 * CHANCE.standard_normal(len(T)), fs=FS)
    for quantity, thd in (("", 50.0), ("Velocity", 100 * math.hypot(0.2, 0.1))):
        method = default_method(made).having(display=Display(quantity))
        done = tonecomb.analyse(made, method)
        (comb,) = done.values()["combs"]
        named = quantity or "Acceleration"
        assert (comb["thd_of"], comb["thd_harmonics"]) == (named, [2, 3])
        assert comb["thd_percent"] == pytest.approx(thd, rel=1e-2)
        words = distortion_words(done.analysis.combs[0], named)
        assert words == f"THD {comb['thd_percent']:.3g} % of {named.lower()}, harmonics 2, 3"


def test_bench_command_line_and_batch_choose_one_frame() -> None:
    """Whoever leaves the frame to the recording gets the same one, and so the same figures."""
    made = recording(CHANCE.standard_normal(150_000), fs=FS)
    frames = {
        tonecomb.analyse(made).analysis.method.frames.frame,
        tonecomb.analyse(made, Method()).analysis.method.frames.frame,
        default_method(made).frames.frame,
        *(one.frames.frame for one in Plan().methods(made)),
        *(one.frames.frame for one in Plan((Rule(method=Method()),)).methods(made)),
    }
    assert frames == {8192}
    part = Method.of(stretch=Stretch(0, 20.0)).resolved(made)
    assert part.frames.frame == 1024


def test_the_hits_of_a_gated_tone_behind_a_filter_end_in_no_fault() -> None:
    """Bands of which lines take nearly all bins have no noise to hold an envelope against."""
    t = np.arange(40_000) / 8000
    for seed in range(6):
        rng = np.random.default_rng(seed)
        gate = (t * rng.uniform(1, 8)) % 1 < rng.uniform(0.2, 0.6)
        x = np.cos(2 * np.pi * rng.uniform(300, 1500) * t) * gate
        y = sosfilt(butter(8, 2000, fs=8000, output="sos"), x)
        for one in find_hits(lambda a, b, y=y: y[a:b], len(y), 8000.0).hits:
            assert math.isfinite(one.score) and one.score < 1e5
