"""One tone that holds most of the power: sweeps, steps, and what is none."""

import numpy as np
import pytest
from benchmarks.statement_kinds import Record, mode, noise, sines, warbling

from tonecomb.core.find.ridge import Ridge, find_ridge

FS, SECONDS = 2000.0, 20.0
N = round(FS * SECONDS)


def _ridge(record: Record) -> Ridge | None:
    x = record.samples
    return find_ridge(lambda a, b: x[a:b], len(x), FS, 4096)


@pytest.mark.parametrize(
    "course",
    [np.linspace(5, 29, N), np.geomspace(20, 700, N), np.linspace(640, 210, N)],
    ids=["low", "logarithmic", "falling"],
)
def test_a_sweep_is_followed_from_end_to_end(course) -> None:
    rng = np.random.default_rng(1)
    found = _ridge(warbling(rng, FS, SECONDS, course).plus(noise(rng, FS, SECONDS, 0.05)))
    assert found is not None
    assert not found.steps
    assert found.ends == pytest.approx((course[0], course[-1]), rel=0.01)
    assert found.share > 0.97
    there = np.interp(found.time, np.arange(N) / FS, course)
    assert np.median(np.abs(found.frequency / there - 1)) < 0.005


def test_steps_are_named() -> None:
    rng = np.random.default_rng(2)
    course = np.repeat([200.0, 300.0, 500.0, 700.0], N // 4)
    found = _ridge(warbling(rng, FS, SECONDS, course).plus(noise(rng, FS, SECONDS, 0.05)))
    assert found is not None
    assert found.steps == pytest.approx((200, 300, 500, 700), abs=0.1)


@pytest.mark.parametrize("seed", range(5))
def test_what_is_no_ridge(seed) -> None:
    rng = np.random.default_rng([seed, 3])
    white = noise(rng, FS, SECONDS)
    assert _ridge(white) is None
    assert (
        _ridge(sines(rng, FS, SECONDS, [(310.0, 1.0)]).plus(noise(rng, FS, SECONDS, 0.1))) is None
    )
    assert _ridge(mode(rng, FS, SECONDS, 310.0, 0.03)) is None
    sweep = warbling(rng, FS, SECONDS, np.linspace(100, 600, N))
    assert _ridge(sweep.plus(noise(rng, FS, SECONDS, 1.5))) is None  # it holds a fifth
