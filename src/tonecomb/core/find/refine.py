"""Tones of what stands out of a spectrum, and what they do over the stretch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.frame_statistics import ENBW, Courses
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.behaviour import Behaviour, behaviour
from tonecomb.core.find.bin_fit import tones_by_lines
from tonecomb.core.find.bin_model import REACH
from tonecomb.core.find.floor import NoiseFloor
from tonecomb.core.find.kept_bins import Span, in_turn, with_lines
from tonecomb.core.find.tone import Tone
from tonecomb.core.find.tones import fit_tones
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.windows import Window

JOINTLY = 30
"""Highest peaks that are fitted all at once."""
_WIDE = 200  # bins of a peak that is not gathered
_CORE = 2  # bins to each side of a tone that cannot be done without
_SKIRTS = 0.01  # of a line's power that its peak may hold elsewhere


@dataclass(frozen=True)
class Candidate:
    """A maximum of a spectrum: its bin, about where it is (Hz), and by how much it stands out."""

    index: int
    frequency: float
    prominence_db: float


Told = tuple[Behaviour, Tone] | None
Refined = tuple[Candidate, Tone, Told]


@dataclass(frozen=True, eq=False)
class Refine:
    """Makes tones of candidates, with what they do over the stretch where that can be told;
    ``regions`` are the first and last bin (of a frame) of what belongs to each."""

    read: Read
    spectrum: Spectrum
    fs: float
    taper: Window
    noise: NoiseFloor
    regions: dict[int, tuple[int, int]]

    def jointly(self, together: list[Candidate], some: int, progress: Progress) -> list[Refined]:
        """The first ``some`` of those that are fitted all at once."""
        courses = self.noise.courses
        if courses is None or not together:
            return self._told(together[:some], self._fitted(together, None, progress), None)
        spans = [self._span(c) for c in together]
        lines = [self._span(c, core=True) for c in together]
        own = with_lines(courses, self.read, self.fs, spans, part(progress, 0, 0.3))
        if own is courses:  # all was there, or they are too many
            own = with_lines(courses, self.read, self.fs, lines, part(progress, 0, 0.3))
        tones = self._fitted(together, own, part(progress, 0.3, 0.7))
        made = []
        report = part(progress, 0.7, 1)
        for numbers, known in in_turn(own, self.read, self.fs, spans[:some], report):
            made += self._told([together[k] for k in numbers], [tones[k] for k in numbers], known)
        return made

    def singly(self, some: list[Candidate], progress: Progress) -> list[Refined]:
        """Each by itself, from its lines where they are to be had."""
        courses, made, rest = self.noise.courses, [], some
        if courses is not None and some:
            spans, rest = [self._span(c) for c in some], []
            for numbers, own in in_turn(courses, self.read, self.fs, spans, progress):
                group = [some[k] for k in numbers]
                around = np.array([self.noise.floor[c.index] for c in group])
                around *= ENBW / self.taper.enbw
                places = np.array([c.frequency for c in group])
                tones = tones_by_lines(own, self.fs, places, around)
                found = [(c, tone) for c, tone in zip(group, tones, strict=True) if tone]
                made += self._told([c for c, _ in found], [tone for _, tone in found], own)
                rest += [c for c, tone in zip(group, tones, strict=True) if tone is None]
        for first in range(0, len(rest), JOINTLY):
            group = rest[first : first + JOINTLY]
            made += self._told(group, self._fitted(group, courses, silent), courses)
        return made

    def _span(self, c: Candidate, *, core: bool = False) -> Span:
        """The bins that what it does is told from; of its ``core``, and of a line, whose skirts
        hold next to nothing, those that what it is."""
        (first, last), place = self.regions[c.index], self._place(c)
        if core or last - first > _WIDE or self._is_line(c):
            return place - _CORE, place + _CORE
        return max(first - 1, 0), min(last + 1, self.spectrum.framing.frame // 2)

    def _place(self, c: Candidate) -> int:
        """Its bin of a frame without padding."""
        return round(c.index / round(self.spectrum.frame_hz / self.spectrum.bin_hz))

    def _is_line(self, c: Candidate) -> bool:
        """Whether its peak is no wider than a tone that stands still."""
        pad = round(self.spectrum.frame_hz / self.spectrum.bin_hz)
        first, last = self.regions[c.index]
        over = (self.spectrum.mean_square - self.noise.floor)[::pad][first : last + 1]
        middle = self._place(c) - first
        inside = over[max(middle - REACH, 0) : middle + REACH + 1]
        return float(over.sum() - inside.sum()) < _SKIRTS * float(inside.sum())

    def _region(self, c: Candidate, courses: Courses) -> Span:
        """What of its peak is kept, of a line; else all of it."""
        first, last = self.regions[c.index]
        if not self._is_line(c):
            return first, last
        place = self._place(c)
        while first < place - 1 and not _kept(courses, first - 1, place):
            first += 1
        while last > place + 1 and not _kept(courses, place, last + 1):
            last -= 1
        return first, last

    def _fitted(
        self, some: list[Candidate], courses: Courses | None, report: Progress
    ) -> list[Tone]:
        return fit_tones(
            self.read,
            self.spectrum.framing,
            self.fs,
            self.taper,
            np.array([c.frequency for c in some]),
            np.array([self.noise.floor[c.index] for c in some]),
            progress=report,
            courses=courses,
        )

    def _told(
        self, some: list[Candidate], tones: list[Tone], courses: Courses | None
    ) -> list[Refined]:
        def told(c: Candidate, tone: Tone) -> Told:
            if courses is None:
                return None
            return behaviour(courses, *self._region(c, courses), tone, self.fs)

        return [(c, tone, told(c, tone)) for c, tone in zip(some, tones, strict=False)]


def _kept(courses: Courses, first: int, last: int) -> bool:
    """Whether all of these bins are."""
    a, b = courses.around(first, last)
    return b - a == last - first + 1
