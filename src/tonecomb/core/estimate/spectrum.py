"""Averaged spectra of overlapped, windowed frames, streamed in blocks.

P. D. Welch, "The use of fast Fourier transform for the estimation of power spectra", IEEE
Trans. Audio Electroacoust. AU-15 (1967) 70–73. Transform with e^(−iωt); one-sided: all bins
but DC and Nyquist are doubled in power.
"""

from __future__ import annotations

import functools
import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.finite import HOLES
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.base.units import Unit
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.level import Detrend, LevelSums, StretchLevel, stretch_level
from tonecomb.core.estimate.transform import on_lines, rfft, rows_at_once
from tonecomb.core.record.parallel import Read, Tell, spread
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window

Scaling = Literal["amplitude", "power", "psd", "amplitude-density", "energy"]
Level = Literal["rms", "peak", "peak-to-peak"]
READ_SAMPLES = 1 << 20  # samples read at once: 8 MB
CACHE_SAMPLES = 1 << 17  # samples transformed at once: fewer wait for the interpreter
_FEW = 4  # frames at once
_LARGE_OFFSET = 1e3  # standard deviations
_LEAST = 1e-140  # mean square (unit²), whose square is still a number

LEVEL_FACTORS: dict[Level, float] = {
    "rms": 1.0,
    "peak": math.sqrt(2.0),
    "peak-to-peak": 2 * math.sqrt(2.0),
}
"""Factor from the rms value of a sine to the level."""


@dataclass(frozen=True, eq=False)
class Spectrum:
    """An averaged one-sided spectrum.

    ``frequency`` (Hz) and ``mean_square`` (unit², the mean square of a sine in that bin) have
    shape (bins,). ``bin_hz`` is the distance of two bins, ``enbw_hz`` the equivalent noise
    bandwidth, ``effective_averages`` the number of independent frames that would average as
    well. ``frame_hz`` is 1/frame duration: what bin_hz would be without padding;
    ``gain_s`` is Σw/fs, the time that the window lets through. ``level`` is that of the samples.
    """

    frequency: Array
    mean_square: Array
    bin_hz: float
    frame_hz: float
    enbw_hz: float
    framing: Framing
    effective_averages: float
    gain_s: float
    level: StretchLevel

    def values(self, scaling: Scaling, level: Level) -> Array:
        """The spectrum in the wanted scaling, linear. Shape (bins,).

        ``amplitude``: of a sine, as rms, peak or peak-to-peak, in the unit. ``power``: the
        square of the rms amplitude. ``psd``: power over the equivalent noise bandwidth, per Hz.
        ``amplitude-density``: its root, per √Hz. ``energy``: 2|X|²/fs², the energy spectral
        density of what passes wholly within a frame, in unit²·s/Hz.
        """
        return scaled(self.mean_square, scaling, level, self.enbw_hz, self.gain_s)

    @property
    def rms(self) -> float:
        """Rms value of the detrended frames, weighted by the window (Parseval)."""
        return math.sqrt(float(self.mean_square.sum()) * self.bin_hz / self.enbw_hz)


def scaled(
    mean_square: Array, scaling: Scaling, level: Level, enbw_hz: float, gain_s: float
) -> Array:
    """Mean squares (unit²) of any shape as :meth:`Spectrum.values` has them."""
    if scaling == "amplitude":
        return np.asarray(np.sqrt(mean_square) * LEVEL_FACTORS[level])
    if scaling == "power":
        return mean_square
    if scaling == "energy":
        return mean_square * gain_s**2
    if scaling == "amplitude-density":
        return np.asarray(np.sqrt(mean_square / enbw_hz))
    return mean_square / enbw_hz


def is_amplitude(scaling: Scaling) -> bool:
    """Whether values in a scaling are in proportion to the signal, not to its square."""
    return scaling in ("amplitude", "amplitude-density")


def decibels_per_decade(scaling: Scaling) -> int:
    """20 for amplitudes, 10 for what is in proportion to their square."""
    return 20 if is_amplitude(scaling) else 10


def to_decibels(values: Array, scaling: Scaling, unit: Unit) -> Array:
    """dB re the unit's reference: 20·lg for amplitudes, 10·lg for powers; zeros become −inf."""
    with np.errstate(divide="ignore"):
        per_decade = decibels_per_decade(scaling)
        reference = unit.reference if is_amplitude(scaling) else unit.reference**2
        return per_decade * np.log10(values / reference)


def level_label(scaling: Scaling, level: Level, unit: Unit, decibels: bool) -> str:
    """Quantity and unit for an axis: ``Acceleration, dB re 1 µm/s² rms``."""
    if scaling == "amplitude":
        text = f"dB re {unit.reference_text}" if decibels else unit.symbol
        return f"{unit.quantity}, {text} {level}"
    if scaling == "power":
        text = f"dB re ({unit.reference_text})²" if decibels else unit.power
        return f"{unit.quantity} power, {text}"
    if scaling == "amplitude-density":
        text = f"dB re {unit.reference_text}/√Hz" if decibels else unit.root_density
        return f"{unit.quantity} density, {text}"
    if scaling == "energy":
        text = f"dB re ({unit.reference_text})²·s/Hz" if decibels else unit.energy
        return f"{unit.quantity} energy density, {text}"
    text = f"dB re ({unit.reference_text})²/Hz" if decibels else unit.density
    return f"{unit.quantity} PSD, {text}"


def averaged_spectrum(
    read: Read,
    framing: Framing,
    fs: float,
    window: Window,
    *,
    pad: int = 1,
    detrend: Detrend = "mean",
    averages: float = 1.0,
    progress: Progress = silent,
    threads: int | None = None,
    combine: Callable[[Array, int], Array] | None = None,
    level: StretchLevel | None = None,
) -> Spectrum:
    """Mean of the spectra of all frames, or what ``combine(weights, nfft)`` makes of their |X|².
    ``level`` is that of the samples, where it is known.

    ``pad`` multiplies the transform's length; ``averages`` is kept with the result as its
    number of effective averages. Raises :class:`UserError` where samples are not finite.
    """
    nfft = framing.frame * pad
    weights = window.samples(framing.frame)
    summed: Array | None = None
    if combine is not None:
        total = combine(weights, nfft) * framing.count
    else:
        work = SumOfSquares.of(read, framing, fs, weights, nfft, detrend)
        total, summed = spread(read, work, framing.count, framing.cost, progress, threads)

    def of_samples() -> StretchLevel:
        return level or stretch_level(read, framing, detrend, summed)

    return spectrum_of(total, of_samples, framing, fs, weights, nfft, averages)


def spectrum_of(
    total: Array,
    level: Callable[[], StretchLevel],
    framing: Framing,
    fs: float,
    weights: Array,
    nfft: int,
    averages: float,
) -> Spectrum:
    """The spectrum of Σ|X|² over the frames, shape (bins,), as :func:`averaged_spectrum`; the
    ``level`` is asked for where the samples are numbers that can be reckoned with."""
    if not np.isfinite(total).all():
        raise UserError(
            "The stretch holds values too large to be squared",
            remedy="check the file's unit and scale",
        )
    mean_square = total / framing.count / weights.sum() ** 2
    mean_square[1 : (nfft + 1) // 2] *= 2
    if not _LEAST < (loudest := float(mean_square.max())) < 1 / _LEAST and loudest:
        raise UserError(
            f"The stretch holds values too {'large' if loudest > 1 else 'small'} to be reckoned "
            f"with (mean square {loudest:.1g})",
            remedy="check the file's unit and scale",
        )
    frame_hz = fs / framing.frame
    return Spectrum(
        frequency=np.arange(nfft // 2 + 1, dtype=np.float64) * (fs / nfft),
        mean_square=mean_square,
        bin_hz=fs / nfft,
        frame_hz=frame_hz,
        enbw_hz=float(fs * (weights @ weights) / weights.sum() ** 2),
        framing=framing,
        effective_averages=averages,
        gain_s=float(weights.sum() / fs),
        level=level(),
    )


Bins = NDArray[np.complex128]


def _no_more(bins: Bins) -> None:
    """What is done besides: nothing."""


Sums = tuple[Array, Array]


@dataclass(frozen=True, eq=False)
class SumOfSquares:
    """Σ|X|² over frames, shape (bins,), and the sums of their samples for the level."""

    framing: Framing
    fs: float
    weights: Array
    nfft: int
    detrend: Detrend
    way: _MeanOff | None
    level: LevelSums

    @classmethod
    def of(
        cls, read: Read, framing: Framing, fs: float, weights: Array, nfft: int, detrend: Detrend
    ) -> SumOfSquares:
        """That of these frames, by whatever way suits what they hold."""
        way = _MeanOff.choose(read, framing, fs, weights, nfft, detrend)
        level = LevelSums.of(read, framing, detrend)
        return cls(framing, fs, weights, nfft, detrend, way, level)

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> Sums:
        return self.summed(read, first, last, tell)

    def summed(
        self, read: Read, first: int, last: int, tell: Tell, also: Callable[[Bins], None] = _no_more
    ) -> Sums:
        """The sums; ``also`` gets the frames' transforms, shape (frames, bins), group by group."""
        framing = self.framing
        rows = rows_at_once(self.nfft, np.float64, CACHE_SAMPLES)
        room, level = _Room(rows, self.weights, self.nfft, framing.hop), np.zeros(6)
        for numbers in framing.blocks(READ_SAMPLES, first, last):
            start = numbers[0] * framing.hop
            samples = read(start, numbers[-1] * framing.hop + framing.frame)
            frames = None if samples.dtype != np.float64 else frames_of(samples, framing)
            with np.errstate(over="ignore", invalid="ignore"):  # told once, at the end
                for at in range(0, len(numbers), room.rows):
                    some = min(room.rows, len(numbers) - at)
                    begin = at * framing.hop
                    end = begin + (some - 1) * framing.hop + framing.frame
                    near = room.double(samples[begin:end])
                    group = frames_of(near, framing) if frames is None else frames[at : at + some]
                    also(self._transformed(group, room))
                    room.add_squares(some)
            if not math.isfinite(room.total.sum()):  # a hole, or squares beyond all numbers
                read_frames(read, framing, numbers, self.fs)
            own, after = self.level.own(numbers)
            level += self.level.add(samples[own - start : after - start], own)
            tell(len(numbers))
        return np.asarray(room.total[0::2] + room.total[1::2]), level

    def join(self, parts: Iterable[Sums]) -> Sums:
        with np.errstate(over="ignore", invalid="ignore"):
            return functools.reduce(
                lambda one, other: (one[0] + other[0], one[1] + other[1]), parts
            )

    def _transformed(self, frames: Array, room: _Room) -> Bins:
        """Transforms of the ``frames``, in the room's memory."""
        way = self.way
        buffer, bins = room.buffer[: len(frames)], room.bins[: len(frames)]
        tapered = buffer[:, : self.framing.frame]
        if self.detrend == "none" or way is not None:
            np.multiply(frames, room.weights, out=tapered)
        else:
            np.multiply(detrended(frames, self.detrend, room.weights), room.weights, out=tapered)
        rfft(buffer, out=bins)
        if way is not None:
            # The mean under the window is what stands at 0 Hz.
            bins[:, : len(way.bins)] -= bins[:, :1].real / way.bins[0].real * way.bins
        return bins


class _Room:
    """Memory for the frames that are transformed at once, so many ``rows``: nothing is allocated
    in the loop, and what was read once stays near. What is beyond a frame stays zero."""

    def __init__(self, rows: int, weights: Array, nfft: int, hop: int) -> None:
        self.rows = rows
        self.buffer = on_lines(rows, nfft, np.float64)
        self.buffer[:, len(weights) :] = 0
        self.bins = on_lines(rows, nfft // 2 + 1, np.complex128)
        self.total, self.squares = on_lines(2, 2 * self.bins.shape[1], np.float64)
        self.total[:] = 0
        self.weights = on_lines(1, len(weights), np.float64)[0]
        self.weights[:] = weights
        self._wide = on_lines(1, (rows - 1) * hop + len(weights), np.float64)[0]

    def add_squares(self, rows: int) -> None:
        """Add the squares of real and imaginary parts, in turn, of the first rows' transforms to
        the total."""
        parts = self.bins[:rows].view(np.float64)
        if len(parts) > _FEW:
            np.einsum("ij,ij->j", parts, parts, out=self.squares)
            self.total += self.squares
        else:  # long rows, which do not stay near
            np.multiply(parts, parts, out=parts)
            for squares in parts:
                self.total += squares

    def double(self, samples: Array) -> Array:
        """The samples in double precision, until the next are asked for."""
        if samples.dtype == np.float64:
            return samples
        np.copyto(self._wide[: len(samples)], samples)
        result: Array = self._wide[: len(samples)]
        return result


def read_frames(read: Read, framing: Framing, numbers: range, fs: float) -> Array:
    """The samples from the first to the last frame of ``numbers``; they must be finite."""
    start = numbers[0] * framing.hop
    samples = read(start, numbers[-1] * framing.hop + framing.frame)
    # One sum is the cheapest question whether all samples are finite.
    if not math.isfinite(float(samples.sum())):
        bad = np.flatnonzero(~np.isfinite(samples))
        if bad.size:
            where = start + int(bad[0])
            raise UserError(
                HOLES,
                f"the first is {where / fs:.6g} s after its start (sample {where + 1} of it)",
                "choose a stretch without them, or have them interpolated or cut",
            )
    return samples


def frames_of(samples: Array, framing: Framing) -> Array:
    """View of shape (frames, frame): the frames that lie in ``samples``."""
    count, step = (len(samples) - framing.frame) // framing.hop + 1, samples.strides[0]
    return np.lib.stride_tricks.as_strided(
        samples, (count, framing.frame), (framing.hop * step, step), writeable=False
    )


def detrended(frames: Array, detrend: Detrend, weights: Array) -> Array:
    """Frames of shape (frames, frame) without their mean, or their straight line, under the window
    whose ``weights`` have shape (frame,)."""
    if detrend == "none":
        return frames
    off = Baseline.of(weights, detrend)
    out = frames - (frames @ off.level)[:, None]
    if detrend == "line":
        out -= (out @ off.slope)[:, None] * off.ramp
    return np.asarray(out)


@dataclass(frozen=True, eq=False)
class Baseline:
    """What is taken off each frame x before it is tapered by w: its mean under the window,
    Σwx/Σw, which leaves nothing at 0 Hz; or the line a + bt that has the least Σ(w(x − a − bt))².

    The plain mean of a tone of many cycles is what is left of the last one. Tapered, it would be a
    line in the lowest bins, where there is nothing, and more of one in velocity. Under the window
    such a tone has none. ``level`` and ``slope`` are what a frame is multiplied by to get a and b,
    ``ramp`` is t, all of shape (frame,).
    """

    level: Array
    slope: Array
    ramp: Array

    @classmethod
    def of(cls, weights: Array, detrend: Detrend) -> Baseline:
        """For a window."""
        if detrend == "mean":
            nothing = np.zeros(len(weights))
            return cls(weights / weights.sum(), nothing, nothing)
        squares = weights * weights
        ramp = np.arange(len(weights), dtype=np.float64)
        ramp -= float(squares @ ramp) / float(squares.sum())
        turned = squares * ramp
        # Two samples or fewer that count have a level and no slope.
        steep = float(turned @ ramp)
        slope = turned / steep if steep > 0 else np.zeros(len(weights))
        return cls(squares / squares.sum(), slope, ramp)


@dataclass(frozen=True, eq=False)
class _MeanOff:
    """Takes the mean off in the frequency domain, where it is the mean times the window's
    transform: for a cosine-sum window without padding that touches a few bins only."""

    bins: NDArray[np.complex128]

    @classmethod
    def choose(
        cls,
        read: Read,
        framing: Framing,
        fs: float,
        weights: Array,
        nfft: int,
        detrend: Detrend,
    ) -> _MeanOff | None:
        """None where it has to be done on the samples: with padding, or with an offset so
        large that the transform would lose digits to it."""
        if detrend != "mean" or nfft != framing.frame:
            return None
        few = next(framing.blocks(8 * framing.frame))
        first = read_frames(read, framing, few[:8], fs)
        with np.errstate(over="ignore", invalid="ignore"):
            if not abs(first.mean()) <= _LARGE_OFFSET * first.std():
                return None
        transform = rfft(weights[None, :])[0]
        touched = int(np.flatnonzero(np.abs(transform) > 1e-9 * framing.frame)[-1]) + 1
        return cls(transform[:touched])
