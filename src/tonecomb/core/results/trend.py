"""How a stretch changes from frame to frame: tracks, band levels, rms, crest factor, kurtosis."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.finite import check_samples
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.bands import bin_shares
from tonecomb.core.estimate.display import LevelGain
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import READ_SAMPLES, detrended, frames_of, read_frames
from tonecomb.core.estimate.tracks import (
    Bins,
    CombFinder,
    ToneFinder,
    Track,
    Wanted,
    parabola,
    refine,
)
from tonecomb.core.estimate.transform import rfft
from tonecomb.core.method.method import FramePlan, Method, frame_plan
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array, Channel, Recording
from tonecomb.core.record.windows import Window, window

_GROUP = 1 << 18  # samples of frames that are worked on at once
_OFF = 1.5  # bins from where a tooth should be within which it is looked for
_STRONG = 8.0  # times the frame's noise from which a tooth counts
_IMAGE = 2.5  # bins from zero, below which a tooth does not count
_BIAS = 0.1  # bins that a tooth may be off besides the noise: speed changes within a frame
_PULLED = 0.6  # bins off from which it is not taken for one
_ROUNDS = 3  # of smoothing a track
_STEP = 0.4  # bins that a step of the refinement may go


@dataclass(frozen=True, eq=False)
class Trend:
    """One value a frame, ``time`` (s of the recording) being the frame's middle, shape (frames,).

    ``rms`` (the channel's unit), ``crest`` and ``kurtosis`` (3 for noise) are of the detrended
    samples without a window; ``bands`` are the rms of each of the method's levels, in its own unit,
    bin by bin, shape (bands, frames). ``hop_s`` is the time from frame to frame.
    """

    recording_id: str
    channel: Channel
    method: Method
    time: Array
    rms: Array
    crest: Array
    kurtosis: Array
    bands: Array
    tracks: tuple[Track, ...]
    hop_s: float
    frame_s: float
    bin_hz: float


@dataclass(eq=False)
class _Values:
    """What one pass over the frames collects."""

    rms: list[Array] = field(default_factory=list)
    crest: list[Array] = field(default_factory=list)
    kurtosis: list[Array] = field(default_factory=list)
    bands: list[Array] = field(default_factory=list)


def run_trend(
    method: Method, recording: Recording, wanted: tuple[Wanted, ...], progress: Progress = silent
) -> Trend:
    """Follow what is ``wanted``, the method's bands and the overall figures over its stretch.

    Flat-top windows cannot place a tone: tracks are found under a Hann window then. Raises
    :class:`UserError` as :func:`tonecomb.core.method.method.plan` does.
    """
    p = frame_plan(method, recording)
    for one in wanted:
        one.check(p.fs / 2)
    taper = p.taper if p.taper.terms and not p.taper.name.startswith("flat") else window("hann")

    read = p.read
    framing = replace(p.framing, kept=None)
    weights = taper.samples(framing.frame)
    bin_hz, scale = p.fs / framing.frame, float(2 / weights.sum() ** 2)
    bins = Bins(bin_hz, framing.frame // 2 + 1, scale)
    finders = [CombFinder(w, bins) if w.teeth else ToneFinder(w, bins) for w in wanted]
    shares = _band_weights(method, p, taper, bins)
    values = _Values()
    share = part(progress, 0.0, 0.6)
    for number, frames in _groups(read, framing, p.fs, method):
        _figures(frames, values)
        if len(shares) or finders:
            squares = _squares(frames * weights) * scale
            values.bands.append(np.sqrt(squares @ shares.T))
            for finder in finders:
                finder.add(squares)
        share((number + len(frames)) / framing.places)
    paths = [finder.path() for finder in finders]
    tracks = _refined(
        read, framing, p.fs, method, weights, bins, wanted, paths, part(progress, 0.6, 1.0)
    )
    middle = (p.start + framing.frame / 2) / p.fs
    hop_s = framing.hop / p.fs
    bands = np.concatenate(values.bands).T if values.bands else np.zeros((0, framing.places))
    return Trend(
        recording_id=recording.id,
        channel=p.channel,
        method=method,
        time=np.asarray(middle + hop_s * np.arange(framing.places)),
        rms=np.concatenate(values.rms),
        crest=np.concatenate(values.crest),
        kurtosis=np.concatenate(values.kurtosis),
        bands=np.asarray(bands),
        tracks=tracks,
        hop_s=hop_s,
        frame_s=framing.frame / p.fs,
        bin_hz=bin_hz,
    )


def _groups(read: Read, framing: Framing, fs: float, method: Method) -> Iterator[tuple[int, Array]]:
    """Detrended frames, shape (frames, samples), and how many came before."""
    rows = max(1, _GROUP // framing.frame)
    for numbers in framing.blocks(READ_SAMPLES):
        samples = read_frames(read, framing, numbers, fs)
        frames = frames_of(samples, framing)
        for first in range(0, len(frames), rows):
            yield (
                numbers[0] + first,
                detrended(
                    frames[first : first + rows],
                    method.frames.detrend,
                    np.ones(method.frames.frame),
                ),
            )


def _figures(frames: Array, values: _Values) -> None:
    check_samples(frames)
    about = frames - frames.mean(axis=1, keepdims=True)
    square = np.mean(frames**2, axis=1)
    spread = np.mean(about**2, axis=1)
    fourth = np.mean(about**4, axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        values.rms.append(np.sqrt(square))
        values.crest.append(np.abs(frames).max(axis=1) / np.sqrt(square))
        values.kurtosis.append(fourth / spread**2)


def _squares(tapered: Array) -> Array:
    values = rfft(tapered)
    return np.asarray(values.real**2 + values.imag**2)


def _band_weights(method: Method, p: FramePlan, taper: Window, bins: Bins) -> Array:
    """What each bin's mean square gives to each band's, shape (bands, bins)."""
    frequency: Array = np.arange(bins.count) * np.float64(bins.bin_hz)
    out = np.zeros((len(method.levels), bins.count))
    enbw = taper.enbw * bins.bin_hz
    # The offset and the Nyquist frequency have one side only.
    sides = np.ones(bins.count)
    sides[0] = 0.5
    if method.frames.frame % 2 == 0:
        sides[-1] = 0.5
    for row, band in zip(out, method.levels, strict=True):
        first, stop, shares = bin_shares(frequency, bins.bin_hz, band.low, band.high)
        row[first:stop] = shares * bins.bin_hz / enbw
        try:
            row *= LevelGain(band, p.channel.unit).squares(frequency, bins.bin_hz)
        except UserError:  # told of the level itself
            row[:] = np.nan
    return np.asarray(out * sides)


def _refined(
    read: Read,
    framing: Framing,
    fs: float,
    method: Method,
    weights: Array,
    bins: Bins,
    wanted: tuple[Wanted, ...],
    paths: list[Array],
    progress: Progress,
) -> tuple[Track, ...]:
    """The tracks, each frame's frequency found between the bins."""
    if not wanted:
        return ()
    frequency = [np.full(framing.places, np.nan) for _ in wanted]
    square = [np.full(framing.places, np.nan) for _ in wanted]
    radian = 2 * np.pi / fs
    for number, frames in _groups(read, framing, fs, method):
        tapered = frames * weights
        squares = _squares(tapered) * bins.scale
        for k, (one, path) in enumerate(zip(wanted, paths, strict=True)):
            here = path[number : number + len(frames)]
            known = np.flatnonzero(np.isfinite(here))
            if not known.size:
                continue
            if one.teeth:
                f0, power = _comb(tapered[known], squares[known], here[known], one, bins, fs)
            else:
                start = parabola(squares, known, here[known].astype(int))
                bin_rad = bins.bin_hz * radian
                at, power = refine(tapered[known], start * bin_rad, _STEP * bin_rad)
                f0, power = at / radian, power * bins.scale
            frequency[k][number + known] = f0
            square[k][number + known] = power
        progress((number + len(frames)) / framing.places)
    return tuple(
        Track(one, f, np.sqrt(s)) for one, f, s in zip(wanted, frequency, square, strict=True)
    )


def _comb(
    tapered: Array, squares: Array, fundamental: Array, wanted: Wanted, bins: Bins, fs: float
) -> tuple[Array, Array]:
    """Fundamentals fitted to the teeth that are there, weighted by their signal-to-noise ratio,
    and the sum of the teeth's mean squares."""
    radian = 2 * np.pi / fs
    floor = np.quantile(squares, 0.3, axis=1) / 0.3567
    rows, teeth = np.arange(len(fundamental)), np.array(wanted.teeth)[:, None]
    places, weight = np.zeros((2, len(teeth), len(fundamental)))
    power = np.zeros(len(fundamental))
    for k, n in enumerate(wanted.teeth):
        at = n * fundamental / bins.bin_hz
        # Nearer to zero a tone's image is in the way.
        inside = (at < bins.count - 3) & (at > _IMAGE)
        near = np.round(np.where(inside, at, 3.0)).astype(int)
        around = np.clip(near[:, None] + np.array([-1, 0, 1]), 1, bins.count - 2)
        best = around[rows, np.argmax(squares[rows[:, None], around], axis=1)]
        start = parabola(squares, rows, best)
        values, square = refine(tapered, start * bins.bin_hz * radian, _STEP * bins.bin_hz * radian)
        values, square = values / radian, square * bins.scale
        good = inside & (square > _STRONG * floor)
        good &= np.abs(values / bins.bin_hz - at) < _OFF + 0.5
        places[k] = values / bins.bin_hz
        weight[k] = np.where(good, 1 / (_BIAS**2 + floor / square), 0.0)
        power += np.where(good, square, 0.0)
    f0 = fundamental / bins.bin_hz
    with np.errstate(invalid="ignore", divide="ignore"):
        for _ in range(_ROUNDS):
            f0 = (weight * teeth * places).sum(axis=0) / (weight * teeth**2).sum(axis=0)
            # A tooth that is pulled by another line is left out.
            weight = np.where(np.abs(places - teeth * f0) > _PULLED, 0.0, weight)
    return np.asarray(f0 * bins.bin_hz), np.where(np.isfinite(f0), power, np.nan)
