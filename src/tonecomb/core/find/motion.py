"""Between which frequencies something moves, from what noisy frames say of it."""

from __future__ import annotations

import math

import numpy as np

from tonecomb.core.record.recording import Array

_FEW = 0.01  # of the frames that may lie beyond what is told of the range: they may be mistaken
_STRAYS = 4.0  # standard deviations of a frame's noise that one may be off those about it
_LOST = 1.25  # times the noise, that goes by averaging neighbours without motion being lost
_WIDENED = 2.0  # times the variance of averaged neighbours that motion has at most
_BEYOND_CHANCE = 4.0  # standard deviations of a variance, beyond which a family moves


def motion_range(f: Array) -> tuple[float, float] | None:
    """Between which frequencies (Hz) those of the frames move, what noise adds to that taken off;
    None where they do not move beyond it.

    The noise of a frame follows from second differences. Neighbours are averaged, ever more, as
    long as no more than noise is lost by it.
    """
    from scipy.ndimage import median_filter, uniform_filter1d

    second = f[:-2] - 2 * f[1:-1] + f[2:]
    noise = (1.4826 * float(np.median(np.abs(second)))) ** 2 / 6
    middle = median_filter(f, 5, mode="nearest")
    f = np.clip(f, middle - _STRAYS * math.sqrt(noise), middle + _STRAYS * math.sqrt(noise))
    smooth, left, size = f, noise, 3
    while size <= len(f) // 4:
        tried = uniform_filter1d(f, size, mode="nearest")
        if float(np.mean((f - tried) ** 2)) > _LOST * noise * (1 - 1 / size):
            break
        smooth, left, size = tried, noise / size, 2 * size - 1
    variance = float(smooth.var())
    # What neighbours but one have in common is motion, and no noise.
    off = f - f.mean()
    common = max(float(np.mean(off[2:] * off[:-2])), 0.0)
    # Neighbours that were averaged together are as good as one.
    single = max(len(f) * left / noise, 2.0) if noise > 0 else float(len(f))
    if variance <= left * (1 + _BEYOND_CHANCE * math.sqrt(2 / single)):
        return None
    shrunk, mean = math.sqrt(min(common / variance, _WIDENED)), float(smooth.mean())
    low, high = (float(one) for one in np.quantile(smooth, [_FEW, 1 - _FEW]))
    return mean - shrunk * (mean - low), mean + shrunk * (high - mean)
