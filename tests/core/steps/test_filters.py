"""Filters: their response by sines and noise, against the library over the whole, and refusals."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import signal
from tests.support import read_all, recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import Method, plan, resolution
from tonecomb.core.record.recording import Array, Stretch
from tonecomb.core.results.search import run
from tonecomb.core.steps.comb_notch import CombNotch
from tonecomb.core.steps.decimate import Decimate
from tonecomb.core.steps.filters import BandPass, BandStop, Filter, HighPass, LowPass, Notch
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.recursive import BLOCK
from tonecomb.core.steps.sections import FAMILIES
from tonecomb.core.steps.step import Step

FS = 2000.0
RNG = np.random.default_rng(5)
ODD = (
    *(
        kind
        for family in FAMILIES
        for kind in (
            LowPass(200.0, 5, family),
            HighPass(200.0, 4, family, True),
            BandPass(150.0, 260.0, 3, family, True),
            BandStop(150.0, 260.0, 4, family),
        )
    ),
    Notch(200.0, 20.0),
    Notch(200.0, 20.0, True),
)


def through(x: Array, *steps: Step, fs: float = FS) -> Array:
    return read_all(prepare(recording(x, fs=fs), steps))


@pytest.mark.parametrize("step", ODD, ids=lambda step: step.words([]))
def test_sines_come_out_as_the_response_says(step: Filter) -> None:
    """In level within 0.1 dB and in phase; without a delay where none is wanted."""
    t = np.arange(20_000) / FS
    inner = slice(6000, 14_000)
    for f in (60.0, 149.0, 199.0, 203.0, 262.0, 700.0):
        y = through(np.cos(2 * np.pi * f * t), step)[inner]
        basis = np.exp(-2j * np.pi * f * t[inner])
        gain = complex(2 * np.mean(y * basis))
        expected = complex(step.sections(FS).response(np.array([f]), FS)[0])
        assert abs(gain - expected) < 2e-4 + 0.005 * abs(expected)
        if not getattr(step, "causal", False) and abs(expected) > 0.5:
            delay = math.atan2(gain.imag, gain.real) / (2 * math.pi * f) * FS
            assert abs(delay) < 1e-9


def test_noise_comes_out_as_the_response_says() -> None:
    x = RNG.normal(size=400_000)
    step = BandPass(150.0, 260.0)
    f, before = signal.welch(x, FS, nperseg=2048)
    _, after = signal.welch(through(x, step), FS, nperseg=2048)
    wanted = np.abs(step.sections(FS).response(f, FS)) ** 2
    clear = (wanted > 0.01) & (f > 5) & (f < 900)
    ratio = after[clear] / before[clear] / wanted[clear]
    level = 10 * np.log10(ratio)
    assert np.abs(np.convolve(level, np.ones(5) / 5, "valid")).max() < 0.1, "smoothed: it scatters"


@pytest.mark.parametrize("step", ODD, ids=lambda step: step.words([]))
def test_an_edge_is_where_it_was_asked_for(step: Filter) -> None:
    """Three decibels down, whether it runs once or forward and backward."""
    family = getattr(step, "family", "butterworth")
    if isinstance(step, Notch):
        edges, level = np.array([190.0, 210.0]), -3.01
    else:
        edges = np.array(step.edges)
        level = {"chebyshev-1": -0.5, "elliptic": -0.5, "chebyshev-2": -60.0}.get(family, -3.01)
    gain = 20 * np.log10(np.abs(step.sections(FS).response(edges, FS)))
    np.testing.assert_allclose(gain, level, atol=0.2 if isinstance(step, Notch) else 0.01)


@pytest.mark.parametrize("causal", [False, True])
@given(start=st.integers(0, 3 * BLOCK), size=st.integers(1, BLOCK))
def test_a_slow_filter_streams_like_the_whole(causal: bool, start: int, size: int) -> None:
    """A notch that settles over several blocks, read anywhere, against one pass of the library."""
    made, whole = slow(causal)
    stop = min(start + size, len(whole))
    block = made.read(0, start, stop)
    np.testing.assert_allclose(block, whole[start:stop], atol=1e-12)


KEPT: dict[bool, tuple] = {}  # type: ignore[type-arg]


def slow(causal: bool) -> tuple:  # type: ignore[type-arg]
    """The samples of a filter, and what the library makes of them with the same continuation."""
    if causal not in KEPT:
        n = 4 * BLOCK + 999
        x = np.random.default_rng(1).normal(size=n).cumsum() / 100
        step = Notch(50.0, 0.02, causal)
        made = prepare(recording(x, fs=FS), (step,)).samples
        sections = step.sections(FS)
        beyond = min(sections.settled(1e-6), n - 1)
        level = round(FS / 100)
        at = np.arange(level) - (level - 1) / 2
        ends = [
            np.polyval(np.polyfit(at, part, 1), at[-1]) for part in (x[:level][::-1], x[-level:])
        ]
        longer = np.concatenate(
            [2 * ends[0] - x[beyond:0:-1], x, 2 * ends[1] - x[-2 : -beyond - 2 : -1]]
        )
        zi = signal.sosfilt_zi(sections.sos)
        out = signal.sosfilt(sections.sos, longer, zi=zi * longer[0])[0]
        if not causal:
            out = signal.sosfilt(sections.sos, out[::-1], zi=zi * out[-1])[0][::-1]
        KEPT[causal] = made, out[beyond : beyond + n]
    return KEPT[causal]


def test_a_trend_is_no_step_at_the_ends() -> None:
    t = np.arange(20_000) / FS
    x = 40 + 3 * t + 0.1 * RNG.normal(size=len(t))
    left = through(x, LowPass(5.0)) - 40 - 3 * t
    assert np.abs(left).max() < 0.05


def test_missing_samples_stay_missing_and_spoil_nothing_else() -> None:
    t = np.arange(20_000) / FS
    x = np.cos(2 * np.pi * 3 * t)
    x[7000:7003] = np.nan
    y = through(x, LowPass(100.0))
    assert np.flatnonzero(~np.isfinite(y)).tolist() == [7000, 7001, 7002]
    np.testing.assert_allclose(y[8000:12_000], x[8000:12_000], atol=1e-6)


def test_spoiled_ends_are_left_out_of_the_frames() -> None:
    made = recording(RNG.normal(size=20_000), fs=FS)
    method = Method.of(frame=1024, steps=(HighPass(2.0),))
    p = plan(method, made)
    first, last = p.signal.edge_samples[0]
    assert 1.2 < first / FS < 2.0 and first == last
    assert (p.start, p.stop) == (first, 20_000 - last)
    assert resolution(method, made).covered_fraction < 0.9
    inside = method.having(stretch=Stretch(3.0, 6.0))
    assert (plan(inside, made).start, plan(inside, made).stop) == (6000, 12_000)
    kept = prepare(made, (HighPass(2.0), Decimate(2), Keep(0.2, 9.0)))
    assert kept.edge_samples == ((-(-first // 2) + 24 - 200, -(-last // 2) + 24 - 1000),)
    with pytest.raises(UserError, match="where a filter has not settled"):
        plan(method.having(stretch=Stretch(0.0, 1.2)), made)


@pytest.mark.parametrize(
    ("step", "sentence"),
    [
        (LowPass(1200.0), "An edge at 1200 Hz lies outside .* 1000 Hz, the Nyquist"),
        (BandPass(300.0, 200.0), "A band from 300 to 200 Hz cannot be: .* turn them around"),
        (LowPass(100.0, -2), "A filter of order -2 cannot be"),
        (LowPass(100.0, 4, "chebyshev-1", ripple=-1.0), "A ripple of -1 dB cannot be used"),
        (LowPass(1e-4, 8), "more than double precision holds: .* decimate first"),
        (Notch(50.0, 0.05), "The notch is too narrow for this record: it needs .* at each end"),
        (Notch(50.0, 120.0), "it would reach 0 Hz"),
        (Notch(5000.0), "A notch at 5000 Hz lies outside"),
        (CombNotch(50.0, 0.1), "too narrow for this record: they need 15 s"),
        (CombNotch(50.0, 40.0), "leave nothing of a comb of 50 Hz"),
        (CombNotch(0.0), "lies outside the record's frequencies"),
        (CombNotch(50.0, 1.0, 0), "0 teeth cannot be taken out"),
    ],
)
def test_filters_that_cannot_be(step: Step, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        prepare(recording(np.zeros(20_000), fs=FS), (step,))


def wandering(n: int, fs: float, rng: np.random.Generator, seconds: float) -> Array:
    """Between −1 and 1, changing over so many seconds."""
    size = int(20 * seconds)
    slow = np.convolve(rng.normal(size=int(n / fs * 20) + size), np.hanning(size), "same")
    slow /= 2 * slow.std()
    return np.clip(np.interp(np.arange(n) / fs, np.arange(len(slow)) / 20, slow), -1, 1)


@pytest.mark.parametrize("seed", range(3))
def test_hum_that_drifts_is_taken_out_and_a_neighbour_stays(seed: int) -> None:
    """±0.2 % in frequency, level that wanders: 35 dB; a tone 1 Hz beside a tooth keeps its."""
    rng, fs = np.random.default_rng(seed), 5120.0
    n = int(60 * fs)
    t = np.arange(n) / fs
    turns = np.cumsum(50.02 * (1 + 0.002 * wandering(n, fs, rng, 20))) / fs
    hum = sum(
        (1 + 0.2 * wandering(n, fs, rng, 10)) / k * np.cos(2 * np.pi * k * turns + k)
        for k in (1, 2, 3, 5, 7, 11, 13, 20, 29)
    )
    rest = 0.3 * np.cos(2 * np.pi * 151.3 * t) + 0.05 * rng.normal(size=n)
    signal_ = prepare(recording(np.asarray(hum + rest), fs=fs), (CombNotch(50.0, teeth=30),))
    y = read_all(signal_)
    inner = slice(*signal_.settled((0,)))
    left = (y - rest)[inner]
    assert 20 * math.log10(np.asarray(hum)[inner].std() / left.std()) > 35

    def level(x: Array) -> float:
        w = np.hanning(len(x[inner]))
        return float(abs((x[inner] * w * np.exp(-2j * np.pi * 151.3 * t[inner])).sum()))

    assert abs(20 * math.log10(level(y) / level(rest))) < 0.02


def test_where_there_is_no_comb_hardly_anything_goes() -> None:
    x = RNG.normal(size=100_000)
    y = through(x, CombNotch(50.0, 0.6, 15))
    assert (x - y)[4000:-4000].std() < 0.2


@pytest.mark.parametrize(
    "steps",
    [
        (BandPass(150.0, 260.0, 4, "elliptic"),),
        (HighPass(50.0), LowPass(400.0, 8)),
        (LowPass(300.0, 10, "chebyshev-2"),),
        (BandPass(200.0, 400.0), CombNotch(50.0, 1.0, 15)),
    ],
    ids=lambda steps: steps[0].words([]),
)
def test_a_filters_edges_are_neither_peaks_nor_resonances(steps: tuple[Step, ...]) -> None:
    """Of noise alone, whatever shape the filters give it; a tone in it is found."""
    found = 0
    for seed in range(5):
        noise = np.random.default_rng(seed).normal(size=60_000)
        analysis = run(Method.of(frame=4096, steps=steps), recording(noise, fs=FS))
        found += len(analysis.peaks or ()) + len(analysis.resonances)
    assert found <= 1
    tone = noise + 0.3 * np.cos(2 * np.pi * 230 * np.arange(60_000) / FS)
    (peak,) = run(Method.of(frame=4096, steps=steps), recording(tone, fs=FS)).peaks or ()
    assert peak.tone.frequency == pytest.approx(230, abs=0.01)
