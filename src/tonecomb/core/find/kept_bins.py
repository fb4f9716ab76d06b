"""The lines of the frames about some peaks: those that were kept, or gathered in one more pass.

Of a long record too few bins are kept for all of its peaks. A pass that gathers those of some
fifty takes a fraction of what it takes to fit as many to the samples, and tells what they do, too.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, part
from tonecomb.core.estimate.followed import Gather, most_bins
from tonecomb.core.estimate.frame_statistics import Courses
from tonecomb.core.find.bin_model import ENOUGH
from tonecomb.core.record.parallel import Read, spread

Span = tuple[int, int]
"""First and last bin of a frame."""
_BESIDE = 1  # bins to each side: what it is may be beside where it seemed to be


def with_lines(
    courses: Courses, read: Read, fs: float, spans: Sequence[Span], progress: Progress
) -> Courses:
    """The courses with the lines of these bins. As they are where nothing is missing, the frames
    are few, or the bins too many."""
    missing = len(np.setdiff1d(_bins(spans), courses.bins, assume_unique=True)) > 0
    count, last = courses.framing.count, courses.framing.frame // 2
    bins = np.unique(np.clip(_bins(spans)[:, None] + np.arange(-_BESIDE, _BESIDE + 1), 0, last))
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
        together = [spans[k] for k in (*(groups[-1] if groups else ()), number)]
        if groups and len(_bins(together)) + 2 * _BESIDE * len(together) <= most:
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
