"""The steps of a chain and calibration: against closed forms, and block by block like the whole."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cache
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import read_all, recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import conversion
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.method import Method, Source
from tonecomb.core.method.sentence import sentence
from tonecomb.core.record import blocks
from tonecomb.core.record.blocks import BlockCache, KeptBlocks
from tonecomb.core.record.calibration import calibrated
from tonecomb.core.record.recording import Array, ArraySamples, Channel, Recording, Stretch
from tonecomb.core.record.sensors import Calibration, ChannelGiven, say
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.search import run
from tonecomb.core.steps.as_sampled import AsSampled
from tonecomb.core.steps.chain import without_channel
from tonecomb.core.steps.comb_notch import CombNotch
from tonecomb.core.steps.combine import Difference, Sum, VectorSum
from tonecomb.core.steps.decimate import Decimate
from tonecomb.core.steps.envelope import Envelope
from tonecomb.core.steps.filters import BandPass, BandStop, HighPass, LowPass, Notch
from tonecomb.core.steps.isolate import Isolate
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.motion import Derivative, DoubleIntegral, Integral, Motion
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.regions import Outline, RegionBox, RegionTooth
from tonecomb.core.steps.remove import RemoveDrift, RemoveLine, RemoveMean
from tonecomb.core.steps.scale import Scale
from tonecomb.core.steps.steady import Steady
from tonecomb.core.steps.step import Step
from tonecomb.core.steps.table import STEPS
from tonecomb.formats import step_text

FS = 1000.0
T = np.arange(40_000) / FS
INNER = slice(9000, 31_000)  # away from the record's ends


def cosine(f: float, amplitude: float = 1.0, phase: float = 0.4) -> Array:
    return amplitude * np.cos(2 * np.pi * f * T + phase)


def condition(made: Recording, *steps: Step) -> Signal:
    return prepare(made, steps)


def derive(x: Array, one: Step, unit: str = "m/s²") -> tuple[Channel, Array]:
    made = condition(recording(x, fs=FS, unit=unit), one)
    return made.channels[-1], read_all(made, len(made.channels) - 1)


def settled(made: Signal, channel: int) -> slice:
    return slice(*made.settled((channel,)))


@pytest.mark.parametrize("f", [2.0, 3.7, 50.0, 211.3, 474.0])
@pytest.mark.parametrize("phase", [0.0, 1.3])
def test_integrals_and_derivatives_of_a_tone(f: float, phase: float) -> None:
    """Amplitude and phase from the low cut up to 0.95 of Nyquist, up to the ends that are left out
    (derivative of a cosine is −ω·sin): closed forms, in the units that the trade shows."""
    w, turned = 2 * np.pi * f, 2 * np.pi * f * T + phase
    cases: list[tuple[Step, str, str, Array]] = [
        (Integral((0,), 2.0), "m/s²", "mm/s", 1e3 * np.sin(turned) / w),
        (DoubleIntegral((0,), 2.0), "m/s²", "µm", -1e6 * np.cos(turned) / w**2),
        (Derivative((0,), 2.0), "mm/s", "m/s²", -1e-3 * w * np.sin(turned)),
    ]
    for step, unit, symbol, wanted in cases:
        made = condition(recording(np.cos(turned), fs=FS, unit=unit), step)
        inner = settled(made, 1)
        assert made.channels[1].unit == symbol
        assert inner == slice(3500, len(T) - 3500)
        error = np.abs(read_all(made, 1) - wanted)[inner].max() / np.abs(wanted).max()
        assert error < {2.0: 7e-4, 3.7: 4e-4}.get(f, 3e-5), step


@settings(max_examples=12)
@given(
    cut=st.floats(0.8, 12.0),
    share=st.floats(0.0, 1.0),
    seconds=st.floats(1.5, 4.0),
    kind=st.sampled_from([Integral, DoubleIntegral, Derivative]),
)
def test_a_step_and_the_display_agree(
    cut: float, share: float, seconds: float, kind: type[Motion]
) -> None:
    """A tone anywhere from the low cut to 0.95 of Nyquist reads the same in the integral's samples
    as in the spectrum that is shown as that quantity, however short the record."""
    f = 1.02 * cut * (0.47 * FS / cut) ** share
    n = int((14 / cut) * seconds * FS)
    x = 3.0 * np.cos(2 * np.pi * f * np.arange(n) / FS + 0.7)
    x = x + 1e-9 * np.random.default_rng(4).standard_normal(n)
    own, target = {
        Integral: ("m/s²", "Velocity"),
        DoubleIntegral: ("m/s²", "Displacement"),
        Derivative: ("mm/s", "Acceleration"),
    }[kind]
    made = recording(x, fs=FS, unit=own)
    step = kind((), cut)
    first, stop = prepare(made, (step,)).settled((0,))
    frame = stop - first
    by_step = run(Method.of(frame=frame, overlap=0, steps=(step,)), made)
    shown = Display(target, low_cut=cut)
    whole = Stretch(first / FS, stop / FS)
    by_display = run(Method.of(frame=frame, overlap=0, stretch=whole, display=shown), made)
    assert by_step.unit.symbol == by_display.unit.symbol
    for a in (by_step, by_display):
        assert a.peaks
        best = max(a.peaks, key=lambda peak: peak.tone.amplitude)
        assert best.tone.frequency == pytest.approx(f, rel=1e-3)
    one, other = (max(p.tone.amplitude for p in a.peaks or ()) for a in (by_step, by_display))
    assert one == pytest.approx(other, rel=1e-3)


def test_ends_that_have_not_settled_are_left_out_of_that_channel_only() -> None:
    """An integral's ends do not count; those of the channel that it is made of do."""
    made = condition(recording(cosine(50.0), fs=FS), Integral((0,), 2.0), Scale((1,), 2.0))
    assert made.edge_samples == ((0, 0), (3500, 3500), (3500, 3500))
    spans = [Source(channel=i).span(made) for i in range(3)]
    assert spans == [(0, 40_000), (3500, 36_500), (3500, 36_500)]
    assert Source(channel=0, reference=1).span(made) == (3500, 36_500)


@pytest.mark.parametrize("step", [DoubleIntegral((), 0.3), RemoveDrift(0.2)])
def test_a_limit_that_the_record_is_too_short_for_is_refused(step: Step) -> None:
    with pytest.raises(UserError, match=r"takes 2[23].* s to settle at each end, and there are 40"):
        condition(recording(cosine(50.0), fs=FS), step)
    first = type(step)(**type(step).put(Signal.of(recording(cosine(5.0)[:6000], fs=FS))))
    made = condition(recording(cosine(50.0)[:6000], fs=FS), first)
    low, high = made.settled((0,))
    assert high - low > 3000


def test_a_missing_sample_is_missing_and_no_more() -> None:
    x = cosine(5.0)
    x[20_001] = np.nan
    for step, gone in ((RemoveDrift(1.0), [20_001]), (Decimate(4), [5000, 5001])):
        made = read_all(condition(recording(x, fs=FS), step))
        assert np.flatnonzero(np.isnan(made)).tolist() == gone


def test_what_is_below_the_low_cut_is_gone() -> None:
    _, v = derive(9.81 + cosine(0.9) + 0.5 * T, Integral((0,), 2.0))
    assert np.abs(v[INNER]).max() < 1e-3 * 1e3 / (2 * np.pi * 0.9)


@pytest.mark.parametrize(
    ("unit", "kind", "expected"),
    [
        ("g", Integral, ("mm/s", 9806.65)),
        ("in/s", Derivative, ("m/s²", 0.0254)),
        ("mm/s", Integral, ("µm", 1000.0)),
        ("FS", Integral, ("FS", 1.0)),
        ("N", Integral, ("N*s", 1.0)),
        ("m/s²", Derivative, ("m/s²/s", 1.0)),
    ],
)
def test_units_of_derived_channels(unit: str, kind: Any, expected: tuple[str, float]) -> None:
    channel, v = derive(cosine(50.0), kind((0,)), unit)
    w = 2 * np.pi * 50.0
    wanted = expected[1] * (w if kind is Derivative else 1 / w)
    assert channel.unit == expected[0]
    assert np.sqrt(2) * v[INNER].std() == pytest.approx(wanted, rel=1e-5)


def test_pointwise_channels() -> None:
    x, y, z = cosine(3.0), cosine(7.0, 2.0), cosine(11.0, 0.5)
    base = recording(x, y, z, fs=FS)
    base = replace(base, channels=(Channel("X", "m/s²"), Channel("Y", "mm/s²"), Channel("Z", "g")))
    how = (VectorSum((0, 1, 2)), Difference((1, 0)), Sum((0, 2)), Scale((1,), -2.5, "turned"))
    made = condition(base, *how)
    names = [(channel.name, channel.unit) for channel in made.channels[3:]]
    assert names == [
        ("|X, Y, Z|", "m/s²"),
        ("Y − X", "mm/s²"),
        ("X + Z", "m/s²"),
        ("turned", "mm/s²"),
    ]
    g = 9.80665
    wanted = [np.sqrt(x**2 + (y / 1e3) ** 2 + (g * z) ** 2), y - 1e3 * x, x + g * z, -2.5 * y]
    for i, expected in enumerate(wanted):
        np.testing.assert_allclose(read_all(made, 3 + i), expected, rtol=1e-12, atol=1e-12)
    with pytest.raises(UserError, match="N cannot be converted into m/s²"):
        condition(
            replace(base, channels=(Channel("X", "m/s²"), Channel("Y", "N"), base.channels[2])),
            *how,
        )


def test_mean_line_and_drift() -> None:
    x = 5.0 + 0.2 * T + cosine(20.0)
    base = recording(x, fs=FS)
    line = np.polyval(np.polyfit(T, x, 1), T)
    for removed, left in ((RemoveMean(), x - x.mean()), (RemoveLine(), x - line)):
        made = condition(base, removed)
        np.testing.assert_allclose(read_all(made), left, atol=1e-9)
    drift = condition(base, RemoveDrift(1.0))
    inner = settled(drift, 0)
    assert inner == slice(4400, len(T) - 4400)
    np.testing.assert_allclose(read_all(drift)[inner], cosine(20.0)[inner], atol=1e-3)
    ends = np.r_[read_all(drift)[: inner.start], read_all(drift)[inner.stop :]]
    assert np.abs(ends).max() < 1.1  # the tone, and no jump to where the record begins
    slow = condition(recording(cosine(0.4, 3.0), fs=FS), RemoveDrift(1.0))
    assert np.abs(read_all(slow)[INNER]).max() < 1e-3
    holed = x.copy()
    holed[100:200] = np.nan
    made = condition(recording(holed, fs=FS), RemoveMean())
    assert np.nanmean(read_all(made)) == pytest.approx(0, abs=1e-12)


@pytest.mark.parametrize("factor", [2, 5, 16])
def test_decimation_keeps_what_fits_and_folds_nothing_down(factor: int) -> None:
    new = FS / factor
    kept, folding = 0.39 * new, 0.55 * new
    made = condition(recording(cosine(kept) + cosine(folding), fs=FS), Decimate(factor))
    assert (made.rate, made.length) == (new, -(-len(T) // factor))
    inner = slice(9000 // factor, 31_000 // factor)
    np.testing.assert_allclose(read_all(made)[inner], cosine(kept)[::factor][inner], atol=1e-6)


def test_the_method_line_names_what_was_done_in_its_order() -> None:
    made = recording(cosine(5.0), fs=FS)
    steps = (Keep(2.0, 20.0), RemoveDrift(0.5), Decimate(4))
    method = Method.of(frame=512, steps=steps)
    assert sentence(method, made).startswith(
        "c1 · 0.0–18.0 s · kept 2–20 s, drift below 0.5 Hz removed, 8.8 s left out at each end, "
        "decimated by 4 · mean removed"
    )
    turned = method.having(steps=(*steps[::-1][:2], Integral((), 2.0)))
    assert "decimated by 4, drift below 0.5 Hz removed" in sentence(turned, made)
    summed = method.having(steps=(Scale((0,), 3.0),), channel=1)
    assert sentence(summed, made).startswith("3 × c1 · 0.0–40.0 s · mean removed")


def test_the_order_is_the_users() -> None:
    """Keeping twice counts from where the first kept part begins; what is decimated first is
    derived at the lower rate."""
    made = recording(T.copy(), fs=FS)
    twice = condition(made, Keep(2.0, 20.0), Keep(1.0, 5.0))
    assert (twice.length, read_all(twice)[0]) == (4000, 3.0)
    first = condition(made, Decimate(4), Scale((0,), 2.0))
    assert (first.rate, len(first.channels), first.length) == (250.0, 2, 10_000)
    whole = condition(made, Scale((0,), 2.0), Decimate(4))
    inner = slice(2500, 7500)
    np.testing.assert_allclose(read_all(first, 1)[inner], read_all(whole, 1)[inner], atol=1e-9)


def test_in_place_every_channel_is_integrated() -> None:
    base = recording(cosine(50.0), 2 * cosine(50.0), fs=FS)
    made = condition(base, Integral(low_cut=2.0))
    assert [(c.name, c.unit) for c in made.channels] == [("c1", "mm/s"), ("c2", "mm/s")]
    v = read_all(made, 1)[INNER]
    assert np.sqrt(2) * v.std() == pytest.approx(2e3 / (2 * np.pi * 50), rel=1e-5)


def test_a_channel_is_dropped_with_what_was_made_of_it() -> None:
    steps = (Sum((0, 1)), Decimate(2), Scale((2,), 2.0), Scale((1,), 3.0), Difference((4, 0)))
    assert without_channel(steps, 2, 2) == (Decimate(2), Scale((1,), 3.0), Difference((2, 0)))
    assert without_channel(steps, 2, 5) == steps[:-1]


class StepContract:
    """What holds for every step: its words, that any block is as in the whole, that nothing is read
    before it is wanted, that files and the command line bring it back, and that it has an
    editor."""

    step: Step

    def made(self) -> Recording:
        x = np.random.default_rng(8).normal(size=15_000).cumsum()
        return recording(x, -x[::-1], fs=FS)

    @classmethod
    @cache
    def whole(cls, channel: int) -> Array:
        return read_all(prepare(cls().made(), (cls.step,)), channel)

    def test_it_is_in_the_table(self) -> None:
        kind = type(self.step)
        assert kind in STEPS and step_text.step_kind(kind.key) is kind
        assert kind.title and kind.tip

    def test_its_words_name_it(self) -> None:
        words = self.step.words(["c1", "c2"])
        assert words and "{" not in words
        signal = prepare(self.made(), (self.step,))
        added = len(signal.channels) - 2
        assert added == self.step.adds
        assert signal.words == (() if self.step.adds else (words,))
        if self.step.adds:
            assert signal.channels[-1].name == words

    @settings(max_examples=8)
    @given(start=st.integers(0, 4000), size=st.integers(1, 900))
    def test_any_block_is_as_in_the_whole(self, start: int, size: int) -> None:
        signal = prepare(self.made(), (self.step,))
        channels = range(len(signal.channels))
        stop = min(signal.length, start + size)
        blocks = signal.samples.read_many(channels, start, stop)
        for channel, block in zip(channels, blocks, strict=True):
            whole = self.whole(channel)
            assert len(whole) == signal.length
            np.testing.assert_allclose(
                block, whole[start:stop], rtol=1e-9, atol=1e-9 * np.abs(whole).max()
            )
            np.testing.assert_array_equal(block, signal.samples.read(channel, start, stop))

    def test_nothing_is_read_before_it_is_wanted(self) -> None:
        class Untouchable(ArraySamples):
            def read(self, channel: int, start: int, stop: int) -> Array:
                raise AssertionError("read too early")

        made = self.made()
        prepare(replace(made, samples=Untouchable(made.samples.columns)), (self.step,))  # type: ignore[attr-defined]

    def test_files_and_the_command_line_bring_it_back(self) -> None:
        assert step_text.read(step_text.written(self.step)) == self.step
        assert step_text.parse(step_text.typed(self.step)) == self.step
        off = replace(self.step, off=True)
        assert step_text.read(step_text.written(off)) == off
        assert step_text.parse(step_text.typed(off)) == off
        for broken in ({"step": "nothing"}, step_text.written(self.step) | {"more": 1}, 3):
            with pytest.raises(ValueError, match=r"."):
                step_text.read(broken)

    def test_the_same_chain_is_the_same_signal(self) -> None:
        made = self.made()
        one, other = prepare(made, (self.step,)), prepare(made, (self.step,))
        assert one is other
        assert prepare(self.made(), (self.step,)).key != one.key, "other samples"
        assert prepare(made, ()).key != one.key

    def test_it_is_switched_off(self) -> None:
        made = self.made()
        off = prepare(made, (replace(self.step, off=True),))
        if not self.step.adds:
            np.testing.assert_array_equal(read_all(off), read_all(prepare(made, ())))
            assert off.words == ()

    def test_it_has_an_editor(self, qtbot: Any) -> None:
        from tonecomb.desktop.method_line.step_editors import fields_of, first_of

        signal, changed = prepare(self.made(), ()), list[Step]()
        fields = fields_of(self.step, signal, changed.append)
        for field in fields:
            qtbot.addWidget(field)
        put = first_of(type(self.step), signal, 0)
        assert len(prepare(self.made(), (put,)).channels) >= 2, "as it is put, it can be"


CONTRACT = (
    Keep(0.5, 14.0),
    RemoveMean(),
    RemoveLine(),
    RemoveDrift(4.0),
    Decimate(3),
    VectorSum((0, 1)),
    Sum((1, 0), "both"),
    Difference((0, 1)),
    Scale((1,), -2.5),
    Integral((0,), 5.0),
    Integral((), 5.0),
    DoubleIntegral((1,), 5.0, "path"),
    Derivative((0,), 5.0),
    LowPass(100.0, causal=True),
    AsSampled(370.0, 10, missing=1.0, jitter=20.0),
    HighPass(20.0, family="bessel"),
    BandPass(60.0, 90.0, 6, "elliptic"),
    BandStop(60.0, 90.0),
    Notch(50.0, 2.0),
    CombNotch(50.0, 1.0, 4),
    Envelope(100.0, 200.0),
    Isolate(
        (
            RegionBox(2.0, 9.0, 50.0, 150.0),
            Outline(((3.0, 200.0), (8.0, 300.0), (6.0, 400.0))),
            RegionTooth(3, 9.0, ((1.0, 40.0), (4.0, 45.0), (9.0, 42.0))),
        )
    ),
    Steady(((0.0, 0.0), (4.0, 0.02), (9.0, -0.03), (15.0, 0.0)), by="comb A"),
)
for _one in CONTRACT:
    _name = f"Test{type(_one).__name__}{'InPlace' if not getattr(_one, 'channels', True) else ''}"
    globals()[_name] = type(_name, (StepContract,), {"step": _one})


def test_every_step_is_held_to_the_contract() -> None:
    assert {type(one) for one in CONTRACT} == set(STEPS)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("keep:2:22", Keep(2.0, 22.0)),
        ("decimate:4", Decimate(4)),
        ("integral:low-cut=2", Integral((), 2.0)),
        ("integral:2:low-cut=2", Integral((1,), 2.0)),
        ("vector-sum:1:2:3", VectorSum((0, 1, 2))),
        ("scale:1:factor=2", Scale((0,), 2.0)),
        ("remove-drift:below=0.3", RemoveDrift(0.3)),
        ("remove-mean", RemoveMean()),
        ("low-pass:500:order=6:family=bessel:causal", LowPass(500.0, 6, "bessel", True)),
        ("band-stop:48:52:off", BandStop(48.0, 52.0, off=True)),
        (
            "isolate:box/1/2/100/200+tooth/7/4/0/58.1:out",
            Isolate(
                (RegionBox(1.0, 2.0, 100.0, 200.0), RegionTooth(7, 4.0, ((0.0, 58.1),))), out=True
            ),
        ),
        ("comb-notch:50:width=1", CombNotch(50.0, 1.0)),
    ],
)
def test_steps_are_typed(text: str, expected: Step) -> None:
    assert step_text.parse(text) == expected


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("keep:2", "its end is missing; give it like keep:START:END"),
        ("keep:2:x", "‘x’ is no end"),
        ("decimate:4:5", "‘5’ is one value too many"),
        ("decimate:2.5", "‘2.5’ is no factor"),
        ("low-pass:50:family=brick", "‘brick’ is no family; choose from butterworth, cheb"),
        ("hum", "There is no step ‘hum’"),
        ("scale:0", "‘0’ is no channels"),
        ("decimate:by=3", "it has no by"),
    ],
)
def test_what_is_no_step_is_said(text: str, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        step_text.parse(text)


@pytest.mark.parametrize(
    ("step", "sentence"),
    [
        (Keep(5.0, 99.0), "outside made"),
        (RemoveDrift(400.0), "Drift below 400 Hz cannot be removed"),
        (Decimate(30_000), "leaves nothing to analyse"),
        (Decimate(0), "leaves nothing to analyse"),
        (Sum((0,)), "needs at least two channels"),
        (Integral((3,)), "there are 1"),
        (Integral((0,), 0.0), "low cut of 0 Hz cannot be used"),
    ],
)
def test_steps_that_cannot_be(step: Step, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        condition(recording(cosine(5.0), fs=FS), step)


class Counted(ArraySamples):
    """Samples that lie together, and tell how often they were read."""

    costly, together = True, True
    reads: list[tuple[int, ...]] = []  # noqa: RUF012 - one list a test

    @property
    def grain(self) -> int:
        return 1000

    def read_many(self, channels: Any, start: int, stop: int) -> tuple[Array, ...]:
        self.reads.append((start, stop))
        return tuple(self.columns[i][start:stop] for i in channels)


def test_what_lies_together_is_decoded_once() -> None:
    columns = np.arange(40_000.0).reshape(4, -1)
    source = Counted.of(*columns)
    source.reads.clear()
    kept = KeptBlocks(source, 10_000, 4, BlockCache())
    for channel in range(4):
        for start in range(0, 10_000, 777):
            stop = min(10_000, start + 777)
            np.testing.assert_array_equal(
                kept.read(channel, start, stop), columns[channel, start:stop]
            )
    assert len(source.reads) == 10, "each block once, for all channels"


def test_what_does_not_fit_whole_is_only_kept_near(monkeypatch: pytest.MonkeyPatch) -> None:
    """One of four that lie together: the others would only drive out what is read next."""
    monkeypatch.setattr(blocks, "ROOM", 300_000)
    before = blocks.BLOCKS.held
    columns = np.arange(40_000.0).reshape(4, -1)
    kept = KeptBlocks(Counted.of(*columns), 10_000, 4)
    np.testing.assert_array_equal(kept.read(2, 0, 10_000), columns[2])
    assert blocks.BLOCKS.held == before
    held = blocks.PASSING.held
    assert held >= 80_000
    kept.read_many((0, 1, 2, 3), 0, 1000)
    assert blocks.PASSING.held == held + 3 * 8000, "the third has its block still"


def test_blocks_are_kept_within_bounds() -> None:
    source, cache = Counted.of(np.arange(100_000.0)), BlockCache(room=40_000)
    kept = KeptBlocks(source, 100_000, 1, cache)
    assert kept.read(0, 0, 100_000).sum() == pytest.approx(np.arange(100_000.0).sum())
    assert 0 < cache.held <= 40_000
    del kept
    cache.keep((0, 0, 0), np.zeros(1))
    assert cache.held == 8, "what nobody can ask for any more is let go"


def test_a_filter_too_long_is_refused_when_it_is_read() -> None:
    made = condition(recording(np.zeros(3_000_000), fs=50_000.0), RemoveDrift(0.2))
    with pytest.raises(UserError, match="decimate the recording first"):
        read_all(made)


@given(
    sensitivity=st.floats(0.01, 1e4),
    gain=st.sampled_from([0.1, 1.0, 10.0, -1.0]),
    offset=st.floats(-1e3, 1e3),
)
def test_calibration_undoes_the_sensor(sensitivity: float, gain: float, offset: float) -> None:
    """A recorder in V, a sensor in mV per g with an offset in mV, shown in m/s²."""
    felt = np.linspace(-3, 3, 50)
    volts = gain * (sensitivity * felt + offset) / 1000
    base = replace(recording(volts), channels=(Channel("c1", "V"),))
    said = Calibration("g", sensitivity, "mV", gain, offset)
    made = calibrated(base, (ChannelGiven("c1", "Deck", said, "m/s²"),))
    assert made.channels == (Channel("Deck", "m/s²"),)
    scale = 1e-12 * max(1.0, abs(offset) / sensitivity)
    np.testing.assert_allclose(read_all(made), 9.80665 * felt, rtol=1e-9, atol=1e3 * scale)


def test_counts_are_calibrated_and_units_converted() -> None:
    base = replace(
        recording(np.array([0.0, 1024.0]), np.array([1.0, 2.0])),
        channels=(Channel("c1", "counts"), Channel("c2", "in/s")),
    )
    said = (
        ChannelGiven("c1", calibration=Calibration("N", 512.0, "counts")),
        ChannelGiven("c2", shown_in="mm/s"),
    )
    made = calibrated(base, said)
    assert [c.unit for c in made.channels] == ["N", "mm/s"]
    assert read_all(made).tolist() == [0.0, 2.0]
    np.testing.assert_allclose(read_all(made, 1), [25.4, 50.8])
    with pytest.raises(UserError, match="in/s cannot be converted into g: they measure different"):
        calibrated(base, (ChannelGiven("c2", shown_in="g"),))
    for bad in (Calibration("N", 0.0, "mV"), Calibration("N", 1.0, "mV", gain=math.inf)):
        with pytest.raises(UserError, match="cannot be used"):
            calibrated(base, (ChannelGiven("c1", calibration=bad),))
    assert say(said, ChannelGiven("c1")) == said[1:]


@pytest.mark.parametrize(
    ("source", "target", "size"),
    [
        ("g", "m/s²", 9.80665),
        ("mil", "µm", 25.4),
        ("in/s", "mm/s", 25.4),
        ("V", "mV", 1000.0),
        ("lbf", "N", 4.4482216152605),
        ("mm/s", "µm/s", 1000.0),
        ("kPa", "bar", 0.01),
    ],
)
def test_conversions(source: str, target: str, size: float) -> None:
    assert conversion(source, target) == pytest.approx(size, rel=1e-12)
    assert conversion(target, source) == pytest.approx(1 / size, rel=1e-12)
