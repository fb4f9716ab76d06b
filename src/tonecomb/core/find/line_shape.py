"""Tones in a spectrum of few frames: whether each has the shape of a line.

With many frames a tone's course tells whether it moves. In one frame its shape does: a tone that
stands still leaves the window's transform and noise, one that moves or swells leaves more beside
it. The share of the peak's power that is neither line nor noise is what the fit does not explain,
and the frequency is unknown by that share of the peak's width.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.tone import Tone
from tonecomb.core.record.windows import Window

_NOISE = 8.0  # times the floor that a bin may be by chance
_LEAST = 1e-4  # share of a peak's power that a line leaves by rounding and by its neighbours


def checked(
    spectrum: Spectrum,
    taper: Window,
    floor: float,
    tone: Tone,
    region: tuple[int, int],
    others: Sequence[Tone],
) -> Tone:
    """The tone, with no phase and a frequency as uncertain as its shape shows where it is no line.

    ``floor`` is the noise's mean square per bin (unit²), ``region`` the first and last bin without
    padding of what belongs to the tone, and ``others`` are the tones beside it.
    """
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    bins = slice(region[0] * pad, region[1] * pad + 1, pad)
    frequency, power = spectrum.frequency[bins], spectrum.mean_square[bins]
    line = np.zeros(len(frequency))
    for one in (tone, *others):
        shape = taper.transform((frequency - one.frequency) / spectrum.frame_hz)
        # Lines add with a phase that is not known here: at most as amplitudes.
        line += one.amplitude * np.abs(shape) / math.sqrt(2)
    noise = _NOISE * floor + 2 * line * math.sqrt(_NOISE * floor)
    left = np.maximum(power - line**2 - noise, 0.0)
    total = float(power.sum())
    share = float(left.sum()) / total if total > 0 else 0.0
    if share < _LEAST:
        return tone
    middle = float(frequency @ power) / total
    width = math.sqrt(max(float((frequency - middle) ** 2 @ power) / total, 0.0))
    width = max(width, spectrum.frame_hz)
    off = abs(middle - tone.frequency)
    std = max(tone.frequency_std, math.sqrt(share) * width + share * off)
    return replace(
        tone,
        frequency_std=std,
        phase_deg=math.nan,
        phase_std_deg=math.nan,
        steady=False,
        amplitude_std=max(tone.amplitude_std, share * tone.amplitude),
    )
