"""Regions kept and taken out: what comes back where nothing is marked, edges, ends, and teeth."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import read_all, recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import WINDOWS
from tonecomb.core.results.search import run
from tonecomb.core.steps.isolate import Isolate
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.regions import Outline, Region, RegionBox, RegionTooth, parsed
from tonecomb.core.steps.step import Step

FS = 4000.0
N = 40_000
T = np.arange(N) / FS
NOISE = np.random.default_rng(1).normal(size=N)
ALL = RegionBox(-10.0, 100.0, -10.0, 1e4)


def through(x: Array, step: Step) -> Array:
    return read_all(prepare(recording(x, fs=FS), (step,)))


@given(
    name=st.sampled_from(sorted(set(WINDOWS) - {"force", "exponential"})),
    overlap=st.sampled_from([50.0, 66.7, 75.0, 87.5, 90.0]),
    frame=st.sampled_from([64, 100, 256, 1000]),
)
def test_where_all_is_marked_nothing_changes(name: str, overlap: float, frame: int) -> None:
    """To rounding, for every window and overlap that allow it; the others are refused."""
    x = NOISE[:5000]
    try:
        y = through(x, Isolate((ALL,), window=name, overlap=overlap, frame=frame))
    except UserError as error:
        assert "cannot be put together again" in error.text
        assert overlap < 75 or WINDOWS[name].overlap > overlap
        return
    np.testing.assert_allclose(y, x, atol=1e-12)


def test_windows_that_cannot_be_put_together_are_refused() -> None:
    with pytest.raises(UserError, match="overlap by 50 % cannot be put together again"):
        through(NOISE, Isolate((ALL,), window="flat-top", overlap=50.0))
    with pytest.raises(UserError, match="the Hann window leaves hardly anything"):
        through(NOISE, Isolate((ALL,), overlap=0.0))


REGIONS = (
    RegionBox(2.0, 4.0, 300.0, 600.0),
    Outline(((5.0, 900.0), (8.0, 1200.0), (6.0, 1600.0))),
    RegionTooth(3, 0.0, ((0.0, 60.0), (5.0, 66.0), (9.0, 58.0))),
)


@settings(max_examples=8)
@given(start=st.integers(0, N - 1), size=st.integers(1, 9000))
def test_kept_and_taken_out_add_up(start: int, size: int) -> None:
    step = Isolate(REGIONS)
    stop = min(start + size, N)
    kept, out = (
        prepare(recording(NOISE, fs=FS), (one,)).samples.read(0, start, stop)
        for one in (step, step.swapped())
    )
    np.testing.assert_allclose(kept + out, NOISE[start:stop], atol=1e-12)


def test_a_box_holds_its_tone_and_not_the_one_beside_it() -> None:
    inside = np.cos(2 * np.pi * 450 * T)
    frame = 512
    edge = 8 * FS / frame
    beside = np.cos(2 * np.pi * (600 + edge / 2 + FS / frame) * T)
    kept = through(inside + beside, Isolate((RegionBox(2.0, 6.0, 300.0, 600.0),), frame=frame))
    middle = slice(round(2.2 * FS), round(5.8 * FS))
    np.testing.assert_allclose(kept[middle], inside[middle], atol=3e-4)
    assert np.abs(kept[: round(1.9 * FS)]).max() == 0
    assert np.abs(kept[round(6.1 * FS) :]).max() == 0


def test_a_click_does_not_ring_through_soft_edges() -> None:
    """Less than a thousandth a third of a frame away."""
    x = np.zeros(N)
    x[N // 2] = 1.0
    frame = 512
    kept = through(x, Isolate((RegionBox(0.0, 10.0, 600.0, 1400.0),), frame=frame))
    far = np.abs(np.arange(N) - N // 2) > frame // 3
    assert np.abs(kept[far]).max() < 1e-3 * np.abs(kept).max()


def test_first_and_last_frames_are_right() -> None:
    x = np.cos(2 * np.pi * 500 * T)
    kept = through(x, Isolate((RegionBox(-1.0, 20.0, 300.0, 700.0),)))
    for end in (kept[:50] - x[:50], kept[-50:] - x[-50:]):
        assert np.abs(end).max() < 0.45, "its level is there, but for what a cut tone spreads"
    for part in (slice(200, 400), slice(-400, -200)):
        np.testing.assert_allclose(kept[part], x[part], atol=1e-4)
    whole = through(x, Isolate((RegionBox(-1.0, 20.0, 0.0, FS),)))
    np.testing.assert_allclose(whole, x, atol=1e-12, err_msg="to the first and last sample")


def wandering(seconds: float, by: float, seed: int) -> Array:
    rng = np.random.default_rng(seed)
    slow = np.convolve(rng.normal(size=2 * N), np.hanning(int(seconds * FS)), "same")[:N]
    return 1 + by * slow / np.abs(slow).max()


@pytest.mark.parametrize("seed", range(3))
def test_a_tooth_of_a_family_that_wanders(seed: int) -> None:
    """Voice-like: pitch ±8 %, a track known to a hundredth. Others 75 dB down, its own energy
    within a thousandth."""
    pitch = 110 * wandering(1.2, 0.08, seed)
    turns = np.cumsum(pitch) / FS
    teeth = {n: np.cos(2 * np.pi * n * turns + n) / n for n in range(1, 15)}
    knots = np.arange(0, N, 80)
    rough = pitch[knots] * (1 + 0.002 * np.random.default_rng(seed).normal(size=len(knots)))
    track = tuple(zip((knots / FS).tolist(), rough.tolist(), strict=True))
    step = Isolate((RegionTooth(7, 0.0, track),))
    inner = slice(2000, -2000)
    own = through(teeth[7], step)[inner]
    assert (own @ own) / (teeth[7][inner] @ teeth[7][inner]) == pytest.approx(1, abs=1e-3)
    others = np.asarray(sum(one for n, one in teeth.items() if n != 7))
    left = through(others, step)[inner]
    assert 20 * math.log10(left.std() / others[inner].std()) < -75


def test_what_lies_in_two_regions_is_kept_once() -> None:
    x = np.cos(2 * np.pi * 300 * T)
    both = (RegionBox(-1.0, 20.0, 200.0, 400.0), RegionTooth(3, 20.0, ((0.0, 100.0),)))
    np.testing.assert_allclose(through(x, Isolate(both))[4000:-4000], x[4000:-4000], atol=1e-3)


def test_an_outline_is_what_lies_inside() -> None:
    region = Outline(((1.0, 100.0), (3.0, 100.0), (3.0, 500.0), (2.0, 300.0), (1.0, 500.0)))
    assert region.ranges(2.0) == ((100.0, 300.0),)
    assert region.ranges(1.5) == ((100.0, 400.0),)
    hollow = Outline(
        (
            (0.0, 100.0),
            (4.0, 100.0),
            (4.0, 500.0),
            (1.0, 450.0),
            (3.0, 300.0),
            (1.0, 200.0),
            (0.0, 500.0),
        )
    )
    assert len(hollow.ranges(2.0)) == 2


@pytest.mark.parametrize(
    ("regions", "sentence"),
    [
        ((RegionBox(4.0, 2.0, 1.0, 5.0),), "A region is empty: 4–2 s"),
        ((RegionBox(20.0, 30.0, 1.0, 5.0),), "lies outside the record: it lasts 10 s"),
        ((RegionBox(1.0, 3.0, 3000.0, 3500.0),), "its frequencies end at 2000 Hz"),
        ((RegionTooth(40, 0.0, ((0.0, 60.0),)),), "tooth 40 of 60 Hz ± 27 Hz lies outside"),
        ((RegionTooth(2, 0.0, ((1.0, 60.0), (0.5, 60.0))),), "goes back in time"),
        ((RegionTooth(0, 0.0, ((1.0, 60.0),)),), "There is no such tooth"),
        ((Outline(((1.0, 5.0), (2.0, 5.0), (3.0, 5.0))),), "An outline is empty"),
    ],
)
def test_regions_that_cannot_be(regions: tuple[Region, ...], sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        through(NOISE, Isolate(regions))


@pytest.mark.parametrize("region", REGIONS)
def test_regions_are_written_and_read(region: Region) -> None:
    assert parsed(region.written()) == region
    assert parsed(region.written().replace(" ", "/")) == region
    for broken in ("", "box 1 2 3", "box 1 2 3 nan", "ring 1 2", "tooth 1.5 0 0 60"):
        with pytest.raises((ValueError, TypeError)):
            parsed(broken)


def test_silence_beside_a_region_is_analysed() -> None:
    """Frames of nothing at all are no defect: no division by them."""
    tone = np.cos(2 * np.pi * 450 * T * (1 + 0.001 * T)) + 0.01 * NOISE
    made = recording(tone, fs=FS)
    method = Method.of(frame=512, steps=(Isolate((RegionBox(3.0, 6.0, 300.0, 600.0),)),))
    (peak, *_) = run(method, made).peaks or ()
    assert peak.tone.frequency == pytest.approx(454, abs=3)
