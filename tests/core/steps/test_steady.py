"""Machine time: what turns stands still in it, to the exactness that the interpolation promises."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import read_all, recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.steady import Steady
from tonecomb.core.steps.warp import Warp
from tonecomb.formats import step_text

FS, SECONDS = 2000.0, 8.0
N = round(FS * SECONDS)
TIME = np.arange(N) / FS


def law(share: float, hz: float) -> Warp:
    """A speed that swings by ± ``share`` of its mean."""
    at = np.linspace(0, N / FS, 801)
    return Warp.of(at, share / (2 * np.pi * hz) * np.sin(2 * np.pi * hz * at))


@pytest.mark.parametrize("share", [6e-4, 1e-2, 0.2])
@pytest.mark.parametrize("f", [37.3, 411.0, 730.0])
def test_a_tone_that_turns_stands_still(share: float, f: float) -> None:
    """Errors of −100 dB beside the ends, while it stays below 0.44 of the rate."""
    warp = law(share, 0.5)
    x = np.cos(2 * np.pi * f * warp.to_machine(TIME) + 0.7)
    made = read_all(prepare(recording(x, fs=FS), (Steady(warp.knots),)))
    off = made - np.cos(2 * np.pi * f * TIME + 0.7)
    assert np.sqrt(np.mean(off[500:-500] ** 2)) < 1e-5


@settings(max_examples=15, deadline=None)
@given(st.floats(1e-5, 0.3), st.floats(0.1, 2.0))
def test_there_and_back(share: float, hz: float) -> None:
    warp = law(share, hz)
    at = np.linspace(0, N / FS, 999)
    assert warp.to_machine(warp.to_clock(at)) == pytest.approx(at, abs=1e-7)
    assert warp.delay(np.array([0.0, N / FS])) == pytest.approx(0.0, abs=1e-15)
    assert warp.wander == pytest.approx(share, rel=0.06)


def test_it_is_written_and_read() -> None:
    step = Steady(law(0.01, 0.5).knots, by="comb A")
    assert step_text.read(step_text.written(step)) == step
    assert step_text.parse(step_text.typed(step)) == step
    assert step.words(()) == "steadied by comb A (± 1 %)"


@pytest.mark.parametrize(
    ("knots", "what"),
    [
        (((0.0, 0.0), (4.0, 0.0)), "The speed is known from 0 to 4 s"),
        (((0.0, 0.1), (8.0, 0.0)), "That is no law of time"),
        (((0.0, 0.0), (3.0, 0.0), (3.0, 0.1), (8.0, 0.0)), "That is no law of time"),
        (((0.0, 0.0), (4.0, 3.0), (8.0, 0.0)), "The speed changes by more than half"),
    ],
)
def test_what_is_no_law(knots: tuple[tuple[float, float], ...], what: str) -> None:
    with pytest.raises(UserError, match=what):
        prepare(recording(np.zeros(N), fs=FS), (Steady(knots),))


def test_ends_do_not_count() -> None:
    signal = prepare(recording(np.zeros(N), fs=FS), (Steady(law(0.01, 0.5).knots),))
    assert signal.edge_samples == ((1000, 1000),)
    still = prepare(recording(np.zeros(N), fs=FS), (Steady(((0.0, 0.0), (8.0, 0.0))),))
    assert still.edge_samples == ((0, 0),)
