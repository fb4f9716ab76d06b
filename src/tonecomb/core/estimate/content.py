"""What a spectrum holds: fitted lines with powers of their own, and the rest, bin by bin.

A window spreads a line over its main lobe. To integrate bin by bin divides each of the lobe's bins
by another frequency, and a band's limit cuts through it; so a line counts whole, at its own
frequency, and only what is left is taken bin by bin.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.bands import band_power
from tonecomb.core.estimate.display import LEAST_BINS
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.record.recording import Array
from tonecomb.core.record.windows import Window

_WIDE = 30  # lines, the strongest, whose side lobes are known all over the spectrum
_NEAR = 64  # bins that those of the others reach
_FIRST_BINS = 20  # in which a line that is taken bin by bin is off by over half a percent
_OUT = 8.0  # times the floor, that it stands out of the noise
_LEFT = 0.05  # of what was taken out as lines, that may be left by chance

Gain = Callable[[Array], Array]
"""What amplitudes at frequencies (Hz) are multiplied by, of the same shape."""


@dataclass(frozen=True, eq=False)
class Content:
    """Lines at ``frequency`` (Hz) of mean square ``power`` (unit²), both of shape (lines,), and
    the ``rest`` of the spectrum."""

    frequency: Array
    power: Array
    rest: Spectrum

    def converted(self, gain: Gain, cut: float, *, whole: bool = False) -> Content:
        """The same as another quantity: lines from ``cut`` (Hz) on by the gain at their own
        frequencies, the rest by that of its bins, from three bins on; all of it where ``whole``."""
        kept = self.frequency >= cut
        rest = self.rest
        low = 0.0 if whole else max(cut, LEAST_BINS * rest.frame_hz)
        with np.errstate(divide="ignore", invalid="ignore"):
            squares = np.where(
                rest.frequency >= low * (1 - 1e-9), rest.mean_square * gain(rest.frequency) ** 2, 0
            )
        frequency = self.frequency[kept]
        power = self.power[kept] * gain(frequency) ** 2
        return Content(frequency, power, replace(rest, mean_square=squares))

    def band(self, low: float, high: float) -> float:
        """The mean square between two frequencies in Hz."""
        inside = (self.frequency >= low) & (self.frequency < high)
        return float(self.power[inside].sum() + band_power(self.rest, low, high))

    @property
    def whole(self) -> float:
        """The mean square of all."""
        rest = self.rest
        return float(self.power.sum() + rest.mean_square.sum() * rest.bin_hz / rest.enbw_hz)


def content(
    spectrum: Spectrum,
    taper: Window,
    frequency: Array,
    power: Array,
    known: NDArray[np.bool_],
    floor: Array | None = None,
) -> Content:
    """A spectrum parted into lines at ``frequency`` (Hz) and the rest.

    ``power`` is what was fitted to each line, as mean square (unit²); where it is not ``known``,
    since the line wanders by less than a bin, it is that of the main lobe. All of shape (lines,).
    What else stands out of the noise's ``floor`` (unit², shape (bins,)) in the first bins, where
    bin by bin it would be far off, is taken for lines in the same way: integrated, a line counts
    that is too weak beside others to be listed.
    """
    squares, hz = spectrum.mean_square.copy(), spectrum.frame_hz
    per_bin = spectrum.bin_hz / spectrum.enbw_hz
    bins, half = spectrum.frequency / hz, taper.main_lobe / 2
    values = np.array(power, dtype=np.float64)
    # Known ones first: what they leak is no part of the others.
    for turn, i in enumerate(np.lexsort((-values, ~known))):
        at = frequency[i] / hz
        if known[i]:
            reach = math.inf if turn < _WIDE else _NEAR
            first, stop = np.searchsorted(bins, [at - reach, at + reach])
            leak = taper.transform(bins[first:stop] - at) ** 2
            leak += taper.transform(bins[first:stop] + at) ** 2  # of the negative frequency
            squares[first:stop] = np.maximum(squares[first:stop] - values[i] * leak, 0.0)
        else:
            first, stop = np.searchsorted(bins, [at - half, at + half])
            values[i] = squares[first:stop].sum() * per_bin
            squares[first:stop] = 0.0
    rest = replace(spectrum, mean_square=squares)
    if floor is None:
        return Content(np.asarray(frequency), values, rest)
    least = _OUT * floor + _LEFT * (spectrum.mean_square - squares)
    places, powers = _unlisted(rest, least, floor, half).T
    return Content(np.concatenate([frequency, places]), np.concatenate([values, powers]), rest)


def _unlisted(rest: Spectrum, least: Array, floor: Array, half: float) -> Array:
    """Frequency (Hz) and mean square of what rises over ``least`` in the first bins, taken out of
    the ``rest`` by so many bins to either side; shape (lines, 2)."""
    squares, hz = rest.mean_square, rest.frame_hz
    bins, per_bin = rest.frequency / hz, rest.bin_hz / rest.enbw_hz
    low, few = np.searchsorted(bins, [LEAST_BINS, _FIRST_BINS])
    lines = list[tuple[float, float]]()
    while True:
        over = np.where(squares[low:few] > least[low:few], squares[low:few], 0.0)
        if not over.any():
            return np.array(lines).reshape(-1, 2)
        top = bins[low + int(over.argmax())]
        first, stop = np.searchsorted(bins, [top - half, top + half])
        lobe = squares[first:stop]
        # The noise lies evenly about it: its place is that of what rises from it.
        rises = np.maximum(lobe - floor[first:stop], 0.0)
        lines.append((float(rises @ bins[first:stop] / rises.sum()) * hz, lobe.sum() * per_bin))
        squares[first:stop] = 0.0
