"""Labels over a curve: whatever the curve, none lies over another, the curve or an edge."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tonecomb.core.say.placing import Label, Rect, ceiling, place

FRAME = (60.0, 10.0, 800.0, 400.0)


def comb_like(peaks: list[float], heights: list[float], seed: int) -> tuple[np.ndarray, np.ndarray]:
    """A noisy floor with narrow peaks, in pixels."""
    x = np.linspace(FRAME[0], FRAME[2], 1600)
    y = 350 + 8 * np.random.default_rng(seed).normal(size=len(x))
    for at, height in zip(peaks, heights, strict=True):
        y[np.abs(x - at) < 1.0] = height
    return x, y


def overlap(one: Rect, other: Rect) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


def test_a_label_stands_right_over_a_lone_peak() -> None:
    x, y = comb_like([400.0], [200.0], 0)
    (found,) = place([Label(400, 200, 40, 12)], ceiling([(x, y)], 60, 800), FRAME)
    assert found is not None
    assert found.leader is None
    assert (found.area[0], found.area[3]) == (380, 197)


def test_thirty_peaks_within_an_eighth_of_the_axis() -> None:
    """The highest has its label, and a quarter of all: what hides under one is told on hover."""
    at = np.linspace(300, 390, 30)
    heights = [float(200 + 60 * (i % 3)) for i in range(30)]
    x, y = comb_like(at.tolist(), heights, 1)
    order = np.argsort(heights, kind="stable")
    labels = [Label(float(at[i]), heights[i], 44, 13) for i in order]
    found = place(labels, ceiling([(x, y)], 60, 800), FRAME)
    assert sum(one is not None for one in found) >= 8
    assert found[0] is not None


@given(
    peaks=st.lists(
        st.tuples(st.floats(55, 805), st.floats(5, 340), st.floats(15, 120)), max_size=30
    ),
    seed=st.integers(0, 99),
    taken=st.lists(st.tuples(st.floats(60, 700), st.floats(10, 300)), max_size=3),
)
def test_nothing_overlaps(
    peaks: list[tuple[float, float, float]], seed: int, taken: list[tuple[float, float]]
) -> None:
    x, y = comb_like([p[0] for p in peaks], [p[1] for p in peaks], seed)
    other = [(left, top, left + 90, top + 20) for left, top in taken]
    labels = [Label(at, height, width, 13) for at, height, width in peaks]
    found = place(labels, ceiling([(x, y)], FRAME[0], FRAME[2]), FRAME, other)
    areas = [one.area for one in found if one is not None]
    for i, area in enumerate(areas):
        assert area[0] >= FRAME[0] and area[1] >= FRAME[1] and area[2] <= FRAME[2] + 1e-9
        assert not any(overlap(area, one) for one in areas[:i] + other)
        under = (x >= area[0]) & (x <= area[2])
        assert not under.any() or y[under].min() >= area[3], "the curve is left free"
    for label, one in zip(labels, found, strict=True):
        if one is None:
            continue
        if one.leader is None:
            assert one.area[0] <= label.x <= one.area[2]
            continue
        for share in np.linspace(0, 1, 50):  # the line to its point goes through no label
            spot = label.x + share * (one.leader[0] - label.x)
            height = label.y - 3 + share * (one.leader[1] - label.y + 3)
            inside = [
                a
                for a in areas + other
                if a[0] < spot < a[2] and a[1] + 1e-6 < height < a[3] - 1e-6
            ]
            assert not inside or one.area in inside
