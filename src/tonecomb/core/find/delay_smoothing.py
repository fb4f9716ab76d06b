"""Smoothing of a delay that is known frame by frame, and the band that a warp may have.

The smoothest curve near values of known variance (Whittaker 1923), with the weight of smoothness
that makes the values likeliest (Wahba 1985): what is noise is told by the values themselves.
"""

from __future__ import annotations

import numpy as np

from tonecomb.core.record.recording import Array

_WEIGHTS = np.arange(0, 14, 0.5)  # decades of smoothness that are tried
_EDGE = 1.25  # times a band, where nothing is left


def smoothed(values: Array, variance: Array, order: int, noise: float | None = None) -> Array:
    """Values (frames,) of these variances, smoothed by their ``order``-th differences. ``noise`` is
    how many times its variance a value really scatters; None where the values are to tell it."""
    from scipy.linalg import LinAlgError, cho_solve_banded, cholesky_banded

    count = len(values)
    difference = np.diff(np.eye(order + 1), n=order, axis=0)[0]
    penalty = np.zeros((order + 1, count))
    for i in range(order + 1):
        for j in range(i, order + 1):
            penalty[order - (j - i), j : count - order + j] += difference[i] * difference[j]
    weight = 1 / variance
    fastest = 1.0 if noise is not None else np.sin(0.4 * np.pi)
    least = (1e-3 if noise is not None else 1.0) * np.median(weight) / (2 * fastest) ** (2 * order)
    best, kept = -np.inf, values
    for smoothness in least * 10**_WEIGHTS:
        system = smoothness * penalty
        system[order] += weight
        try:
            root = cholesky_banded(system)
        except LinAlgError:
            break
        curve = cho_solve_banded((root, False), weight * values)
        bends = smoothness * (np.convolve(curve, difference[::-1], "valid") ** 2).sum()
        misfit = float((weight * (values - curve) ** 2).sum() + bends)
        free = count - order
        told = -0.5 * free * np.log(misfit / free) if noise is None else -0.5 * misfit / noise
        likely = told + 0.5 * free * np.log(smoothness) - np.log(root[order]).sum()
        if likely > best:
            best, kept = likely, curve
    return np.asarray(kept)


def slower_than(values: Array, step: float, hz: float) -> Array:
    """Of values ``step`` s apart a straight line and what is slower than a frequency; what is
    faster fades out to 1.25 times that."""
    from scipy.fft import dct, idct

    at = np.arange(len(values))
    line = np.polyval(np.polyfit(at, values, 1), at)
    place = at / (2 * len(values) * step) / hz
    fade = 0.5 + 0.5 * np.cos(np.pi * np.clip((place - 1) / (_EDGE - 1), 0, 1))
    return np.asarray(line + idct(dct(values - line, norm="ortho") * fade, norm="ortho"))
