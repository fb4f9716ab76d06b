"""Blocks that repeat to the last digit."""

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tonecomb.core.find.repeats import exact_period


@settings(max_examples=30, deadline=None)
@given(st.integers(70, 900), st.integers(3, 9), st.integers(0, 1000))
def test_a_block_over_and_over(period, times, seed) -> None:
    rng = np.random.default_rng(seed)
    x = np.tile(rng.standard_normal(period), times)
    assert exact_period(x) == period
    assert exact_period(x + 1e-2 * rng.standard_normal(len(x))) is None


def test_waves_and_silence_are_no_blocks() -> None:
    t = np.arange(4000)
    assert exact_period(np.sin(2 * np.pi * t / 200)) is None
    assert exact_period(np.zeros(4000)) is None
    assert exact_period(np.random.default_rng(1).standard_normal(4000)) is None
