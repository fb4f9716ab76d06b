"""The local noise floor of an averaged spectrum, and what stands out of it."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.followed import Followed, kept_bins
from tonecomb.core.estimate.frame_statistics import Courses, courses_of, follow_frames
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array

QUANTILE = 0.3  # below the median, so that many tones in the neighbourhood do not lift it
CHANCE = 0.02  # that noise alone exceeds the threshold somewhere in a spectrum
_HANN = 1.9  # neighbouring bins that are worth one
_GRID = 24  # numbers of averages at which the threshold is worked out
_RATIOS = 1 << 16  # to the floor, that are tried: 7e-5 from one to the next


def _width(bins: int, pad: int) -> int:
    """Bins over which the quantile is taken."""
    return min(int(np.clip(bins / 32, 41 * pad, 401 * pad)), max(bins // 2, 1)) | 1


def floor_of(mean_square: Array, averages: Array, pad: int = 1) -> Array:
    """Mean square of the noise around each bin, shape (bins,), where each bin is the mean of so
    many independent ``averages``, shape (bins,).

    A running quantile, divided by the same quantile of a unit-mean χ² variable with two degrees
    of freedom for each average.
    """
    from scipy.ndimage import percentile_filter
    from scipy.special import gammaincinv

    width = _width(len(mean_square), pad)
    running = percentile_filter(mean_square, 100 * QUANTILE, size=width, mode="reflect")
    several, back = np.unique(averages, return_inverse=True)
    return np.asarray(running / (gammaincinv(several, QUANTILE) / several)[back])


STOPPED = 1.6e-6
"""Square of a filter's gain, 58 dB down, below which what is left is no reading."""

_ROUNDING = 1e-28  # of the strongest bin's power, that rounding may come to


def noise_floor(
    spectrum: Spectrum, averages: Array | None = None, shape: Array | None = None
) -> Array:
    """The floor of a spectrum in unit², shape (bins,); ``averages`` where its bins are not all
    worth the same, ``shape`` where filters are known to have shaped it (the square of their
    gain): their edges are no peaks."""
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    if averages is None:
        averages = np.full(len(spectrum.mean_square), spectrum.effective_averages)
    if shape is None:
        floor = floor_of(spectrum.mean_square, averages, pad)
    else:
        floor = floor_of(spectrum.mean_square / shape, averages, pad) * shape
    # Where there is no noise, that of the arithmetic is no sign of anything.
    return np.maximum(floor, _ROUNDING * float(spectrum.mean_square.max()))


def significance(averages: Array, pad: int = 1, chance: float = CHANCE) -> Array:
    """Ratio to the floor that noise alone exceeds somewhere with ``chance``, shape (bins,), where
    the bins are worth ``averages``. The floor's own scatter, that of a sample quantile of so many
    bins, is allowed for."""
    low, high = float(averages.min()), float(averages.max())
    if high < low * 1.001:
        return np.full(len(averages), _threshold(round(low, 3), len(averages), pad, chance))
    grid = np.geomspace(low, high, _GRID)
    at = [_threshold(round(float(nu), 3), len(averages), pad, chance) for nu in grid]
    return np.asarray(np.interp(np.log(averages), np.log(grid), at))


@dataclass(frozen=True, eq=False)
class NoiseFloor:
    """The noise of a spectrum: ``floor`` is its mean square per bin (unit²), ``averages`` what
    each bin is worth, and ``out`` says where a bin stands out of it, also when each frame is
    held against its own level; shape (bins,). ``courses`` are the frames one by one, None where
    there are too few."""

    floor: Array
    averages: Array
    out: NDArray[np.bool_]
    courses: Courses | None = None


_KEPT, _BELOW = 3.0, 0.9  # times the floor, or of what is significant, from which bins are kept
_FEW = 4  # frames of which none is held against another


def expected_bins(few: Spectrum, count: int, shape: Array | None = None) -> NDArray[np.int_]:
    """The bins that are to be kept of ``count`` frames, from the spectrum of a ``few`` of them;
    without padding. ``shape`` is as of :func:`noise_floor`."""
    floor = noise_floor(few, None, shape)
    averages = np.full(len(floor), few.effective_averages)
    return kept_bins(few.mean_square, floor, count, _least(averages))


def _least(averages: Array, pad: int = 1) -> float:
    """Times the floor from which bins are kept that are worth so many averages."""
    return min(_KEPT, _BELOW * float(significance(averages, pad).min()))


def find_noise(
    read: Read,
    spectrum: Spectrum,
    fs: float,
    nominal: float,
    shape: Array | None = None,
    progress: Progress = silent,
    followed: Followed | None = None,
) -> NoiseFloor:
    """Look at the frames of a spectrum one by one for what its bins are worth. ``nominal`` is
    what all frames would be worth that do not change, in the mean of their power; ``shape`` is as
    of :func:`noise_floor`. Frames that were ``followed`` before are not followed again."""
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    averages = np.full(len(spectrum.mean_square), spectrum.effective_averages)
    plain = noise_floor(spectrum, averages, shape)
    if spectrum.framing.count < _FEW:
        out = spectrum.mean_square > plain * significance(averages, pad)
        return NoiseFloor(plain, averages, out if shape is None else out & (shape > STOPPED))
    least = _least(averages, pad)
    if followed is None:
        followed = follow_frames(read, spectrum, plain, fs, least, progress)
    courses = courses_of(followed, spectrum, nominal)
    worth = np.repeat(courses.worth, pad)[: len(averages)]
    averages = np.maximum(averages * worth / nominal, 1.0)
    changes = worth < nominal
    floor = noise_floor(spectrum, averages, shape) if changes.any() else plain
    out = spectrum.mean_square > floor * significance(averages, pad)
    if changes.any():
        even = np.full(len(courses.alike), nominal)
        level = courses.alike if shape is None else courses.alike / shape[::pad][: len(even)]
        alike = level > floor_of(level, even) * significance(even)
        near = np.repeat(alike | np.roll(alike, 1) | np.roll(alike, -1), pad)[: len(out)]
        out &= near | ~changes
    if shape is not None:
        out &= shape > STOPPED
    return NoiseFloor(floor, averages, out, courses)


@lru_cache(1024)
def _threshold(nu: float, bins: int, pad: int, chance: float) -> float:
    from scipy.special import gammaincc, gammainccinv, gammaincinv, gammaln

    # Scatter of a sample quantile: √(q(1−q)/n) over the density there; of its logarithm here.
    at = float(gammaincinv(nu, QUANTILE)) / nu
    density = np.exp(nu * np.log(nu) - gammaln(nu) + (nu - 1) * np.log(at) - nu * at)
    seen = _width(bins, pad) / (_HANN * pad)
    scatter = np.sqrt(QUANTILE * (1 - QUANTILE) / max(seen, 1.0)) / (density * at)
    nodes, weights = np.polynomial.hermite_e.hermegauss(15)
    levels, weights = np.exp(nodes * scatter), weights / weights.sum()

    plain = float(gammainccinv(nu, chance / bins)) / nu
    ratios = plain * np.geomspace(0.9, 100.0, _RATIOS)

    def seldom(ratio: float) -> bool:
        return float(weights @ gammaincc(nu, nu * ratio * levels)) <= chance / bins

    # Not by ``scipy.optimize``, which takes 0.2 s to import before the first spectrum.
    return float(ratios[min(bisect_left(ratios, True, key=seldom), _RATIOS - 1)])
