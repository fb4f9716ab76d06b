"""A rate that is not what the source says, found by the clock."""

from __future__ import annotations

import numpy as np
import pytest

from tonecomb.live.pace import Pace


@pytest.mark.parametrize("ppm", [0, 100, 2000, -1000, 20_000])
@pytest.mark.parametrize("delay", [0.0005, 0.02])
def test_a_wrong_rate_is_told_and_jitter_is_not(ppm: int, delay: float) -> None:
    random = np.random.default_rng(0)
    pace, told = Pace(12_800.0), []
    for i in range(6000):  # a packet every 10 ms
        sent = 0.01 * i / (1 + ppm / 1e6)
        late = float(random.exponential(delay))
        told.append(pace.take(128 * i, sent + late))
    assert set(told[:900]) <= {0}, "not before it can be known"
    if abs(ppm) < 500:
        assert set(told) == {0}
    else:
        assert told[-1] == pytest.approx(ppm, abs=max(0.05 * abs(ppm), 200))
