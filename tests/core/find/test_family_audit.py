"""Whether teeth bear a family out."""

import math

import numpy as np
import pytest

from tonecomb.core.find.comb import Comb, Line, Tooth
from tonecomb.core.find.family_audit import audited, sounding


def _comb(numbers: list[int], spacing: float) -> tuple[Comb, list[Line]]:
    lines = [Line(n * spacing, 1e-4, 1 / n) for n in numbers]
    at = {n: i for i, n in enumerate(numbers)}
    teeth = tuple(
        Tooth(n, n * spacing, at.get(n), lines[at[n]].frequency, lines[at[n]].amplitude)
        if n in at
        else Tooth(n, n * spacing, None, math.nan, math.nan)
        for n in range(1, max(numbers) + 1)
    )
    return Comb(spacing, 1e-5, teeth), lines


@pytest.mark.parametrize(
    ("numbers", "spacings"),
    [
        ([1, 2, 3], [10.0]),
        ([1, 3, 5, 7, 9], [10.0]),
        ([2, 3, 5, 7], [10.0]),
        ([2, 4, 6], [20.0]),  # by their own fundamental
        ([3, 4, 6, 8, 9, 12], [30.0, 40.0]),  # two, 3 to 4
        ([3, 4, 6, 8, 9, 12, 15, 16], [30.0, 40.0]),
        ([4, 7, 11], []),
        ([5, 9, 14, 23, 31], []),
        (list(range(20, 40)), [10.0]),  # what hits ring
    ],
)
def test_numbers_of_teeth(numbers, spacings) -> None:
    comb, lines = _comb(numbers, 10.0)
    found = audited([comb], lines, None, 1.0)
    assert [one.spacing for one in found] == pytest.approx(spacings, rel=1e-6)
    assert [one.name for one in found] == ["A", "B"][: len(found)]


def test_teeth_at_other_times_are_no_family() -> None:
    comb, lines = _comb([2, 3, 5, 7], 100.0)
    at = np.repeat(np.eye(4), 25, axis=1) + 1e-6
    assert audited([comb], lines, sounding(at), 1.0) == ()
    together = np.tile(np.repeat([1.0, 0.0, 1.0, 0.0], 25), (4, 1)) + 1e-6
    assert len(audited([comb], lines, sounding(together), 1.0)) == 1


def test_a_broad_peak_is_no_tooth_of_lines() -> None:
    comb, lines = _comb([1, 2, 3, 4, 7], 50.0)
    lines[-1] = Line(350.0, 0.3, 0.1, still=False, broad=True)
    (found,) = audited([comb], lines, None, 1.0)
    assert [tooth.number for tooth in found.teeth if tooth.found] == [1, 2, 3, 4]
