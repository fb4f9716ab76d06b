"""How far up a recording goes that was coded with loss."""

from __future__ import annotations

import itertools

import numpy as np

from tonecomb.core.estimate.spectrum import Spectrum

_BANDS = 96  # of the whole axis
_BEFORE = 4  # bands that are looked at below an edge
_DROP_DB = 25.0  # within one bin, as lossy coding leaves it


def limit(spectrum: Spectrum) -> float | None:
    """The frequency in Hz above which all bands of the spectrum lie 25 dB or more below those just
    under it, None where there is no such edge.

    A coder takes out what is over its limit, where any sensor leaves noise. The medians of bands
    of a 96th of the axis are compared, so that tones do not count.
    """
    edges = np.linspace(1, len(spectrum.frequency), _BANDS + 1).astype(int)
    if edges[1] - edges[0] < 2:
        return None
    power = spectrum.mean_square
    levels = np.array([np.median(power[a:b]) for a, b in itertools.pairwise(edges)])
    levels = 10 * np.log10(np.maximum(levels, np.finfo(float).tiny))
    above = np.maximum.accumulate(levels[::-1])[::-1]  # the most from a band on
    for k in range(_BEFORE, _BANDS - 1):
        if np.median(levels[k - _BEFORE : k]) - above[k + 1] >= _DROP_DB:
            return float(spectrum.frequency[edges[k]])
    return None
