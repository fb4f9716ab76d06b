"""Whether samples are one block over and over, to the last digit."""

from __future__ import annotations

import numpy as np

from tonecomb.core.estimate.transform import rfft
from tonecomb.core.record.recording import Array

MOST_SAMPLES = 1 << 17
"""Of a stretch that are looked at: two blocks have to lie in them."""
_LEAST = 64  # samples of a block
_ALIKE = 0.98  # correlation of what repeats
_OTHER = 0.8  # correlation at shorter lags, from which it is a wave and no block
_EXACT = 1e-9  # of the variance, by which two blocks differ at most
_FEW = 8  # samples, within which all but white noise is like itself


def exact_period(samples: Array) -> int | None:
    """After how many samples all are the same again, None where they are not; a wave that is
    periodic by itself does not count."""
    from scipy.fft import irfft

    x = samples - samples.mean()
    n = len(x)
    power = float(x @ x)
    if n < 2 * _LEAST or not 0 < power < np.inf:
        return None
    bins = rfft(np.pad(x, (0, n))[None])[0]
    together = irfft(bins.real**2 + bins.imag**2, 2 * n)[: n // 2 + 1]
    running = np.concatenate([[0.0], np.cumsum(x * x)])
    lags = np.arange(n // 2 + 1)
    sizes = np.sqrt((running[n - lags]) * (power - running[lags]))
    alike = together / np.maximum(sizes, np.finfo(float).tiny)
    high = np.flatnonzero(alike[_LEAST:] > _ALIKE)
    if not high.size:
        return None
    period = int(high[0]) + _LEAST
    if np.abs(alike[_FEW : round(0.9 * period)]).max() > _OTHER:
        return None
    off = x[period:] - x[:-period]
    return period if float(off @ off) < _EXACT * 2 * power else None
