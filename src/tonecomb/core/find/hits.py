"""Hits that repeat, such as those of a bearing's fault: in which band they ring, and how often.

Bands of many widths are taken from one transform of the record, its steady lines left out, and
ranked by how far the kurtosis of their envelope is from that of noise (spectral kurtosis: Antoni,
Mech. Syst. Signal Process. 20, 2006; the grid of bands: 21, 2007). In the spectrum of the squared
envelope of the best bands, hits that come every 1/f₀ with some slip are lines at its multiples,
wider the higher they are.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.finite import check_samples
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.transform import ifft, rfft
from tonecomb.core.find.hit_witnesses import Witnesses, height, mean_cycle, shape
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array

DIVISIONS = (1, 2, 3, 4, 6, 8, 12, 16, 24, 32)
"""Into how many bands of one width the frequencies are divided."""
MOST_SAMPLES = 1 << 22  # of the middle of a record that are looked at: 32 MB
_TAKEN = 0.3  # of a band's bins, that are lines at most
_ROUNDING = 1e-20  # of the highest bin of an envelope's spectrum
LEAST_SAMPLES = 4096  # from which on hits are looked for
_DRAWN_HZ, _POINTS = 1000.0, 6000  # Hz, and points, of the envelope's spectrum that are drawn
_TAPER = 5  # part of the record over which it begins, and ends
_LINE = 16.0  # times the local floor, from which a bin is a steady line and left out
_NEAR_BINS = 201  # that tell the local floor
_GROWS = 0.25  # of the frequency, that blocks are wide in a spectrum that falls
_WIDE = 8.0  # times the rate of hits, that the band is wide which shows them
_NEARLY = 0.6  # of the highest score of any band, that a narrower one has at least
_BANDS = 3  # that are told, at most
_OVERLAP = 0.5  # of the narrower band, that two of the best may share
_HARMONICS = 5  # of a rate that are added up
_SLIP = 0.01  # spread of each interval, in parts of it, for which lines are as wide as they may be
_LOWEST = 12.0  # hits in the record at least
_FURTHEST = 0.45  # of an envelope's highest frequency, that a fundamental may have
_CLAIMED = 22.0  # the score from which hits are claimed
_CLEAR = 3.0  # times the noise, that so many lines stand at least
_SEVERAL = 2  # harmonics that have to stand out by themselves
_FIRST = 0.3  # of the highest line, that the first has at least
_AT_ONCE = 1 << 13  # frequencies that are scored together
_KNOWN = 0.5  # bins of 1/duration that a rate is uncertain: hits at the ends count less


@dataclass(frozen=True)
class HitBand:
    """From ``low`` to ``high`` Hz; ``kurtosis`` of the complex envelope (0 for noise), and how many
    standard deviations of noise that is."""

    low: float
    high: float
    kurtosis: float
    stands: float


@dataclass(frozen=True)
class RepeatedHits:
    """They repeat ``frequency`` times a second, in a ``band``. ``score`` is the logarithm of how
    much likelier they are than noise; ``harmonics`` the heights of the first lines over it."""

    frequency: float
    std: float
    band: HitBand
    score: float
    harmonics: tuple[float, ...]
    slips: bool = True
    """Whether with some slip; what is exact may be a machine's cycle as well."""
    smooth: bool = False
    """Whether it is noise that swells and falls, and no hits."""


@dataclass(frozen=True, eq=False)
class HitEnvelopes:
    """``bands`` is the whole grid, row by row of :data:`DIVISIONS`, ``best`` the most promising
    ones, and ``hits`` what repeats in them, the surest first; ``swells`` is noise that repeats
    smoothly. ``frequency`` (Hz) and ``over_db``
    are the spectrum of the squared envelope of ``shown``, over its noise, both of shape (n,).
    ``seconds`` is how much of the record was looked at, from ``start`` (s) of it."""

    bands: tuple[tuple[HitBand, ...], ...]
    best: tuple[HitBand, ...]
    hits: tuple[RepeatedHits, ...]
    swells: tuple[RepeatedHits, ...]
    shown: HitBand
    frequency: Array
    over_db: Array
    start: float
    seconds: float

    @property
    def nbytes(self) -> int:
        """What it holds in memory."""
        return self.frequency.nbytes + self.over_db.nbytes


def find_hits(
    read: Read, length: int, fs: float, progress: Progress = silent, most: int = MOST_SAMPLES
) -> HitEnvelopes:
    """Look for hits in ``length`` samples at ``fs`` Hz; of records longer than ``most`` samples in
    their middle."""
    import scipy.fft

    n = min(length, most)
    n = scipy.fft.prev_fast_len(n, real=True)
    n -= n % 2
    if n < LEAST_SAMPLES:
        raise UserError(
            f"{length} samples are too few to look for hits in",
            f"it takes {LEAST_SAMPLES}",
            "choose a longer stretch",
        )
    first = (length - n) // 2
    samples = np.asarray(read(first, first + n), dtype=np.float64)
    check_samples(samples)
    spectrum, uneven = _tapered(samples)
    progress(0.3)
    out = _lines(spectrum)
    whole = spectrum.real**2 + spectrum.imag**2
    spectrum[out] = 0
    spectrum[0] = 0
    bands = _grid(spectrum, fs, uneven)
    progress(0.6)
    every = [band for row in bands for band in row]
    best = _best([band for band in every if _holds_noise(out, band, fs)]) or [every[0]]
    hits: list[RepeatedHits] = []
    for k, band in enumerate(best):
        found = _hits(_envelope(spectrum, band, fs), band, n / fs)
        if found is not None:
            hits.append(found)
        progress(0.6 + 0.4 * (k + 1) / len(best))
    hits.sort(key=lambda one: -one.score)
    told = tuple(_where_clearest(one, every, spectrum, fs, n / fs) for one in _once(hits))
    shown = told[0].band if told else best[0]
    frequency, over_db = _drawn(_envelope(spectrum, shown, fs), shown, n / fs)
    asked = [(one, _witnesses(one, spectrum, whole, out, fs)) for one in told]
    sure = tuple(replace(one, slips=of.slips) for one, of in asked if of.hits)
    swells = tuple(replace(one, smooth=True) for one, of in asked if of.swells and not of.hits)
    return HitEnvelopes(
        bands, tuple(best), sure, swells, shown, frequency, over_db, first / fs, n / fs
    )


def _witnesses(
    one: RepeatedHits, spectrum: np.ndarray, whole: np.ndarray, out: np.ndarray, fs: float
) -> Witnesses:
    """What is asked of a claim; ``whole`` is the power before lines were left ``out``."""
    low, high = one.band.low, one.band.high
    first, last = _slice((low, high), len(out), fs)
    power, lines = whole[first:last], out[first:last]
    seconds = 2 * (len(out) - 1) / fs
    envelope = _envelope(spectrum, one.band, fs)
    half, middle = len(envelope) // 2, (low + high) / 2
    lower = _envelope(spectrum, replace(one.band, high=middle), fs)
    upper = _envelope(spectrum, replace(one.band, low=middle), fs)
    second, duty = shape(mean_cycle(envelope, len(envelope) / seconds / one.frequency))
    return Witnesses(
        float(lines.mean()),
        float(power[lines].sum() / max(float(power.sum()), 1e-300)),
        (
            height(envelope[:half], seconds / 2, one.frequency),
            height(envelope[half:], seconds / 2, one.frequency),
        ),
        (height(lower, seconds, one.frequency), height(upper, seconds, one.frequency)),
        second,
        duty,
    )


def _tapered(x: Array) -> tuple[np.ndarray, float]:
    """Transform of samples that begin and end slowly, lest lines leak into all bands, and what
    that alone makes of the kurtosis of noise."""
    ramp = np.sin(np.linspace(0, np.pi / 2, len(x) // _TAPER)) ** 2
    weights = np.ones(len(x))
    weights[: len(ramp)], weights[len(x) - len(ramp) :] = ramp, ramp[::-1]
    spectrum = rfft(((x - x.mean()) * weights)[None])[0]
    weights *= weights
    return spectrum, float((weights @ weights) / len(x) / weights.mean() ** 2)


def _drawn(envelope: Array, band: HitBand, seconds: float) -> tuple[Array, Array]:
    """Frequencies (Hz) and levels (dB) of an envelope's spectrum, the highest of several bins."""
    power, _ = _power(envelope, band, seconds)
    power = power[: max(2, round(_DRAWN_HZ * seconds))]
    several = -(-len(power) // _POINTS)
    count = len(power) // several
    parts = power[: count * several].reshape(count, several)
    place = np.argmax(parts, axis=1) + np.arange(count) * several
    return place / seconds, 10 * np.log10(np.maximum(power[place], 1e-3))


def _where_clearest(
    hits: RepeatedHits, bands: Sequence[HitBand], spectrum: np.ndarray, fs: float, seconds: float
) -> RepeatedHits:
    """The hits in the narrowest band in which their lines stand nearly as high as in any."""
    at, told = np.array([hits.frequency]), [hits]
    for band in bands:
        if band.high - band.low < _WIDE * hits.frequency:
            continue
        power, top = _power(_envelope(spectrum, band, fs), band, seconds)
        sums = np.concatenate([[0.0], np.cumsum(power)])
        score, heights = _scores(sums, at, 1 / seconds, top)
        lines = tuple(float(one) for one in heights[:, 0])
        told.append(replace(hits, band=band, score=float(score[0]), harmonics=lines))
    enough = _NEARLY * max(one.score for one in told)
    return min(
        (one for one in told if one.score >= enough),
        key=lambda one: (one.band.high - one.band.low, -one.score),
    )


def _once(hits: Sequence[RepeatedHits]) -> tuple[RepeatedHits, ...]:
    """Each rate once, in the band that shows it best."""
    found: list[RepeatedHits] = []
    for one in hits:
        if all(abs(one.frequency / other.frequency - 1) > 0.01 for other in found):
            found.append(one)
    return tuple(found)


def local_floor(power: Array, bins: int = _NEAR_BINS, least: int = 0) -> Array:
    """Mean of the noise about each bin, from medians of neighbouring blocks of ``bins``; with
    ``least`` the blocks begin as short as that and grow with frequency."""
    size, starts = least or bins, [0]
    while starts[-1] + 2 * size < len(power):
        starts.append(starts[-1] + size)
        size = min(bins, max(size, int(starts[-1] * _GROWS)))
    edges = np.array([*starts, len(power)])
    middles = np.empty(len(starts))
    # Blocks of one length stand together: their medians are taken at once. The last may be longer.
    alike = max(len(starts) - 1 - int(np.searchsorted(np.diff(edges)[:-1], bins)), 0)
    some = len(starts) - 1 - alike
    rows = power[edges[some] : edges[some] + alike * bins].reshape(alike, bins)
    middles[some:-1] = np.median(rows, axis=1)
    for k in (*range(some), len(starts) - 1):
        middles[k] = np.median(power[edges[k] : edges[k + 1]])
    result: Array = np.interp(
        np.arange(len(power)), (edges[:-1] + edges[1:]) / 2, middles
    ) / np.log(2)
    return result


def _lines(spectrum: np.ndarray) -> np.ndarray:
    """Which bins belong to steady lines, with those that leak beside them."""
    power = spectrum.real**2 + spectrum.imag**2
    out = power > _LINE * local_floor(power)
    near: np.ndarray = out.copy()
    for shift in (1, 2):
        near[shift:] |= out[:-shift]
        near[:-shift] |= out[shift:]
    return near


def _holds_noise(out: np.ndarray, band: HitBand, fs: float) -> bool:
    """Whether lines took no more than a part of a band's bins: the envelope of few bins repeats
    whatever they are."""
    first, last = _slice((band.low, band.high), len(out), fs)
    return bool(out[first:last].mean() <= _TAKEN)


def _slice(band: tuple[float, float], bins: int, fs: float) -> tuple[int, int]:
    first, last = (round(edge / (fs / 2) * (bins - 1)) for edge in band)
    return max(first, 1), max(last, first + 2)


def _envelope(spectrum: np.ndarray, band: HitBand, fs: float) -> Array:
    """Squared envelope of a band, at a rate of its width."""
    import scipy.fft

    first, last = _slice((band.low, band.high), len(spectrum), fs)
    # Twice the rate: the squared envelope has twice the band's width.
    size = scipy.fft.next_fast_len(2 * (last - first))
    padded = np.zeros(size, dtype=np.complex128)
    padded[: last - first] = spectrum[first:last]
    values = ifft(padded)
    return np.asarray(values.real**2 + values.imag**2)


def _grid(spectrum: np.ndarray, fs: float, uneven: float) -> tuple[tuple[HitBand, ...], ...]:
    """All bands. Single precision is plenty for how far each is from noise."""
    loudest = max(float(np.abs(spectrum).max()), np.finfo(float).tiny)
    short = (spectrum / loudest).astype(np.complex64)
    return tuple(_row(short, parts, fs, uneven) for parts in DIVISIONS)


def _row(spectrum: np.ndarray, parts: int, fs: float, uneven: float) -> tuple[HitBand, ...]:
    """The bands of one width, transformed together."""
    import scipy.fft

    edges = [(k * fs / 2 / parts, (k + 1) * fs / 2 / parts) for k in range(parts)]
    slices = [_slice(band, len(spectrum), fs) for band in edges]
    count = scipy.fft.prev_fast_len(min(last - first for first, last in slices))
    values = ifft(np.stack([spectrum[first : first + count] for first, _ in slices]))
    squares = values.real**2 + values.imag**2
    means = squares.mean(axis=1, dtype=np.float64)
    fourth = np.einsum("bi,bi->b", squares, squares, dtype=np.float64) / count
    bands = []
    for (low, high), mean, square in zip(edges, means.tolist(), fourth.tolist(), strict=True):
        kurtosis = square / mean / mean / uneven - 2 if mean > 0 else 0.0
        kurtosis = kurtosis if math.isfinite(kurtosis) else 0.0  # of what is no signal
        bands.append(HitBand(low, high, kurtosis, kurtosis * math.sqrt(count / 4)))
    return tuple(bands)


def _best(bands: Sequence[HitBand]) -> list[HitBand]:
    best: list[HitBand] = []
    for band in sorted(bands, key=lambda one: -one.stands):
        shared = (
            (min(band.high, one.high) - max(band.low, one.low))
            / min(band.high - band.low, one.high - one.low)
            for one in best
        )
        if all(part < _OVERLAP for part in shared):
            best.append(band)
        if len(best) == _BANDS:
            break
    return best


def _hits(envelope: Array, band: HitBand, seconds: float) -> RepeatedHits | None:
    """What repeats in a squared envelope that lasts so long."""
    power, top = _power(envelope, band, seconds)
    rate, hz = len(envelope) / seconds, 1 / seconds
    lowest, highest = _LOWEST / seconds, _FURTHEST * min(rate / 2, top * hz)
    if highest <= lowest:
        return None
    sums = np.concatenate([[0.0], np.cumsum(power)])
    grid = np.arange(lowest, highest, 0.4 * hz / _HARMONICS)
    score, _ = _scores(sums, grid, hz, top)
    at = int(np.argmax(score))
    fine = grid[at] + np.linspace(-1, 1, 401) * hz
    fine = fine[fine > lowest / 2]
    better, levels = _scores(sums, fine, hz, top)
    top_score = float(better.max())
    near = better > top_score - 2.0
    frequency = float(np.average(fine[near], weights=np.exp(better[near] - top_score)))
    spread = float(
        np.sqrt(np.average((fine[near] - frequency) ** 2, weights=np.exp(better[near] - top_score)))
    )
    heights = levels[:, int(np.argmax(better))]
    # Lines stand over what lies between them, or the envelope only changes slowly.
    _, between = _scores(sums, np.array([frequency]), hz, top, -0.5)
    clear = heights > _CLEAR * np.maximum(between[:, 0], 1.0)
    if top_score < _CLAIMED or clear.sum() < _SEVERAL or not clear[0]:
        return None
    return RepeatedHits(
        frequency, max(spread, _KNOWN * hz), band, top_score, tuple(float(one) for one in heights)
    )


def _power(envelope: Array, band: HitBand, seconds: float) -> tuple[Array, int]:
    """Power spectrum of a squared envelope over its floor, bin by bin of 1/``seconds``, up to the
    band's width, and how many bins that are."""
    found = np.abs(rfft((envelope - envelope.mean())[None])[0]) ** 2
    top = min(len(found), int((band.high - band.low) * seconds))
    floor = local_floor(found[:top], 401, 16)
    # Where there is no floor but that of rounding, nothing stands over it.
    there = floor > _ROUNDING * float(found.max())
    power = np.divide(found[:top], floor, out=np.zeros(top), where=there)
    power[:4] = 1.0
    return power, top


def _scores(
    sums: Array, grid: Array, hz: float, top: int, beside: float = 0.0
) -> tuple[Array, Array]:
    """Log-likelihood of lines at the multiples of each frequency against noise, shape (grid,), and
    the mean heights there, or so many frequencies ``beside``, shape (harmonics, grid)."""
    total, heights = np.zeros(len(grid)), np.ones((_HARMONICS, len(grid)))
    for a in range(0, len(grid), _AT_ONCE):
        part = slice(a, a + _AT_ONCE)
        _score(sums, grid[part], hz, top, beside, total[part], heights[:, part])
    # The first line is among the highest, or it is not the first.
    total[heights[0] < _FIRST * heights.max(axis=0)] = 0.0
    return total, heights


def _score(
    sums: Array, grid: Array, hz: float, top: int, beside: float, total: Array, heights: Array
) -> None:
    """Add to ``total``, and fill in ``heights``, for as many frequencies as stay near."""
    for h in range(1, _HARMONICS + 1):
        middle = (h + beside) * grid / hz
        # A walk of the phase with so much slip an interval widens line h to 2π h² s² f₀.
        half = np.maximum(0.75, np.pi * h * h * _SLIP**2 * grid / hz)
        first = np.minimum(np.rint(middle - half).astype(int), top)
        last = np.minimum(np.rint(middle + half).astype(int) + 1, top)
        count = np.maximum(last - first, 1)
        mean = np.where(last > first, (sums[last] - sums[first]) / count, 1.0)
        gain = count * (mean - 1 - np.log(np.maximum(mean, 1e-6)))
        total += np.copysign(gain, mean - 1)
        heights[h - 1] = mean
