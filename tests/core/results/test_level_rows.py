"""Levels that a method asks for: against integration over time, zones, and what is not judged."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording

import tonecomb
from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.method import Method, default_levels, default_method
from tonecomb.core.record.recording import Channel
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.levels import LevelReading, level_readings
from tonecomb.core.results.search import run
from tonecomb.core.say.in_short import in_short
from tonecomb.formats.level_text import parse

FS, N = 12_800.0, 256_000
CHANCE = np.random.default_rng(7)
TONES = ((24.3, 3.0, 0.2), (97.2, 5.0, 1.0), (613.0, 20.0, 2.0))
"""Hz, peak m/s², phase."""
G, INCH = 9.80665, 0.0254


def moved(order: int) -> Any:
    """The sum of the tones, integrated ``order`` times, by hand: m/s², m/s, m."""
    t = np.arange(N) / FS
    return sum(
        a * (2 * np.pi * f) ** -order * np.cos(2 * np.pi * f * t + phase - order * np.pi / 2)
        for f, a, phase in TONES
    )


def read(x: Any, *bands: Band, symbol: str = "m/s²", fs: float = FS, **more: Any) -> Analysis:
    made = recording(x, fs=fs, unit=symbol)
    return run(default_method(made).having(bands=bands, **more), made)


def the(a: Analysis) -> LevelReading:
    (one,) = level_readings(a)
    return one


@pytest.mark.parametrize(
    ("symbol", "order", "size"),
    [
        ("m/s²", 0, 1.0),
        ("g", 0, 1 / G),
        ("mm/s", 1, 1e3),
        ("in/s", 1, 1 / INCH),
        ("µm", 2, 1e6),
        ("mil", 2, 1e3 / INCH),
    ],
)
@pytest.mark.parametrize("detector", ["rms", "peak", "peak-to-peak"])
def test_a_level_is_that_of_the_motion(symbol: str, order: int, size: float, detector: str) -> None:
    """Acceleration is given; what it should be comes from the closed form, over time."""
    motion = size * moved(order)
    noise = 1e-4 * CHANCE.standard_normal(N)
    wanted = {
        "rms": math.sqrt(float(np.mean(motion**2))),
        "peak": float(np.abs(motion).max()),
        "peak-to-peak": float(np.ptp(motion)),
    }[detector]
    found = the(read(moved(0) + noise, Band(10.0, 1000.0, unit=symbol, detector=detector)))  # type: ignore[arg-type]
    assert found.value == pytest.approx(wanted, rel=0.003) and found.unit == symbol
    assert not found.why_not


@pytest.mark.parametrize("own", ["mm/s", "µm"])
def test_what_was_measured_as_motion_is_differentiated(own: str) -> None:
    order = {"mm/s": 1, "µm": 2}[own]
    x = {"mm/s": 1e3, "µm": 1e6}[own] * moved(order)
    for detector in ("rms", "peak"):
        found = the(read(x, Band(10.0, 1000.0, unit="m/s²", detector=detector), symbol=own))
        accelerated = moved(0)
        wanted = accelerated.std() if detector == "rms" else np.abs(accelerated).max()
        assert found.value == pytest.approx(float(wanted), rel=0.01)


def test_a_crest_between_samples_is_found() -> None:
    """A sine at a quarter of the rate, whose samples miss its crests by 3 dB."""
    x = np.cos(2 * np.pi * 3200 * np.arange(N) / FS + np.pi / 4)
    assert np.abs(x).max() == pytest.approx(math.sqrt(0.5))
    found = the(read(x, Band(0.0, FS / 2, detector="peak")))
    assert found.value == pytest.approx(1.0, rel=1e-3)


@pytest.mark.parametrize("symbol", ["m/s²", "µm"])
def test_what_lies_outside_does_not_count_in_a_peak(symbol: str) -> None:
    """A tone an octave below the band, ten times as strong as the one in it as displacement."""
    t = np.arange(N) / FS
    size, order = {"m/s²": (1.0, 0), "µm": (1e6, 2)}[symbol]
    wanted = size * (2 * np.pi * 60.0) ** -order
    x = np.cos(2 * np.pi * 60.0 * t) + 10 * (7.0 / 60.0) ** 2 * np.cos(2 * np.pi * 7.0 * t)
    found = the(read(x, Band(14.0, 500.0, unit=symbol, detector="peak")))
    assert found.value == pytest.approx(wanted, rel=0.01)
    near = np.cos(2 * np.pi * 14.1 * t) + 1e-3 * CHANCE.standard_normal(N)
    method = Method.of(bands=(Band(14.0, 500.0, detector="peak"),))
    done = tonecomb.analyse(recording(near, fs=FS, unit="m/s²"), method)
    (told,) = (one for one in done.cautions if one.code == "near-limit")
    assert told.text.endswith("it counts in part.")


def test_what_is_shown_does_not_change_a_level() -> None:
    row = Band(10.0, 1000.0, unit="mm/s", limits=(1.0,))
    first = the(read(moved(0), row))
    for display in (
        Display("Displacement", low_cut=300.0),
        Display(weighting="Wk"),
        Display("Velocity", units="inch", drawn="octave"),
    ):
        other = the(read(moved(0), row, display=display))
        assert (other.value, other.zone) == (pytest.approx(first.value, rel=1e-9), first.zone)


@pytest.mark.parametrize(
    ("limits", "accept", "zone", "exceeded"),
    [
        ((30.0,), "", "A", False),
        ((10.0,), "", "B", True),
        ((5, 10, 30), "", "C", False),
        ((5, 10, 30), "B", "C", True),
        ((5, 10, 15), "", "D", True),
        ((), "", "", False),
    ],
)
def test_zones(limits: tuple[float, ...], accept: str, zone: str, exceeded: bool) -> None:
    """20 mm/s rms."""
    t = np.arange(N) / FS
    x = 0.02 * math.sqrt(2) * 2 * np.pi * 50 * np.cos(2 * np.pi * 50 * t)
    found = the(read(x, Band(10.0, 1000.0, unit="mm/s", limits=limits, accept=accept)))
    assert found.value == pytest.approx(20.0, rel=1e-3)
    assert (found.zone, found.exceeded) == (zone, exceeded)
    assert found.words.endswith(", exceeded") == exceeded


@pytest.mark.parametrize(
    ("row", "why"),
    [
        (Band(10, 1000, unit="mm/s", limits=(1.0,)), ""),
        (Band(10, 5200, unit="mm/s", limits=(1.0,)), "sure up to 5120 Hz only"),
        (Band(0.5, 1000, unit="mm/s", limits=(1.0,)), "frames of this length allow"),
        (Band(10, 1000, unit="Pa", limits=(1.0,)), "cannot be converted"),
        (Band(10, 1000, weighting="A", limits=(1.0,)), "A weighs pressure"),
        (Band(0.01, 1000, unit="mm/s", detector="peak", limits=(1.0,)), "low cut of 0.01 Hz"),
    ],
)
def test_what_is_not_wholly_covered_is_not_judged(row: Band, why: str) -> None:
    found = the(read(moved(0), row))
    assert why in found.why_not and bool(found.why_not) == bool(why), found.why_not
    assert bool(found.zone) == (not why) and (not why or "not judged" in found.words)


@pytest.mark.parametrize(
    "row",
    [
        Band(10, 5),
        Band(1, 2, limits=(2.0, 1.0)),
        Band(1, 2, limits=(math.nan,)),
        Band(1, 2, limits=(1.0,), accept="B"),
        Band(1, 2, detector="loud"),  # type: ignore[arg-type]
        Band(1, 2, unit="no unit"),
        Band(1, 2, detector="peak", weighting="Wk"),
        Band(1, 2, limits=tuple(range(1, 12))),
    ],
)
def test_what_is_no_level_is_refused(row: Band) -> None:
    with pytest.raises(UserError):
        row.check()


def test_a_new_recording_of_acceleration_begins_with_the_velocity_that_is_judged() -> None:
    made = recording(moved(0), fs=FS, unit="m/s²")
    done = tonecomb.analyse(made)
    (row,) = done.method.follow.bands
    assert (row.low, row.high, row.unit, row.detector) == (10.0, 1000.0, "mm/s", "rms")
    wanted = math.sqrt(sum((1e3 * a / (2 * np.pi * f)) ** 2 / 2 for f, a, _ in TONES))
    (told,) = done.values()["levels"]
    assert told["value"] == pytest.approx(wanted, rel=1e-3)
    short = [one.text for one in in_short(done.analysis, done.cautions)]
    assert f"Velocity 10–1000 Hz rms: {wanted:.4g} mm/s." in short
    slow = default_levels(made.channels, FS, shaft=4.1)
    assert [(one.low, one.high) for one in slow] == [(2.0, 1000.0)]
    for channel, fs in (
        (Channel("p", "Pa"), FS),
        (Channel("x", "FS"), FS),
        (Channel("slow", "m/s²"), 10.0),
    ):
        assert not default_levels((channel,), fs)


@given(
    st.floats(0.5, 50),
    st.floats(100, 900),
    st.sampled_from(["velocity", "displacement", "measured"]),
    st.sampled_from(["rms", "peak", "peak-to-peak"]),
    st.lists(st.floats(0.1, 100), unique=True, max_size=4),
    st.sampled_from(["metric", "inch"]),
)
def test_a_level_as_text(
    low: float, high: float, quantity: str, detector: str, limits: list[float], units: Any
) -> None:
    ends = ",".join(map(repr, sorted(limits)))
    found = parse(f"{quantity}:{low!r}:{high!r}:{detector}" + (f"={ends}" if ends else ""), units)
    assert (found.low, found.high, found.detector) == (low, high, detector)
    assert found.limits == tuple(sorted(limits))
    symbols = {"velocity": ("mm/s", "in/s"), "displacement": ("µm", "mil"), "measured": ("", "")}
    assert found.unit == symbols[quantity][units == "inch"]


@pytest.mark.parametrize(
    "text",
    [
        "",
        "velocity",
        "speed:1:2",
        "velocity:a:2",
        "velocity:1:2:loud",
        "velocity:1:2=x",
        "velocity:2:1",
        "velocity:1:2=3,2",
        "velocity:1:2:rms:accept-B=1",
    ],
)
def test_what_is_no_level_as_text_says_why(text: str) -> None:
    with pytest.raises(UserError) as raised:
        parse(text)
    assert "\n" not in raised.value.text
    assert replace(parse("velocity:1:2:rms:accept-A=1,2")).accept == "A"
