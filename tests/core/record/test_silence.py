"""Zeros in a row that are silence, over the blocks in which samples are read."""

import numpy as np
import pytest

from tonecomb.core.record.dropouts import Held, HeldSamples


def _seen(x: np.ndarray, block: int) -> Held:
    whole = HeldSamples()
    for start in range(0, len(x), block):
        part = HeldSamples()
        part.take(start, x[start : start + block])
        whole.add(part)
    return whole.found()


@pytest.mark.parametrize("block", [700, 1000, 4096, 30_000])
def test_silence_is_placed(block) -> None:
    x = np.random.default_rng(block).standard_normal(20_000)
    x[:1500] = x[7001:9003] = x[18_000:] = 0
    x[12_000:12_400] = 0  # a gap, no silence
    x[15_000:17_000] = 3.3  # held, and not zero
    told = np.array(_seen(x, block).silent)
    assert told.shape == (3, 2)
    assert np.abs(told - [(0, 1500), (7001, 9003), (18_000, 20_000)]).max() < 8


def test_all_zeros_are_one_silence() -> None:
    assert _seen(np.zeros(5000), 1000).silent == ((0, 5000),)
