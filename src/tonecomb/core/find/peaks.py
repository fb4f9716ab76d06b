"""Peaks of a spectrum by threshold and prominence, each refined to a tone."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.behaviour import Behaviour
from tonecomb.core.find.both_ways import Turns
from tonecomb.core.find.floor import NoiseFloor
from tonecomb.core.find.line_shape import checked
from tonecomb.core.find.refine import JOINTLY, Candidate, Refine, Refined
from tonecomb.core.find.tone import Tone
from tonecomb.core.method.searches import PeakSearch
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window

_TRIED = 600  # highest local maxima that are looked at
_REGION = 4.0  # times the floor, 6 dB, down to which a peak goes
_BEYOND = 1  # bins more
_CLEAR = 4.0  # times the floor's power, that a tone has at least that nothing else bears out
_RARELY = 0.1  # of the frames, in which a tone is no more than what rings or bursts
STOPPED = 1e-4  # of the loudest noise, 40 dB
_LOWEST = 4.0  # bins below which a broad peak of noise is slow drift
_LOW = 16.0  # times the floor, 12 dB
_OUTSIDE = 10  # strong tones outside the range that take part in the fit


@dataclass(frozen=True)
class Peak:
    """A refined peak; ``level`` is the mean square of the bin it was found at, in unit², and
    ``floor`` that of the noise around it. ``by_hand`` where it counts because it was pointed at.
    ``behaviour`` over the stretch, None where there are too few frames to tell; ``turns`` says in
    which time it stands still, where a machine's breathes."""

    tone: Tone
    prominence_db: float
    level: float
    floor: float = 0.0
    by_hand: bool = False
    behaviour: Behaviour | None = None
    turns: Turns = ""

    @property
    def clear(self) -> bool:
        """Whether a tone that nothing else bears out is beyond doubt: one that barely stands out
        of coloured noise, or in a few frames only, is not."""
        if self.behaviour is not None and self.behaviour.share < _RARELY:
            return False
        return self.stands_out

    @property
    def stands_out(self) -> bool:
        """Whether it is so high that no noise about it is."""
        return self.level > _CLEAR * self.floor

    @property
    def above_floor_db(self) -> float:
        """How far the peak's bin stands above the noise around it, in dB."""
        return 10 * math.log10(self.level / self.floor) if self.floor > 0 else math.inf


def find_peaks(
    spectrum: Spectrum,
    search: PeakSearch,
    read: Read,
    fs: float,
    taper: Window,
    noise: NoiseFloor,
    progress: Progress = silent,
) -> tuple[tuple[Peak, ...], int]:
    """The spectrum's peaks by rising frequency, refined on the samples and followed through the
    frames; and how many more there are than are kept."""
    floor = noise.floor
    candidates = _candidates(spectrum, noise, search, taper)
    low = -np.inf if search.low is None else search.low
    high = np.inf if search.high is None else search.high
    inside = [c for c in candidates if low <= c.frequency <= high]
    wanted = _spaced(_above(spectrum, inside, floor, search), search.spacing)
    kept = wanted[: search.most]
    asked = [_nearest(spectrum, taper, frequency) for frequency in search.by_hand]
    taken = {c.index for c in kept}
    pointed = {c.index: c for c in asked if c is not None and c.index not in taken}
    by_hand = [next((f for f in candidates if f.index == i), c) for i, c in pointed.items()]
    jointly, singly = [*kept[:JOINTLY], *by_hand], kept[JOINTLY:]
    outside = [c for c in candidates if c not in kept and c not in by_hand][:_OUTSIDE]
    together = [*jointly, *(singly[:_OUTSIDE] if singly else outside)]

    indices = [c.index for c in (*kept, *outside, *by_hand)]
    refine = Refine(read, spectrum, fs, taper, noise, _regions(spectrum, floor, indices))
    refined = refine.jointly(together, len(jointly), part(progress, 0, 0.5))
    refined += refine.singly(singly, part(progress, 0.5, 1))
    peaks = _followed(spectrum, taper, noise, refined, set(pointed), refine.regions)
    return peaks, len(wanted) - len(kept)


def _followed(
    spectrum: Spectrum,
    taper: Window,
    noise: NoiseFloor,
    refined: list[Refined],
    pointed: set[int],
    regions: dict[int, tuple[int, int]],
) -> tuple[Peak, ...]:
    """The peaks by rising frequency."""
    floor = noise.floor
    peaks = []
    for c, tone, told in refined:
        if noise.courses is None:
            others = [one for _, one, _ in refined if one is not tone]
            tone = checked(spectrum, taper, floor[c.index], tone, regions[c.index], others)
        doing, tone = told or (None, tone)
        level, around = float(spectrum.mean_square[c.index]), float(floor[c.index])
        by_hand = c.index in pointed
        none = _drift(doing, tone.frequency / spectrum.frame_hz)
        if (none or _ripple(tone, level, around, floor)) and not by_hand:
            continue
        peaks.append(Peak(tone, c.prominence_db, level, around, by_hand, doing))
    return tuple(sorted(peaks, key=lambda peak: peak.tone.frequency))


def _drift(doing: Behaviour | None, place: float) -> bool:
    """Whether a broad peak of noise is the end of a slope that rises to zero frequency."""
    return doing is not None and doing.kind == "hump" and place < _LOWEST


def _ripple(tone: Tone, level: float, around: float, floor: Array) -> bool:
    """Whether something low that keeps no phase lies so far below the loudest noise that it is
    the ripple of a filter's stop band and nothing of its own."""
    return not tone.steady and level < _LOW * around and around < STOPPED * floor.max()


def _regions(spectrum: Spectrum, floor: Array, indices: list[int]) -> dict[int, tuple[int, int]]:
    """First and last bin, without padding, of what belongs to each peak: where the spectrum
    stands 6 dB over the floor and a little beyond, up to the saddle to the next peak."""
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    power = spectrum.mean_square[::pad]
    out = power > _REGION * floor[::pad]
    places = sorted({round(index / pad) for index in indices})
    regions = {}
    for k, place in enumerate(places):
        low, high = 0, len(power) - 1
        if k:
            low = places[k - 1] + int(np.argmin(power[places[k - 1] : place + 1]))
        if k + 1 < len(places):
            high = place + int(np.argmin(power[place : places[k + 1] + 1]))
        below = np.flatnonzero(~out[low:place])
        above = np.flatnonzero(~out[place + 1 : high + 1])
        first = low + int(below[-1]) + 1 if below.size else low
        last = place + int(above[0]) if above.size else high
        first, last = min(first, place - 1), max(last, place + 1)
        regions[place] = max(first - _BEYOND, low, 1), min(last + _BEYOND, high, len(power) - 2)
    return {index: regions[round(index / pad)] for index in indices}


def _above(
    spectrum: Spectrum, found: list[Candidate], floor: Array, search: PeakSearch
) -> list[Candidate]:
    """Those high enough: below the highest, over the noise, and at all."""
    if not found:
        return []
    power = spectrum.mean_square
    least = max(power[found[0].index] * 10 ** (-search.above_db / 10), search.least**2)
    with np.errstate(over="ignore"):  # so far over it that nothing is
        over = float(np.power(10.0, search.above_floor_db / 10))
    return [c for c in found if power[c.index] >= max(least, over * floor[c.index])]


def _spaced(found: list[Candidate], spacing: float) -> list[Candidate]:
    """Those that have no higher one nearer than ``spacing`` Hz; the highest come first."""
    kept: list[Candidate] = []
    for one in found:
        if all(abs(one.frequency - other.frequency) >= spacing for other in kept):
            kept.append(one)
    return kept


def _nearest(spectrum: Spectrum, taper: Window, frequency: float) -> Candidate | None:
    """The maximum nearest to a frequency, within the width of a line; None for none."""
    power = spectrum.mean_square
    reach = max(2, round(taper.width_6db * spectrum.frame_hz / spectrum.bin_hz))
    if not 0 <= frequency <= spectrum.frequency[-1]:
        return None
    at = round(frequency / spectrum.bin_hz)
    around = np.arange(max(at - reach, 1), min(at + reach + 1, len(power) - 1))
    tops = around[(power[around] > power[around - 1]) & (power[around] >= power[around + 1])]
    if not tops.size:
        return None
    index = int(tops[np.argmin(np.abs(tops - frequency / spectrum.bin_hz))])
    with np.errstate(divide="ignore"):
        level = 10 * np.log10(np.maximum(power, np.finfo(float).tiny))
    place = (index + _parabola(level[index - 1 : index + 2])) * spectrum.bin_hz
    return Candidate(index, float(place), _prominence(level, index))


def _candidates(
    spectrum: Spectrum, noise: NoiseFloor, search: PeakSearch, taper: Window
) -> list[Candidate]:
    """Significant, prominent maxima that are not another's leakage; highest first."""
    power = spectrum.mean_square
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    inner = power[1:-1]
    maxima = 1 + np.flatnonzero((inner > power[:-2]) & (inner >= power[2:]))
    # Below half a main lobe a tone cannot be told from the offset; nor at Nyquist from its image.
    edge = max(2, round(min(taper.main_lobe / 2, 2.0) * pad))
    maxima = maxima[(maxima >= edge) & (maxima < len(power) - 2)]
    maxima = maxima[noise.out[maxima]]
    maxima = maxima[np.argsort(-power[maxima], kind="stable")][:_TRIED]
    with np.errstate(divide="ignore"):
        level = 10 * np.log10(np.maximum(power, np.finfo(float).tiny))
    # What is taken off the frames hollows out the bins below: a line there falls off above as well.
    above = level[min(edge, len(level) - 1) : edge + math.ceil(taper.width_6db * pad) + 1]
    level[:edge] = above.min()
    frequencies, amplitudes = np.empty(len(maxima)), np.empty(len(maxima))
    candidates: list[Candidate] = []
    for index in maxima:
        frequency = (index + _parabola(level[index - 1 : index + 2])) * spectrum.bin_hz
        known = len(candidates)
        offset = (frequency - frequencies[:known]) / spectrum.frame_hz
        image = (frequency + frequencies[:known]) / spectrum.frame_hz
        leaked = amplitudes[:known] @ (_skirt(taper, offset) + _skirt(taper, image))
        if power[index] < 4 * leaked**2:
            continue
        prominence = _prominence(level, int(index))
        if prominence < search.prominence_db:
            continue
        frequencies[known], amplitudes[known] = frequency, np.sqrt(power[index])
        candidates.append(Candidate(int(index), float(frequency), prominence))
    return candidates


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
