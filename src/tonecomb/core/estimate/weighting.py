"""Frequency weightings, in their analytic forms.

A and C of sound pressure: IEC 61672-1:2013, annex E. Wk, Wd (ISO 2631-1) and Wm (ISO 2631-2) of
acceleration that people feel: the transfer functions of ISO 8041-1:2017, 5.6 and table 3.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit
from tonecomb.core.record.recording import Array

_F1, _F2, _F3, _F4 = 20.598997, 107.65265, 737.86223, 12194.217  # Hz, of A and C
_FLAT = 1 / math.sqrt(2)  # Q of the band limits


@dataclass(frozen=True)
class Weighting:
    """What it is called, the ``quantity`` that it fits, and its gain |H| at frequencies in Hz."""

    key: str
    note: str
    quantity: str
    gain: Callable[[Array], Array]


def _a(f: Array) -> Array:
    poles = (f**2 + _F1**2) * np.sqrt((f**2 + _F2**2) * (f**2 + _F3**2)) * (f**2 + _F4**2)
    return np.asarray(_F4**2 * f**4 / poles)


def _c(f: Array) -> Array:
    return np.asarray(_F4**2 * f**2 / ((f**2 + _F1**2) * (f**2 + _F4**2)))


def _at_1_khz(gain: Callable[[Array], Array]) -> Callable[[Array], Array]:
    whole = float(gain(np.array([1000.0]))[0])
    return lambda f: np.asarray(gain(f) / whole)


@dataclass(frozen=True)
class _Felt:
    """Band limits ``f1`` and ``f2``, the transition from acceleration to velocity at ``f3`` with
    ``q4``, and the upward step, from ``f5`` to ``f6`` (Hz) with ``q56``, where there is one."""

    f1: float
    f2: float
    f3: float
    q4: float
    f5: float = math.inf
    f6: float = math.inf
    q56: float = 1.0

    def __call__(self, f: Array) -> Array:
        s: NDArray[np.complex128] = 1j * np.asarray(f, dtype=np.complex128)
        h: NDArray[np.complex128] = s**2 / (s**2 + s * self.f1 / _FLAT + self.f1**2)
        h = h / (1 + s / (_FLAT * self.f2) + (s / self.f2) ** 2)
        h = h * (1 + s / self.f3) / (1 + s / (self.q4 * self.f3) + (s / self.f3) ** 2)
        if math.isfinite(self.f5):
            h = (
                h
                * (self.f5 / self.f6) ** 2
                * (1 + s / (self.q56 * self.f5) + (s / self.f5) ** 2)
                / (1 + s / (self.q56 * self.f6) + (s / self.f6) ** 2)
            )
        return np.asarray(np.abs(h))


WEIGHTINGS = {
    one.key: one
    for one in (
        Weighting("A", "as the ear hears soft sounds", "Pressure", _at_1_khz(_a)),
        Weighting("C", "as the ear hears loud sounds", "Pressure", _at_1_khz(_c)),
        Weighting(
            "Wk",
            "people, upright axis, sitting or standing",
            "Acceleration",
            _Felt(0.4, 100.0, 12.5, 0.63, 2.37, 3.35, 0.91),
        ),
        Weighting("Wd", "people, the two level axes", "Acceleration", _Felt(0.4, 100.0, 2.0, 0.63)),
        Weighting(
            "Wm",
            "people in buildings, all axes",
            "Acceleration",
            _Felt(10**-0.1, 100.0, 1 / (0.028 * 2 * math.pi), 0.5),
        ),
    )
}
"""By key, in the order of menus."""


def fitting(symbol: str) -> list[Weighting]:
    """Those that fit what is in the unit ``symbol``."""
    quantity = unit(symbol).quantity
    return [one for one in WEIGHTINGS.values() if one.quantity == quantity]


def check(key: str, symbol: str) -> None:
    """Raise :class:`UserError` where there is no such weighting, or it does not fit what is in the
    unit ``symbol``."""
    if not key:
        return
    if key not in WEIGHTINGS:
        raise UserError(
            f"There is no weighting ‘{key}’", remedy=f"choose one of {', '.join(WEIGHTINGS)}"
        )
    known, wanted = unit(symbol), WEIGHTINGS[key].quantity
    if known.quantity != wanted:
        fit = ", ".join(one.key for one in fitting(symbol))
        raise UserError(
            f"{key} weighs {wanted.lower()}, and this is {known.quantity.lower()} in "
            f"{known.symbol}",
            remedy=f"choose {fit}" if fit else "choose none",
        )


def weight(key: str, frequency: Array) -> Array:
    """What amplitudes at these frequencies (Hz) are multiplied by; ones for ""."""
    if not key:
        return np.ones(len(frequency))
    return WEIGHTINGS[key].gain(frequency)
