"""What is asked between channels: a reference, what answers it, and how both are framed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import MOTIONS, Unit, unit
from tonecomb.core.record.signal import Signal

Form = Literal["", "receptance", "mobility", "accelerance"]
FORMS: dict[Form, tuple[str, str]] = {
    "": ("as measured", "In the answer's own quantity"),
    "receptance": ("receptance", "Displacement over the reference"),
    "mobility": ("mobility", "Velocity over the reference"),
    "accelerance": ("accelerance", "Acceleration over the reference"),
}
_ORDERS: dict[Form, int] = {"receptance": 0, "mobility": 1, "accelerance": 2}
_QUANTITIES = ("Displacement", "Velocity", "Acceleration")

Estimator = Literal["h1", "h2", "hv"]
ESTIMATORS: dict[Estimator, tuple[str, str]] = {
    "h1": ("H1", "Noise in the answer averages out"),
    "h2": ("H2", "Noise in the reference averages out"),
    "hv": ("Hv", "The mean of both, where either is noisy"),
}


@dataclass(frozen=True)
class FrfSettings:
    """``reference`` and ``answers`` are numbers of channels (from 0; () for all others). Without a
    reference what rings after taps is analysed by itself. With
    ``hits`` frames begin ``before`` s ahead of taps and last ``frame`` samples (0: as long as taps
    allow), under an exponential of time constant ``decay`` s (0: none) and, with ``pulse``, a force
    window; else they are those of the method. Taps that are ``aside`` do not count, those ``taken``
    do whatever is wrong with them. Modes are fitted between ``low`` and ``high`` Hz where high is
    not 0, with models up to ``order``."""

    reference: int | None = 0
    answers: tuple[int, ...] = ()
    hits: bool = True
    estimator: Estimator = "h1"
    form: Form = ""
    frame: int = 0
    before: float = 0.01
    decay: float = 0.0
    pulse: bool = True
    aside: tuple[int, ...] = ()
    taken: tuple[int, ...] = ()
    low: float = 0.0
    high: float = 0.0
    order: int = 40

    def of(self, count: int) -> tuple[int, ...]:
        """The answers' numbers among ``count`` channels."""
        return self.answers or tuple(i for i in range(count) if i != self.reference)

    def every(self, count: int) -> tuple[int, ...]:
        """Those and the reference: all that it reads."""
        own = () if self.reference is None else (self.reference,)
        return (*own, *self.of(count))

    def check(self, signal: Signal) -> None:
        """Raise :class:`UserError` where this cannot be for the signal."""
        count = len(signal.channels)
        own = () if self.reference is None else (self.reference,)
        for number in (*own, *self.answers):
            if not 0 <= number < count:
                raise UserError(f"{signal.name} has no channel {number + 1}", f"it has {count}")
        if self.reference is None and not self.hits:
            raise UserError(
                "Without taps a transfer function needs a reference", remedy="choose a channel"
            )
        if self.reference is not None and (count < 2 or self.reference in self.answers):
            raise UserError(
                "A transfer function needs a reference and another channel that answers",
                remedy="choose two channels",
            )
        if self.estimator not in ESTIMATORS:
            raise UserError(f"There is no estimator {self.estimator}", remedy="choose h1, h2 or hv")
        if self.frame and not 16 <= self.frame <= signal.length:
            raise UserError(
                f"Frames of {self.frame} samples do not fit",
                f"there are {signal.length} samples",
                "choose a shorter one, or 0 for what the taps allow",
            )
        if not (0 <= self.before <= 10 and 0 <= self.decay <= 1e4):
            raise UserError(
                "The time before a tap, or of the exponential, cannot be",
                remedy="give seconds from 0 up",
            )
        if self.high and not 0 <= self.low < self.high <= signal.rate / 2:
            raise UserError(
                f"Modes cannot be fitted from {self.low:g} to {self.high:g} Hz",
                remedy=f"choose a range up to {signal.rate / 2:g} Hz",
            )
        if not 4 <= self.order <= 100:
            raise UserError(f"Models of order {self.order} cannot be", remedy="choose 4 to 100")


def power_of(symbol: str) -> int | None:
    """How often a quantity of motion is the derivative of displacement, None where it is none."""
    try:
        quantity = unit(symbol).quantity
    except UserError:
        return None
    return _QUANTITIES.index(quantity) if quantity in _QUANTITIES else None


def shown(form: Form, symbol: str, reference: str) -> tuple[int, float, str]:
    """By what power of iω an answer in ``symbol`` is multiplied to be shown, by what factor then,
    and the unit over that of the reference."""
    own = power_of(symbol)
    if not form or own is None:
        return 0, 1.0, over(symbol, reference)
    wanted = _ORDERS[form]
    if wanted == own:
        return 0, 1.0, over(symbol, reference)
    from tonecomb.core.base.units import conversion

    base = [MOTIONS[name].base for name in _QUANTITIES]
    return wanted - own, conversion(symbol, base[own]), over(base[wanted], reference)


def over(symbol: str, reference: str) -> str:
    """One unit over another: ``(m/s²)/N``."""

    def put(text: str) -> str:
        return f"({text})" if "/" in text else text

    if symbol == reference:
        return "1"
    return f"{put(symbol)}/{put(reference)}"


def named(form: Form, symbol: str, reference: Unit) -> str:
    """What the curve is called."""
    own = power_of(symbol)
    usual = {0: "receptance", 1: "mobility", 2: "accelerance"}
    if reference.quantity != "Force" or own is None:
        return "Transfer function"
    return (form or usual[own]).capitalize()
