"""Cosine-sum windows and the figures that describe them.

Windows are in DFT-even (periodic) form. Figures follow Harris, "On the use of windows for
harmonic analysis with the discrete Fourier transform", Proc. IEEE 66 (1978) 51–83, and Heinzel,
Rüdiger and Schilling, "Spectrum and spectral density estimation by the DFT", 2002.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np
from numpy.typing import ArrayLike

from tonecomb.core.errors import UserError
from tonecomb.core.recording import Array


@dataclass(frozen=True)
class Window:
    """w(n) = Σ (−1)ᵏ aₖ cos(2πkn/N), n = 0 … N−1.

    ``overlap`` is the recommended overlap in percent. Figures in bins are for frames long
    against the number of terms.
    """

    name: str
    title: str
    terms: tuple[float, ...]
    overlap: float

    def samples(self, length: int) -> Array:
        """The window for a frame of ``length`` samples."""
        angle = 2 * np.pi * np.arange(length) / length
        return sum(
            ((-1) ** k * a * np.cos(k * angle) for k, a in enumerate(self.terms)),
            start=np.zeros(length),
        )

    def transform(self, bins: ArrayLike) -> Array:
        """Magnitude of the window's transform at an offset in bins, 1 at its centre.

        The limit for long frames: a sum of sinc functions one bin apart (Harris eq. 27 ff.).
        """
        x = np.asarray(bins, dtype=np.float64)
        total = self.terms[0] * np.sinc(x)
        for k, a in enumerate(self.terms[1:], start=1):
            # (−1)ᵏ of the term cancels against that of the shifted frame centre.
            total = total + 0.5 * a * (np.sinc(x - k) + np.sinc(x + k))
        return np.abs(total) / self.terms[0]

    @cached_property
    def coherent_gain(self) -> float:
        """Σw/N."""
        return self.terms[0]

    @cached_property
    def enbw(self) -> float:
        """Equivalent noise bandwidth in bins, N·Σw²/(Σw)²."""
        a0, rest = self.terms[0], self.terms[1:]
        return (a0**2 + 0.5 * sum(a * a for a in rest)) / a0**2

    @cached_property
    def scalloping_db(self) -> float:
        """Loss in dB of a tone midway between two bins."""
        return float(-20 * np.log10(self.transform(0.5)))

    @cached_property
    def main_lobe(self) -> float:
        """Width of the main lobe between its first zeros, in bins."""
        return 2.0 * len(self.terms)

    @cached_property
    def width_3db(self) -> float:
        """Width of the main lobe in bins where it is 3 dB down."""
        return self._width(10 ** (-3 / 20))

    @cached_property
    def width_6db(self) -> float:
        """Width of the main lobe in bins where it is 6.02 dB down: the smallest gap at which
        two equal tones are still told apart (Harris 1978, section IV-F)."""
        return self._width(0.5)

    def _width(self, height: float) -> float:
        """Full width of the main lobe at a height between 0 and 1, in bins."""
        x = np.linspace(0, len(self.terms), 20001)
        values = self.transform(x)
        after = int(np.argmax(values < height))
        ends = slice(after, after - 2, -1)  # falling through ``height``
        return float(2 * np.interp(height, values[ends], x[ends]))

    @property
    def nonnegative(self) -> bool:
        """Whether the window can weigh a least-squares fit."""
        return self.name != "flat-top"


WINDOWS: dict[str, Window] = {
    window.name: window
    for window in (
        Window("rectangular", "Rectangular", (1.0,), 0.0),
        Window("hann", "Hann", (0.5, 0.5), 50.0),
        Window("hamming", "Hamming", (0.54, 0.46), 50.0),
        Window("blackman-harris", "Blackman–Harris", (0.35875, 0.48829, 0.14128, 0.01168), 66.0),
        # HFT95 of Heinzel et al. 2002.
        Window(
            "flat-top", "Flat-top", (1.0, 1.9383379, 1.3045202, 0.4028270, 0.0350665), 75.0
        ),
    )
}  # fmt: skip


def window(name: str) -> Window:
    """The window called ``name``; :class:`UserError` when there is none."""
    try:
        return WINDOWS[name]
    except KeyError:
        raise UserError(
            f"There is no window called ‘{name}’", remedy=f"choose one of {', '.join(WINDOWS)}"
        ) from None


@cache
def overlap_correlation(name: str, length: int, hop: int) -> tuple[float, ...]:
    """Correlation Σw(n)w(n+mH)/Σw² of two frames m hops apart, for m = 1, 2, … (Welch 1967)."""
    w = window(name).samples(length)
    energy = float(w @ w)
    return tuple(float(w[lag:] @ w[:-lag]) / energy for lag in range(hop, length, hop))
