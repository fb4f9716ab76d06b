"""True peak and peak-to-peak of a stretch in a band, as another quantity where that is asked for.

From samples: through the integral's steps and the band's filters, whose ends are left out, and
between the samples, where a crest may lie (four times as many, as ITU-R BS.1770 has it).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cache
from typing import TYPE_CHECKING

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.base.units import MOTIONS, conversion, unit
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import LOW_CUT
from tonecomb.core.record.recording import Array, Recording
from tonecomb.core.steps.filters import HighPass, LowPass
from tonecomb.core.steps.motion import Derivative, DoubleIntegral, Integral, Motion
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step

if TYPE_CHECKING:
    from tonecomb.core.method.method import Method

_TIMES = 4  # the rate: a crest is met within 0.2 dB (ITU-R BS.1770)
_HALF = 24  # samples to either side from which a value between two is found
_BLOCK = 1 << 20  # samples read at once: 8 MB
_OPEN = 0.9  # of the Nyquist frequency, from which a band has no upper end
_ORDER = 8  # of the band's filters


@dataclass(frozen=True)
class Extremes:
    """``peak`` is the farthest from the mean, in the band's unit; both nan where ``why_not`` says
    what is in the way."""

    peak: float
    peak_to_peak: float
    why_not: str = ""


def true_peaks(
    method: Method, recording: Recording, progress: Progress = silent
) -> tuple[tuple[Band, Extremes], ...]:
    """For each of the method's levels that is read by another detector than the rms."""
    wanted = list(dict.fromkeys(one for one in method.levels if one.detector != "rms"))
    found = []
    for i, band in enumerate(wanted):
        share = part(progress, i / len(wanted), (i + 1) / len(wanted))
        try:
            found.append((band, _of(band, method, recording, share)))
        except UserError as error:
            found.append((band, Extremes(math.nan, math.nan, error.text)))
    return tuple(found)


def _of(band: Band, method: Method, recording: Recording, progress: Progress) -> Extremes:
    source = method.source
    before = prepare(recording, source.steps)
    steps = _steps(band, before.channels[source.channel].unit, before.rate)
    source = replace(source, steps=(*source.steps, *steps))
    signal = prepare(recording, source.steps)
    first, last = source.span(signal)
    size = conversion(signal.channels[source.channel].unit, band.unit) if band.unit else 1.0
    begins, ends = signal.settled((source.channel,))
    highest, lowest, total = -math.inf, math.inf, 0.0
    for start in range(first, last, _BLOCK):
        stop = min(start + _BLOCK, last)
        a, b = max(start - _HALF, begins), min(stop + _HALF, ends)
        samples = signal.samples.read(source.channel, a, b)
        own = samples[start - a : stop - a]
        total += float(own.sum())
        every = np.concatenate([own, _between(samples)])
        highest, lowest = max(highest, float(every.max())), min(lowest, float(every.min()))
        progress((stop - first) / (last - first))
    mean = total / (last - first) if method.frames.detrend != "none" else 0.0
    return Extremes(
        size * max(highest - mean, mean - lowest, 0.0), size * max(highest - lowest, 0.0)
    )


def _steps(band: Band, symbol: str, fs: float) -> list[Step]:
    """What makes the band's quantity of a channel in the unit ``symbol``, and keeps the band."""
    motions, steps = list(MOTIONS), list[Step]()
    own, wanted = unit(symbol).quantity, unit(band.unit or symbol).quantity
    order = 0 if own == wanted else motions.index(own) - motions.index(wanted)
    if order:
        ways: dict[int, list[type[Motion]]] = {
            1: [Integral],
            2: [DoubleIntegral],
            -1: [Derivative],
            -2: [Derivative, Derivative],
        }
        steps += [way(low_cut=band.low or LOW_CUT) for way in ways[order]]
    if band.low:  # an integral goes on to half of its low cut
        steps.append(HighPass(band.low, order=_ORDER))
    if band.high < _OPEN * fs / 2:
        steps.append(LowPass(band.high, order=_ORDER))
    return steps


def _between(samples: Array) -> Array:
    """Four times as many samples, from the first that has enough beside it to the last; shape
    (4·(n − 2·24) − 3,), or none."""
    from scipy.signal import upfirdn

    if len(samples) <= 2 * _HALF:
        return np.zeros(0)
    about = float(samples.mean())
    made = upfirdn(_interpolator(), samples - about, up=_TIMES) + about
    first = 2 * _HALF * _TIMES
    return np.asarray(made[first : first + _TIMES * (len(samples) - 2 * _HALF - 1) + 1])


@cache
def _interpolator() -> Array:
    from scipy.signal import firwin

    taps = firwin(2 * _HALF * _TIMES + 1, 1 / _TIMES, window=("kaiser", 8.0))
    return np.asarray(taps * _TIMES)
