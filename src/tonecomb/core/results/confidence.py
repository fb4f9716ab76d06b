"""How far an averaged spectrum may be from the truth."""

from __future__ import annotations

import math

import numpy as np

from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis


def confidence_db(averages: float, share: float = 0.95) -> tuple[float, float]:
    """Limits in dB between which the true density lies with this probability, relative to the
    estimate: χ² with 2·averages degrees of freedom (Welch 1967)."""
    from scipy.special import chdtri  # a tenth of a second, needed for densities only

    freedom = 2 * averages
    low = freedom / float(chdtri(freedom, (1 - share) / 2))
    high = freedom / float(chdtri(freedom, (1 + share) / 2))
    return 10 * math.log10(low), 10 * math.log10(high)


def band_db(analysis: Analysis) -> tuple[float, float] | None:
    """The 95 % limits in dB about a bin of noise as most are, None where they would not hold: for
    the highest and lowest of the frames, and for bands and totals, which add up many bins."""
    method = analysis.method
    if not method.averaging.average.typical or method.shown.display.drawn != "bins":
        return None
    averages = analysis.averages
    usual = analysis.spectrum.effective_averages if averages is None else np.median(averages)
    return confidence_db(float(usual))


def limits_db(analysis: Analysis, frequency: Array) -> tuple[Array, Array] | None:
    """The limits at these frequencies (Hz), each of their shape: wider where the noise's level
    changes from frame to frame, so that the mean is worth fewer."""
    usual, averages = band_db(analysis), analysis.averages
    if usual is None:
        return None
    if averages is None:
        return np.full(frequency.shape, usual[0]), np.full(frequency.shape, usual[1])
    several, back = np.unique(averages, return_inverse=True)
    each = np.array([confidence_db(float(one)) for one in several])[back]
    bins = analysis.estimate.spectrum.frequency
    return np.interp(frequency, bins, each[:, 0]), np.interp(frequency, bins, each[:, 1])


def band_words(analysis: Analysis) -> str:
    """The limits for a legend, "" where there are none."""
    limits, averages = band_db(analysis), analysis.averages
    if limits is None:
        return ""
    low, high = (f"{limit:+.1f}".replace("-", "−") for limit in limits)
    varies = averages is not None and averages.min() < 0.9 * np.median(averages)
    return f"{low} to {high} dB" + (", wider where the level changes" if varies else "")
