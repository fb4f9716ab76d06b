"""Places for labels over a curve: none over another, over the curve, or over an edge."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from tonecomb.core.record.recording import Array

Rect = tuple[float, float, float, float]
"""Left, top, right, bottom in pixels, y downwards."""
_GAP = 3.0  # pixels between a point, or the curve, and its label
_BESIDE = (0.0, 0.55, -0.55, 1.1, -1.1, 1.7, -1.7, 2.4, -2.4)  # label widths to either side
_FARTHEST = 90.0  # pixels that a label stands from its point


@dataclass(frozen=True)
class Label:
    """A label of this size that belongs to a point (pixels)."""

    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class LabelPlace:
    """Where a label stands; ``leader`` is the end of a line from its point, None where it stands
    right over it."""

    area: Rect
    leader: tuple[float, float] | None


def ceiling(curves: Sequence[tuple[Array, Array]], left: float, right: float) -> Array:
    """The highest point (least y) of curves, given by their points in pixels from left to right,
    in each column of pixels; inf where there is none. Lines between points count."""
    count = max(1, int(np.ceil(right - left)))
    top = np.full(count, np.inf)
    centres = left + np.arange(count) + 0.5
    for x, y in curves:
        good = np.isfinite(x) & np.isfinite(y)
        x, y = x[good], y[good]
        if not len(x):
            continue
        columns = np.floor(x - left).astype(int)
        inside = (columns >= 0) & (columns < count)
        np.minimum.at(top, columns[inside], y[inside])
        between = np.interp(centres, x, y, left=np.inf, right=np.inf)
        top = np.minimum(top, between)
    return top


def place(
    labels: Sequence[Label], top: Array, frame: Rect, taken: Sequence[Rect] = ()
) -> list[LabelPlace | None]:
    """A place for each label, those that come first chosen first; None where there is none near
    enough. ``top`` is the :func:`ceiling` of the curves over ``frame``; ``taken`` are areas that
    hold something else.

    A label stands right over its point where that is free, or else higher or aside, whichever is
    nearest, with a line to its point.
    """
    areas = list(taken)
    leaders: list[tuple[float, float, float, float]] = []
    places: list[LabelPlace | None] = []
    for label in labels:
        best: tuple[float, LabelPlace] | None = None
        for beside in _BESIDE:
            if best is not None and best[0] <= abs(beside) * label.width:
                break  # nothing further aside is nearer
            found = _over(label, beside * label.width, top, frame, areas, leaders)
            if found is not None and (best is None or found[0] < best[0]):
                best = found
        places.append(None if best is None else best[1])
        if best is not None:
            areas.append(best[1].area)
            if best[1].leader is not None:
                leaders.append((label.x, label.y - _GAP, *best[1].leader))
    return places


def _over(
    label: Label,
    aside: float,
    top: Array,
    frame: Rect,
    areas: Sequence[Rect],
    leaders: Sequence[tuple[float, float, float, float]],
) -> tuple[float, LabelPlace] | None:
    """The lowest free place ``aside`` of a label's point, and how far away it is."""
    left = label.x + aside - label.width / 2
    # Near an end of the axis the label leans inward.
    left = min(max(left, frame[0]), frame[2] - label.width)
    if left < frame[0]:
        return None
    first = int(left - frame[0])
    under = top[max(first, 0) : first + int(np.ceil(label.width)) + 2]
    bottom = min(label.y, float(under.min(initial=np.inf))) - _GAP
    free = False
    while not free:
        area = (left, bottom - label.height, left + label.width, bottom)
        if area[1] < frame[1]:
            return None
        free = True
        for other in areas:
            if _meet(area, other):
                bottom, free = other[1] - 1, False
                break
        else:
            for line in leaders:
                if _crosses(line, area):
                    bottom, free = min(line[1], line[3]) - 1, False
                    break
    lift = label.y - _GAP - bottom
    away = abs(left + label.width / 2 - label.x) + lift
    leans = left <= label.x <= left + label.width
    if lift < 1.5 and leans:
        return away, LabelPlace(area, None)
    if away > _FARTHEST:
        return None
    end = (min(max(label.x, left + 2), left + label.width - 2), bottom)
    line = (label.x, label.y - _GAP, *end)
    if any(_crosses(line, other) for other in areas) or _through(line, top, frame):
        return None
    return away, LabelPlace(area, end)


def _meet(one: Rect, other: Rect) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


def _crosses(line: tuple[float, float, float, float], area: Rect) -> bool:
    """Whether a line from x, y to x, y goes through an area (Liang and Barsky, 1984)."""
    x, y, end, foot = line
    left, top, right, bottom = area
    if (x <= left and end <= left) or (x >= right and end >= right):
        return False  # as nearly always, when labels are placed
    if (y <= top and foot <= top) or (y >= bottom and foot >= bottom):
        return False
    dx, dy = end - x, foot - y
    enter, leave = 0.0, 1.0
    for step, low, high in ((dx, left - x, right - x), (dy, top - y, bottom - y)):
        if step == 0:
            if low >= 0 or high <= 0:
                return False
            continue
        one, other = sorted((low / step, high / step))
        enter, leave = max(enter, one), min(leave, other)
    return enter < leave


def _through(line: tuple[float, float, float, float], top: Array, frame: Rect) -> bool:
    """Whether a line goes through the curve."""
    length = max(abs(line[2] - line[0]), abs(line[3] - line[1]))
    shares = np.linspace(0.0, 1.0, 2 + int(length))
    columns = (line[0] + shares * (line[2] - line[0]) - frame[0]).astype(int)
    inside = (columns >= 0) & (columns < len(top))
    heights = line[1] + shares * (line[3] - line[1])
    return bool(np.any(heights[inside] > top[columns[inside]]))
