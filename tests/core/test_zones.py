"""Limits: what is judged, in which zone it lies, and what is refused."""

from __future__ import annotations

import math

import numpy as np
import pytest
from tests.support import recording

from tonecomb.core.analysis import Analysis, run
from tonecomb.core.errors import UserError
from tonecomb.core.find.zones import Limit, Zone, over
from tonecomb.core.method import default_method

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
    other = Limit("g", "overall", ZONES, unit="g").judge(analysis)
    assert not other.exceeded and other.why_not == "it is in g, the channel in mm/s"
    beyond = Limit("high", "band", ZONES, 600, 700).judge(analysis)
    assert math.isnan(beyond.value) and "not judged" in beyond.words
    assert Limit("same", "overall", ZONES, unit="mm/s").judge(analysis).zone == "B"


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
