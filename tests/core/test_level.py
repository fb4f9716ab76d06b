"""The rms of a stretch: that of its samples wherever it is said, and where frames have another."""

from __future__ import annotations

import math
import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.signal import detrend as scipy_detrend
from tests.support import estimated, recording

import tonecomb
from tonecomb.core.estimate.averages import AVERAGES
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.spectrum import Scaling, is_amplitude, to_decibels
from tonecomb.core.find.zones import Limit, Zone, over
from tonecomb.core.method import Method, default_method
from tonecomb.core.record.recording import Recording, Stretch
from tonecomb.core.units import unit

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
    "decay": 7.0 * np.exp(-T / 0.4) * np.sin(2 * np.pi * 60.0 * T),
}
CUT = sorted(set(AVERAGES) - {"synchronous"})
CAUSES = {"trend": "slower than the first bin"}


@settings(max_examples=30)
@given(
    seed=st.integers(0, 10_000), start=st.integers(0, 900), length=st.integers(300, 2000),
    detrend=st.sampled_from(["none", "mean", "line"]), key=st.sampled_from(CUT),
    offset=st.floats(-1e4, 1e4), window=st.sampled_from(["hann", "flat-top", "rectangular"]),
)  # fmt: skip
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
    kept = np.r_[x[: found.spectrum.framing.runs[0][1] * 128 + 128],
                 x[found.spectrum.framing.runs[1][0] * 128 :
                   (found.spectrum.framing.places - 1) * 128 + 256]]  # fmt: skip
    assert found.rms == pytest.approx(kept.std(), rel=1e-9)


@pytest.mark.parametrize("name", RECORDS)
def test_one_figure_everywhere_and_a_caution_where_frames_have_another(name: str) -> None:
    x, made = RECORDS[name], recording(RECORDS[name], fs=FS)
    done = tonecomb.analyse(made, default_method(made))
    a, values = done.analysis, done.values()
    assert values["rms"] == a.rms == pytest.approx(x.std(), rel=1e-9)
    short = values["in_short"][0]
    assert short.startswith(f"{a.rms:.4g} m/s² rms over the stretch: ")
    assert CAUSES.get(name, "at a loud end") in short
    share = float(re.findall(r"(\d+) % (?:at|slower)", short)[0])
    assert share == pytest.approx(100 * (1 - a.spectrum.rms**2 / x.std() ** 2), abs=0.6)
    told = {one.code: one.text for one in done.cautions}["frames-level"]
    assert f"{a.rms:.4g} m/s² rms, the frames {a.spectrum.rms:.4g}: " in told
    assert CAUSES.get(name, "an end of the stretch is louder") in told


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
    shift = to_decibels(twice.values, scaling, symbol) - to_decibels(one.values, scaling, symbol)
    np.testing.assert_allclose(shift, 20 * math.log10(2), rtol=1e-9)
    assert twice.values[5] / one.values[5] == pytest.approx(2 if is_amplitude(scaling) else 4)
    curve = tuple(zip(one.spectrum.frequency[1:].tolist(), one.values[1:].tolist(), strict=True))
    found = Limit("curve", "curve", points=curve).judge(twice)
    assert found.value == pytest.approx(20 * math.log10(2), rel=1e-6)
    margins = [over(one, by).judge(one).value for by in (0.0, 6.0)]
    assert margins[0] - margins[1] == pytest.approx(6.0, rel=1e-6)
