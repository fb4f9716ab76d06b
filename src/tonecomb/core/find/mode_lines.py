"""What a mode that noise excites looks like in an averaged spectrum.

Its autocorrelation is e^(−αk) cos(ωk + φ); seen through a window it is multiplied by the window's
own, r(k), and the spectrum is the transform of the product. With r(k) as a Fourier series over
twice the frame, whose coefficients are those of |W|², each term is a geometric series:

    Σₖ e^(iπjk/N) zᵏ e^(−iθk) = (1 − (−1)ᵐ zᴺ) / (1 − z e^(−iπm/N)),  θ = 2πf/N, m = 2f − j

so that a mode costs as much as there are bins, however long the frame. The series of a window that
ends in a step is long: its modes are transformed.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.estimate.transform import fft
from tonecomb.core.record.recording import Array

_LONGEST = 200  # terms to each side
_LEFT_OUT = 1e-9  # share of the window's power beyond them


class ModeLines:
    """Cosine and sine part, at the bins from ``first`` and before ``stop`` of frames under a
    window with these ``weights``, of modes given by ω (radians per sample) and ln α."""

    def __init__(self, weights: Array, first: int, stop: int) -> None:
        from scipy.fft import irfft, rfft

        self._n, self._first, self._stop = len(weights), first, stop
        power = np.abs(rfft(weights, 2 * self._n)) ** 2 / (2 * self._n * float(weights @ weights))
        both = np.concatenate([power[:1], 2 * power[1:-1], power[-1:]])
        beyond = np.cumsum(both[::-1])[::-1]
        reach = int(np.searchsorted(-beyond, -_LEFT_OUT * beyond[0]))
        self.short = reach <= _LONGEST
        if self.short:
            series = power[: reach + 1]
            self._series = np.concatenate([series[:0:-1], series])
            number = np.arange(2 * first - reach, 2 * stop - 1 + reach)
            self._turns = np.exp(-1j * np.pi / self._n * number)
            self._signs = np.where(number % 2 == 0, 1.0, -1.0)
        else:
            self._lags = 2 * self._n * irfft(power, 2 * self._n)[: self._n]

    def __call__(self, omega: float, logged: float) -> tuple[Array, Array]:
        """Both of shape (bins,)."""
        alpha = math.exp(min(max(logged, -50.0), 1.0))
        ratio = min(alpha / max(omega, 1e-9), 0.99)
        exponent = complex(-alpha, omega * math.sqrt(1 - ratio**2))
        if not self.short:
            values = fft(_powers(exponent, self._n) * self._lags)
            n, first, stop = self._n, self._first, self._stop
            there, back = values[first:stop], values[n - first : n - stop : -1]
            return there.real + back.real - 1, there.imag + back.imag
        there, back = self._sums(exponent), self._sums(exponent.conjugate())
        return (there + back).real - 1, (there - back).imag

    def _sums(self, exponent: complex) -> NDArray[np.complex128]:
        z, last = np.exp(exponent), np.exp(exponent * self._n)
        terms = (1 - self._signs * last) / (1 - z * self._turns)
        return np.convolve(terms, self._series, mode="valid")[::2]


def _powers(exponent: complex, n: int) -> NDArray[np.complex128]:
    """e^(exponent·k) for k from 0 to n − 1, by a product of two short runs of powers."""
    step = math.isqrt(n) + 1
    short, long = np.exp(exponent * np.arange(step)), np.exp(exponent * step * np.arange(step))
    result: NDArray[np.complex128] = np.multiply.outer(long, short).ravel()[:n]
    return result
