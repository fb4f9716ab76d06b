"""How far an averaged spectrum may be from the truth."""

from __future__ import annotations

import math

from tonecomb.core.analysis import Analysis


def confidence_db(averages: float, share: float = 0.95) -> tuple[float, float]:
    """Limits in dB between which the true density lies with this probability, relative to the
    estimate: χ² with 2·averages degrees of freedom (Welch 1967)."""
    from scipy.special import chdtri  # a tenth of a second, needed for densities only

    freedom = 2 * averages
    low = freedom / float(chdtri(freedom, (1 - share) / 2))
    high = freedom / float(chdtri(freedom, (1 + share) / 2))
    return 10 * math.log10(low), 10 * math.log10(high)


def band_db(analysis: Analysis) -> tuple[float, float] | None:
    """The 95 % limits in dB about each bin of noise, None where they would not hold: for the
    highest and lowest of the frames, and for bands and totals, which add up many bins."""
    method = analysis.method
    if not method.averaging.average.typical or method.shown.display.drawn != "bins":
        return None
    return confidence_db(analysis.spectrum.effective_averages)
