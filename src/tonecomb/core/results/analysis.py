"""One analysis: what was estimated, what was found in it, and how it is shown."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.content import Content, Gain
from tonecomb.core.estimate.display import LOW_CUT, Curve, Display, curve
from tonecomb.core.estimate.framing import effective_averages
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS, Spectrum
from tonecomb.core.find.changes import find_changes
from tonecomb.core.find.comb import Comb, Line
from tonecomb.core.find.families import families
from tonecomb.core.find.floor import expected_bins, find_noise
from tonecomb.core.find.impact_resonance import find_ringing
from tonecomb.core.find.mode import Resonance, half_power_width
from tonecomb.core.find.parting import parted
from tonecomb.core.find.peaks import Peak, find_peaks
from tonecomb.core.find.ratios import small_ratio
from tonecomb.core.find.variable_speed import Moving, find_moving
from tonecomb.core.method.method import FramePlan, Method, Shown, plan
from tonecomb.core.method.searches import Fit
from tonecomb.core.method.sentence import sentence
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.record.truth import Truth
from tonecomb.core.record.windows import window
from tonecomb.core.results.estimate import Estimate, run_spectrum
from tonecomb.core.results.findings import (
    SEVERAL,
    UNSTEADY,
    Findings,
    mode_at,
    modes,
    of_family,
    of_mode,
)
from tonecomb.core.results.machine_families import (
    modes_in_machine_time,
    moving_with,
    own_families,
    resting_data,
)
from tonecomb.core.results.machine_time import (
    MachineTime,
    is_steadied,
    machine_peaks,
    most_turn,
    reads_both_ways,
)
from tonecomb.core.results.shown import ShownEstimate
from tonecomb.core.results.true_peak import Extremes, true_peaks
from tonecomb.core.steps.filters import Filter
from tonecomb.core.steps.prepare import prepare

_SWELLS = ("comes and goes", "modulated")
_BORNE_OUT = 1.4  # times the floor, that a tooth's range holds on average
_DEEPEST = 1e-6  # of a filter's gain squared, down to which noise is seen to follow it
_FAR = 0.1  # of its frequency that a tone moves, so that it may be the first of a family
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
            lines.append(Line(tone.frequency, std, self.amplitude(peak)[0], stands))
        return tuple(lines)

    @cached_property
    def combs(self) -> tuple[Comb, ...]:
        """Families among the peaks, found with them; their amplitudes are as they are shown."""
        findings = self.found
        # Where a quantity leaves peaks out, the numbers of the lines are others.
        if findings and findings.combs is not None and len(self.lines) == len(findings.peaks):
            return tuple(comb.measured_by(self.lines) for comb in findings.combs)
        moving = None if findings is None else findings.moving
        return families(self.lines, self.fs / 2, moving, self.resolution.separable_hz)

    @property
    def machine(self) -> MachineTime | None:
        """The time of a machine whose speed breathes, where there is one."""
        return None if self.found is None else self.found.machine

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
        """The highest peaks and those picked by hand, by rising frequency."""
        order = sorted(self.peaks or (), key=lambda peak: (not peak.by_hand, -peak.level))
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


def run(method: Method, recording: Recording, progress: Progress = silent) -> Analysis:
    """Analyse ``recording`` by ``method``: spectrum and peaks. Pure: same arguments, same result.

    Raises :class:`UserError` when the method does not fit or samples are missing.
    """
    method = method.resolved(recording)
    estimate = followed_spectrum(method, recording, part(progress, 0.0, 0.5))
    findings = run_findings(estimate, method, recording, part(progress, 0.5, 0.9))
    extremes = true_peaks(method, recording, part(progress, 0.9, 1.0))
    return Analysis.of(replace(estimate, followed=None), findings, method, recording, extremes)


def followed_spectrum(
    method: Method, recording: Recording, progress: Progress = silent
) -> Estimate:
    """As :func:`run_spectrum`, but for the frames, which are followed in the same pass where that
    can be: what is then found takes less, and the spectrum a little more."""

    def expect(few: Spectrum, count: int) -> NDArray[np.int_]:
        return expected_bins(few, count, shaped_by(method, recording, few.frequency))

    return run_spectrum(method, recording, progress, expect)


def shaped_by(method: Method, recording: Recording, frequency: Array) -> Array | None:
    """The square of the gain of a chain's filters at these frequencies (Hz), as far down as noise
    follows it; None where nothing is filtered."""
    steps = method.source.steps
    total: Array | None = None
    for i, step in enumerate(steps):
        if isinstance(step, Filter) and not step.off:
            fs = prepare(recording, steps[:i]).rate
            gain = np.abs(step.response(np.minimum(frequency, 0.4999 * fs), fs)) ** 2
            total = gain if total is None else total * gain
    return None if total is None else np.maximum(total, _DEEPEST)


def run_findings(
    estimate: Estimate, method: Method, recording: Recording, progress: Progress = silent
) -> Findings:
    """Look for peaks and resonances in an estimate that was made by the same method."""
    average, search = method.averaging.average, method.search
    if not average.typical or method.source.axes:
        # A tone is fitted to all frames alike: its amplitude would not be that of the curve.
        return Findings()
    p = plan(method.findings(), recording)
    read: Read = p.read
    if not average.spaced and estimate.single is not None:
        samples = estimate.single.samples

        def read(start: int, stop: int) -> Array:
            return samples[start:stop]

    spectrum = estimate.spectrum
    nominal = effective_averages(spectrum.framing, p.taper.name)
    shape = shaped_by(method, recording, spectrum.frequency)
    noise = find_noise(
        read, spectrum, p.fs, nominal, shape, part(progress, 0, 0.2), estimate.followed
    )
    progress = part(progress, 0.2, 1)
    peaks, unlisted = find_peaks(spectrum, search.peaks, read, p.fs, p.taper, noise, progress)
    if estimate.single is None and not recording.live:  # what grows is looked at again at once
        peaks = parted(peaks, spectrum, read, p.fs)
    machine = None
    if estimate.single is None and not recording.live and reads_both_ways(peaks, p):
        peaks, machine = machine_peaks(peaks, method, p, part(progress, 0.5, 1))
    findings = Findings(peaks, noise.floor, noise.averages, unlisted=unlisted, machine=machine)
    if noise.courses is not None:
        findings = replace(findings, changes=find_changes(noise.courses, p.fs))
    before = Analysis(estimate, method.findings(), findings, "")
    moving = None if machine is not None else _moving(before, read, p)
    findings = replace(findings, moving=moving)
    combs = before.combs if moving is None else replace(before, found=findings).combs
    if machine is not None:
        combs = own_families(combs, peaks)
        moving = moving_with(machine, combs, peaks)
        findings = replace(findings, moving=moving)
    rung: tuple[Resonance, ...] = ()
    if machine is None:
        rung = find_ringing(combs, spectrum, read, p.fs, method.frames.detrend)
    between = None
    if machine is not None:
        between = resting_data(peaks, combs, machine, p, noise.floor, spectrum.enbw_hz)
    resonances = [*modes(estimate, findings, combs, method, p.taper, between), *rung]
    if machine is not None:
        resonances = modes_in_machine_time(resonances, combs, peaks)
    resonances.sort(key=lambda one: one.frequency)
    separable = estimate.resolution.separable_hz
    if machine is None:
        peaks = tuple(of_family(of_mode(peak, resonances), moving, separable) for peak in peaks)
    else:
        peaks, combs = machine.with_common(peaks, combs)
    findings = replace(findings, peaks=peaks, combs=combs, resonances=tuple(resonances))
    return replace(findings, content=findings.content_of(estimate, p.taper))


def _moving(before: Analysis, read: Read, p: FramePlan) -> Moving | None:
    """A family that moves, looked for where several peaks do, or where what is there is not."""
    peaks, findings = before.peaks or (), before.found
    if p.framing.kept is not None or findings is None or is_steadied(p.signal):
        return None
    moves = [
        one
        for one in peaks
        if one.behaviour and not one.tone.steady and one.behaviour.kind != "comes and goes"
    ]
    goes = any(one.behaviour and one.behaviour.kind in _SWELLS for one in peaks)
    changes = findings.changes is not None and findings.changes.elsewhere > 0 and not goes
    far = any(
        one.behaviour and one.behaviour.moved > _FAR * one.tone.frequency for one in moves
    )  # a fundamental that runs: its teeth may stand where it holds its speed
    if len(moves) < SEVERAL and not changes and not far:
        return None
    teeth = {line for comb in before.combs for line in comb.lines}
    still = [
        one.tone.frequency for i, one in enumerate(peaks) if one.tone.steady and i not in teeth
    ]
    heard = find_moving(read, p.framing.length, p.fs, np.array(still))
    if heard is None or not _borne_out(heard, before):
        return None
    start = p.start / p.fs  # of the stretch, from which it was heard
    return replace(heard, track=tuple((start + time, f) for time, f in heard.track))


def _borne_out(heard: Moving, before: Analysis) -> bool:
    """Whether the average has something over its noise where a tooth of the family was: what is
    heard in short frames may be steady lines beside those that were left out."""
    power, floor, hz = before.spectrum.mean_square, before.floor, before.spectrum.bin_hz
    if floor is None:
        return True

    for number in heard.teeth:
        first, last = math.floor(number * heard.low / hz), math.ceil(number * heard.high / hz)
        over = power[first : last + 1] / np.maximum(floor[first : last + 1], 1e-300)
        if len(over) and over.mean() > _BORNE_OUT:
            return True
    return False
