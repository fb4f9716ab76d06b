"""Crests of a tone, where theory has them."""

from __future__ import annotations

import numpy as np
import pytest
from tests.support import recording

from tonecomb.core.find.crests import find_crests

FS = 2000.0


@pytest.mark.parametrize(("frequency", "phase"), [(24.3, 0.4), (97.7, -2.0), (413.1, 3.0)])
def test_crests_lie_where_the_cosine_is_highest(frequency: float, phase: float) -> None:
    t = np.arange(40_000) / FS
    x = np.cos(2 * np.pi * frequency * t + phase) + 2.0
    x += 0.3 * np.random.default_rng(0).standard_normal(len(x))
    found = find_crests(recording(x, fs=FS), 0, 10_000, 14_000, frequency + 0.4)
    assert found is not None
    assert found.frequency == pytest.approx(frequency, abs=0.02)
    turns = frequency * found.times + phase / (2 * np.pi)
    assert np.abs(turns - np.round(turns)).max() < 0.05
    assert 5.0 <= found.times[0] < 5.0 + 1.05 / frequency
    assert np.all(np.abs(np.diff(found.times) * frequency - 1) < 1e-3)


def test_nothing_to_count() -> None:
    x = np.cos(np.arange(4000) / 5)
    x[900] = np.nan
    made = recording(x, fs=FS)
    assert find_crests(made, 0, 500, 1500, 63.0) is None, "a sample is missing"
    assert find_crests(made, 0, 2000, 2040, 63.0) is None, "less than two periods"
