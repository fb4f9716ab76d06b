"""Shock response spectra: the most that a shock makes single-degree-of-freedom systems answer.

ISO 18431-4:2007, absolute acceleration of the mass, by ramp-invariant filters: between two samples
the base's acceleration goes straight. With A = πf/(Q·fs) and B = 2πf·√(1−1/4Q²)/fs, E = e^−A,
K = E·cos B, S = E·sin B/B: b = [1−S, 2(S−K), E²−S], a = [1, −2K, E²]. The transient is sampled four
times as finely first, so that peaks between samples are met up to a tenth of the rate.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.finite import check_samples
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.recording import Array

MOST_SAMPLES = 4_000_000  # of a shock: 32 MB
_FINER = 4  # times the rate, so that peaks between samples are within 1 %
_OVER = 0.01  # of its highest, that a shock falls below when it is over
_MOVES, _RISES = 0.1, 0.01  # of the highest, by which what is before a shock is not at rest
_HIGHEST = 0.2  # of the sample rate, that an oscillator may have


@dataclass(frozen=True, eq=False)
class ShockSpectrum:
    """Of oscillators at ``frequency`` (Hz) with quality ``q``: the greatest of the answer, either
    way, while the shock lasts (``primary``), afterwards (``residual``), and at any time
    (``maximax``), shape (oscillators,), in the unit of the samples. ``rest`` is the level before
    the shock, which was taken off; None where the stretch does not begin at rest."""

    frequency: Array
    q: float
    primary: Array
    residual: Array
    rest: float | None = None

    @property
    def maximax(self) -> Array:
        """The greater of both."""
        return np.maximum(self.primary, self.residual)


def shock_spectrum(
    samples: Array,
    fs: float,
    *,
    q: float = 10.0,
    fraction: int = 12,
    low: float = 0.0,
    high: float = 0.0,
    progress: Progress = silent,
) -> ShockSpectrum:
    """The spectrum of ``samples`` (samples,) at ``fs`` Hz, ``fraction`` oscillators an octave from
    ``low`` to ``high`` Hz (0: what the length and the rate allow). Where the first twentieth is at
    rest its mean is taken off; a stretch that begins with the shock is taken as it is."""
    if not 0.5 < q <= 1e4:
        raise UserError(f"Oscillators of Q {q:g} do not swing", remedy="choose one above 0.5")
    if not 1 <= fraction <= 96:
        raise UserError(f"{fraction} oscillators an octave cannot be", remedy="choose 1 to 96")
    if not 8 <= len(samples) <= MOST_SAMPLES:
        raise UserError(
            f"A shock of {len(samples)} samples cannot be taken",
            remedy=f"choose a stretch of 8 to {MOST_SAMPLES} samples",
        )
    check_samples(samples)
    rest = _rest(np.asarray(samples, np.float64))
    x = np.asarray(samples, np.float64) - (rest or 0.0)
    low = low or 2 * fs / len(x)
    high = min(high or _HIGHEST * fs, _HIGHEST * fs)
    if not 0 < low < high:
        raise UserError(
            f"There are no oscillators from {low:g} to {high:g} Hz",
            remedy="choose a longer stretch, or other limits",
        )
    count = 1 + int(fraction * math.log2(high / low) + 1e-9)
    frequency = low * 2 ** (np.arange(count) / fraction)
    fine, rate = _finer(x), fs * _FINER
    loud = np.flatnonzero(np.abs(x) > _OVER * float(np.abs(x).max()))
    end = min(len(fine), (int(loud[-1]) + 2) * _FINER) if len(loud) else len(fine)
    primary, residual = np.empty(count), np.empty(count)
    from scipy.signal import lfilter  # a recursion, which is the whole of the method's arithmetic

    for i, f in enumerate(frequency):
        a = math.pi * f / (q * rate)
        b = 2 * math.pi * f * math.sqrt(1 - 1 / (4 * q * q)) / rate
        e = math.exp(-a)
        s, k = e * math.sin(b) / b, e * math.cos(b)
        feedback = [1.0, -2 * k, e * e]
        answer, state = lfilter([1 - s, 2 * (s - k), e * e - s], feedback, fine, zi=np.zeros(2))
        primary[i] = _peak(answer[:end])
        later = lfilter([1 - s, 2 * (s - k), e * e - s], feedback, np.zeros(2), zi=state)[0]
        after = _peak(answer[end:]) if end < len(answer) else 0.0
        residual[i] = max(after, _ringing(float(later[0]), float(later[1]), a, b))
        progress((i + 1) / count)
    return ShockSpectrum(frequency, q, primary, residual, rest)


def _rest(samples: Array) -> float | None:
    """The mean of the first twentieth; None where that is part of the shock: it moves by a tenth of
    the highest, or its halves differ by a hundredth of it."""
    first = samples[: max(2, len(samples) // 20)]
    level, half = float(first.mean()), len(first) // 2
    highest = float(np.abs(samples - level).max())
    moves = float(np.abs(first - level).max()) > _MOVES * highest
    rises = abs(float(first[:half].mean() - first[half:].mean())) > _RISES * highest
    return None if moves or rises else level


def _finer(x: Array) -> Array:
    """Four times as many samples of the one curve below half the rate; with room around it, so
    that what is after does not come before."""
    from scipy.fft import irfft, next_fast_len, rfft

    size = next_fast_len(2 * len(x), real=True)
    bins = rfft(x, size)
    fine = irfft(bins, size * _FINER) * _FINER
    return np.asarray(fine[: len(x) * _FINER])


def _peak(answer: Array) -> float:
    """The greatest absolute value, by a parabola through the greatest sample."""
    size = np.abs(answer)
    at = int(np.argmax(size))
    if not 0 < at < len(size) - 1:
        return float(size[at])
    left, middle, right = size[at - 1 : at + 2]
    bend = left - 2 * middle + right
    return float(middle - (right - left) ** 2 / (8 * bend)) if bend < 0 else float(middle)


def _ringing(first: float, second: float, a: float, b: float) -> float:
    """The greatest of a free decay e^(−an)(c·cos bn + d·sin bn) whose first two samples are known:
    at its first crests after them."""
    c = first
    d = (second * math.exp(a) - c * math.cos(b)) / max(math.sin(b), 1e-300)
    # The slope −a(c cos + d sin) + b(d cos − c sin) is zero at tan bn = (bd − ac)/(ad + bc).
    at = math.atan2(b * d - a * c, a * d + b * c)
    most = abs(first)
    for turn in range(-1, 3):
        n = (at + turn * math.pi) / b
        if n >= 0:
            value = math.exp(-a * n) * (c * math.cos(b * n) + d * math.sin(b * n))
            most = max(most, abs(value))
    return most
