"""Curves cut down to what a picture can show, without losing a peak."""

from __future__ import annotations

import numpy as np

from tonecomb.core.record.recording import Array


def reduce_curve(
    x: Array, y: Array, low: float, high: float, columns: int, *, log: bool = False
) -> tuple[Array, Array]:
    """The part of a curve between ``low`` and ``high`` with at most two points a column.

    ``x`` rises. A column with more points keeps its least and greatest value, drawn at its first
    and last x. With ``log`` the columns are even on a logarithmic axis; points at or below zero
    are left out. One point beyond each end is kept, so that the line runs off the picture.
    """
    first = max(0, int(np.searchsorted(x, low)) - 1)
    last = min(len(x), int(np.searchsorted(x, high, side="right")) + 1)
    if log:
        first = max(first, int(np.searchsorted(x, 0.0, side="right")))
    x, y = x[first:last], y[first:last]
    position = np.log(x) if log else x
    if len(x) <= 2 * columns or position[-1] <= position[0]:
        return x, y
    edges = np.linspace(position[0], position[-1], columns + 1)[:-1]
    starts = np.unique(np.searchsorted(position, edges))
    ends = np.append(starts[1:], len(x)) - 1
    least, greatest = np.minimum.reduceat(y, starts), np.maximum.reduceat(y, starts)
    # The order of the two follows the curve's own, so that slopes stay slopes.
    rising = y[ends] >= y[starts]
    points = np.stack(
        [np.where(rising, least, greatest), np.where(rising, greatest, least)], axis=1
    )
    single = starts == ends
    keep = np.ones(points.shape, dtype=bool)
    keep[single, 1] = False
    return np.stack([x[starts], x[ends]], axis=1)[keep], points[keep]
