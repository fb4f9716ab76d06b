"""Single samples that a recorder wrote as zero, against zeros that a signal crosses."""

import numpy as np
import pytest

from tonecomb.core.record.zeroed import ZeroedSamples


def _count(x: np.ndarray, block: int = 7000) -> int:
    whole = ZeroedSamples()
    for start in range(0, len(x), block):
        part = ZeroedSamples()
        part.take(start, x[start : start + block])
        whole.add(part)
    assert not whole.count or whole.places == sorted(whole.places)
    return whole.count


def _signals(rng: np.random.Generator) -> dict[str, np.ndarray]:
    t = np.arange(60_000) / 8000
    return {
        "noise": rng.standard_normal(60_000),
        "tone": np.sin(2 * np.pi * 311 * t) + 0.01 * rng.standard_normal(60_000),
    }


@pytest.mark.parametrize("step", [0.0, 2.0**-15, 2.0**-23])
@pytest.mark.parametrize("name", ["noise", "tone"])
def test_lost_samples_are_counted_and_crossings_are_not(name, step) -> None:
    rng = np.random.default_rng(3)
    x = _signals(rng)[name] / 4
    x = np.round(x / step) * step if step else x
    assert _count(x) == 0
    at = 3 + 7 * rng.choice(8000, 60, replace=False)
    crossing = int(np.sum((x == 0)[1:-1] & (x[:-2] != 0) & (x[2:] != 0)))
    x[at] = 0
    assert _count(x) == pytest.approx(60 + crossing, abs=3)


def test_a_coarse_record_and_silence_tell_nothing() -> None:
    rng = np.random.default_rng(4)
    coarse = np.round(3 * rng.standard_normal(30_000))
    gated = rng.standard_normal(30_000)
    gated[5000:9000] = 0
    assert _count(coarse) == _count(gated) == 0
