"""One analysis from samples to peaks: what the bench and the command line both call."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from tonecomb.core.estimate.bands import band_rms
from tonecomb.core.estimate.combining import FrameSquares, combined_squares, worth
from tonecomb.core.estimate.display import Curve, Display, curve, curve_scaling
from tonecomb.core.estimate.framing import effective_averages
from tonecomb.core.estimate.phase import OneFrame, one_frame
from tonecomb.core.estimate.spectrum import (
    LEVEL_FACTORS,
    Level,
    Read,
    Scaling,
    Spectrum,
    averaged_spectrum,
    level_label,
    to_decibels,
)
from tonecomb.core.estimate.synchronous import averaged_frame
from tonecomb.core.find.combs import Comb, Line, find_combs
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
from tonecomb.core.method import LEAVES_OUT, Method, Plan, Resolution, plan, resolution, sentence
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.record import pyramid
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.recording import Array, Channel, Recording
from tonecomb.core.units import Unit

_OF_WIDTH = 0.4  # of a wandering line's width, for one average, that its place is uncertain


@dataclass(frozen=True, eq=False)
class Analysis:
    """A spectrum and its peaks, with all that is needed to draw, export and report them.

    ``peaks`` is None while they have not been looked for. ``single`` is there where the spectrum
    is that of one frame, or of frames averaged in step. An estimate is in the channel's unit;
    ``floor`` is the noise's mean square per bin (unit², shape (bins,)), known with the peaks;
    ``order`` is the power of iω by which its amplitudes are divided once it is
    :meth:`displayed` as another quantity.
    """

    recording_id: str
    recording_name: str
    channel: Channel
    fs: float
    method: Method
    sentence: str
    resolution: Resolution
    spectrum: Spectrum
    peaks: tuple[Peak, ...] | None = None
    single: OneFrame | None = None
    order: int = 0
    resonances: tuple[Resonance, ...] = ()
    floor: Array | None = None

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
        if self.peaks is None:
            return ()
        return tuple(
            fit for fit in self.method.fits
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

    def with_display(self, method: Method, recording: Recording) -> Analysis:
        """The estimate shown as ``method`` says."""
        shown = self.displayed(method.scaling, method.level, method.display)
        return replace(shown, method=method, sentence=sentence(method, recording))

    def displayed(self, scaling: Scaling, level: Level, display: Display) -> Analysis:
        """The estimate in this scaling, and as this quantity. The sentence stays."""
        method = replace(self.method, scaling=scaling, level=level, display=display)
        order = display.order(self.channel.unit)
        if not order:
            return replace(self, method=method)
        spectrum, single, peaks = self.spectrum, self.single, self.peaks
        gain = display.gain(spectrum.frequency, self.channel.unit)
        spectrum = replace(spectrum, mean_square=spectrum.mean_square * gain**2)
        if single is not None:
            single = replace(single, bins=single.bins * gain)
        if peaks is not None:
            peaks = tuple(self._displayed(peak, display) for peak in peaks)
            peaks = tuple(peak for peak in peaks if peak.tone.amplitude > 0)
        resonances = tuple(
            replace(one, fit=one.fit * display.gain(one.fit_frequency, self.channel.unit) ** 2)
            for one in self.resonances
        )
        return replace(
            self, method=method, spectrum=spectrum, single=single, peaks=peaks, order=order,
            resonances=resonances, floor=None if self.floor is None else self.floor * gain**2,
        )  # fmt: skip

    def _displayed(self, peak: Peak, display: Display) -> Peak:
        """A peak as another quantity: its phase turns by a right angle for each iω."""
        at = np.array([peak.tone.frequency])
        gain = float(display.gain(at, self.channel.unit)[0])
        phase = peak.tone.phase_deg - 90.0 * display.order(self.channel.unit)
        tone = replace(
            peak.tone,
            amplitude=peak.tone.amplitude * gain,
            amplitude_std=peak.tone.amplitude_std * gain,
            phase_deg=(phase + 180.0) % 360.0 - 180.0,
        )
        return replace(peak, tone=tone, level=peak.level * gain**2, floor=peak.floor * gain**2)

    @cached_property
    def unit(self) -> Unit:
        """The unit that is shown, with its decibel reference."""
        return self.method.display.unit(self.channel.unit)

    @cached_property
    def curve(self) -> Curve:
        """What is drawn, in the method's scaling, linear."""
        return curve(self.spectrum, self.method.scaling, self.method.level, self.method.display)

    @property
    def scaling(self) -> Scaling:
        """The scaling of ``curve``."""
        return curve_scaling(self.method.scaling, self.method.level, self.method.display)[0]

    @property
    def values(self) -> Array:
        """The spectrum in the method's scaling, linear, shape (bins,)."""
        return self.spectrum.values(self.method.scaling, self.method.level)

    @property
    def values_unit(self) -> str:
        """Symbol of what is drawn."""
        return self.unit.scaled(*self._drawn)

    def decibels(self, values: Array) -> Array:
        """Linear values of the curve in dB; zeros become the lowest that can be."""
        return to_decibels(np.maximum(values, np.finfo(float).tiny), self.scaling, self.unit)

    def label(self, decibels: bool) -> str:
        """Quantity and unit of what is drawn, for an axis."""
        text = level_label(*self._drawn, self.unit, decibels)
        words = self.method.display.words()
        return f"{text}, {words}" if words else text

    @property
    def _drawn(self) -> tuple[Scaling, Level]:
        return curve_scaling(self.method.scaling, self.method.level, self.method.display)

    @property
    def amplitude_unit(self) -> str:
        """Symbol and level of peak amplitudes, which are amplitudes in every scaling."""
        return f"{self.unit.symbol} {self.method.level}"

    @property
    def band_levels(self) -> tuple[float, ...]:
        """Rms of each of the method's bands, in the unit that is shown."""
        return tuple(band_rms(self.spectrum, band.low, band.high) for band in self.method.bands)

    def amplitude(self, peak: Peak) -> tuple[float, float]:
        """A peak's amplitude in the method's level, and its standard deviation."""
        factor = LEVEL_FACTORS[self.method.level] / LEVEL_FACTORS["peak"]
        return peak.tone.amplitude * factor, peak.tone.amplitude_std * factor


def run(method: Method, recording: Recording, progress: Progress = silent) -> Analysis:
    """Analyse ``recording`` by ``method``: spectrum and peaks. Pure: same arguments, same result.

    Raises :class:`UserError` when the method does not fit or samples are missing.
    """
    estimate = run_spectrum(method, recording, part(progress, 0.0, 0.5))
    found = run_peaks(estimate, recording, part(progress, 0.5, 1.0))
    return found.with_display(method, recording)


def run_spectrum(method: Method, recording: Recording, progress: Progress = silent) -> Analysis:
    """The first step of :func:`run`, without peaks, in the channel's own quantity."""
    p = plan(method, recording)
    if method.average == "synchronous":
        return _synchronous(method, recording, p, progress)
    if method.leave_clipped and method.average in LEAVES_OUT:
        p = _without_clipped(method, recording, p, part(progress, 0, 0.4))
        progress = part(progress, 0.4, 1)
    read = _reader(method, recording, p)

    def combine(weights: Array, nfft: int) -> Array:
        frames = FrameSquares(read, p.framing, p.fs, weights, nfft, method.detrend)
        averages = effective_averages(p.framing, p.taper.name)
        return combined_squares(frames, method.average, averages, progress)

    spectrum = averaged_spectrum(
        read,
        p.framing,
        p.fs,
        p.taper,
        pad=method.pad,
        detrend=method.detrend,
        averages=p.averages,
        progress=progress,
        combine=None if method.average in ("mean", "single") else combine,
    )
    single = None
    if p.framing.count == 1:
        first = int(p.framing.numbers[0]) * p.framing.hop
        samples = read(first, first + method.frame)
        single = one_frame(samples, p.fs, p.taper, method.pad, method.detrend)
    return _analysis(method, recording, p, spectrum, single)


def _synchronous(method: Method, recording: Recording, p: Plan, progress: Progress) -> Analysis:
    """Average the frames in step, then analyse the average as one frame."""
    samples, count = averaged_frame(
        method.sync, recording, method.channel, p.start, p.stop, method.frame, progress
    )
    spectrum = averaged_spectrum(
        lambda start, stop: samples[start:stop],
        p.framing, p.fs, p.taper, pad=method.pad, detrend=method.detrend,
    )  # fmt: skip
    single = one_frame(samples, p.fs, p.taper, method.pad, method.detrend)
    made = _analysis(method, recording, p, spectrum, single)
    covered = count * method.frame / (p.stop - p.start)
    known = replace(made.resolution, frames=count, covered_fraction=covered)
    return replace(made, resolution=known)


def _without_clipped(method: Method, recording: Recording, p: Plan, progress: Progress) -> Plan:
    """The plan without frames that hold samples at the recorder's limit."""
    read = _reader(method, recording, p)
    built = pyramid.build(read, p.stop - p.start, progress)
    framing = p.framing.without(clipped(read, built))
    averages = worth(method.average, effective_averages(framing, p.taper.name))
    return replace(p, framing=framing, averages=averages)


def _analysis(
    method: Method, recording: Recording, p: Plan, spectrum: Spectrum, single: OneFrame | None
) -> Analysis:
    return Analysis(
        recording_id=recording.id,
        recording_name=recording.name,
        channel=p.channel,
        fs=p.fs,
        method=method,
        sentence=sentence(method, recording),
        resolution=resolution(method, recording, p),
        spectrum=spectrum,
        single=single,
    )


def run_peaks(estimate: Analysis, recording: Recording, progress: Progress = silent) -> Analysis:
    """The second step of :func:`run`: the same analysis with its peaks."""
    method = estimate.method
    if method.average in ("max", "min"):
        # A tone is fitted to all frames alike: its amplitude would not be that of the curve.
        return replace(estimate, peaks=())
    p = plan(method, recording)
    read = _reader(method, recording, p)
    if method.average == "synchronous" and estimate.single is not None:
        samples = estimate.single.samples

        def read(start: int, stop: int) -> Array:
            return samples[start:stop]

    floor = noise_floor(estimate.spectrum)
    peaks = find_peaks(estimate.spectrum, method.search, read, p.fs, p.taper, floor, progress)
    found = replace(estimate, peaks=peaks, floor=floor)
    teeth = {line for comb in found.combs for line in comb.lines}
    alone = [peak.tone.frequency for i, peak in enumerate(peaks) if i not in teeth]
    decay = None if estimate.single is None else estimate.single.samples
    data = Data(estimate.spectrum, p.taper, p.fs, decay)
    by_hand = [one for fit in method.fits for one in fit_by_hand(data, fit)]
    found_alone = [
        one for one in find_resonances(data, alone)
        if not any(fit.low <= one.frequency <= fit.high for fit in method.fits)
    ]  # fmt: skip
    rung = find_ringing(found.combs, estimate.spectrum, read, p.fs, method.detrend)
    resonances = sorted([*found_alone, *by_hand, *rung], key=lambda one: one.frequency)
    return replace(found, resonances=tuple(resonances))


def _reader(method: Method, recording: Recording, p: Plan) -> Read:
    def read(start: int, stop: int) -> Array:
        return recording.samples.read(method.channel, p.start + start, p.start + stop)

    return read
