"""What a narrow band does over a stretch: a mode under noise, or something else of that width.

The band's analytic signal z(t) is taken from one transform of the whole stretch, and its derivative
ż about the band's own middle. Of any stationary Gaussian process z and ż are independent, whatever
its spectrum's shape: with u = ż·z*/|z|, the change along the phasor, Re u, and across it, Im u, are
alike, and

    G = Σ (Im u)² / Σ (Re u)²  is distributed as F(N, N), N = bandwidth · duration.

(Rice, Bell Syst. Tech. J. 27 (1948) 109–157, has the joint density that makes them so.) G ≫ 1: the
amplitude stands and the phase moves, as of an oscillator or a machine whose speed wanders. G ≪ 1:
the phase stands and the amplitude moves, as of bursts, of a tone that is switched, of rings after
hits; those rise at once and fall slowly.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.transform import ifft, rfft
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array

MOST_SAMPLES = 1 << 22
"""Of the middle of a stretch that are looked at: 32 MB."""
Kind = Literal["mode", "rings", "wanders", "bursts", "lines", "unsure"]
_TAPER = 0.04  # of the stretch, over which it begins, and ends
_WIDTHS = (1.0, 2.0, 4.0)  # half-power widths to either side that a band goes
_BINS = (1.5, 4.0, 10.0)  # the same in bins of a frame: a width may be fitted too small
_RARE = 1e-3  # probability, over all bands, below which a phase that moves is no chance
_RARER = 1e-4  # the same of an amplitude that does: excitation swells, too
_EFFECTIVE = 0.9  # of the samples of a band, that are independent (benchmark statements)
_LEAST = 6.0  # independent values, from which there is anything to see
_SOME, _AT_ONCE = 0.15, 16.0  # share of the time, below which so many values are asked
_HIGH = 9.0  # −ln of the probability that any bin of noise stands so far over its model
_AROUND = 41  # bins that tell the level about one
_STEEP, _STEEPER = 1.8, 1.5  # rise over fall of what rings; in a narrower or wider band, too
_UNEVEN = 3.0  # variance of power over its mean², of rings
_QUIET = 0.03  # of the most, below which there is not enough to say what it is
_MEMORIES = 8.0  # over a mode's width, for which excitation is taken to be the same
_SUDDEN = (4.0, 8.0, 16.0)  # half-power widths to either side, in which a hit is seen to be sudden
_ABOUT = 6  # bins about a tone that tell its phasor
_LINE = 40.0  # times the noise, that a line's power is in one transform of all
_ROUNDS = 4  # of weighting anew

_PRESENT = 0.5  # of its usual power, from which something that comes and goes is there

Bins = NDArray[np.complex128]


@dataclass(frozen=True)
class Verdict:
    """What something is, and in which share of the time it is there."""

    kind: Kind
    share: float = 1.0


@dataclass(frozen=True, eq=False)
class Band:
    """A band's analytic signal, its ends left out, and its derivative in rad/s, at a rate of its
    width (Hz)."""

    signal: Bins
    derivative: Bins

    def isotropy(self, around: float) -> tuple[float, int]:
        """G, and how many values it is of. Each counts by its part of what there is within so many
        values ``around`` it: excitation that swells moves all alike."""
        from scipy.ndimage import uniform_filter1d

        size = np.maximum(np.abs(self.signal), np.finfo(float).tiny)
        u = self.derivative * np.conj(self.signal) / size
        wide = max(1, round(around))
        local = np.maximum(uniform_filter1d(np.abs(u) ** 2, wide), np.finfo(float).tiny)
        u = u[local > _QUIET * local.max()] / np.sqrt(local[local > _QUIET * local.max()])
        along = float(np.sum(u.real**2))
        return (float(np.sum(u.imag**2)) / along if along > 0 else math.inf), len(u)

    @property
    def steepness(self) -> float:
        """How much faster its power rises than it falls; 0 where it is there most of the time."""
        change = 2 * np.real(self.derivative * np.conj(self.signal))
        up, down = change[change > 0], change[change < 0]
        power = np.abs(self.signal) ** 2
        uneven = float(power.var()) > _UNEVEN * float(power.mean()) ** 2
        return float(up @ up) / max(float(down @ down), 1e-300) if uneven else 0.0

    @property
    def worth(self) -> float:
        """The share of the time that its power is worth: half of it for steady noise."""
        power = np.abs(self.signal) ** 2
        return float(power.sum() ** 2 / (len(power) * (power @ power)))

    @property
    def share(self) -> float:
        """Share of the time in which there is half of the power, or more, that most of it has."""
        power = np.sort(np.abs(self.signal) ** 2)
        total = np.cumsum(power)
        usual = power[int(np.searchsorted(total, total[-1] / 2))]
        return float(np.mean(power > _PRESENT * usual))


@dataclass(frozen=True, eq=False)
class WholeStretch:
    """Transform of (the middle of) a stretch of ``seconds``, shape (bins,), phases about its
    middle; ``bin_hz`` apart."""

    bins: Bins
    bin_hz: float
    length: int

    @classmethod
    def of(cls, read: Read, length: int, fs: float) -> WholeStretch | None:
        """The stretch's; None where samples are missing."""
        import scipy.fft

        n = scipy.fft.prev_fast_len(min(length, MOST_SAMPLES), real=True)
        first = (length - n) // 2
        samples = np.asarray(read(first, first + n), dtype=np.float64)
        if not np.isfinite(samples).all():
            return None
        samples = samples - samples.mean()
        ramp = round(_TAPER * n)
        rise = 0.5 - 0.5 * np.cos(np.pi * (np.arange(ramp) + 0.5) / max(ramp, 1))
        samples[:ramp] *= rise
        samples[n - ramp :] *= rise[::-1]
        bins = np.asarray(rfft(samples[None])[0], dtype=np.complex128)
        return cls(bins * np.exp(1j * np.pi * np.arange(len(bins)) * ((n - 1) / n)), fs / n, n)

    @property
    def seconds(self) -> float:
        """How long it is."""
        return 1 / self.bin_hz

    def between(self, low: float, high: float, tones: Sequence[float]) -> tuple[int, Bins]:
        """The number of the first bin and the bins between two frequencies (Hz), steady ``tones``
        (Hz, the strongest first) taken out."""
        first = max(round(low / self.bin_hz), 1)
        last = min(round(high / self.bin_hz), len(self.bins) - 1)
        own = self.bins[first : max(last, first)].copy()
        numbers = np.arange(first, first + len(own), dtype=np.float64)
        for tone in tones:
            kernel = _kernel(numbers - tone / self.bin_hz)
            near = np.abs(numbers - tone / self.bin_hz) < _ABOUT
            size = float(kernel[near] @ kernel[near])
            if size > 0:
                own -= (kernel[near] @ own[near]) / size * kernel
        return first, own

    def line(self, frequency: float, reach: float) -> tuple[float, float, float] | None:
        """Frequency (Hz), amplitude and its standard deviation of the line that keeps one phase
        over the stretch within ``reach`` (Hz) of a frequency; None where none stands out."""
        first, own = self.between(frequency - reach, frequency + reach, ())
        if len(own) < _AROUND:
            return None
        numbers = np.arange(first, first + len(own), dtype=np.float64)
        top = float(first + int(np.argmax(np.abs(own))))

        def fitted(place: float) -> tuple[float, float]:
            kernel = _kernel(numbers - place)
            near = np.abs(numbers - place) < _ABOUT
            size = float(kernel[near] @ kernel[near])
            return float(np.abs(kernel[near] @ own[near])) / size, size

        for step in (0.5, 0.25, 0.125, 0.0625, 0.03125, 0.015625):
            tried = [top - step, top, top + step]
            top = max(tried, key=lambda place: fitted(place)[0] ** 2 * fitted(place)[1])
        height, size = fitted(top)
        away, power = np.abs(numbers - top), np.abs(own) ** 2
        noise = float(np.median(power[(away > _ABOUT) & (away < _AROUND)])) / math.log(2)
        if height**2 * size < _LINE * noise:
            return None
        _, left = self.between(frequency - reach, frequency + reach, [top * self.bin_hz])
        beside = np.abs(left[away < _AROUND]) ** 2
        if float(beside.max()) > (math.log(2 * _AROUND) + _HIGH) * noise:
            return None  # its phase jumps, or walks
        std = math.sqrt(noise / (2 * size))
        return top * self.bin_hz, 2 * height / self.length, 2 * std / self.length

    def band(self, own: Bins) -> Band:
        """The analytic signal of a band's bins."""
        count = len(own)
        power = np.abs(own) ** 2
        places = np.arange(count) - float(np.arange(count) @ power) / float(power.sum())
        both = ifft(np.stack([own, 2j * np.pi * self.bin_hz * places * own]))
        # Phases are about the middle: the ends of the stretch lie in the middle of what comes out.
        both = np.fft.fftshift(both, axes=1)
        ends = math.ceil(1.2 * _TAPER * count)
        signal, change = both[:, ends : count - ends].astype(np.complex128)
        return Band(signal, change)


def _kernel(away: Array) -> Array:
    """Transform of the taper at so many bins from a tone: a rectangle's and a half cosine's that
    are convolved."""
    wide = 1 - _TAPER
    x = 2 * away * _TAPER
    single = np.abs(np.abs(x) - 1) < 1e-6
    rolls = np.cos(np.pi * away * _TAPER) / np.where(single, 1.0, 1 - x**2)
    return np.asarray(np.sinc(away * wide) * np.where(single, np.pi / 4, rolls) * wide)


def verdict(
    stretch: WholeStretch,
    frequency: float,
    width: float,
    frame_hz: float,
    room: tuple[float, float],
    tones: Sequence[float] = (),
) -> Verdict:
    """What is at a ``frequency``, ``width`` wide at half its power (Hz), in frames whose bins lie
    ``frame_hz`` apart. ``room`` (Hz) is as far as other peaks let a band go; steady ``tones`` (Hz,
    the strongest first) are left out of it."""
    from scipy.stats import f as fisher

    if math.pi / 2 * width * stretch.seconds < _LEAST:
        return Verdict("unsure")

    def about(reach: float) -> tuple[int, Bins]:
        low, high = max(frequency - reach, room[0]), min(frequency + reach, room[1])
        return stretch.between(low, high, [tone for tone in tones if low < tone < high])

    reaches = sorted({*(k * width for k in _WIDTHS), *(k * frame_hz for k in _BINS)})
    over = under = worth = 1.0
    for reach in reaches:
        first, own = about(reach)
        if len(own) < _LEAST:
            continue
        if _has_line(own, (frequency / stretch.bin_hz - first), width / stretch.bin_hz):
            return Verdict("lines")
        band = stretch.band(own)
        g, count = band.isotropy(_MEMORIES / width * len(own) * stretch.bin_hz)
        values = _EFFECTIVE * count
        over = min(over, float(fisher.sf(g, values, values)))
        under = min(under, float(fisher.cdf(g, values, values)))
        worth = min(worth, band.worth)
    if len(reaches) * over < _RARE:
        return Verdict("wanders")
    if len(reaches) * under < _RARER:
        wide = [stretch.band(about(times * width)[1]) for times in _SUDDEN]
        rings = wide[1].steepness > _STEEP and max(one.steepness for one in wide[::2]) > _STEEPER
        return Verdict("rings" if rings else "bursts", wide[1].share)
    few = math.pi / 2 * width * stretch.seconds * worth < _AT_ONCE
    return Verdict("unsure" if worth < _SOME and few else "mode")


def _has_line(own: Bins, place: float, width: float) -> bool:
    """Whether a bin stands higher than noise of a mode's shape, or of the level about it, has any;
    ``place`` and ``width`` of the mode in bins."""
    from scipy.ndimage import median_filter

    power = np.abs(own) ** 2
    level = median_filter(power, _AROUND, mode="nearest") / math.log(2)
    shape = 1 / (1 + (2 * (np.arange(len(own)) - place) / width) ** 2)
    columns = np.stack([shape, np.ones(len(own))], axis=1)
    model = np.maximum(level, np.finfo(float).tiny)
    for _ in range(_ROUNDS):
        parts = np.linalg.lstsq(columns / model[:, None], power / model, rcond=None)[0]
        model = np.maximum(columns @ np.maximum(parts, 0), 1e-3 * float(power.mean()))
    return bool((power / np.maximum(model, level)).max() > math.log(len(own)) + _HIGH)
