"""Calibration and conditioning: against closed forms, and block by block like the whole."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import read_all, recording

from tonecomb.core.errors import UserError
from tonecomb.core.method import Method, sentence
from tonecomb.core.record.calibration import calibrated
from tonecomb.core.record.recording import Array, Channel, Stretch
from tonecomb.core.record.sensors import Calibration, ChannelGiven, say
from tonecomb.core.steps.conditioning import AS_RECORDED, Conditioning, Derived, condition
from tonecomb.core.units import conversion

FS = 1000.0
T = np.arange(40_000) / FS
INNER = slice(9000, 31_000)  # away from the record's ends


def cosine(f: float, amplitude: float = 1.0, phase: float = 0.4) -> Array:
    return amplitude * np.cos(2 * np.pi * f * T + phase)


def derive(x: Array, one: Derived, unit: str = "m/s²") -> tuple[Channel, Array]:
    made = condition(recording(x, fs=FS, unit=unit), Conditioning(derived=(one,)))
    return made.channels[-1], read_all(made, len(made.channels) - 1)


@pytest.mark.parametrize("f", [2.0, 3.7, 50.0, 211.3, 440.0])
def test_integrals_and_derivatives_of_a_tone(f: float) -> None:
    """Amplitude and phase from the low cut up to nine tenths of Nyquist (derivative of a cosine
    is −ω·sin): closed forms, in the units that the trade shows."""
    w = 2 * np.pi * f
    velocity, v = derive(cosine(f), Derived("integral", (0,), low_cut=2.0))
    assert (velocity.unit, velocity.name) == ("mm/s", "integral of c1, from 2 Hz")
    close = 1e-5 + 2e-7 * w  # of the amplitude; a little comes in from the ends at 2 Hz
    np.testing.assert_allclose(v[INNER], 1e3 * np.sin(w * T + 0.4)[INNER] / w, atol=close * 1e3 / w)
    displacement, d = derive(cosine(f), Derived("double integral", (0,), low_cut=2.0))
    assert displacement.unit == "µm"
    np.testing.assert_allclose(d[INNER], -1e6 * cosine(f)[INNER] / w**2, atol=close * 1e6 / w**2)
    back, a = derive(cosine(f), Derived("derivative", (0,), low_cut=2.0), "mm/s")
    assert back.unit == "m/s²"
    np.testing.assert_allclose(a[INNER], -1e-3 * w * np.sin(w * T + 0.4)[INNER], atol=2e-9 * w)


def test_what_is_below_the_low_cut_is_gone() -> None:
    _, v = derive(9.81 + cosine(0.9) + 0.5 * T, Derived("integral", (0,), low_cut=2.0))
    assert np.abs(v[INNER]).max() < 1e-3 * 1e3 / (2 * np.pi * 0.9)


@pytest.mark.parametrize(
    ("unit", "kind", "expected"),
    [("g", "integral", ("mm/s", 9806.65)), ("in/s", "derivative", ("m/s²", 0.0254)),
     ("mm/s", "integral", ("µm", 1000.0)), ("FS", "integral", ("FS", 1.0)),
     ("N", "integral", ("N*s", 1.0)), ("m/s²", "derivative", ("m/s²/s", 1.0))],
)  # fmt: skip
def test_units_of_derived_channels(unit: str, kind: str, expected: tuple[str, float]) -> None:
    channel, v = derive(cosine(50.0), Derived(kind, (0,)), unit)  # type: ignore[arg-type]
    w = 2 * np.pi * 50.0
    wanted = expected[1] * (w if kind == "derivative" else 1 / w)
    assert channel.unit == expected[0]
    assert np.sqrt(2) * v[INNER].std() == pytest.approx(wanted, rel=1e-5)


def test_pointwise_channels() -> None:
    x, y, z = cosine(3.0), cosine(7.0, 2.0), cosine(11.0, 0.5)
    base = recording(x, y, z, fs=FS)
    base = replace(base, channels=(Channel("X", "m/s²"), Channel("Y", "mm/s²"), Channel("Z", "g")))
    how = Conditioning(
        derived=(
            Derived("vector sum", (0, 1, 2)),
            Derived("difference", (1, 0)),
            Derived("sum", (0, 2)),
            Derived("scaled", (1,), factor=-2.5, name="turned"),
        )
    )
    made = condition(base, how)
    names = [(channel.name, channel.unit) for channel in made.channels[3:]]
    assert names == [
        ("|X, Y, Z|", "m/s²"), ("Y − X", "mm/s²"), ("X + Z", "m/s²"), ("turned", "mm/s²"),
    ]  # fmt: skip
    g = 9.80665
    wanted = [np.sqrt(x**2 + (y / 1e3) ** 2 + (g * z) ** 2), y - 1e3 * x, x + g * z, -2.5 * y]
    for i, expected in enumerate(wanted):
        np.testing.assert_allclose(read_all(made, 3 + i), expected, rtol=1e-12, atol=1e-12)
    with pytest.raises(UserError, match="N cannot be converted into m/s²"):
        condition(
            replace(base, channels=(Channel("X", "m/s²"), Channel("Y", "N"), base.channels[2])), how
        )


def test_mean_line_and_drift() -> None:
    x = 5.0 + 0.2 * T + cosine(20.0)
    base = recording(x, fs=FS)
    for removed, left in (("mean", x - x.mean()), ("line", x - np.polyval(np.polyfit(T, x, 1), T))):
        made = condition(base, Conditioning(removed=removed))  # type: ignore[arg-type]
        np.testing.assert_allclose(read_all(made), left, atol=1e-9)
    drift = condition(base, Conditioning(removed="drift", drift_cut=1.0))
    np.testing.assert_allclose(read_all(drift)[INNER], cosine(20.0)[INNER], atol=1e-4)
    slow = condition(
        recording(cosine(0.4, 3.0), fs=FS), Conditioning(removed="drift", drift_cut=1.0)
    )
    assert np.abs(read_all(slow)[INNER]).max() < 1e-4
    holed = x.copy()
    holed[100:200] = np.nan
    made = condition(recording(holed, fs=FS), Conditioning(removed="mean"))
    assert np.nanmean(read_all(made)) == pytest.approx(0, abs=1e-12)


@pytest.mark.parametrize("factor", [2, 5, 16])
def test_decimation_keeps_what_fits_and_folds_nothing_down(factor: int) -> None:
    new = FS / factor
    kept, folding = 0.39 * new, 0.55 * new
    made = condition(
        recording(cosine(kept) + cosine(folding), fs=FS), Conditioning(decimate=factor)
    )
    assert (made.rate, made.length) == (new, -(-len(T) // factor))
    inner = slice(9000 // factor, 31_000 // factor)
    np.testing.assert_allclose(read_all(made)[inner], cosine(kept)[::factor][inner], atol=1e-6)


@given(
    st.integers(0, 4000), st.integers(1, 900),
    st.sampled_from(["nothing", "mean", "line", "drift"]), st.sampled_from([1, 3]),
)  # fmt: skip
def test_any_block_is_as_in_the_whole(start: int, size: int, removed: str, factor: int) -> None:
    x = np.random.default_rng(8).normal(size=15_000).cumsum()
    how = Conditioning(
        keep=Stretch(0.5, 14.0), removed=removed, drift_cut=4.0, decimate=factor,  # type: ignore[arg-type]
        derived=(Derived("integral", (0,), 5.0), Derived("vector sum", (0, 1))),
    )  # fmt: skip
    made = condition(recording(x, -x[::-1], fs=FS), how)
    assert made.length == -(-13_500 // factor)
    for channel in range(4):
        stop = min(made.length, start + size)
        np.testing.assert_allclose(
            made.samples.read(channel, start, stop), read_all(made, channel)[start:stop],
            rtol=1e-9, atol=1e-7 * np.abs(read_all(made, channel)).max(),
        )  # fmt: skip


def test_the_method_line_names_what_was_done() -> None:
    how = Conditioning(keep=Stretch(2.0, 20.0), removed="drift", drift_cut=0.5, decimate=4)
    made = condition(recording(cosine(5.0), fs=FS), how)
    assert sentence(Method(frame=512), made).startswith(
        "c1 · 0.0–18.0 s · kept 2–20 s, drift below 0.5 Hz removed, decimated by 4 · mean removed"
    )
    same = recording(cosine(5.0), fs=FS)
    assert condition(same, AS_RECORDED) is same


@pytest.mark.parametrize(
    ("how", "sentence"),
    [
        (Conditioning(keep=Stretch(5.0, 99.0)), "outside made"),
        (Conditioning(removed="drift", drift_cut=400.0), "Drift below 400 Hz cannot be removed"),
        (Conditioning(decimate=30_000), "leaves nothing to analyse"),
        (Conditioning(derived=(Derived("sum", (0,)),)), "needs at least two channels"),
        (Conditioning(derived=(Derived("integral", (3,)),)), "made has 1"),
        (Conditioning(derived=(Derived("integral", (0,), 0.0),)), "low cut of 0 Hz cannot be used"),
    ],
)
def test_conditioning_that_cannot_be(how: Conditioning, sentence: str) -> None:
    with pytest.raises(UserError, match=sentence):
        condition(recording(cosine(5.0), fs=FS), how)


def test_a_filter_too_long_is_refused_when_it_is_read() -> None:
    made = condition(
        recording(np.zeros(1000), fs=50_000.0), Conditioning(removed="drift", drift_cut=1e-4)
    )
    with pytest.raises(UserError, match="decimate the recording first"):
        read_all(made)


@given(
    sensitivity=st.floats(0.01, 1e4), gain=st.sampled_from([0.1, 1.0, 10.0, -1.0]),
    offset=st.floats(-1e3, 1e3),
)  # fmt: skip
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
    base = replace(recording(np.array([0.0, 1024.0]), np.array([1.0, 2.0])),
                   channels=(Channel("c1", "counts"), Channel("c2", "in/s")))  # fmt: skip
    said = (ChannelGiven("c1", calibration=Calibration("N", 512.0, "counts")),
            ChannelGiven("c2", shown_in="mm/s"))  # fmt: skip
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
    [("g", "m/s²", 9.80665), ("mil", "µm", 25.4), ("in/s", "mm/s", 25.4), ("V", "mV", 1000.0),
     ("lbf", "N", 4.4482216152605), ("mm/s", "µm/s", 1000.0), ("kPa", "bar", 0.01)],
)  # fmt: skip
def test_conversions(source: str, target: str, size: float) -> None:
    assert conversion(source, target) == pytest.approx(size, rel=1e-12)
    assert conversion(target, source) == pytest.approx(1 / size, rel=1e-12)
