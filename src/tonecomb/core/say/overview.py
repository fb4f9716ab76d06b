"""What sentences about a recording are made of: its families, its tones that are beyond doubt, its
resonances."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.peaks import Peak
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import Knowledge
from tonecomb.core.say.caution import Caution

CHANGES = ("content-changes", "nonstationary")
"""Codes of the cautions about what changes over the stretch."""
_NEAR = 0.03  # of its frequency, within which another makes a tone doubtful
_LIKE = 0.4  # of its amplitude, that such another has
_OF_ALL = 0.7  # of what it stands over the noise, that a tone rises from what is beside it
_PART = 0.03  # of the power, from which a tone is told that is there in a few frames only
_STAYS = 0.9  # of the frames, in which a tone stands that is no tooth on its way


@dataclass(frozen=True)
class Sentence:
    """A sentence and the place that it is about: ``kind`` is ``level``, ``comb`` (``name`` says
    which), ``peak`` or ``resonance`` (at ``frequency`` Hz), or ``caution`` (``name`` is its
    code)."""

    text: str
    kind: str
    name: str = ""
    frequency: float = math.nan


@dataclass(frozen=True, eq=False)
class Overview:
    """What the rules look at. ``lines`` are the tones, not broad peaks, by number among peaks."""

    analysis: Analysis
    families: tuple[Comb, ...]
    said: Knowledge
    cautions: Sequence[Caution]

    @property
    def tones(self) -> dict[int, Peak]:
        """Peaks that are tones, and not set aside, by their numbers."""
        found = {}
        for i, peak in enumerate(self.analysis.peaks or ()):
            note = self.said.of(peak, self.analysis)
            broad = peak.behaviour is not None and peak.behaviour.kind == "hump"
            # A mode's own peak keeps no phase; a tone may stand on one.
            broad = broad or (not peak.tone.steady and self.analysis.resonance(peak) is not None)
            if not broad and not (note is not None and note.aside):
                found[i] = peak
        return found

    @property
    def single(self) -> dict[int, Peak]:
        """Those that are in no family, and beyond doubt."""
        return {
            i: one
            for i, one in self.tones.items()
            if i not in self.tied
            and (one.clear or self._weighs(i, one))
            and not self._crowded(one)
            and not self._is_step(one)
            and not self._passed(one)
        }

    def _weighs(self, number: int, peak: Peak) -> bool:
        """Whether a tone that is hardly ever there has a good part of all power nevertheless."""
        a = self.analysis
        if a.uneven and a.levels.whole < a.rms**2:
            return False  # what is loud at an end hardly counts in the frames
        return peak.stands_out and power_of(a, number) > _PART * a.rms**2

    def _is_step(self, peak: Peak) -> bool:
        """Whether a tone that does not stand still is one of the steps of one tone, of which that
        is told."""
        ridge, near = self.analysis.ridge, 2 * self.analysis.spectrum.frame_hz
        if ridge is None or peak.tone.steady:
            return False
        doing = peak.behaviour
        low, high = (doing.low, doing.high) if doing else 2 * (peak.tone.frequency,)
        return any(low - near <= step <= high + near for step in ridge.steps)

    def _passed(self, peak: Peak) -> bool:
        """Whether a tone that moves, or stands in a part of the frames, is where a tooth of a
        family that moves passes, or holds its speed for a while: it looks like a tone there."""
        findings, doing, ridge = self.analysis.found, peak.behaviour, self.analysis.ridge
        if ridge is not None and not ridge.steps and not peak.tone.steady:
            return ridge.low <= peak.tone.frequency <= ridge.high
        if findings is None or findings.moving is None or peak.tone.steady or doing is None:
            return False
        stays = doing.kind not in ("moves", "hump") and doing.share > _STAYS
        return not stays and findings.moving.sweeps(peak.tone.frequency)

    def _crowded(self, peak: Peak) -> bool:
        """Whether a tone that does not stand still rises from others like it, or from what is well
        above the noise: where a tone that sweeps turns back it looks like some that come and go."""
        if not unsteady(peak):
            return False
        place = peak.tone.frequency
        if peak.prominence_db < _OF_ALL * 10 * math.log10(peak.level / peak.floor):
            return True
        return any(
            one is not peak
            and unsteady(one)
            and abs(one.tone.frequency - place) < _NEAR * place
            and one.tone.amplitude > _LIKE * peak.tone.amplitude
            for one in self.analysis.peaks or ()
        )

    @property
    def modes(self) -> list[Resonance]:
        """The resonances that are told: what lines that rounding makes stand under is none."""
        every = self.analysis.resonances
        return [one for one in every if one.kind != "ringing" or not self.coarse]

    @property
    def runs(self) -> bool:
        """Whether a family of harmonics goes so far that it has no mean."""
        findings = self.analysis.found
        if findings is None or findings.moving is None or findings.machine is not None:
            return False
        return findings.moving.runs

    @property
    def loop(self) -> Caution | None:
        """What is said of a record that is one block over and over: its lines are the block's."""
        return next((one for one in self.cautions if one.code == "repeats"), None)

    @property
    def coarse(self) -> bool:
        """Whether the samples have so few steps that rounding makes lines."""
        return any(one.code == "quantised" for one in self.cautions)

    @property
    def tied(self) -> set[int]:
        """Numbers of the peaks that are in a family."""
        return {i for comb in self.families for i in comb.lines}

    @property
    def broad_peaks(self) -> list[Peak]:
        """What is no single tone, no mode either, and beyond doubt."""
        return [
            peak
            for peak in self.analysis.peaks or ()
            if peak.behaviour is not None
            and peak.behaviour.kind == "hump"
            and peak.clear
            and not self._passed(peak)
            and self.analysis.resonance(peak) is None
        ]


def unsteady(peak: Peak) -> bool:
    return peak.behaviour is not None and peak.behaviour.kind in (
        "moves",
        "comes and goes",
        "modulated",
        "hump",
    )


def power_of(a: Analysis, number: int) -> float:
    """Mean square of a peak's tone."""
    assert a.peaks is not None
    return (
        a.peaks[number].tone.amplitude ** 2 * LEVEL_FACTORS["rms"] ** 2 / LEVEL_FACTORS["peak"] ** 2
    )
