"""What of a spectrum there is to see."""

from __future__ import annotations

import numpy as np

from tonecomb.core.analysis import Analysis

_SHARE = 0.999  # of the power
_ROOM = 1.15  # of the highest that is seen, that is shown
_NEARLY_ALL = 0.7  # of the axis, from which all of it is shown
_BINS = 64  # that are shown at least


def highest(analysis: Analysis) -> float:
    """The frequency in Hz up to which a first look at the spectrum goes: a little above the
    highest peak, tooth or resonance, or above 99.9 % of the power, whichever is more; the end of
    the axis where that is near."""
    frequency, power = analysis.spectrum.frequency, analysis.spectrum.mean_square
    end = float(frequency[-1])
    total = np.cumsum(power[1:])
    seen = [0.0]
    if len(total) and total[-1] > 0:
        seen.append(float(frequency[1 + int(np.searchsorted(total, _SHARE * total[-1]))]))
    seen += [peak.tone.frequency for peak in analysis.peaks or ()]
    seen += [tooth.frequency for comb in analysis.combs for tooth in comb.teeth if tooth.found]
    seen += [one.frequency + one.bandwidth for one in analysis.resonances]
    top = max(_ROOM * max(seen), float(frequency[min(_BINS, len(frequency) - 1)]))
    return end if top >= _NEARLY_ALL * end else top
