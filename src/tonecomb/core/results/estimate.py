"""What is estimated of a stretch: its averaged spectrum, and the one frame where there is one."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.base.units import conversion
from tonecomb.core.estimate.along import WORTH_IT, Expect, averaged_and_followed
from tonecomb.core.estimate.averages import FrameSquares, InStep, Mean
from tonecomb.core.estimate.followed import Followed
from tonecomb.core.estimate.framing import effective_averages
from tonecomb.core.estimate.level import StretchLevel
from tonecomb.core.estimate.phase import OneFrame, one_frame
from tonecomb.core.estimate.spectrum import Spectrum, averaged_spectrum
from tonecomb.core.estimate.synchronous import averaged_frame
from tonecomb.core.method.method import FramePlan, Method, Resolution, plan, resolution
from tonecomb.core.record import pyramid
from tonecomb.core.record.clipping import clipped
from tonecomb.core.record.recording import Array, Channel, Recording


@dataclass(frozen=True, eq=False)
class Estimate:
    """A spectrum in the channel's own quantity and unit. ``single`` is there where it is that of
    one frame, or of frames averaged in step, ``followed`` where the frames were followed in the
    same pass, ``mean`` where the spectrum is another one than the frames' mean. ``method`` holds
    the parts that it hangs on."""

    recording_id: str
    recording_name: str
    channel: Channel
    fs: float
    method: Method
    resolution: Resolution
    spectrum: Spectrum
    single: OneFrame | None = None
    followed: Followed | None = None
    mean: Spectrum | None = None

    @property
    def averaged(self) -> Spectrum:
        """The mean of the frames, which levels are read from, whatever is drawn."""
        return self.spectrum if self.mean is None else self.mean

    @property
    def level(self) -> StretchLevel:
        """The level of the stretch's samples."""
        return self.spectrum.level

    @property
    def nbytes(self) -> int:
        """What it holds in memory."""
        single = 0 if self.single is None else 5 * self.single.samples.nbytes
        followed = 0 if self.followed is None else self.followed.nbytes
        spectra = [one for one in (self.spectrum, self.mean) if one is not None]
        return (
            sum(one.mean_square.nbytes + one.frequency.nbytes for one in spectra)
            + single
            + (followed)
        )


def run_spectrum(
    method: Method, recording: Recording, progress: Progress = silent, expect: Expect | None = None
) -> Estimate:
    """Average the frames of a method's stretch. With ``expect`` they are followed in the same pass,
    where that can be and is worth it.

    Raises :class:`UserError` when the method does not fit or samples are missing.
    """
    method = method.framed(recording)
    if method.source.axes:
        return _of_axes(method, recording, progress)
    p = plan(method, recording)
    average = method.averaging.average
    if isinstance(average, InStep):
        return _in_step(method, recording, average, p, progress)
    if method.averaging.leave_clipped and average.cut:
        p = _without_clipped(method, p, part(progress, 0, 0.4))
        progress = part(progress, 0.4, 1)
    frames = method.frames
    if expect is not None and _follows(method, p):
        spectrum, followed = averaged_and_followed(
            p.read, p.framing, p.fs, p.averages, expect, progress
        )
        return _estimate(method, recording, p, spectrum, followed=followed)

    def combine(weights: Array, nfft: int) -> Array:
        squares = FrameSquares(p.read, p.framing, p.fs, weights, nfft, frames.detrend)
        return average.combine(squares, effective_averages(p.framing, p.taper.name), progress)

    averaged = partial(
        averaged_spectrum,
        p.read,
        p.framing,
        p.fs,
        p.taper,
        pad=frames.pad,
        detrend=frames.detrend,
        averages=p.averages,
    )
    if not average.summed:
        mean = averaged(progress=part(progress, 0, 0.4))
        spectrum = averaged(progress=part(progress, 0.4, 1), combine=combine, level=mean.level)
        return _estimate(method, recording, p, spectrum, mean=mean)
    spectrum, single = averaged(progress=progress), None
    if p.framing.count == 1:
        first = int(p.framing.numbers[0]) * p.framing.hop
        samples = p.read(first, first + frames.frame)
        single = one_frame(samples, p.fs, p.taper, frames.pad, frames.detrend)
    return _estimate(method, recording, p, spectrum, single=single)


def _of_axes(method: Method, recording: Recording, progress: Progress) -> Estimate:
    """The mean squares of several channels, added: what turns between the axes loses nothing, and
    keeps its frequency."""
    source = method.source
    every = (source.channel, *source.axes)
    estimates = []
    for i, channel in enumerate(every):
        share = part(progress, i / len(every), (i + 1) / len(every))
        alone = replace(method, source=replace(source, channel=channel, axes=()))
        estimates.append(run_spectrum(alone, recording, share))
    first = estimates[0]
    sizes = [conversion(one.channel.unit, first.channel.unit) ** 2 for one in estimates]
    total = sum(size * one.spectrum.mean_square for size, one in zip(sizes, estimates, strict=True))
    squares = sum(size * one.level.rms**2 for size, one in zip(sizes, estimates, strict=True))
    names = ", ".join(one.channel.name for one in estimates)
    return replace(
        first,
        channel=replace(first.channel, name=f"power sum of {names}"),
        method=method.estimate(),
        spectrum=replace(
            first.spectrum,
            mean_square=np.asarray(total),
            level=replace(first.level, rms=math.sqrt(squares)),
        ),
        single=None,
    )


def _follows(method: Method, p: FramePlan) -> bool:
    """Whether the frames that are averaged are those that are followed."""
    frames = method.frames
    alike = p.taper.name == "hann" and frames.pad == 1 and frames.detrend == "mean"
    return alike and isinstance(method.averaging.average, Mean) and p.framing.count >= WORTH_IT


def _in_step(
    method: Method, recording: Recording, average: InStep, p: FramePlan, progress: Progress
) -> Estimate:
    """Average the frames in step, then analyse the average as one frame."""
    frames = method.frames
    samples, count = averaged_frame(
        average.sync, p.signal, p.number, p.start, p.stop, frames.frame, progress
    )
    spectrum = averaged_spectrum(
        lambda start, stop: samples[start:stop],
        p.framing,
        p.fs,
        p.taper,
        pad=frames.pad,
        detrend=frames.detrend,
    )
    single = one_frame(samples, p.fs, p.taper, frames.pad, frames.detrend)
    estimate = _estimate(method, recording, p, spectrum, single=single)
    covered = count * frames.frame / (p.stop - p.start)
    known = replace(estimate.resolution, frames=count, covered_fraction=covered)
    return replace(estimate, resolution=known)


def _without_clipped(method: Method, p: FramePlan, progress: Progress) -> FramePlan:
    """The plan without frames that hold samples at the recorder's limit."""
    built = pyramid.build(p.read, p.stop - p.start, progress)
    framing = p.framing.without(clipped(p.read, built))
    averages = method.averaging.average.worth(effective_averages(framing, p.taper.name))
    return replace(p, framing=framing, averages=averages)


def _estimate(
    method: Method,
    recording: Recording,
    p: FramePlan,
    spectrum: Spectrum,
    *,
    single: OneFrame | None = None,
    followed: Followed | None = None,
    mean: Spectrum | None = None,
) -> Estimate:
    return Estimate(
        recording_id=recording.id,
        recording_name=recording.name,
        channel=p.channel,
        fs=p.fs,
        method=method.estimate(),
        resolution=resolution(method, recording, p),
        spectrum=spectrum,
        single=single,
        followed=followed,
        mean=mean,
    )
