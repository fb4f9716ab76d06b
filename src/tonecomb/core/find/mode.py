"""A mode, and the width of the line that it makes."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.record.recording import Array

Kind = Literal["noise", "decay", "ringing"]


@dataclass(frozen=True, eq=False)
class Resonance:
    """A mode. ``frequency`` is its natural frequency (Hz), ``damping`` its damping ratio.

    ``half_power`` is the width (Hz) of the line in the spectrum at half its power, the window's
    part in it included, nan where the line is cut off. ``fit_frequency`` and ``fit`` (mean square
    as in the spectrum, unit²) draw what was fitted; both have shape (bins,).
    """

    frequency: float
    frequency_std: float
    damping: float
    damping_std: float
    half_power: float
    kind: Kind
    fit_frequency: Array
    fit: Array

    @property
    def q(self) -> float:
        """Quality factor 1/2ζ."""
        return 1 / (2 * self.damping)

    @property
    def bandwidth(self) -> float:
        """Half-power bandwidth 2ζf₀ in Hz, that of the mode without the window."""
        return 2 * self.damping * self.frequency


def half_power_width(spectrum: Spectrum, frequency: float) -> float:
    """Width in Hz of the line at ``frequency`` where it has fallen to half of its highest bin,
    between bins by a line in the power; nan where it does not fall so far before it rises above
    its top again or the axis ends."""
    power = spectrum.mean_square
    pad = round(spectrum.frame_hz / spectrum.bin_hz)
    near = min(round(frequency / spectrum.bin_hz), len(power) - 1)
    first = max(near - pad, 0)
    at = first + int(np.argmax(power[first : near + pad + 1]))
    half = power[at] / 2
    ends = []
    for side in (power[: at + 1][::-1], power[at:]):
        k = _first_below(side, half)
        if k is None or side[:k].max() > power[at]:
            return math.nan
        ends.append(k - 1 + float((side[k - 1] - half) / (side[k - 1] - side[k])))
    return sum(ends) * spectrum.bin_hz


def _first_below(values: Array, limit: float) -> int | None:
    """Number of the first value below ``limit``, None where there is none."""
    some = 64  # it is near, mostly
    while True:
        below = np.flatnonzero(values[:some] < limit)
        if below.size:
            return int(below[0])
        if some >= len(values):
            return None
        some *= 8
