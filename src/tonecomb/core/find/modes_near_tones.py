"""Modes under or beside tones: the spectrum with the tones taken out of it.

A tone's line covers the bins in which the window's skirt stands above the noise. Across those the
spectrum is drawn on by a straight line in its logarithm, and what rises between the tones is a
mode's peak. It is fitted to the bins that are left.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.damping import SHARE, SURE, Data, fit_noise, reach_of
from tonecomb.core.find.mode import Resonance, half_power_width
from tonecomb.core.find.peaks import STOPPED, Peak
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window

_SKIRT = 0.05  # of the floor, to which a tone's skirt is taken out
_WIDEST = 64  # bins to each side, at most
_SMOOTH = (7, 21, 63)  # bins over which what is left is averaged before its tops are looked for
_HEIGHT, _PROMINENT = 4.0, 2.0  # times the level on either side; times the saddle to a higher one
_SIDE = 96  # bins to either side of which that level is
_MOST = 6  # modes under lines
_DAMPED = 0.1  # damping ratio, from which it is a band of noise as well
_APART = 0.02  # of a known mode's frequency: nearer it is the same
_LEFT = 0.3  # of the bins about a top that must not be a tone's


def find_under(
    peaks: Sequence[Peak], data: Data, floor: Array, known: Sequence[float]
) -> tuple[Resonance, ...]:
    """Modes among ``peaks`` that stand still, or beside them, but for those at ``known``
    frequencies (Hz)."""
    spectrum = data.spectrum
    out = _covered(peaks, spectrum, data.taper, floor)
    if out.all():
        return ()
    cleaned = replace(spectrum, mean_square=_bridged(spectrum.mean_square, out))
    return find_between(replace(data, spectrum=cleaned, left_out=out), known)


def find_between(data: Data, known: Sequence[float] = ()) -> tuple[Resonance, ...]:
    """Modes of a spectrum without its lines: bridged where bins are left out. Those at ``known``
    frequencies (Hz) are not looked for. The wider a mode, the more bins are averaged to see its
    top."""
    resonances: list[Resonance] = []
    for size in _SMOOTH:
        resonances += _find_between(data, [*known, *(one.frequency for one in resonances)], size)
    return tuple(resonances)


def _find_between(data: Data, known: Sequence[float], size: int) -> list[Resonance]:
    """The modes whose tops are seen where so many bins are averaged."""
    spectrum, out = data.spectrum, data.left_out
    assert out is not None
    smooth = _smoothed(spectrum, size)
    tops = _tops(smooth, out, size)
    tops = [f for f in tops if all(abs(f / other - 1) > _APART for other in known)]
    line = data.taper.width_3db * spectrum.frame_hz
    resonances: list[Resonance] = []
    for f in tops:
        width = half_power_width(smooth, f)
        if math.isnan(width) or width < max(line, size * spectrum.frame_hz / _SMOOTH[0]):
            continue
        beside = [other for other in (*tops, *known) if other < f]
        beyond = [other for other in (*tops, *known) if other > f]
        limits = reach_of(
            [(f, width)],
            [max(beside, default=0.0)],
            [min(beyond, default=data.fs / 2)],
            spectrum,
            data.fs,
        )
        for one in fit_noise(data, limits, [(f, width)], SURE):
            others = (*known, *(other.frequency for other in resonances))
            apart = all(abs(other - one.frequency) > one.bandwidth for other in others)
            if apart and one.bandwidth > SHARE * line and one.damping < _DAMPED:
                resonances.append(one)
    return resonances


def _smoothed(cleaned: Spectrum, bins: int) -> Spectrum:
    size = bins * round(cleaned.frame_hz / cleaned.bin_hz) | 1
    padded = np.pad(cleaned.mean_square, size // 2, mode="edge")
    return replace(cleaned, mean_square=np.convolve(padded, np.ones(size) / size, "valid"))


def _covered(
    peaks: Sequence[Peak], spectrum: Spectrum, taper: Window, floor: Array
) -> NDArray[np.bool_]:
    """The bins that belong to tones, shape (bins,)."""
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    out = np.zeros(len(spectrum.mean_square), dtype=bool)
    away = np.arange(1, _WIDEST + 1)
    skirt = np.maximum.accumulate(taper.transform(away + 0.5)[::-1])[::-1] ** 2
    for peak in peaks:
        at = round(peak.tone.frequency / spectrum.bin_hz)
        level = peak.tone.amplitude**2 / 2
        above = np.flatnonzero(level * skirt > _SKIRT * floor[min(at, len(floor) - 1)])
        reach = pad * (int(away[above[-1]]) + 1 if above.size else 2)
        out[max(at - reach, 0) : at + reach + 1] = True
    return out


def _bridged(power: Array, out: NDArray[np.bool_]) -> Array:
    """The spectrum with straight lines in its logarithm across the bins that are out."""
    kept = np.flatnonzero(~out)
    # Means of a few bins at the edges: one bin scatters too much to start a line from.
    logs = np.log(np.maximum(power, np.finfo(float).tiny))
    smooth = np.convolve(np.pad(power[kept], 2, mode="edge"), np.ones(5) / 5, "valid")
    bridges = np.exp(np.interp(np.arange(len(power)), kept, np.log(np.maximum(smooth, 1e-300))))
    return np.where(out, bridges, np.exp(logs))


def _tops(smoothed: Spectrum, out: NDArray[np.bool_], bins: int) -> list[float]:
    """Frequencies (Hz) of the highest peaks that fall off on both sides, of so many bins
    averaged."""
    from scipy.ndimage import percentile_filter

    pad, smooth = round(smoothed.frame_hz / smoothed.bin_hz), smoothed.mean_square
    # The level on either side, low quantiles of so many bins: a mode may be as wide as a few.
    beside = min(_SIDE * bins // _SMOOTH[0] * pad, len(smooth) // 2)
    low = percentile_filter(smooth, 30, size=2 * beside + 1, mode="nearest")
    loudest = float(low.max())
    inner = smooth[1:-1]
    tops = 1 + np.flatnonzero((inner > smooth[:-2]) & (inner >= smooth[2:]))
    tops = tops[np.argsort(-smooth[tops])]
    numbers: list[int] = []
    for top in tops:
        left, right = low[max(top - beside, 0)], low[min(top + beside, len(low) - 1)]
        if smooth[top] < _HEIGHT * max(left, right) or len(numbers) == _MOST:
            continue
        if max(left, right) < STOPPED * loudest:
            continue  # a lobe of a filter's stop band has this shape, too
        saddles = [smooth[min(int(top), one) : max(int(top), one) + 1].min() for one in numbers]
        if saddles and smooth[top] < _PROMINENT * max(saddles):
            continue
        around = out[max(top - 8 * pad, 0) : top + 8 * pad + 1]
        if 1 - around.mean() >= _LEFT:
            numbers.append(int(top))
    return [float(smoothed.frequency[top]) for top in numbers]
