"""Other averages than the mean, single frames, and levels of bands."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import SUMS, recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate import averages as ways
from tonecomb.core.estimate.averages import AVERAGES, Highest, Median, Single, median_bias
from tonecomb.core.estimate.bands import FRACTIONS, Band, G, band_rms, octave_bands
from tonecomb.core.method.method import Method
from tonecomb.core.method.sentence import sentence
from tonecomb.core.record.windows import window
from tonecomb.core.results.levels import level_readings
from tonecomb.core.results.search import run

RNG = np.random.default_rng(9)
X = RNG.normal(size=20_000) + tone(20_000, 10, 256, 2.0)
MADE = recording(X, fs=1000.0)


def frames_squared(method: Method) -> np.ndarray:
    """|X|² of every frame by its own transform, scaled to the mean square of a sine."""
    hop = round(method.frames.frame * (1 - method.frames.overlap / 100))
    w = window(method.frames.window).samples(method.frames.frame)
    rows = []
    for start in range(0, len(X) - method.frames.frame + 1, hop):
        x = X[start : start + method.frames.frame]
        if method.frames.detrend != "none":
            x = x - w @ x / w.sum() * (method.frames.detrend == "mean")
        if method.frames.detrend == "line":  # with the least squares of what is left, tapered
            t = np.arange(method.frames.frame)
            x = x - np.polyval(np.polyfit(t, x, 1, w=np.abs(w)), t)
        squares = (
            np.abs(np.fft.rfft(x * w, method.frames.frame * method.frames.pad)) ** 2 / w.sum() ** 2
        )
        squares[1 : (method.frames.frame * method.frames.pad + 1) // 2] *= 2
        rows.append(squares)
    return np.array(rows)


@given(
    average=st.sampled_from(["max", "min", "median", "exponential"]),
    name=st.sampled_from(SUMS),
    frame=st.sampled_from([64, 255, 1024]),
    overlap=st.sampled_from([0.0, 50.0, 75.0]),
    pad=st.sampled_from([1, 2]),
    detrend=st.sampled_from(["none", "mean", "line"]),
)
def test_every_average_against_all_frames_at_once(
    average: str, name: str, frame: int, overlap: float, pad: int, detrend: str
) -> None:
    method = Method.of(
        frame=frame,
        window=name,
        overlap=overlap,
        pad=pad,
        detrend=detrend,
        average=AVERAGES[average](),
    )
    with pytest.MonkeyPatch.context() as patch:  # a few frames at a time
        patch.setattr(ways, "_GROUP", 5 * frame)
        found = run(method, MADE).spectrum
    squares = frames_squared(method)
    if average == "exponential":
        wanted = squares[0]
        for row in squares[1:]:
            wanted = wanted + (row - wanted) / 8
    elif average == "median":
        with pytest.MonkeyPatch.context() as patch:  # in many passes, the same
            patch.setattr(ways, "_HELD_BYTES", 8 * len(squares) * 37)
            again = run(method, MADE).spectrum
        np.testing.assert_allclose(again.mean_square, found.mean_square, rtol=1e-9, atol=1e-15)
        averages = found.effective_averages / ways.MEDIAN_WORTH
        wanted = np.median(squares, axis=0) / median_bias(max(1, round(averages)))
    else:
        wanted = getattr(squares, average)(axis=0)
    np.testing.assert_allclose(found.mean_square, wanted, rtol=1e-9, atol=1e-15)


@pytest.mark.parametrize("count", [1, 3, 7, 45])
def test_the_median_is_corrected_for_its_bias(count: int) -> None:
    drawn = np.median(np.random.default_rng(1).exponential(size=(count, 60_000)), axis=0)
    assert drawn.mean() == pytest.approx(median_bias(count), rel=0.01)
    assert median_bias(10**5 + 1) == pytest.approx(np.log(2), rel=1e-4)


def test_the_median_shrugs_off_an_impact() -> None:
    struck = X.copy()
    struck[9000:9050] += 500
    method = Method.of(frame=512, average=Median(), scaling="psd")
    floor = [np.median(run(method, recording(x, fs=1000.0)).values) for x in (X, struck)]
    assert floor[1] == pytest.approx(floor[0], rel=0.15)


def test_a_single_frame_is_where_it_is_wanted() -> None:
    method = Method.of(frame=1000, average=Single(7.25), detrend="none")
    found = run(method, MADE)
    w = window("hann").samples(1000)
    wanted = np.abs(np.fft.rfft(X[6750:7750] * w)) ** 2 / w.sum() ** 2
    wanted[1:500] *= 2
    np.testing.assert_allclose(found.spectrum.mean_square, wanted, rtol=1e-9)
    assert found.resolution.frames == 1
    assert found.resolution.covered_fraction == pytest.approx(1 / 20)
    assert "single frame at 7.25 s" in found.sentence
    for at, start in ((0.0, 0), (99.0, 19_000), (None, 9500)):
        edge = run(Method.of(frame=1000, average=Single(at), detrend="none"), MADE)
        wanted = np.abs(np.fft.rfft(X[start : start + 1000] * w)) ** 2 / w.sum() ** 2
        assert edge.spectrum.mean_square[17] == pytest.approx(2 * wanted[17], rel=1e-9)


@pytest.mark.parametrize(
    ("average", "words"),
    [
        ("median", "median of 77 frames"),
        ("max", "maximum of 77 frames"),
        ("exponential", "77 frames averaged exponentially"),
    ],
)
def test_the_sentence_names_the_average(average: str, words: str) -> None:
    assert words in sentence(Method.of(frame=512, average=AVERAGES[average]()), MADE)


def test_no_peaks_where_they_would_mislead() -> None:
    assert run(Method.of(frame=512, average=Highest()), MADE).peaks == ()
    assert run(Method.of(frame=512, average=Median()), MADE).peaks


@given(
    name=st.sampled_from(SUMS),
    frame=st.integers(64, 900),
    pad=st.sampled_from([1, 3]),
    cuts=st.lists(st.floats(0, 500), min_size=1, max_size=5),
)
def test_bands_add_up_to_the_whole(name: str, frame: int, pad: int, cuts: list[float]) -> None:
    spectrum = run(Method.of(frame=frame, window=name, pad=pad), MADE).spectrum
    edges = [0.0, *sorted(cuts), 500.0]
    parts = [band_rms(spectrum, a, b) for a, b in pairwise(edges)]
    assert np.sqrt(np.sum(np.square(parts))) == pytest.approx(spectrum.rms, rel=1e-9)
    assert band_rms(spectrum, 600, 900) == 0


def test_a_band_about_a_tone_holds_its_rms() -> None:
    f = 1000 * 10 / 256
    analysis = run(Method.of(frame=2048, bands=(Band(f - 4, f + 4), Band(200, 300))), MADE)
    inside, noise = (one.value for one in level_readings(analysis))
    assert inside == pytest.approx(np.sqrt(2 + 8 / 500), rel=0.01)
    assert noise == pytest.approx(np.sqrt(100 / 500), rel=0.03)
    with pytest.raises(UserError, match="The band 30–20 Hz is empty"):
        run(Method.of(frame=512, bands=(Band(30, 20),)), MADE)


@pytest.mark.parametrize("fraction", FRACTIONS)
def test_octaves_of_the_standard(fraction: int) -> None:
    centres, edges = octave_bands(fraction, 10, 20_000)
    np.testing.assert_allclose(edges[1:] / edges[:-1], G ** (1 / fraction), rtol=1e-12)
    np.testing.assert_allclose(centres**2, edges[1:] * edges[:-1], rtol=1e-12)
    assert edges[0] >= 10 * (1 - 1e-9)
    assert edges[-1] <= 20_000 * (1 + 1e-9)
    if fraction in (1, 3):
        assert np.isclose(centres, 1000).any()
        assert np.isclose(centres, 1000 * G).any()
    assert len(octave_bands(fraction, 900, 901)[0]) == 0


def test_third_octaves_as_printed() -> None:
    """IEC 61260-1, table A.1: exact mid-band frequencies."""
    centres, edges = octave_bands(3, 20, 2000)
    wanted = [25.119, 31.623, 39.811, 50.119, 63.096, 79.433, 100.0, 125.89, 158.49]
    np.testing.assert_allclose(centres[: len(wanted)], wanted, rtol=3e-5)
    at = int(np.argmin(abs(centres - 1000)))
    np.testing.assert_allclose(edges[at : at + 2], [891.25, 1122.0], rtol=2e-5)
    with pytest.raises(UserError, match="1/5 octave are not offered"):
        octave_bands(5, 10, 100)
