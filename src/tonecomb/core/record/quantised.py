"""What a converter makes of a value: one of so many steps, and nothing beyond full scale."""

from __future__ import annotations

import numpy as np

from tonecomb.core.record.recording import Array

MOST_BITS = 52  # of a double's mantissa


def step(bits: int, full_scale: float) -> float:
    """The distance of two values of a converter that reaches from −``full_scale`` to it."""
    return 2.0 * full_scale / 2.0**bits


def quantised(x: Array, bits: int, full_scale: float) -> Array:
    """Values as ``bits`` show them, 0 for all figures, held to ±``full_scale``, 0 for no limit.

    A rounding quantiser adds an error of variance Δ²/12 (Widrow and Kollár, Quantization Noise,
    2008); the highest of its values lies a step below full scale.
    """
    if not full_scale > 0:
        return x
    if not bits:
        return np.clip(x, -full_scale, full_scale)
    delta = step(bits, full_scale)
    half = 2.0 ** (bits - 1)
    return np.clip(np.rint(x / delta), -half, half - 1) * delta
