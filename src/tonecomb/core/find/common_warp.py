"""The warp of time that lines of one machine share, from the signal alone.

Lines are followed in frames of several lengths; where their delays are one, that delay is a first
warp. The candidate in which the spectrum is sharpest is refined (:mod:`.warp_refinement`).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.find.common_delay import Group, groups
from tonecomb.core.find.delay_smoothing import smoothed
from tonecomb.core.find.line_tracks import Frames, Survey, survey
from tonecomb.core.find.warp_refinement import Record, Refined, continued, refined
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.steps.warp import Warp

LENGTHS_S = (0.5, 0.25, 1.0, 0.125, 2.0, 4.0)
"""Of frames in which lines are followed, in the order in which they are tried."""
MOST_SAMPLES = 1 << 23  # of a record: 64 MB in machine time
_FRAMES = 12  # of a length, that a record has at least
_HELD = 1e-6  # of its weight, that a line counts where it is not there any more
_TRIED = 3  # candidates
_SURE = 30.0  # decades of evidence, from which other lengths are not tried
_SHORTEST_S, _LONGEST_S = 0.26, 1.0  # of frames that refine
_SHARPER = 0.0005  # of sharpness, that another length has to gain
_LINES = 2  # that a warp is read from, at least


@dataclass(frozen=True, eq=False)
class CommonWarp:
    """A warp that lines share; ``members`` are the lines (Hz) that gave it away, with the decades
    of ``evidence``; ``refined`` what is known of it."""

    refined: Refined
    members: tuple[float, ...]
    evidence: float

    @property
    def warp(self) -> Warp:
        """The warp, from the start of what was looked at."""
        return self.refined.warp


@dataclass(frozen=True, eq=False)
class _Candidate:
    survey: Survey
    group: Group

    @property
    def members(self) -> tuple[float, ...]:
        return tuple(self.survey.tracks[i].frequency for i in self.group.members.tolist())

    def delay(self) -> tuple[Array, float]:
        """The members' mean delay (s) at the frames, each less a line of its own, and its
        variance (s²); members that are off count less."""
        tracks = [self.survey.tracks[i] for i in self.group.members.tolist()]
        weight = np.array([1 / one.variance for one in tracks])
        delays, time = np.array([one.delay for one in tracks]), self.survey.time
        line = np.stack([np.ones(len(time)), time - time.mean()], axis=1)
        mean = delays[int(np.argmax(weight))]
        std = 1 / np.sqrt(weight)[:, None]
        there = np.array([one.there for one in tracks])
        for _ in range(3):
            fit = np.linalg.lstsq(line, (delays - mean).T, rcond=None)[0]
            level = delays - (line @ fit).T
            off = np.abs(level - mean)
            scale = 4 * np.maximum(std, np.median(off, axis=1)[:, None])
            share = weight[:, None] * np.where(there, 1.0, _HELD) / (1 + (off / scale) ** 4)
            mean = (share * level).sum(axis=0) / share.sum(axis=0)
        return mean, float(1 / weight.sum())


Refuse = Callable[[Sequence[float], Callable[[], Warp], float], bool]
"""Whether lines (Hz) that share a first warp, known to so many s, are no machine's."""


def find_warp(
    read: Read,
    length: int,
    fs: float,
    progress: Progress = silent,
    refuse: Refuse = lambda lines, warp, std: False,
) -> CommonWarp | None:
    """The warp that the most lines share, None where nothing breathes together."""
    if length > MOST_SAMPLES:
        return None
    record = Record(read, length, fs)
    candidates = [
        one
        for one in _candidates(record, part(progress, 0, 0.4))
        if not refuse(one.members, partial(_begun, record, one), math.sqrt(one.delay()[1]))
    ]
    if not candidates:
        return None
    best, start, sharpest = candidates[0], Warp.of(record.grid, 0 * record.grid), math.inf
    for one in candidates[:_TRIED]:
        warp = _begun(record, one)
        sharpness = record.warped(warp).lines().sharpness
        if sharpness < sharpest:
            best, start, sharpest = one, warp, sharpness
    progress(0.5)
    seconds, highest = best.survey.seconds, max(best.members)
    known = max(2 * best.delay()[1], (0.25 / (2 * np.pi * highest)) ** 2)
    found = refined(record, start, min(seconds, _LONGEST_S / 2), known)
    if found.lines < 3 or found.misfit > 4:
        found = _sharper(found, refined(record, start, min(2 * seconds, _LONGEST_S), known))
    progress(0.75)
    seconds = min(seconds, _LONGEST_S / 2)
    while seconds > _SHORTEST_S and found.lines >= _LINES:
        seconds /= 2
        above = 2 * np.pi * max(found.highest, 20.0)
        known = max((2 * found.std) ** 2, (0.3 / above) ** 2)
        finer = _sharper(found, refined(record, found.warp, seconds, known))
        if finer is found:
            break
        found = finer
    progress(1.0)
    if found.lines < _LINES:
        return None
    return CommonWarp(found, best.members, best.group.evidence)


def _sharper(first: Refined, second: Refined) -> Refined:
    """The second where it is sharper and read from lines enough."""
    gains = second.sharpness < first.sharpness - _SHARPER
    return second if gains and second.lines >= _LINES else first


def _candidates(record: Record, progress: Progress) -> list[_Candidate]:
    """Groups of lines that breathe together, the surest first."""
    found: list[_Candidate] = []
    possible = [s for s in LENGTHS_S if record.duration >= _FRAMES * s]
    for number, seconds in enumerate(possible):
        frames = Frames.of(record.read, record.length, record.fs, seconds)
        share = part(progress, number / len(possible), (number + 1) / len(possible))
        tracks = survey(frames, share)
        found += [_Candidate(tracks, one) for one in groups(tracks)[:2]]
        if any(one.group.evidence > _SURE for one in found):
            break
    return sorted(found, key=lambda one: -one.group.evidence)


def _begun(record: Record, candidate: _Candidate) -> Warp:
    """The first warp of a candidate."""
    delay, variance = candidate.delay()
    time, grid = candidate.survey.time, record.grid
    curve = smoothed(delay, np.full(len(delay), variance), 3)
    return Warp.of(grid, continued(time, curve, grid))
