"""The analogue low-pass before sampling: a Butterworth circuit, and what it makes of what is
known in closed form."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

Complex = NDArray[np.complex128]


@dataclass(frozen=True)
class SamplingLowPass:
    """3 dB down at ``corner`` (Hz), falling by 20 dB a decade and ``order`` beyond it
    (Butterworth, On the theory of filter amplifiers, 1930)."""

    corner: float
    order: int

    @cached_property
    def poles(self) -> Complex:
        """In the s plane, rad/s, shape (order,)."""
        k = np.arange(self.order)
        angle = np.pi * (2 * k + self.order + 1) / (2 * self.order)
        return np.asarray(2 * np.pi * self.corner * np.exp(1j * angle))

    @cached_property
    def residues(self) -> Complex:
        """Of H(s) = Σ r/(s − p) at the poles."""
        p = self.poles
        apart = p[:, None] - p[None, :] + np.eye(self.order)
        return np.asarray(np.prod(-p) / apart.prod(axis=1))

    def at(self, s: Complex) -> Complex:
        """H(s) at complex frequencies (rad/s)."""
        p = self.poles
        return np.asarray(np.prod(-p / (np.asarray(s)[..., None] - p), axis=-1))

    def response(self, frequency: ArrayLike) -> Complex:
        """Its gain at frequencies (Hz), of the same shape."""
        return self.at(np.asarray(2j * np.pi * np.asarray(frequency), dtype=np.complex128))
