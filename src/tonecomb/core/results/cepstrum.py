"""The power cepstrum of an averaged spectrum, and the spectrum without a range of it.

c(τ) is the inverse transform of 10·lg P(f) over both halves of the frequency axis, in dB (Bogert,
Healy and Tukey 1963; Randall, Mech. Syst. Signal Process. 97, 2017). A family of lines f₀ apart
stands at the quefrency τ = 1/f₀ and its multiples, however its levels are spread; what is broad in
the spectrum stands at low quefrencies. Of noise, values scatter evenly about zero.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.record.recording import Array
from tonecomb.core.results.estimate import Estimate

_DOWN = 1e-14  # of the greatest mean square: below it there is nothing but rounding
_LEAST = 24  # samples of quefrency, below which fewer than twelve lines of a family fit
_NEAR = 0.15  # of a quefrency, in which its surroundings tell how much values scatter
_FEWEST = 24  # samples of them
_STANDS = 7.5  # times that scatter, from which a value is no chance
_MOST = 8  # families that are listed
_AS_HIGH = 0.4  # of its multiple's level, that the quefrency of a family has at least


@dataclass(frozen=True)
class Rahmonic:
    """A value that stands out: its ``quefrency`` (s) and standard deviation, its ``level`` in dB
    and how many times the scatter about it that is."""

    quefrency: float
    std: float
    level: float
    stands: float

    @property
    def frequency(self) -> float:
        """The spacing of lines that it tells of, Hz."""
        return 1 / self.quefrency

    @property
    def frequency_std(self) -> float:
        """Its standard deviation, Hz."""
        return self.std / self.quefrency**2


@dataclass(frozen=True, eq=False)
class Cepstrum:
    """``values`` in dB at ``quefrency`` (s), both of shape (n,), from 0 to half a frame;
    ``rahmonics`` by falling level. ``estimate`` is whose it is, and ``liftered`` the same without
    the quefrencies from ``cut[0]`` to ``cut[1]`` (s), None where nothing is taken out."""

    estimate: Estimate
    quefrency: Array
    values: Array
    rahmonics: tuple[Rahmonic, ...]
    cut: tuple[float, float] | None = None
    liftered: Estimate | None = None

    @property
    def nbytes(self) -> int:
        """What it holds in memory."""
        return 2 * self.values.nbytes + 2 * self.estimate.nbytes


def cepstrum(estimate: Estimate, cut: tuple[float, float] | None = None) -> Cepstrum:
    """The cepstrum of an estimate, and with ``cut`` (s) the spectrum without that range."""
    import scipy.fft

    spectrum, fs = estimate.spectrum, estimate.fs
    power = spectrum.mean_square.copy()
    # Without the mean the lowest bins say nothing; the Nyquist bin is not doubled.
    few = min(3, len(power) - 1)
    power[:few] = power[few]
    size = round(fs / spectrum.bin_hz)
    if size % 2 == 0:
        power[-1] *= 2
    levels = 10 * np.log10(np.maximum(power, max(_DOWN * float(power.max()), 1e-300)))
    values = scipy.fft.irfft(levels, size)
    half = size // 2
    quefrency = np.arange(half + 1) / fs
    made = Cepstrum(
        estimate, quefrency, values[: half + 1], _rahmonics(values[: half + 1], fs), cut
    )
    if cut is None:
        return made
    number = np.minimum(np.arange(size), size - np.arange(size))
    kept = np.where((number >= cut[0] * fs) & (number <= cut[1] * fs), 0.0, values)
    left = 10 ** (scipy.fft.rfft(kept).real / 10)
    if size % 2 == 0:
        left[-1] /= 2
    return replace(made, liftered=replace(estimate, spectrum=replace(spectrum, mean_square=left)))


def _rahmonics(values: Array, fs: float) -> tuple[Rahmonic, ...]:
    """Values that stand out of those about them, the highest first."""
    inside = np.arange(len(values))
    tops = (
        np.flatnonzero(
            (values[1:-1] > values[:-2]) & (values[1:-1] >= values[2:]) & (inside[1:-1] >= _LEAST)
        )
        + 1
    )
    rahmonics = []
    for k in tops[np.argsort(values[tops])[::-1][: 8 * _MOST]].tolist():
        reach = max(_FEWEST, int(_NEAR * k))
        near = values[max(k - reach, _LEAST) : k + reach + 1]
        scatter = 1.4826 * float(np.median(np.abs(near - np.median(near))))
        if scatter <= 0 or values[k] < _STANDS * scatter:
            continue
        before, top, after = values[k - 1 : k + 2]
        curve = before + after - 2 * top
        off = 0.5 * (before - after) / curve if curve < 0 else 0.0
        # The scatter of the neighbours moves the top of the parabola.
        std = scatter / max(-curve, scatter) / np.sqrt(2)
        rahmonics.append(
            Rahmonic((k + off) / fs, max(std, 0.1) / fs, float(top), float(top / scatter))
        )
    return tuple(_sorted(rahmonics, 0.35 / fs)[:_MOST])


def _common(one: Rahmonic, every: list[Rahmonic], play: float) -> Rahmonic:
    """A value, or the quefrency of which it and at least two others are multiples."""
    for parts in range(2, _MOST + 1):
        each = one.quefrency / parts
        whole = []
        for other in every:
            ratio = other.quefrency / each
            off = abs(ratio - round(ratio)) * each
            if off < max(play * max(ratio / parts, 1), 2 * (other.std + ratio / parts * one.std)):
                whole.append(round(ratio))
        others = [n for n in whole if n % parts]
        if len(others) >= 2 and 2 * play / each < 0.05 and min(whole) > 1 and math.gcd(*whole) == 1:
            return replace(one, quefrency=each, std=one.std / parts)
    return one


def _sorted(found: list[Rahmonic], play: float) -> list[Rahmonic]:
    """Each once, without multiples of another as high, whose own is known to ``play`` (s) at
    best."""
    once: list[Rahmonic] = []
    for one in found:
        if all(abs(one.quefrency / other.quefrency - 1) > 0.05 for other in once):
            once.append(one)

    once = [_common(one, once, play) for one in once]

    def multiple(one: Rahmonic) -> bool:
        for other in once:
            ratio = one.quefrency / other.quefrency
            near = abs(ratio - round(ratio)) * other.quefrency < round(ratio) * play
            if round(ratio) > 1 and near and other.level > _AS_HIGH * one.level:
                return True
        return False

    kept: list[Rahmonic] = []
    for one in once:
        if not multiple(one) and all(
            abs(one.quefrency / other.quefrency - 1) > 0.02 for other in kept
        ):
            kept.append(one)
    return kept
