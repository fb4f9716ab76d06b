"""One analysis: what was estimated, what was found in it, and how it is shown."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property

import numpy as np

from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.content import Content, Gain
from tonecomb.core.estimate.display import LOW_CUT, Curve, Display, curve
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.find.comb import Comb, Line
from tonecomb.core.find.families import families
from tonecomb.core.find.family_audit import audited as audited_families
from tonecomb.core.find.mode import Resonance, half_power_width
from tonecomb.core.find.peaks import Peak
from tonecomb.core.find.ratios import small_ratio
from tonecomb.core.find.ridge import Ridge
from tonecomb.core.method.method import Method, Shown
from tonecomb.core.method.searches import Fit
from tonecomb.core.method.sentence import sentence
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.record.truth import Truth
from tonecomb.core.record.windows import window
from tonecomb.core.results.account import Account, Held, account
from tonecomb.core.results.estimate import Estimate
from tonecomb.core.results.findings import (
    UNSTEADY,
    Findings,
    mode_at,
)
from tonecomb.core.results.machine_time import (
    MachineTime,
    most_turn,
)
from tonecomb.core.results.shown import ShownEstimate
from tonecomb.core.results.true_peak import Extremes

_MOMENT, _MANY = 0.05, 8  # of the frames; and so many peaks that stand in less
WANDERS = 0.01  # of a bin that the place of a tone is uncertain at least where its phase wanders
_OF_WIDTH = 0.4  # of a wandering line's width, for one average, that its place is uncertain


@dataclass(frozen=True, eq=False)
class Analysis(ShownEstimate):
    """An estimate, what was ``found`` in it (None while it has not been looked for), and the
    method by which both are shown, with its sentence. All that is needed to draw, export and
    report it; to show it otherwise computes nothing anew.

    Everything below is as the method says it is shown: where it asks for another quantity, bins,
    peaks and fits have been multiplied by a power of iω.
    """

    found: Findings | None
    sentence: str
    truth: Truth | None = None
    """What is known to be in the recording, of a made one."""
    extremes: tuple[tuple[Band, Extremes], ...] = ()
    """Of the method's levels that are read from samples."""

    @classmethod
    def of(
        cls,
        estimate: Estimate,
        found: Findings | None,
        method: Method,
        recording: Recording,
        extremes: tuple[tuple[Band, Extremes], ...] = (),
    ) -> Analysis:
        """What was computed of a recording, shown as ``method`` says."""
        analysis = cls(estimate, method, found, "", recording.truth, extremes)
        return analysis.shown_by(method, recording)

    @cached_property
    def display(self) -> Display:
        """How it is shown. Where no low cut is chosen: from 1 Hz, or half the lowest thing that was
        found."""
        display, findings = self.method.shown.display, self.found
        if display.low_cut is not None or findings is None:
            return display
        sure = [peak.tone.frequency for peak in findings.peaks if peak.tone.steady or peak.clear]
        lowest = min([*sure, *(one.frequency for one in findings.resonances)], default=math.inf)
        return replace(display, low_cut=min(LOW_CUT, float(f"{lowest / 2:.2g}")))

    @cached_property
    def peaks(self) -> tuple[Peak, ...] | None:
        """The peaks, None while they have not been looked for."""
        if self.found is None:
            return None
        if not self.order:
            return self.found.peaks
        peaks = (self._shown(peak) for peak in self.found.peaks)
        return tuple(peak for peak in peaks if peak.tone.amplitude > 0)

    @cached_property
    def momentary(self) -> tuple[Peak, ...]:
        """The peaks that stand in under 5 % of the frames, where they are many: a list of them
        hides what stands. None of a family is one of them, nor one picked by hand."""
        teeth = {i for comb in self.combs for i in comb.lines}
        few = [
            one
            for i, one in enumerate(self.peaks or ())
            if i not in teeth and not one.by_hand and _for_a_moment(one)
        ]
        return tuple(few) if len(few) > _MANY else ()

    def _shown(self, peak: Peak) -> Peak:
        """A peak as another quantity: its phase turns by a right angle for each iω."""
        gain = float(self.gain(np.array([peak.tone.frequency]))[0])
        phase = peak.tone.phase_deg - 90.0 * self.order
        tone = replace(
            peak.tone,
            amplitude=peak.tone.amplitude * gain,
            amplitude_std=peak.tone.amplitude_std * gain,
            phase_deg=(phase + 180.0) % 360.0 - 180.0,
        )
        return replace(peak, tone=tone, level=peak.level * gain**2, floor=peak.floor * gain**2)

    @cached_property
    def resonances(self) -> tuple[Resonance, ...]:
        """The resonances."""
        resonances = () if self.found is None else self.found.resonances
        if not self.derived:
            return resonances
        return tuple(
            replace(one, fit=one.fit * self.weighted_gain(one.fit_frequency) ** 2)
            for one in resonances
        )

    @cached_property
    def floor(self) -> Array | None:
        """The noise's mean square per bin, shape (bins,); known with the peaks."""
        floor = None if self.found is None else self.found.floor
        if floor is None or not self.derived:
            return floor
        return floor * self.weighted_gain(self.estimate.spectrum.frequency) ** 2

    @property
    def averages(self) -> Array | None:
        """What each bin is worth in independent averages, shape (bins,), where that was seen."""
        return None if self.found is None else self.found.averages

    def resonance(self, peak: Peak) -> Resonance | None:
        """The mode that a peak is the top of, None where it is a tone's line."""
        return mode_at(peak, self.resonances)

    @property
    def unfitted(self) -> tuple[Fit, ...]:
        """Ranges that were to be fitted by hand where the data does not bear out a mode."""
        if self.found is None:
            return ()
        return tuple(
            fit
            for fit in self.method.search.fits
            if not any(fit.low <= one.frequency <= fit.high for one in self.resonances)
        )

    @cached_property
    def lines(self) -> tuple[Line, ...]:
        """The peaks as the search for combs takes them; amplitudes in the method's level.

        The place of a line that wanders is known no better than its width and the number of
        averages allow, whatever a tone's standard deviation there would be.
        """
        lines = []
        for peak in self.peaks or ():
            tone, std = peak.tone, peak.tone.frequency_std
            still = peak.behaviour is None or peak.behaviour.kind not in UNSTEADY
            if peak.turns == "turns":
                still = True  # in machine time
            elif not tone.steady and still:
                std = math.hypot(std, WANDERS * self.spectrum.bin_hz)
            elif not tone.steady:
                width = half_power_width(self.spectrum, tone.frequency)
                width = self.spectrum.bin_hz if math.isnan(width) else width
                std = math.hypot(std, _OF_WIDTH * width / self.spectrum.effective_averages**0.5)
            stands = still and (peak.behaviour is None or peak.behaviour.kind != "comes and goes")
            broad = peak.behaviour is not None and peak.behaviour.kind == "hump"
            lines.append(Line(tone.frequency, std, self.amplitude(peak)[0], stands, broad))
        return tuple(lines)

    @cached_property
    def combs(self) -> tuple[Comb, ...]:
        """Families among the peaks, found with them; their amplitudes are as they are shown."""
        findings = self.found
        # Where a quantity leaves peaks out, the numbers of the lines are others.
        if findings and findings.combs is not None and len(self.lines) == len(findings.peaks):
            return tuple(comb.measured_by(self.lines) for comb in findings.combs)
        moving = None if findings is None else findings.moving
        separable = self.resolution.separable_hz
        return audited_families(
            families(self.lines, self.fs / 2, moving, separable), self.lines, None, separable
        )

    @property
    def machine(self) -> MachineTime | None:
        """The time of a machine whose speed breathes, where there is one."""
        return None if self.found is None else self.found.machine

    @property
    def ridge(self) -> Ridge | None:
        """One tone that holds most of the power, wherever it goes."""
        return None if self.found is None else self.found.ridge

    @cached_property
    def shaft(self) -> Comb | None:
        """The family that a machine whose speed breathes turns by: the lowest that turns."""
        if self.machine is None:
            return None
        turning = (one for one in self.combs if one.carrier is None and self.turning(one))
        return min(turning, key=lambda one: one.spacing, default=None)

    def turning(self, comb: Comb) -> bool:
        """Whether most lines of a family turn with a machine whose speed breathes."""
        return most_turn(comb, self.peaks or ())

    def _own(self, std: float, frequency: float) -> float:
        """A standard deviation (Hz) of what turns without what all that turns has in common."""
        common = 0.0 if self.machine is None else self.machine.mean_std * frequency
        return math.sqrt(max(std**2 - common**2, (1e-9 * frequency) ** 2))

    def of_shaft(self, peak: Peak) -> tuple[float, float] | None:
        """How many times the shaft of a machine whose speed breathes a peak turns, with the
        standard deviation; None for what does not turn."""
        shaft, tone = self.shaft, peak.tone
        if shaft is None or peak.turns != "turns":
            return None
        times = tone.frequency / shaft.spacing
        own = self._own(tone.frequency_std, tone.frequency) / tone.frequency
        of = self._own(shaft.spacing_std, shaft.spacing) / shaft.spacing
        return times, times * math.hypot(own, of)

    def ratio(self, frequency: float, std: float, comb: Comb) -> Fraction | None:
        """How many times a family's fundamental goes into a frequency (Hz) known to ``std``, where
        that is a ratio of small whole numbers: in machine time as exact as both are known."""
        if self.machine is None or not self.turning(comb):
            return small_ratio(frequency, std, comb.spacing)
        of = self._own(comb.spacing_std, comb.spacing) * frequency / comb.spacing
        both = math.hypot(self._own(std, frequency), of)
        return small_ratio(frequency, both, comb.spacing, alike=0.0)

    def present(self, peak: Peak) -> float:
        """A tone's peak amplitude while it stands, in the quantity that is shown."""
        doing = peak.behaviour
        if doing is None:
            return peak.tone.amplitude
        return doing.present * (
            float(self.gain(np.array([peak.tone.frequency]))[0]) if self.order else 1
        )

    @cached_property
    def content(self) -> Content:
        """The lines that stand in the stretch and the rest of the frames' mean, in the channel's
        own quantity; parted where they were looked for."""
        findings = self.found or Findings()
        taper = window(self.method.frames.window)
        return findings.content or findings.content_of(self.estimate, taper)

    @cached_property
    def account(self) -> Account:
        """What the mean square of the stretch is made of, in the quantity that is shown."""
        moving = None if self.found is None else self.found.moving
        held = Held(
            self.levels,
            self.floor,
            self.averages,
            self.peaks or (),
            self.combs,
            self.resonances,
            moving,
            self.ridge,
        )
        return account(held, self.rms**2)

    def as_low_as(self, cut: float) -> Gain:
        """The gain to what is shown, were the low cut at this frequency (Hz)."""
        display = replace(self.display, low_cut=cut)
        return lambda frequency: display.gain(frequency, self.channel.unit)

    @cached_property
    def levels(self) -> Content:
        """The content in the quantity that is shown."""
        if not self.derived:
            return self.content
        cut = self.display.cut if self.order else 0.0
        return self.content.converted(self.weighted_gain, cut, whole=not self.order)

    @cached_property
    def curve(self) -> Curve:
        """What is drawn, in the method's scaling, linear. Bands and totals are of the content,
        where the frames' mean is drawn."""
        shown, levels = self.method.shown, self.levels
        if shown.display.drawn == "bins" or self.estimate.mean is not None:
            return super().curve
        lines = levels.frequency, levels.power
        return curve(levels.rest, shown.scaling, shown.level, shown.display, lines)

    @property
    def rms(self) -> float:
        """The overall rms in the unit that is shown: of the stretch's samples, or in another
        quantity than the channel's, which has no samples, of its frames."""
        return math.sqrt(self.levels.whole) if self.derived else self.estimate.level.rms

    def band_level(self, low: float, high: float) -> float:
        """The rms between two frequencies in Hz, in the unit that is shown."""
        return math.sqrt(self.levels.band(low, high))

    def highest(self, count: int) -> tuple[Peak, ...]:
        """The highest peaks and those picked by hand, by rising frequency; of many that stand for
        a moment only, none."""
        gone = set(map(id, self.momentary))
        kept = [peak for peak in self.peaks or () if id(peak) not in gone]
        order = sorted(kept, key=lambda peak: (not peak.by_hand, -peak.level))
        chosen = order[: count + sum(peak.by_hand for peak in order)]
        return tuple(sorted(chosen, key=lambda peak: peak.tone.frequency))

    def shown_by(self, method: Method, recording: Recording) -> Analysis:
        """The same, shown as ``method`` says."""
        analysis = replace(self, method=method)
        # From which frequency on is known by what was found.
        display = analysis.display if analysis.order else method.shown.display
        return replace(analysis, sentence=sentence(method.having(display=display), recording))

    def displayed(self, shown: Shown) -> Analysis:
        """The same in another scaling, and as another quantity. The sentence stays."""
        return replace(self, method=replace(self.method, shown=shown))

    def bare(self) -> Analysis:
        """Without what was found."""
        return replace(self, found=None)

    def amplitude(self, peak: Peak) -> tuple[float, float]:
        """A peak's amplitude in the method's level, and its standard deviation."""
        factor = LEVEL_FACTORS[self.method.shown.level] / LEVEL_FACTORS["peak"]
        return peak.tone.amplitude * factor, peak.tone.amplitude_std * factor


def _for_a_moment(peak: Peak) -> bool:
    doing = peak.behaviour
    return doing is not None and not peak.tone.steady and doing.share < _MOMENT
