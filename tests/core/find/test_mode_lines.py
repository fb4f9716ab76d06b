"""A mode's lines by a short sum and by a transform of its autocorrelation."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tonecomb.core.find import mode_lines
from tonecomb.core.find.mode_lines import ModeLines
from tonecomb.core.record.windows import window

N = 2048


def by_definition(weights: np.ndarray, omega: float, alpha: float, bins: np.ndarray) -> np.ndarray:
    """The transform of the mode's two-sided autocorrelation times the window's, cosine part."""
    lag = np.arange(N)
    own = np.correlate(weights, weights, "full")[N - 1 :] / float(weights @ weights)
    turning = omega * math.sqrt(1 - min(alpha / omega, 0.99) ** 2)
    product = own * np.exp(-alpha * lag) * np.cos(turning * lag)
    angles = 2 * np.pi / N * np.outer(bins, lag)
    return np.asarray(2 * (np.cos(angles) @ product) - 1)


@pytest.mark.parametrize("name", ["hann", "blackman-harris", "flat-top", "hamming", "rectangular"])
def test_the_cosine_part_is_the_transform(name: str) -> None:
    weights, bins = window(name).samples(N), np.arange(40, 120)
    for alpha in (1e-5, 3e-3):
        made = ModeLines(weights, 40, 120)(0.25, math.log(alpha))[0]
        np.testing.assert_allclose(
            made, by_definition(weights, 0.25, alpha, bins), rtol=0, atol=3e-9 * made.max()
        )


@given(omega=st.floats(0.01, 3.1), logged=st.floats(-14, -2), first=st.integers(1, 500))
def test_both_ways_agree(omega: float, logged: float, first: int) -> None:
    weights = window("hann").samples(N)
    short = ModeLines(weights, first, first + 60)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(mode_lines, "_LONGEST", -1)
        long = ModeLines(weights, first, first + 60)
    assert short.short and not long.short
    high = min(math.exp(-logged), N)  # of its line, wherever that lies
    for one, other in zip(short(omega, logged), long(omega, logged), strict=True):
        np.testing.assert_allclose(one, other, rtol=0, atol=3e-9 * high + 1e-9)
