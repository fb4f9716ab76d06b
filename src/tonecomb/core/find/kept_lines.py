"""The lines of the frames about some peaks: those that were kept, or gathered in one more pass.

Of a long record too few bins are kept for all of its peaks. A pass that gathers those of some
fifty takes a fraction of what it takes to fit as many to the samples, and tells what they do, too.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.courses import Courses
from tonecomb.core.estimate.followed import Gather, most_bins
from tonecomb.core.find.line_model import ENOUGH
from tonecomb.core.progress import Progress, part
from tonecomb.core.spread import Read, spread

Span = tuple[int, int]
"""First and last bin of a frame."""


def with_lines(
    courses: Courses, read: Read, fs: float, spans: Sequence[Span], progress: Progress
) -> Courses:
    """The courses with the lines of these bins. As they are where nothing is missing, the frames
    are few, or the bins too many."""
    bins = _bins(spans)
    missing = len(np.setdiff1d(bins, courses.bins, assume_unique=True)) > 0
    count = courses.framing.count
    if not missing or count < ENOUGH or len(bins) > most_bins(count):
        return courses
    work = Gather(courses.framing, fs, bins, float(courses.powers.max()))
    lines = spread(read, work, count, courses.framing.cost, progress)
    return replace(courses, bins=bins, lines=lines)


def in_turn(
    courses: Courses, read: Read, fs: float, spans: Sequence[Span], progress: Progress
) -> Iterator[tuple[list[int], Courses]]:
    """The numbers of these spans, some at a time, with courses that have their lines."""
    most = most_bins(courses.framing.count)
    there = [bool(np.isin(_bins([span]), courses.bins).all()) for span in spans]
    rest = [number for number, known in enumerate(there) if not known]
    groups: list[list[int]] = []
    for number in rest:
        if groups and len(_bins([spans[k] for k in (*groups[-1], number)])) <= most:
            groups[-1].append(number)
        else:
            groups.append([number])
    if any(there):
        yield [number for number, known in enumerate(there) if known], courses
    for turn, some in enumerate(groups):
        report = part(progress, turn / len(groups), (turn + 1) / len(groups))
        yield some, with_lines(courses, read, fs, [spans[k] for k in some], report)


def _bins(spans: Sequence[Span]) -> NDArray[np.int_]:
    return np.unique(np.concatenate([np.arange(first, last + 1) for first, last in spans]))
