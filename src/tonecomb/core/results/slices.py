"""Slices of a stretch: spectra at even distances, at chosen times, or at marks."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.display import Curve, Display, curve
from tonecomb.core.estimate.framing import effective_averages, make_framing
from tonecomb.core.estimate.spectrum import Level, Scaling, Spectrum, averaged_spectrum
from tonecomb.core.method.method import FramePlan, Method, frame_plan
from tonecomb.core.record.recording import Array, Channel, Recording

_USUAL = 60  # slices where nothing is said of how many
MOST = 50_000  # slices
_MOST_CELLS = 1 << 24  # slices × bins that are held


@dataclass(frozen=True)
class Slicing:
    """``count`` slices evenly over the stretch, or one ``every`` so many s, or slices ``at``
    chosen times (s of the recording). Each is the average of the frames within ``width`` s about
    its time, or the one frame there where that is None or shorter than a frame."""

    count: int | None = None
    every: float | None = None
    at: tuple[float, ...] = ()
    width: float | None = None

    def times(self, first: float, last: float, fewest_s: float) -> Array:
        """Middles of the slices in s between the first and the last that are possible;
        ``fewest_s`` is a hop, below which evenly spaced ones come no closer where their number
        is left open."""
        if self.at:
            inside = [time for time in sorted(set(self.at)) if first <= time <= last]
            if not inside:
                raise UserError(
                    f"None of the chosen times lies between {first:.6g} and {last:.6g} s",
                    remedy="choose times within the stretch",
                )
            return np.array(inside)
        if self.every is not None:
            if not self.every > 0:
                raise UserError("Slices need a distance above 0 s", remedy="type one")
            _check((last - first) / self.every)
            return np.asarray(np.arange(first, last + 1e-9, self.every))
        count = self.count
        if count is None:
            count = min(_USUAL, 1 + int((last - first) / fewest_s + 1e-9))
        if count < 1:
            raise UserError("There must be at least one slice", remedy="type how many")
        _check(count)
        return np.linspace(first, last, count) if count > 1 else np.array([(first + last) / 2])


def _check(count: float) -> None:
    if count > MOST:
        raise UserError(f"{count:.3g} slices are too many", remedy=f"ask for {MOST} at most")


@dataclass(frozen=True, eq=False)
class Slices:
    """Spectra at ``time`` (s, shape (slices,)) of ``width_s`` s each; ``mean_square`` has shape
    (slices, bins). All else is as in ``first``, the first slice's spectrum."""

    recording_id: str
    channel: Channel
    method: Method
    time: Array
    mean_square: Array
    first: Spectrum
    width_s: float
    _curves: dict[tuple[Scaling, Level, Display], Curve] = field(default_factory=dict, repr=False)

    def spectrum(self, number: int) -> Spectrum:
        """The spectrum of one slice."""
        return replace(self.first, mean_square=self.mean_square[number])

    def displayed(self, display: Display) -> Spectrum:
        """All slices as the quantity that is shown, mean squares of shape (slices, bins)."""
        gain = display.weighted_gain(self.first.frequency, self.channel.unit)
        return replace(self.first, mean_square=self.mean_square * gain**2)

    def curves(self, method: Method | None = None) -> Curve:
        """All slices as a method, or their own, says that spectra are shown; values have the
        shape (slices, points)."""
        how = method or self.method
        key = (how.shown.scaling, how.shown.level, how.shown.display)
        if key not in self._curves:
            self._curves[key] = curve(self.displayed(how.shown.display), *key)
        return self._curves[key]

    def has_curves(self, method: Method) -> bool:
        """Whether :meth:`curves` has them at once."""
        return (method.shown.scaling, method.shown.level, method.shown.display) in self._curves


def run_slices(
    method: Method, recording: Recording, slicing: Slicing, progress: Progress = silent
) -> Slices:
    """The slices of a method's stretch; its way of averaging holds for no slice but the mean.

    Raises :class:`UserError` as :func:`tonecomb.core.method.method.plan` does, and where there are
    too many to be held.
    """
    p = frame_plan(method, recording)
    fs, frame = p.fs, method.frames.frame
    width = max(frame, round((slicing.width or 0.0) * fs))
    if width > p.stop - p.start:
        raise UserError(
            f"A slice of {width / fs:.4g} s is longer than the stretch",
            f"which lasts {(p.stop - p.start) / fs:.4g} s",
            "choose narrower slices or a longer stretch",
        )
    half = width / 2 / fs
    times = slicing.times(p.start / fs + half, p.stop / fs - half, p.framing.hop / fs)
    bins = frame * method.frames.pad // 2 + 1
    if len(times) * bins > _MOST_CELLS:
        raise UserError(
            f"{len(times)} slices of {bins} bins are more than can be held",
            remedy="ask for fewer slices, or choose a shorter frame",
        )
    out = np.empty((len(times), bins))
    first: Spectrum | None = None
    for i, time in enumerate(times.tolist()):
        start = min(max(round((time - half) * fs), p.start), p.stop - width)
        spectrum = _average(method, p, start, width)
        out[i] = spectrum.mean_square
        first = first or spectrum
        progress((i + 1) / len(times))
    assert first is not None
    return Slices(recording.id, p.channel, method, times, out, first, width / fs)


def _average(method: Method, p: FramePlan, start: int, width: int) -> Spectrum:
    def read(first: int, last: int) -> Array:
        return p.signal.samples.read(p.number, start + first, start + last)

    framing = make_framing(width, method.frames.frame, method.frames.overlap, p.fs)
    averages = effective_averages(framing, p.taper.name)
    return averaged_spectrum(
        read,
        framing,
        p.fs,
        p.taper,
        pad=method.frames.pad,
        detrend=method.frames.detrend,
        threads=1,
        averages=averages,
    )
