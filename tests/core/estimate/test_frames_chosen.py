"""Frames left out, frames in step, and the phase of one frame."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate import spectrum
from tonecomb.core.estimate.averages import AVERAGES, InStep, Single
from tonecomb.core.estimate.framing import effective_averages, make_framing
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.windows import window
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.results.search import run

FS = 1000.0
RNG = np.random.default_rng(21)
NOISE = RNG.normal(size=30_000)

# Left out


@given(
    frame=st.integers(8, 60),
    overlap=st.sampled_from([0.0, 30.0, 50.0, 75.0]),
    spans=st.lists(st.tuples(st.integers(0, 400), st.integers(1, 30)), max_size=6),
    block=st.integers(10, 200),
)
def test_frames_that_touch_a_span_are_left_out(
    frame: int, overlap: float, spans: list[tuple[int, int]], block: int
) -> None:
    """Against each frame asked by itself; blocks pass over the rest exactly once."""
    whole = make_framing(420, frame, overlap, 1.0)
    ends = [(a, a + n) for a, n in spans]
    kept = [
        m
        for m in range(whole.count)
        if not any(a < m * whole.hop + frame and m * whole.hop < b for a, b in ends)
    ]
    if not kept:
        with pytest.raises(UserError, match="Every frame of the stretch is left out"):
            whole.without(ends)
        return
    framing = whole.without(ends)
    assert framing.numbers.tolist() == kept
    assert framing.count == len(kept)
    assert [m for numbers in framing.blocks(block) for m in numbers] == kept
    half = framing.count // 2
    parts = [*framing.blocks(block, 0, half), *framing.blocks(block, half, None)]
    assert [m for numbers in parts for m in numbers] == kept
    samples = {i for m in kept for i in range(m * whole.hop, m * whole.hop + frame)}
    assert framing.covered == len(samples)


@pytest.mark.parametrize("overlap", [0.0, 50.0, 75.0])
def test_averages_of_scattered_frames_are_worth_what_they_scatter(overlap: float) -> None:
    """Variance of the mean of squares over many noise records, against the formula."""
    framing = make_framing(4000, 100, overlap, FS).without([(900, 1300), (2500, 2510)])
    values = []
    for seed in range(400):
        x = np.random.default_rng(seed).normal(size=4000)
        values.append(
            spectrum.averaged_spectrum(
                lambda a, b, x=x: x[a:b], framing, FS, window("hann")
            ).mean_square[10:40:4]
        )
    found = np.array(values)
    worth = float((found.mean(axis=0) ** 2 / found.var(axis=0)).mean())
    assert worth == pytest.approx(effective_averages(framing, "hann"), rel=0.1)


@pytest.mark.parametrize("average", ["mean", "median", "max", "exponential"])
def test_what_is_struck_out_does_not_count(average: str) -> None:
    """A burst, and a hole, are struck out: the rest reads as if they had not been."""
    x = NOISE + tone(len(NOISE), 50, 1000, 3.0)
    spoilt = x.copy()
    spoilt[9_000:9_200] += 500.0
    spoilt[20_100] = np.nan
    method = Method.of(
        frame=1000, average=AVERAGES[average](), struck=(Stretch(9.0, 9.2), Stretch(20.1, 20.101))
    )
    a, b = run(method, recording(spoilt, fs=FS)), run(method, recording(x, fs=FS))
    np.testing.assert_array_equal(a.spectrum.mean_square, b.spectrum.mean_square)
    assert a.resolution.frames == 59 - 2 - 2
    assert a.resolution.covered_fraction == pytest.approx(29 / 30)
    assert "averaged, without 2 stretches struck out ·" in a.sentence or average != "mean"
    if average == "mean":
        (peak,) = a.peaks or ()
        assert abs(peak.tone.frequency - 50) < 4 * peak.tone.frequency_std
        assert abs(peak.tone.amplitude - 3) < 4 * peak.tone.amplitude_std
        assert peak.tone.phase_deg == pytest.approx(np.degrees(0.3), abs=2)
        unspoilt = run(method.having(struck=()), recording(x, fs=FS))
        assert a.spectrum.effective_averages < unspoilt.spectrum.effective_averages


def test_frames_that_clip_are_left_out() -> None:
    x = 0.2 * NOISE + tone(len(NOISE), 50, 1000)
    x[4_000:4_400] *= 4
    clipped = np.clip(x, -2.0, 2.0)
    method = Method.of(frame=500, overlap=0, window="hann", leave_clipped=True)
    a = run(method, recording(clipped, fs=FS))
    assert a.resolution.frames == 59
    assert "averaged, without frames that clip" in a.sentence
    np.testing.assert_allclose(
        a.spectrum.mean_square,
        run(
            method.having(leave_clipped=False, struck=(Stretch(4.0, 4.4),)), recording(x, fs=FS)
        ).spectrum.mean_square,
    )


# In step


@pytest.mark.parametrize("falling", [False, True])
@pytest.mark.parametrize("period", [123.0, 117.37])
def test_averaging_in_step_keeps_what_keeps_step(period: float, falling: bool) -> None:
    """A pulse train with noise, and a stranger; triggered by a channel or by the known period."""
    n = np.arange(len(NOISE))
    turn = 2 * np.pi * n / period
    x = np.cos(5 * turn + 0.4) + 0.5 * NOISE + 2 * np.cos(2 * np.pi * 0.2137 * n)
    tacho = (-1 if falling else 1) * np.sin(turn)  # passes zero at every turn
    made = recording(x, tacho, fs=FS)
    frame = round(4 * period)
    for sync in (Sync(period / FS), Sync(channel=1, falling=falling)):
        method = Method.of(frame=frame, average=InStep(sync), window="hann")
        a = run(method, made)
        count = a.resolution.frames
        assert count in (len(n) // frame, len(n) // frame - 1)
        peak = max(a.peaks or (), key=lambda p: p.tone.amplitude)
        assert peak.tone.frequency == pytest.approx(5 * FS / period, rel=2e-3)
        assert peak.tone.amplitude == pytest.approx(1.0, abs=0.06)
        assert peak.tone.phase_deg == pytest.approx(np.degrees(0.4), abs=6)
        stranger = a.spectrum.values("amplitude", "peak")[round(0.2137 * frame)]
        assert stranger < 2 * 3 / np.sqrt(count), "it averages away"
        assert "in step with" in a.sentence
        assert "overlap" not in a.sentence


def test_frames_between_samples_are_moved_truly() -> None:
    """Whatever the fraction, a tone up to four fifths of Nyquist keeps amplitude and phase."""
    n = np.arange(20_000)
    for share in (0.1, 0.45, 0.8):
        period, cycles = 50.3, round(share * 50.3 / 2)
        x = np.cos(2 * np.pi * cycles * n / period + 0.7)
        method = Method.of(
            frame=503, average=InStep(Sync(period / FS)), window="hann", stretch=Stretch(0.1, 19.9)
        )
        single = run_spectrum(method, recording(x, fs=FS)).single
        assert single is not None
        wanted = np.cos(2 * np.pi * cycles * (np.arange(503) + 100) / period + 0.7)
        np.testing.assert_allclose(single.samples, wanted, atol=2e-5)


@pytest.mark.parametrize(
    ("sync", "sentence"),
    [
        (Sync(), "needs a period or a trigger"),
        (Sync(channel=4), "no channel 5 to trigger on"),
        (Sync(channel=0, level=99.0), "No frame in step lies in the stretch"),
    ],
)
def test_what_gives_no_step_is_said(sync: Sync, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        run(Method.of(frame=512, average=InStep(sync)), recording(NOISE, fs=FS))


# Phase


@given(
    bins=st.integers(5, 200),
    phase=st.floats(-3.1, 3.1),
    start=st.integers(0, 3000),
    name=st.sampled_from(["rectangular", "hann", "flat-top"]),
    pad=st.sampled_from([1, 3]),
)
def test_phase_of_a_tone_in_one_frame(
    bins: int, phase: float, start: int, name: str, pad: int
) -> None:
    """At the frame's start and centre, and its real and imaginary part."""
    frame = 512
    average = Single((start + frame / 2) / FS)
    method = Method.of(frame=frame, window=name, pad=pad, average=average)
    one = run_spectrum(method, recording(tone(4000, bins, frame, 2.0, phase), fs=FS)).single
    assert one is not None
    at = bins * pad
    first = phase + 2 * np.pi * bins * start / frame
    for reference, turn in (("start", first), ("centre", first + np.pi * bins)):
        found = np.radians(one.part("phase", reference)[at])  # type: ignore[arg-type]
        assert abs(np.exp(1j * found) - np.exp(1j * turn)) < 1e-6
    assert one.part("real", "start")[at] == pytest.approx(np.sqrt(2) * np.cos(first), abs=1e-6)
    assert one.part("imaginary", "start")[at] == pytest.approx(np.sqrt(2) * np.sin(first), abs=1e-6)
    assert one.worth()[at]


def test_delay_and_unwrapped_phase_of_an_impulse() -> None:
    """A delayed impulse has the phase −ωτ and the group delay τ, at every frequency."""
    x = np.zeros(1000)
    x[337] = 1.0
    method = Method.of(frame=1000, window="rectangular", detrend="none")
    one = run_spectrum(method, recording(x, fs=FS)).single
    assert one is not None
    np.testing.assert_allclose(one.part("delay", "start"), 0.337, atol=1e-12)
    np.testing.assert_allclose(one.part("delay", "centre"), 0.337 - 0.5, atol=1e-12)
    np.testing.assert_allclose(
        one.part("unwrapped", "start"), -360 * one.frequency * 0.337, atol=1e-6
    )
    assert one.worth().all()


def test_an_average_of_several_frames_has_no_phase() -> None:
    assert run_spectrum(Method.of(frame=1000), recording(NOISE, fs=FS)).single is None
    assert run_spectrum(Method.of(frame=30_000), recording(NOISE, fs=FS)).single is not None
