"""Poles that several transfer functions have in common: least-squares complex frequency.

P. Guillaume, P. Verboven, S. Vanlanduit, "Frequency-domain maximum likelihood identification of
modal parameters with confidence intervals", ISMA 23 (1998) 359–366: a common denominator, in powers
of z = e^(iπ(f − low)/(high − low)), so that the range lies on half the unit circle; normal matrices
are made once, their leading blocks serve the lower orders.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.record.recording import Array

Complex = NDArray[np.complex128]
_NEAR = 0.25  # of a pole's decay rate, within which the same pole stands two orders lower
_DAMPED = 0.1  # damping ratio above which a pole is not taken for a mode's
_LEAST_ORDERS, _LEAST_SHARE = 4, 0.35  # of the orders, in which a mode stands
_FIRST = 2  # the lowest order


@dataclass(frozen=True)
class Pole:
    """A pole s = −decay + 2πi·frequency of the model of an ``order``; ``stable`` where it stands
    two orders lower too. ``decay`` in 1/s, ``frequency`` in Hz."""

    order: int
    frequency: float
    decay: float
    stable: bool

    @property
    def damping(self) -> float:
        """The damping ratio."""
        return self.decay / math.hypot(self.decay, 2 * math.pi * self.frequency)


def find_poles(frequency: Array, h: Complex, sd: Array, highest: int = 40) -> tuple[Pole, ...]:
    """Poles of models of order 2 to ``highest`` of ``h`` (answers, bins) at ``frequency`` (bins,)
    in Hz, whose standard deviations are ``sd`` (answers, bins). Those that fall outside the range
    or grow with time are no mode's and are left out."""
    low, high = float(frequency[0]), float(frequency[-1])
    highest = max(_FIRST, min(highest, len(frequency) // 2 - 2))
    z = np.exp(1j * np.pi * (frequency - low) / (high - low))
    basis = z[:, None] ** np.arange(highest + 1)
    size = highest + 1
    left, cross, below = [], [], []
    for one, each in zip(h, sd, strict=True):
        weight = 1 / np.maximum(each, 1e-12 * float(np.abs(one).max()) + 1e-300)
        x = basis * weight[:, None]
        y = -x * one[:, None]
        left.append(x.conj().T @ x)
        cross.append(x.conj().T @ y)
        below.append(y.conj().T @ y)
    found: list[Pole] = []
    before: list[tuple[float, float]] = []
    last: dict[int, list[tuple[float, float]]] = {}
    for order in range(_FIRST, size):
        n = order + 1
        normal = np.zeros((n, n), np.complex128)
        for r, s, t in zip(left, cross, below, strict=True):
            block = r[:n, :n] + 1e-13 * np.trace(r[:n, :n]).real / n * np.eye(n)
            normal += t[:n, :n] - s[:n, :n].conj().T @ np.linalg.solve(block, s[:n, :n])
        poles = _roots(normal, high - low, low)
        before = last.get(order - 2, [])
        for f, decay in poles:
            if not (low <= f <= high and decay > 0):
                continue
            stands = any(
                math.hypot(2 * math.pi * (f - g), decay - d) < _NEAR * decay for g, d in before
            )
            damped = decay / math.hypot(decay, 2 * math.pi * f)
            found.append(Pole(order, f, decay, stands and damped < _DAMPED))
        last[order] = poles
    return tuple(found)


def _roots(normal: Complex, span: float, low: float) -> list[tuple[float, float]]:
    """Frequencies (Hz) and decay rates (1/s) of the denominator that the normal matrix tells; the
    coefficient of the lowest power is one, which turns poles that nothing asks for outward."""
    n = len(normal)
    rest = np.linalg.lstsq(normal[1:, 1:], -normal[1:, 0], rcond=1e-14)[0]
    coefficients = np.concatenate([rest[::-1], [1.0]])
    keep = np.flatnonzero(np.abs(coefficients) > 1e-14 * np.abs(coefficients).max())
    if len(keep) < 2:
        return []
    roots = np.roots(coefficients[keep[0] :])
    roots = roots[np.abs(roots) > 1e-12]
    del n
    # z = e^(iπ(f − low)/span): with s = 2πi·f − decay, log z = (s − 2πi·low)/(2·span).
    s = np.log(roots) * 2 * span
    frequency = low + s.imag / (2 * np.pi)
    return [(float(f), float(-one.real)) for f, one in zip(frequency, s, strict=True)]


def settled(poles: tuple[Pole, ...]) -> list[tuple[float, float]]:
    """Frequency (Hz) and decay rate (1/s) of each group of stable poles that stands in enough
    orders, by rising frequency: the medians of the group."""
    stable = sorted((one for one in poles if one.stable), key=lambda one: one.frequency)
    orders = {one.order for one in poles}
    least = max(_LEAST_ORDERS, round(_LEAST_SHARE * len(orders)))
    groups: list[list[Pole]] = []
    for one in stable:
        for group in groups:
            f, d = _middle(group)
            if math.hypot(2 * math.pi * (one.frequency - f), one.decay - d) < 0.5 * max(d, 1e-9):
                group.append(one)
                break
        else:
            groups.append([one])
    pairs = [_middle(g) for g in groups if len({one.order for one in g}) >= least]
    pairs.sort()
    return pairs


def _middle(group: list[Pole]) -> tuple[float, float]:
    return (
        float(np.median([one.frequency for one in group])),
        float(np.median([one.decay for one in group])),
    )
