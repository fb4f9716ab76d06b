"""One analysis from samples to peaks: what the bench and the command line both call."""

from __future__ import annotations

from dataclasses import dataclass, replace

from tonecomb.core.bands import band_rms
from tonecomb.core.combining import FrameSquares, combined_squares
from tonecomb.core.framing import effective_averages
from tonecomb.core.method import Method, Plan, Resolution, plan, resolution, sentence
from tonecomb.core.peaks import Peak, find_peaks
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.recording import Array, Channel, Recording
from tonecomb.core.spectrum import LEVEL_FACTORS, Read, Spectrum, averaged_spectrum
from tonecomb.core.units import unit


@dataclass(frozen=True, eq=False)
class Analysis:
    """A spectrum and its peaks, with all that is needed to draw, export and report them.

    ``peaks`` is None while they have not been looked for.
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

    def with_display(self, method: Method, recording: Recording) -> Analysis:
        """The same estimate shown in ``method``'s scaling and level."""
        return replace(self, method=method, sentence=sentence(method, recording))

    @property
    def values(self) -> Array:
        """The spectrum in the method's scaling, linear, shape (bins,)."""
        return self.spectrum.values(self.method.scaling, self.method.level)

    @property
    def values_unit(self) -> str:
        """Symbol of ``values``."""
        return unit(self.channel.unit).scaled(self.method.scaling, self.method.level)

    @property
    def amplitude_unit(self) -> str:
        """Symbol and level of peak amplitudes, which are amplitudes in every scaling."""
        return f"{unit(self.channel.unit).symbol} {self.method.level}"

    @property
    def band_levels(self) -> tuple[float, ...]:
        """Rms of each of the method's bands, in the channel's unit."""
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
    return run_peaks(estimate, recording, part(progress, 0.5, 1.0))


def run_spectrum(method: Method, recording: Recording, progress: Progress = silent) -> Analysis:
    """The first step of :func:`run`, without peaks."""
    p = plan(method, recording)
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
    return Analysis(
        recording_id=recording.id,
        recording_name=recording.name,
        channel=p.channel,
        fs=p.fs,
        method=method,
        sentence=sentence(method, recording),
        resolution=resolution(method, recording),
        spectrum=spectrum,
    )


def run_peaks(estimate: Analysis, recording: Recording, progress: Progress = silent) -> Analysis:
    """The second step of :func:`run`: the same analysis with its peaks."""
    method = estimate.method
    if method.average in ("max", "min"):
        # A tone is fitted to all frames alike: its amplitude would not be that of the curve.
        return replace(estimate, peaks=())
    p = plan(method, recording)
    read = _reader(method, recording, p)
    peaks = find_peaks(estimate.spectrum, method.search, read, p.fs, p.taper, progress)
    return replace(estimate, peaks=peaks)


def _reader(method: Method, recording: Recording, p: Plan) -> Read:
    def read(start: int, stop: int) -> Array:
        return recording.samples.read(method.channel, p.start + start, p.start + stop)

    return read
