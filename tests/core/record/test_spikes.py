"""Single samples that stand apart."""

import numpy as np
import pytest

from tonecomb.core.record.spikes import SpikeSearch


def _found(x: np.ndarray, block: int = 5000) -> tuple[int, ...]:
    whole = SpikeSearch()
    for start in range(0, len(x), block):
        part = SpikeSearch()
        part.take(start, x[start : start + block])
        whole.add(part)
    return whole.found()


@pytest.mark.parametrize("seed", range(5))
def test_spikes_are_placed(seed) -> None:
    rng = np.random.default_rng(seed)
    x = rng.standard_normal(40_000)
    assert _found(x) == ()
    x[[1234, 30_001]] += [90.0, -110.0]
    assert _found(x) == (1234, 30_001)


def test_what_is_no_spike() -> None:
    rng = np.random.default_rng(7)
    noise = 0.1 * rng.standard_normal(40_000)
    t = np.arange(400)
    ring = noise.copy()
    ring[9000:9400] += 50 * np.exp(-t / 40) * np.sin(0.9 * t)
    step = noise + np.where(np.arange(40_000) > 17_000, 40.0, 0.0)
    for x in (ring, step, rng.standard_t(3, 40_000), np.zeros(40_000)):
        assert _found(x) == ()
