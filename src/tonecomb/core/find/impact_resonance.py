"""The resonance that a train of hits rings: its comb's teeth stand under one peak.

With frames so short that the teeth are not told apart the spectrum is that of one hit after
another, which is smooth, and the mode is fitted to it as to any other.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tonecomb.core.estimate.framing import effective_averages, make_framing
from tonecomb.core.estimate.level import Detrend
from tonecomb.core.estimate.spectrum import Spectrum, averaged_spectrum
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.damping import Data, find_resonances
from tonecomb.core.find.mode import Resonance
from tonecomb.core.record.parallel import Read
from tonecomb.core.record.windows import window

_TEETH = 8  # found teeth from which a comb may ring something
_HIGH = 4.0  # spacings above which the strongest lies
_EVEN = 0.5  # of the strongest tooth's amplitude that the next strongest has: it is no carrier
_SHORT = 0.95  # of the time between two hits that a frame lasts
_LEAST = 32  # samples of a frame
_NEAR = 3  # bins about the strongest tooth in which the peak's top is


def find_ringing(
    combs: Sequence[Comb], spectrum: Spectrum, read: Read, fs: float, detrend: Detrend
) -> tuple[Resonance, ...]:
    """Modes rung by these combs, at most one for each. ``spectrum`` is that in which the combs
    were found; the fits are brought to its scale, as densities."""
    resonances: list[Resonance] = []
    for comb in combs:
        teeth = sorted((t for t in comb.teeth if t.found), key=lambda t: -t.amplitude)
        if len(teeth) < _TEETH or teeth[0].frequency < _HIGH * comb.spacing:
            continue
        if teeth[1].amplitude < _EVEN * teeth[0].amplitude:
            continue
        length = spectrum.framing.length
        frame = 1 << int(math.log2(_SHORT * fs / comb.spacing))
        if not _LEAST <= frame <= length:
            continue
        taper, framing = window("hann"), make_framing(length, frame, 50.0, fs)
        averages = effective_averages(framing, taper.name)
        coarse = averaged_spectrum(
            read, framing, fs, taper, detrend=detrend, averages=averages, threads=1
        )
        near = round(teeth[0].frequency / coarse.bin_hz)
        first, last = max(near - _NEAR, 1), min(near + _NEAR + 1, len(coarse.frequency) - 1)
        top = first + int(np.argmax(coarse.mean_square[first:last]))
        ones = find_resonances(Data(coarse, taper, fs, None), [float(coarse.frequency[top])])
        for one in ones:
            if all(abs(one.frequency - other.frequency) > other.bandwidth for other in resonances):
                same_density = spectrum.enbw_hz / coarse.enbw_hz
                resonances.append(replace(one, kind="ringing", fit=one.fit * same_density))
    return tuple(resonances)
