"""Limits: what is judged, in which zone it lies, and what is refused."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.method import default_method
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run
from tonecomb.core.results.zones import Limit, Zone, over

FS, RMS = 1000.0, 0.5 / math.sqrt(2)
ZONES = (Zone("A", 0.3), Zone("B", 0.4), Zone("C", 0.8))


@pytest.fixture(scope="module")
def analysis() -> Analysis:
    """A tone of amplitude 0.5 at 123.4 Hz, and little noise."""
    t, chance = np.arange(20_000) / FS, np.random.default_rng(2)
    x = 0.5 * np.cos(2 * np.pi * 123.4 * t) + 0.01 * chance.normal(size=len(t))
    made = recording(x, fs=FS, unit="mm/s")
    return run(default_method(made), made)


@pytest.mark.parametrize(
    ("limit", "value", "zone", "exceeded"),
    [
        (Limit("all", "overall", ZONES), RMS, "B", False),
        (Limit("all", "overall", ZONES, accept="A"), RMS, "B", True),
        (Limit("all", "overall", ZONES[:1]), RMS, "over", True),
        (Limit("low", "band", ZONES, 0, 100), 0.0045, "A", False),
        (Limit("mesh", "tone", ZONES, 120, 126), RMS, "B", False),
        (Limit("none", "tone", ZONES, 200, 300), 0.0, "A", False),
    ],
)
def test_figures_and_zones(
    analysis: Analysis, limit: Limit, value: float, zone: str, exceeded: bool
) -> None:
    limit.check()
    found = limit.judge(analysis)
    assert found.value == pytest.approx(value, rel=0.03, abs=1e-6)
    assert (found.zone, found.exceeded) == (zone, exceeded)
    assert found.words.endswith((", exceeded", ", over")) == exceeded


def test_a_curve_is_judged_by_its_highest_excess(analysis: Analysis) -> None:
    """Ten times the frequency, a tenth of the value: 0.1 at 123.4 Hz on logarithmic axes."""
    top = float(analysis.values.max())
    at = float(analysis.spectrum.frequency[analysis.values.argmax()])
    limit = Limit("curve", "curve", points=((at / 10, top / 2), (at * 3, top / 2)))
    limit.check()
    found = limit.judge(analysis)
    assert found.value == pytest.approx(20 * math.log10(2)) and found.at == pytest.approx(at)
    assert found.exceeded and found.zone == "over"
    falling = Limit("curve", "curve", points=((at / 10, 100 * top), (at * 3, 100 * top / 30)))
    assert falling.judge(analysis).value == pytest.approx(-20.0, abs=0.01)


def test_what_cannot_be_judged_says_why(analysis: Analysis) -> None:
    other = Limit("N", "overall", ZONES, unit="N").judge(analysis)
    assert not other.exceeded and other.why_not == "it is in N, the channel in mm/s"
    beyond = Limit("high", "band", ZONES, 600, 700).judge(analysis)
    assert math.isnan(beyond.value) and "not judged" in beyond.words
    assert Limit("same", "overall", ZONES, unit="mm/s").judge(analysis).zone == "B"


@pytest.mark.parametrize(
    ("limit", "why"),
    [
        (Limit("x", "tone", ZONES, 450, 480), "reaches to 480 Hz, and a record at 1000 Hz"),
        (Limit("x", "band", ZONES, 10, 1000), "sure up to 400 Hz only"),
        (Limit("x", "band", ZONES, 10, 400), ""),
        (Limit("x", "tone", ZONES, 2, 100), "begins at 2 Hz, and frames of this length allow"),
        (Limit("x", "band", ZONES, 0, 2), "ends at 2 Hz, and frames of this length allow"),
        (Limit("x", "band", ZONES, 3, 100), ""),
        (Limit("x", "band", ZONES, 3, 100, unit="µm"), "the low cut allows figures from 5"),
        (Limit("x", "band", ZONES, 5, 100, unit="µm"), ""),
        (Limit("x", "band", ZONES), ""),
        (Limit("x", "band", ZONES, weighting="A"), "by A, the spectrum not weighted"),
        (Limit("x", "tone", ZONES), ""),
        (Limit("x", "curve", points=((10, 1), (501, 1))), "to 501 Hz, the spectrum to 500 Hz"),
        (Limit("x", "curve", points=((3, 1), (50, 1)), unit="µm"), "the low cut is at 5 Hz"),
        (Limit("x", "curve", points=((10, 1), (50, 1)), unit="m/s"), "takes a channel in it"),
        (Limit("x", "curve", points=((10, 1), (500, 1))), ""),
    ],
)
def test_what_is_not_wholly_covered_is_not_judged(
    analysis: Analysis, limit: Limit, why: str
) -> None:
    """A record at 1 kHz, bins of 0.98 Hz, integrated from 5 Hz on."""
    limit.check()
    shown = replace(analysis, method=analysis.method.having(display=Display(low_cut=5.0)))
    found = limit.judge(shown)
    assert why in found.why_not and bool(found.why_not) == bool(why), found.words
    assert not found.exceeded or not why


@pytest.mark.parametrize("symbol", ["m/s²", "g", "mm/s", "m/s", "µm", "mm"])
@pytest.mark.parametrize("shown", ["", "Velocity", "Displacement"])
def test_a_limit_is_judged_in_its_own_quantity_and_unit(symbol: str, shown: str) -> None:
    """A tone of 0.5 m/s² at 80 Hz, which the frames hold whole, against closed forms."""
    t, w = np.arange(20_480) / 1024, 2 * math.pi * 80
    made = recording(0.5 * np.cos(w * t), fs=1024.0, unit="m/s²")
    method = default_method(made).having(display=Display(shown))
    power = {"m/s²": 0, "g": 0, "mm/s": 1, "m/s": 1, "µm": 2, "mm": 2}[symbol]
    size = {"m/s²": 1, "g": 1 / 9.80665, "mm/s": 1e3, "m/s": 1, "µm": 1e6, "mm": 1e3}[symbol]
    rms = 0.5 / math.sqrt(2) / w**power * size
    a = run(method, made)
    for kind in ("overall", "band", "tone"):
        limit = Limit(
            "x",
            kind,
            (Zone("A", 0.9 * rms), Zone("B", 1.1 * rms)),
            unit=symbol,
            low=0 if kind == "overall" else 20,
        )
        found = limit.judge(a)
        assert found.value == pytest.approx(rms, rel=2e-3), (kind, found.words)
        assert (found.zone, found.unit) == ("B", symbol)


@pytest.mark.parametrize(
    "limit",
    [
        Limit("x", "overall"),
        Limit("x", "overall", (Zone("A", 2), Zone("B", 1))),
        Limit("x", "overall", ZONES, accept="D"),
        Limit("x", "band", ZONES, 100, 50),
        Limit("x", "curve", points=((1, 1),)),
        Limit("x", "curve", points=((1, 1), (1, 2))),
        Limit("x", "curve", points=((0, 1), (1, 2))),
        Limit("x", "shape", ZONES),  # type: ignore[arg-type]
        Limit("x", "overall", ZONES, unit="furlongs per"),
    ],
)
def test_what_is_no_limit_is_refused(limit: Limit) -> None:
    with pytest.raises(UserError):
        limit.check()


@pytest.mark.parametrize("off", [0.0, 0.3, -0.9])
def test_a_held_curve_allows_itself_and_its_margin(analysis: Analysis, off: float) -> None:
    """The same tone, where it wandered a little too, is within; one 12 dB louder is 6 dB over."""
    t, chance = np.arange(20_000) / FS, np.random.default_rng(9)
    tone, noise = np.cos(2 * np.pi * (123.4 + off) * t), 0.01 * chance.normal(size=len(t))
    limit = over(analysis, 6.0)
    limit.check()
    for gain, exceeded in ((1.0, False), (4.0, True)):
        other = recording(0.5 * gain * tone + noise, fs=FS, unit="mm/s")
        found = limit.judge(run(analysis.method, other))
        assert found.exceeded == exceeded, found.words
        if exceeded:
            assert found.value == pytest.approx(6.0, abs=1.6)
