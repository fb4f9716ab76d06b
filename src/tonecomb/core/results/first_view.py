"""What of a spectrum there is to see."""

from __future__ import annotations

import numpy as np

from tonecomb.core.record.recording import Array
from tonecomb.core.results.analysis import Analysis

_SHARE, _OF_ALL = 0.999, 0.98  # of the power that stands out of the noise, and of all
_OUT = 4.0  # times the floor, from which power stands out
_ROOM = 1.15  # of the highest that is seen, that is shown
_NEARLY_ALL = 0.7  # of the axis, from which all of it is shown
_BINS = 64  # that are shown at least
_FLOOR_DB = 12  # shown below the lowest hundredth of the curve
_DEEPEST_DB = 160  # below the highest point, at most
_NO_LEVEL = -1000  # dB, that stand for nothing


def highest(analysis: Analysis) -> float:
    """The frequency in Hz up to which a first look at the spectrum goes: a little above the
    highest peak, tooth or resonance, 99.9 % of the power that stands out of the noise, and 98 % of
    all power, whichever is most; the end of the axis where that is near."""
    frequency, power = analysis.spectrum.frequency, analysis.spectrum.mean_square
    end, floor = float(frequency[-1]), analysis.floor
    seen = [_below(frequency, power, _OF_ALL)]
    if floor is not None:
        seen.append(_below(frequency, np.where(power > _OUT * floor, power, 0.0), _SHARE))
    seen += [peak.tone.frequency for peak in analysis.peaks or ()]
    seen += [tooth.frequency for comb in analysis.combs for tooth in comb.teeth if tooth.found]
    seen += [one.frequency + one.bandwidth for one in analysis.resonances]
    top = max(_ROOM * max(seen), float(frequency[min(_BINS, len(frequency) - 1)]))
    return end if top >= _NEARLY_ALL * end else top


def lowest(analysis: Analysis) -> float:
    """The frequency in Hz from which a first look goes: 0, or in another quantity than the
    channel's its low cut, below which there is nothing."""
    frequency = analysis.spectrum.frequency
    if not analysis.order:
        return 0.0
    seen = np.flatnonzero(analysis.gain(frequency) > 0)
    return float(frequency[seen[0]]) if len(seen) else 0.0


def level_range(levels: Array, decibels: bool) -> tuple[float, float] | None:
    """From a little below the floor to the highest of what is drawn; None where there is nothing.
    What a low cut took has no level, and what lies 160 dB below the highest is what filters left,
    not what was there."""
    seen = levels[np.isfinite(levels)]
    if decibels:
        seen = seen[seen > _NO_LEVEL]
    if not len(seen):
        return None
    top = float(seen.max())
    if not decibels:
        return 0.0, top
    return max(float(np.percentile(seen, 1)) - _FLOOR_DB, top - _DEEPEST_DB), top


def _below(frequency: Array, power: Array, share: float) -> float:
    """The frequency in Hz below which this share of the power lies, but for the offset's."""
    total = np.cumsum(power[1:])
    if not len(total) or not total[-1] > 0:
        return 0.0
    return float(frequency[1 + int(np.searchsorted(total, share * total[-1]))])
