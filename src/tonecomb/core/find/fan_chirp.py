"""Frames in which what runs stands still, and the logarithm of their power over the noise.

A frame in which a fundamental changes by a share of itself a second smears its teeth the more the
higher they are. Read at a clock that runs as it does, they are sharp again: a few rates are tried.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.progress import Progress
from tonecomb.core.estimate.framing import Framing
from tonecomb.core.estimate.spectrum import READ_SAMPLES, frames_of
from tonecomb.core.estimate.transform import rfft
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import window

_OVERSAMPLED = 8  # samples a bin that is kept, so that a straight line between two will do
_LOW = -1.0  # below which the logarithm of the power is clipped
_FLOOR = 0.35  # quantile
_NEAR = 24  # bins to each side of which it is taken
_MOST_STILL, _DEPENDENT = 64, 0.01  # tones that are taken out; of the largest singular value
_BLOCK = 256  # frames at once


def straightened(
    frames: NDArray[np.floating],
    kept: int,
    rates: tuple[float, ...],
    fs: float,
    still: NDArray[np.float32],
) -> list[NDArray[np.complex64]]:
    """Transforms (frames, bins up to ``kept``) of Hann frames in which what changes its frequency
    by so much of itself a second stands still: the fan-chirp transform (Weruaga and Képesi, Signal
    Processing 87 (2007) 1504–1522), on as many samples as the bins need. What lies in the span of
    the columns of ``still`` (samples, columns), which are orthonormal, is taken out before."""
    from scipy.fft import irfft

    n = frames.shape[1]
    level = (frames - frames.mean(axis=1, keepdims=True)).astype(np.float32)
    level -= (level @ still) @ still.T
    few = _OVERSAMPLED * kept
    short = irfft(rfft(level)[:, : few // 2 + 1] * np.float32(few / n), few)
    at = np.arange(few) - (few - 1) / 2
    weights = window("hann").samples(few).astype(np.float32)
    out = []
    for rate in rates:
        place = at * (1 - rate * at * n / few / fs / 2) + (few - 1) / 2
        low = np.clip(np.floor(place).astype(int), 0, few - 2)
        share = np.clip(place - low, 0, 1).astype(np.float32)
        # Where the curve is stretched its samples weigh as much more.
        density = np.maximum(1 - rate * at * n / few / fs, 0.0).astype(np.float32)
        moved = short[:, low] * (1 - share) + short[:, low + 1] * share
        out.append(rfft(moved * (weights * density))[:, :kept] * np.float32(n / few))
    return out


def logs_at_rates(
    read: Read,
    framing: Framing,
    fs: float,
    still: Array,
    top: float,
    progress: Progress,
    rates: tuple[float, ...] = (0.0,),
) -> list[Array]:
    """Logarithm of the power over the noise, no less than ``_LOW``, shape (frames, bins up to
    ``top`` Hz), in frames that are straightened at each of the ``rates`` (1/s)."""
    bin_hz = fs / framing.frame
    bins = min(framing.frame // 2 + 1, int(top / bin_hz) + 2)
    out: list[Array] = [np.empty((framing.count, bins), np.float32) for _ in rates]
    deaf = _deaf(still, bins, bin_hz)
    steady = _span(still[still < top], framing.frame, fs)
    at = 0
    for numbers in framing.blocks(min(_BLOCK * framing.hop, READ_SAMPLES)):
        samples = read(numbers[0] * framing.hop, numbers[-1] * framing.hop + framing.frame)
        frames = frames_of(samples, framing)
        for k, values in enumerate(straightened(frames, bins, rates, fs, steady)):
            logs = _over_noise(values.real**2 + values.imag**2)
            logs[:, deaf] = 0.0
            out[k][at : at + len(numbers)] = logs
        at += len(numbers)
        progress(at / framing.count)
    return out


def _deaf(still: Array, bins: int, bin_hz: float) -> NDArray[np.bool_]:
    """The bins that do not count: about what stands still."""
    deaf = np.zeros(bins, dtype=bool)
    for f in still:
        at = round(f / bin_hz)
        deaf[max(at - 1, 0) : at + 2] = True
    deaf[:2] = True
    return deaf


def _span(still: Array, frame: int, fs: float) -> NDArray[np.float32]:
    """Orthonormal columns (samples, columns) that make up tones of some frequencies (Hz) in a
    frame: straightening would smear them over the bins of what runs."""
    turns = 2 * np.pi * np.arange(frame)[:, None] * still[:_MOST_STILL] / fs
    columns, size, _ = np.linalg.svd(np.hstack([np.cos(turns), np.sin(turns)]), full_matrices=False)
    return np.asarray(columns[:, size > _DEPENDENT * size.max(initial=0.0)], np.float32)


def _over_noise(power: NDArray[np.floating]) -> Array:
    """Logarithm of the power (frames, bins) over the noise about each bin."""
    from scipy.ndimage import percentile_filter

    bins = power.shape[1]
    cells = max(1, bins // _NEAR)
    edges = np.linspace(0, bins, cells + 1).astype(int)
    parts = [power[:, a:b] for a, b in pairwise(edges)]
    quiet = np.stack([np.quantile(one, _FLOOR, axis=1) for one in parts], axis=1)
    quiet = percentile_filter(quiet, 50, size=(1, 3), mode="nearest")
    centres = (edges[:-1] + edges[1:]) / 2
    place = np.clip(np.interp(np.arange(bins), centres, np.arange(cells)), 0, cells - 1)
    low = np.floor(place).astype(int)
    beyond = place - low
    high = np.minimum(low + 1, cells - 1)
    floor = quiet[:, low] * (1 - beyond) + quiet[:, high] * beyond
    floor = np.maximum(floor / -np.log(1 - _FLOOR), np.finfo(np.float32).tiny)
    return np.asarray(np.maximum(np.log(np.maximum(power, 1e-30) / floor), _LOW))
