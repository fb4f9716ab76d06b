"""Peaks of a spectrum by threshold and prominence, each refined to a tone."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.estimate.spectrum import Read, Spectrum
from tonecomb.core.estimate.windows import Window
from tonecomb.core.find.floor import significance
from tonecomb.core.find.tones import Tone, fit_tones
from tonecomb.core.progress import Progress, silent
from tonecomb.core.record.recording import Array

_TRIED = 400  # highest local maxima that are looked at
_OUTSIDE = 10  # strong tones outside the range that take part in the fit


@dataclass(frozen=True)
class PeakSearch:
    """What counts as a peak.

    At most ``above_db`` below the highest one, standing out by ``prominence_db``, between
    ``low`` and ``high`` (Hz, None for the end of the axis); with an rms amplitude of ``least``
    (the channel's unit) or more, ``above_floor_db`` over the noise around it, and no higher peak
    nearer than ``spacing`` (Hz). The ``most`` highest are kept, and the highest points nearest to
    the frequencies ``by_hand`` (Hz) whatever they are.
    """

    above_db: float = 60.0
    prominence_db: float = 4.0
    low: float | None = None
    high: float | None = None
    most: int = 30
    least: float = 0.0
    above_floor_db: float = 0.0
    spacing: float = 0.0
    by_hand: tuple[float, ...] = ()


@dataclass(frozen=True)
class Peak:
    """A refined peak; ``level`` is the mean square of the bin it was found at, in unit², and
    ``floor`` that of the noise around it. ``by_hand`` where it counts because it was pointed at."""

    tone: Tone
    prominence_db: float
    level: float
    floor: float = 0.0
    by_hand: bool = False

    @property
    def above_floor_db(self) -> float:
        """How far the peak's bin stands above the noise around it, in dB."""
        return 10 * math.log10(self.level / self.floor) if self.floor > 0 else math.inf


@dataclass(frozen=True)
class _Candidate:
    index: int
    frequency: float
    prominence_db: float


def find_peaks(
    spectrum: Spectrum,
    search: PeakSearch,
    read: Read,
    fs: float,
    taper: Window,
    floor: Array,
    progress: Progress = silent,
) -> tuple[Peak, ...]:
    """The spectrum's peaks by rising frequency, refined on the samples. ``floor`` is the noise's
    mean square per bin, shape (bins,)."""
    found = _candidates(spectrum, floor, search, taper)
    low = -np.inf if search.low is None else search.low
    high = np.inf if search.high is None else search.high
    inside = [c for c in found if low <= c.frequency <= high]
    kept = _spaced(_above(spectrum, inside, floor, search), search.spacing)[: search.most]
    asked = [_nearest(spectrum, taper, frequency) for frequency in search.by_hand]
    taken = {c.index for c in kept}
    pointed = {c.index: c for c in asked if c is not None and c.index not in taken}
    kept += [next((f for f in found if f.index == i), c) for i, c in pointed.items()]
    others = [c for c in found if c not in kept][:_OUTSIDE]
    together = kept + others
    tones = fit_tones(
        read,
        spectrum.framing,
        fs,
        taper,
        np.array([c.frequency for c in together]),
        np.array([floor[c.index] for c in together]),
        progress=progress,
    )
    peaks = (
        Peak(
            tone,
            c.prominence_db,
            float(spectrum.mean_square[c.index]),
            float(floor[c.index]),
            by_hand=c.index in pointed,
        )
        for tone, c in zip(tones, kept, strict=False)
    )
    return tuple(sorted(peaks, key=lambda peak: peak.tone.frequency))


def _above(
    spectrum: Spectrum, found: list[_Candidate], floor: Array, search: PeakSearch
) -> list[_Candidate]:
    """Those high enough: below the highest, over the noise, and at all."""
    if not found:
        return []
    power = spectrum.mean_square
    least = max(power[found[0].index] * 10 ** (-search.above_db / 10), search.least**2)
    over = 10 ** (search.above_floor_db / 10)
    return [c for c in found if power[c.index] >= max(least, over * floor[c.index])]


def _spaced(found: list[_Candidate], spacing: float) -> list[_Candidate]:
    """Those that have no higher one nearer than ``spacing`` Hz; the highest come first."""
    kept: list[_Candidate] = []
    for one in found:
        if all(abs(one.frequency - other.frequency) >= spacing for other in kept):
            kept.append(one)
    return kept


def _nearest(spectrum: Spectrum, taper: Window, frequency: float) -> _Candidate | None:
    """The maximum nearest to a frequency, within the width of a line; None for none."""
    power = spectrum.mean_square
    reach = max(2, round(taper.width_6db * spectrum.frame_hz / spectrum.bin_hz))
    at = round(frequency / spectrum.bin_hz)
    around = np.arange(max(at - reach, 1), min(at + reach + 1, len(power) - 1))
    tops = around[(power[around] > power[around - 1]) & (power[around] >= power[around + 1])]
    if not tops.size:
        return None
    index = int(tops[np.argmin(np.abs(tops - frequency / spectrum.bin_hz))])
    with np.errstate(divide="ignore"):
        level = 10 * np.log10(np.maximum(power, np.finfo(float).tiny))
    place = (index + _parabola(level[index - 1 : index + 2])) * spectrum.bin_hz
    return _Candidate(index, float(place), _prominence(level, index))


def _candidates(
    spectrum: Spectrum, floor: Array, search: PeakSearch, taper: Window
) -> list[_Candidate]:
    """Significant, prominent maxima that are not another's leakage; highest first."""
    power = spectrum.mean_square
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    inner = power[1:-1]
    maxima = 1 + np.flatnonzero((inner > power[:-2]) & (inner >= power[2:]))
    # Below half a main lobe a tone cannot be told from the offset; nor at Nyquist from its image.
    edge = max(2, round(min(taper.main_lobe / 2, 2.0) * pad))
    maxima = maxima[(maxima >= edge) & (maxima < len(power) - 2)]
    maxima = maxima[power[maxima] > floor[maxima] * significance(spectrum)]
    maxima = maxima[np.argsort(-power[maxima], kind="stable")][:_TRIED]
    with np.errstate(divide="ignore"):
        level = 10 * np.log10(np.maximum(power, np.finfo(float).tiny))
    frequencies, amplitudes = np.empty(len(maxima)), np.empty(len(maxima))
    found: list[_Candidate] = []
    for index in maxima:
        frequency = (index + _parabola(level[index - 1 : index + 2])) * spectrum.bin_hz
        known = len(found)
        offset = (frequency - frequencies[:known]) / spectrum.frame_hz
        image = (frequency + frequencies[:known]) / spectrum.frame_hz
        leaked = amplitudes[:known] @ (_skirt(taper, offset) + _skirt(taper, image))
        if power[index] < 4 * leaked**2:
            continue
        prominence = _prominence(level, int(index))
        if prominence < search.prominence_db:
            continue
        frequencies[known], amplitudes[known] = frequency, np.sqrt(power[index])
        found.append(_Candidate(int(index), float(frequency), prominence))
    return found


def _skirt(taper: Window, bins: Array) -> Array:
    """Upper envelope of the window's transform, so that its zeros do not let side lobes pass."""
    around = np.abs(bins)[:, None] + np.array([-0.5, -0.25, 0.0, 0.25, 0.5])
    return np.asarray(taper.transform(around).max(axis=1))


def _parabola(levels: Array) -> float:
    """Offset in bins of the top of a parabola through three levels in dB: a start, no more."""
    left, middle, right = levels
    curve = left - 2 * middle + right
    return 0.0 if curve >= 0 else float(np.clip(0.5 * (left - right) / curve, -0.5, 0.5))


def _prominence(level: Array, index: int) -> float:
    """How far (dB) the peak stands above the higher of its two saddles.

    Each saddle is the lowest point between the peak and the next higher ground on that side.
    """
    bases = []
    for side in (level[:index][::-1], level[index + 1 :]):
        reach, higher = 64, -1
        while True:
            ahead = np.flatnonzero(side[:reach] > level[index])
            if ahead.size:
                higher = int(ahead[0])
                break
            if reach >= len(side):
                break
            reach *= 4
        valley = side[:higher] if higher >= 0 else side
        bases.append(float(valley.min()) if valley.size else float(level[index]))
    return float(level[index] - max(bases))
