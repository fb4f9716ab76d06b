"""Windows and the figures that describe them.

Windows are in DFT-even (periodic) form. Figures follow Harris, "On the use of windows for
harmonic analysis with the discrete Fourier transform", Proc. IEEE 66 (1978) 51–83, and Heinzel,
Rüdiger and Schilling, "Spectrum and spectral density estimation by the DFT", 2002.

A window is named by a word, and one with a parameter by word and value: ``kaiser:8.6``.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property, lru_cache, partial

import numpy as np
from numpy.typing import ArrayLike

from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Array

_PROBE = 1024  # samples from which the figures of a window without cosine terms are found
_FINE = 256  # steps a bin in which its transform is known
_SHORT = 1 << 17  # samples of a window up to which the last few are kept
_FAR = 64  # bins up to which side lobes are looked for


@dataclass(frozen=True)
class Window:
    """w(n) = Σ (−1)ᵏ aₖ cos(2πkn/N), n = 0 … N−1, or else what ``shape(N)`` gives.

    ``name`` says which, the parameter included. ``overlap`` is the recommended overlap in
    percent. Figures in bins are for long frames.
    """

    name: str
    title: str
    overlap: float
    terms: tuple[float, ...] = ()
    shape: Callable[[int], Array] | None = None

    def samples(self, length: int) -> Array:
        """The window for a frame of ``length`` samples, not to be written to."""
        return _samples_once(self, length) if length <= _SHORT else _samples(self, length)

    def transform(self, bins: ArrayLike) -> Array:
        """Magnitude of the window's transform at an offset in bins, 1 at its centre.

        For cosine sums the limit for long frames: a sum of sinc functions one bin apart
        (Harris eq. 27 ff.); for others that of a frame of 1024 samples.
        """
        x = np.asarray(bins, dtype=np.float64)
        if self.shape is not None:
            fine = self._fine
            return np.interp(np.abs(x), np.arange(len(fine)) / _FINE, fine)
        total = self.terms[0] * np.sinc(x)
        for k, a in enumerate(self.terms[1:], start=1):
            # (−1)ᵏ of the term cancels against that of the shifted frame centre.
            total = total + 0.5 * a * (np.sinc(x - k) + np.sinc(x + k))
        return np.abs(total) / self.terms[0]

    @cached_property
    def _fine(self) -> Array:
        from scipy.fft import rfft

        spectrum = np.abs(rfft(self.samples(_PROBE), _PROBE * _FINE))
        return np.asarray(spectrum / spectrum[0])

    @cached_property
    def _probe(self) -> Array:
        return self.samples(_PROBE)

    @cached_property
    def coherent_gain(self) -> float:
        """Σw/N."""
        return self.terms[0] if self.terms else float(self._probe.mean())

    @cached_property
    def enbw(self) -> float:
        """Equivalent noise bandwidth in bins, N·Σw²/(Σw)²."""
        if not self.terms:
            return float(np.mean(self._probe**2) / self._probe.mean() ** 2)
        a0, rest = self.terms[0], self.terms[1:]
        return (a0**2 + 0.5 * sum(a * a for a in rest)) / a0**2

    @cached_property
    def scalloping_db(self) -> float:
        """Loss in dB of a tone midway between two bins."""
        return float(-20 * np.log10(self.transform(0.5)))

    @cached_property
    def main_lobe(self) -> float:
        """Width of the main lobe in bins between its first zeros, or first minima."""
        if self.terms:
            return 2.0 * len(self.terms)
        falling = np.flatnonzero(np.diff(self._fine[: _FAR * _FINE]) > 0)
        return 2 * float(falling[0]) / _FINE if len(falling) else 2 * self.width_6db

    @cached_property
    def highest_side_lobe_db(self) -> float:
        """Height of the highest side lobe in dB, relative to the main lobe."""
        x = np.arange(self.main_lobe / 2, _FAR, 1 / _FINE)
        return float(20 * np.log10(max(self.transform(x).max(), 1e-12)))

    @cached_property
    def fall_off_db(self) -> float:
        """How far side lobes fall in dB an octave, from 16 to 48 bins off (Harris, table 1)."""
        near, far = (
            self.transform(np.arange(centre - 2, centre + 2, 1 / _FINE)).max()
            for centre in (16, 48)
        )
        return float(-20 * np.log10(max(far, 1e-15) / max(near, 1e-15)) / np.log2(3))

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
        x = np.linspace(0, len(self.terms) or _FAR, 20001)
        values = self.transform(x)
        after = int(np.argmax(values < height))
        ends = slice(after, after - 2, -1)  # falling through ``height``
        return float(2 * np.interp(height, values[ends], x[ends]))

    @cached_property
    def weighs(self) -> bool:
        """Whether the window can weigh a least-squares fit: a cosine sum that is nowhere
        negative."""
        return bool(self.terms) and float(self.samples(256).min()) > -1e-4


def _samples(window: Window, length: int) -> Array:
    if window.shape is not None:
        values = window.shape(length)
    else:
        angle = 2 * np.pi * np.arange(length) / length
        values = sum(
            ((-1) ** k * a * np.cos(k * angle) for k, a in enumerate(window.terms)),
            start=np.zeros(length),
        )
    values.setflags(write=False)  # it is for all
    return values


_samples_once = lru_cache(8)(_samples)


@dataclass(frozen=True)
class Family:
    """Windows of one kind that differ by a parameter: what it is called, its unit, the usual
    value and its limits."""

    title: str
    parameter: str
    usual: float
    low: float
    high: float
    make: Callable[[float, int], Array]
    overlap: Callable[[float], float]

    def window(self, word: str, value: float) -> Window:
        """The member with this value; :class:`UserError` for one outside the limits."""
        if not self.low <= value <= self.high:
            raise UserError(
                f"A {self.title} window with {self.parameter.format(f'{value:g}')} cannot be used",
                remedy=f"choose a value from {self.low:g} to {self.high:g}",
            )
        said = self.parameter.format(f"{value:g}")
        return Window(
            f"{word}:{value:g}",
            f"{self.title}, {said}",
            self.overlap(value),
            shape=partial(self.make, value),
        )


def _triangular(length: int) -> Array:
    return 1 - np.abs(2 * np.arange(length) / length - 1)


def _kaiser(beta: float, length: int) -> Array:
    """Harris eq. 46: I₀(β√(1−u²))/I₀(β)."""
    u = 2 * np.arange(length) / length - 1
    return np.asarray(np.i0(beta * np.sqrt(np.clip(1 - u * u, 0, None))) / np.i0(beta))


def _gaussian(sigma: float, length: int) -> Array:
    """Harris eq. 44 with α = 1/σ; σ is a share of half the frame."""
    u = 2 * np.arange(length) / length - 1
    return np.asarray(np.exp(-0.5 * (u / sigma) ** 2))


def _tukey(alpha: float, length: int) -> Array:
    """Harris eq. 38: flat in the middle, cosine over the share α of the frame."""
    u = np.abs(2 * np.arange(length) / length - 1)
    if alpha == 0:
        return np.ones(length)
    slope = np.clip((u - (1 - alpha)) / alpha, 0, 1)
    return np.asarray(0.5 * (1 + np.cos(np.pi * slope)))


def _chebyshev(attenuation: float, length: int) -> Array:
    """Dolph–Chebyshev: all side lobes ``attenuation`` dB down (Harris eq. 45), by its transform
    at the bins. Symmetric about its middle: in the periodic form, which leaves out one of its
    two ends, the side lobes would stand 3 dB higher."""
    from scipy.fft import fft

    order, k = length - 1, np.arange(length)
    x = np.cosh(np.arccosh(10 ** (attenuation / 20)) / order) * np.cos(np.pi * k / length)
    outside = np.maximum(np.abs(x), 1.0)
    values = np.where(
        np.abs(x) > 1,
        np.sign(x) ** order * np.cosh(order * np.arccosh(outside)),
        np.cos(order * np.arccos(np.clip(x, -1, 1))),
    )
    # Turned by half a sample where there is none in the middle.
    turned = values * np.exp(1j * np.pi / length * k * (1 - length % 2))
    taps = np.real(fft(turned))
    half = length // 2 + 1
    rising = taps[half - 1 : 0 : -1]
    taps = np.concatenate([rising, taps[:half] if length % 2 else taps[1:half]])
    return np.asarray(taps / taps.max())


def _exponential(percent: float, length: int) -> Array:
    """Decays over the frame to so many percent, for the answer to a tap."""
    return np.asarray((percent / 100) ** (np.arange(length) / length))


def _force(percent: float, length: int) -> Array:
    """One over the first percent of the frame, then a cosine slope half as long, then nothing:
    for the hammer's blow."""
    u = np.arange(length) / length * 100
    slope = np.clip((u - percent) / (percent / 2), 0, 1)
    return np.asarray(0.5 * (1 + np.cos(np.pi * slope)))


FAMILIES: dict[str, Family] = {
    "kaiser": Family(
        "Kaiser", "β = {}", 8.6, 0.0, 40.0, _kaiser, lambda beta: min(80.0, 30 + 4.2 * beta)
    ),
    "gaussian": Family("Gaussian", "σ = {}", 0.33, 0.05, 1.0, _gaussian, lambda sigma: 60.0),
    "tukey": Family("Tukey", "α = {}", 0.5, 0.0, 1.0, _tukey, lambda alpha: 50 * alpha),
    "chebyshev": Family(
        "Dolph–Chebyshev", "{} dB", 80.0, 45.0, 150.0, _chebyshev, lambda attenuation: 60.0
    ),
    "exponential": Family(
        "Exponential", "{} % at the end", 1.0, 1e-4, 99.0, _exponential, lambda percent: 0.0
    ),
    "force": Family("Force", "{} % long", 5.0, 2.0, 60.0, _force, lambda percent: 0.0),
}

_COSINES = (
    Window("rectangular", "Rectangular", 0.0, (1.0,)),
    Window("triangular", "Triangular", 50.0, shape=_triangular),
    Window("hann", "Hann", 50.0, (0.5, 0.5)),
    Window("hamming", "Hamming", 50.0, (0.54, 0.46)),
    Window("blackman", "Blackman", 60.0, (0.42, 0.5, 0.08)),
    Window("exact-blackman", "Exact Blackman", 58.0, (7938 / 18608, 9240 / 18608, 1430 / 18608)),
    Window("blackman-harris-3", "Blackman–Harris, 3 terms", 61.0, (0.42323, 0.49755, 0.07922)),
    Window("blackman-harris", "Blackman–Harris", 66.0, (0.35875, 0.48829, 0.14128, 0.01168)),
    # Nuttall4c of Heinzel et al. 2002.
    Window("nuttall", "Nuttall", 65.6, (0.3635819, 0.4891775, 0.1365995, 0.0106411)),
    # HFT70, HFT95 and HFT144D of the same.
    Window("flat-top-70", "Flat-top, 70 dB", 72.2, (1.0, 1.90796, 1.07349, 0.18199)),
    Window("flat-top", "Flat-top", 75.0, (1.0, 1.9383379, 1.3045202, 0.4028270, 0.0350665)),
    Window(
        "flat-top-144",
        "Flat-top, 144 dB",
        79.9,
        (1.0, 1.96760033, 1.57983607, 0.81123644, 0.22583558, 0.02773848, 0.00090360),
    ),
)

WINDOWS: dict[str, Window] = {one.name: one for one in _COSINES} | {
    word: family.window(word, family.usual) for word, family in FAMILIES.items()
}
"""Windows by the word that names them, families by their usual member."""


@lru_cache(64)
def window(name: str) -> Window:
    """The window called ``name``; :class:`UserError` when there is none."""
    word, _, text = name.partition(":")
    if word in FAMILIES:
        if not text:
            return WINDOWS[word]
        try:
            return FAMILIES[word].window(word, float(text))
        except ValueError:
            pass
    elif name in WINDOWS:
        return WINDOWS[name]
    raise UserError(
        f"There is no window called ‘{name}’",
        remedy=f"choose one of {', '.join(WINDOWS)}; those from kaiser on take a value, such as "
        "kaiser:8.6",
    )


@cache
def overlap_correlation(name: str, length: int, hop: int) -> tuple[float, ...]:
    """Correlation Σw(n)w(n+mH)/Σw² of two frames m hops apart, for m = 1, 2, … (Welch 1967)."""
    w = window(name).samples(length)
    energy = float(w @ w)
    return tuple(float(w[lag:] @ w[:-lag]) / energy for lag in range(hop, length, hop))
