"""One analysis: what was estimated, what was found in it, and how it is shown."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from tonecomb.core.estimate.estimate import Estimate, run_spectrum
from tonecomb.core.estimate.spectrum import (
    LEVEL_FACTORS,
    Read,
)
from tonecomb.core.find.comb import Comb, Line
from tonecomb.core.find.combs import find_combs
from tonecomb.core.find.damping import (
    Data,
    Fit,
    Resonance,
    find_resonances,
    fit_by_hand,
    half_power_width,
)
from tonecomb.core.find.floor import noise_floor
from tonecomb.core.find.peaks import Peak, find_peaks
from tonecomb.core.find.ringing import find_ringing
from tonecomb.core.method import Method, Shown, plan
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.say.sentence import sentence
from tonecomb.core.shown import ShownEstimate

_OF_WIDTH = 0.4  # of a wandering line's width, for one average, that its place is uncertain


@dataclass(frozen=True, eq=False)
class Findings:
    """What was found in an estimate, in the channel's own quantity: ``peaks``, the noise's mean
    square per bin (unit², shape (bins,)), and ``resonances``."""

    peaks: tuple[Peak, ...] = ()
    floor: Array | None = None
    resonances: tuple[Resonance, ...] = ()

    @property
    def nbytes(self) -> int:
        """What it holds in memory, besides the estimate."""
        return 0 if self.floor is None else self.floor.nbytes


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

    @classmethod
    def of(
        cls, estimate: Estimate, found: Findings | None, method: Method, recording: Recording
    ) -> Analysis:
        """What was computed of a recording, shown as ``method`` says."""
        return cls(estimate, method, found, sentence(method, recording))

    @cached_property
    def peaks(self) -> tuple[Peak, ...] | None:
        """The peaks, None while they have not been looked for."""
        if self.found is None:
            return None
        if not self.order:
            return self.found.peaks
        shown = (self._shown(peak) for peak in self.found.peaks)
        return tuple(peak for peak in shown if peak.tone.amplitude > 0)

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
        found = () if self.found is None else self.found.resonances
        if not self.order:
            return found
        return tuple(replace(one, fit=one.fit * self.gain(one.fit_frequency) ** 2) for one in found)

    @cached_property
    def floor(self) -> Array | None:
        """The noise's mean square per bin, shape (bins,); known with the peaks."""
        floor = None if self.found is None else self.found.floor
        if floor is None or not self.order:
            return floor
        return floor * self.gain(self.estimate.spectrum.frequency) ** 2

    def resonance(self, peak: Peak) -> Resonance | None:
        """The mode that a peak is the top of, None where it is a tone's line."""
        near = (
            one for one in self.resonances
            if abs(one.frequency - peak.tone.frequency) < max(one.bandwidth, one.half_power) / 2
        )  # fmt: skip
        return next(near, None)

    @property
    def unfitted(self) -> tuple[Fit, ...]:
        """Ranges that were to be fitted by hand where the data does not bear out a mode."""
        if self.found is None:
            return ()
        return tuple(
            fit for fit in self.method.search.fits
            if not any(fit.low <= one.frequency <= fit.high for one in self.resonances)
        )  # fmt: skip

    @property
    def lines(self) -> tuple[Line, ...]:
        """The peaks as the search for combs takes them; amplitudes in the method's level.

        The place of a line that wanders is known no better than its width and the number of
        averages allow, whatever a tone's standard deviation there would be.
        """
        lines = []
        for peak in self.peaks or ():
            tone, std = peak.tone, peak.tone.frequency_std
            if not tone.steady:
                width = half_power_width(self.spectrum, tone.frequency)
                width = self.spectrum.bin_hz if math.isnan(width) else width
                std = math.hypot(std, _OF_WIDTH * width / self.spectrum.effective_averages**0.5)
            lines.append(Line(tone.frequency, std, self.amplitude(peak)[0]))
        return tuple(lines)

    @cached_property
    def combs(self) -> tuple[Comb, ...]:
        """Families among the peaks."""
        return find_combs(self.lines, self.fs / 2)

    def shown_by(self, method: Method, recording: Recording) -> Analysis:
        """The same, shown as ``method`` says."""
        return replace(self, method=method, sentence=sentence(method, recording))

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
    estimate = run_spectrum(method, recording, part(progress, 0.0, 0.5))
    found = run_findings(estimate, method, recording, part(progress, 0.5, 1.0))
    return Analysis.of(estimate, found, method, recording)


def run_findings(
    estimate: Estimate, method: Method, recording: Recording, progress: Progress = silent
) -> Findings:
    """Look for peaks and resonances in an estimate that was made by the same method."""
    average, search = method.averaging.average, method.search
    if not average.typical:
        # A tone is fitted to all frames alike: its amplitude would not be that of the curve.
        return Findings()
    p = plan(method.findings(), recording)
    read: Read = p.read
    if not average.spaced and estimate.single is not None:
        samples = estimate.single.samples

        def read(start: int, stop: int) -> Array:
            return samples[start:stop]

    spectrum = estimate.spectrum
    floor = noise_floor(spectrum)
    peaks = find_peaks(spectrum, search.peaks, read, p.fs, p.taper, floor, progress)
    found = Findings(peaks, floor)
    combs = Analysis(estimate, method.findings(), found, "").combs
    teeth = {line for comb in combs for line in comb.lines}
    alone = [peak.tone.frequency for i, peak in enumerate(peaks) if i not in teeth]
    decay = None if estimate.single is None else estimate.single.samples
    data = Data(spectrum, p.taper, p.fs, decay)
    by_hand = [one for fit in search.fits for one in fit_by_hand(data, fit)]
    found_alone = [
        one for one in find_resonances(data, alone)
        if not any(fit.low <= one.frequency <= fit.high for fit in search.fits)
    ]  # fmt: skip
    rung = find_ringing(combs, spectrum, read, p.fs, method.frames.detrend)
    resonances = sorted([*found_alone, *by_hand, *rung], key=lambda one: one.frequency)
    return replace(found, resonances=tuple(resonances))
