"""Units of channels: spelling, quantity and decibel reference.

Anything unusual is parsed by pint. The units that vibration files mostly carry are kept in a
table, so that the usual recording does not wait a second for pint to load; a test holds the
table to pint.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from typing import TYPE_CHECKING, Literal

from tonecomb.core.base.errors import UserError

if TYPE_CHECKING:
    import pint

FULL_SCALE = "FS"
COUNTS = "counts"
UNKNOWN = "a.u."
"""What a table's column of no stated unit is in: any, of which nothing is known."""
PLAIN = {
    FULL_SCALE: ("full scale", "shares of full scale"),
    COUNTS: ("1 count", "counts of its converter"),
    UNKNOWN: ("1 a.u.", "of a unit that the file does not tell (a.u.)"),
}
"""Units of nothing: the decibel reference in words, and what figures in them are."""


@dataclass(frozen=True)
class Unit:
    """A channel's unit as it is shown.

    ``reference`` is the decibel reference of ISO 1683 in this unit, and ``reference_text``
    how it is written on an axis.
    """

    symbol: str
    quantity: str
    reference: float
    reference_text: str

    @property
    def power(self) -> str:
        """Symbol of the squared unit."""
        return f"({self.symbol})²"

    @property
    def density(self) -> str:
        """Symbol of the squared unit per hertz."""
        return f"({self.symbol})²/Hz"

    @property
    def root_density(self) -> str:
        """Symbol of the unit per root hertz."""
        return f"{self.symbol}/√Hz"

    @property
    def energy(self) -> str:
        """Symbol of the squared unit times seconds, per hertz."""
        return f"({self.symbol})²·s/Hz"

    def scaled(self, scaling: str, level: str) -> str:
        """Symbol of a spectrum in one of the scalings; ``level`` goes with amplitudes."""
        return {
            "amplitude": f"{self.symbol} {level}",
            "power": self.power,
            "psd": self.density,
            "amplitude-density": self.root_density,
            "energy": self.energy,
        }[scaling]


# pint would work out any arithmetic that stands in a file's header, towers of powers too.
_NO_UNIT = re.compile(r"\d\d|\*\*.*\*\*|\^.*\^|.{31}")

G = 9.80665  # m/s², standard acceleration of free fall (CGPM 1901)
_INCH = 0.0254  # m, by definition

# quantity -> (pint unit, reference in it, text); ISO 1683:2015, table 1.
REFERENCES = {
    "Acceleration": ("m/s**2", 1e-6, "1 µm/s²"),
    "Velocity": ("m/s", 1e-9, "1 nm/s"),
    "Displacement": ("m", 1e-12, "1 pm"),
    "Force": ("N", 1e-6, "1 µN"),
    "Pressure": ("Pa", 20e-6, "20 µPa"),
    "Voltage": ("V", 1.0, "1 V"),
}


@dataclass(frozen=True)
class MotionUnits:
    """A quantity of motion: its base unit, and the one it is shown in when it was worked out."""

    base: str
    shown: str


MOTIONS = {
    "Displacement": MotionUnits("m", "µm"),
    "Velocity": MotionUnits("m/s", "mm/s"),
    "Acceleration": MotionUnits("m/s²", "m/s²"),
}
"""Each is the derivative of the one before."""

System = Literal["metric", "inch"]
SYSTEMS: dict[System, dict[str, str]] = {
    "metric": {name: one.shown for name, one in MOTIONS.items()},
    "inch": {"Displacement": "mil", "Velocity": "in/s", "Acceleration": "g"},
}
"""The units in which quantities of motion are shown that were worked out."""

# symbol -> (quantity, size in the pint unit of the quantity)
COMMON = {
    "m/s²": ("Acceleration", 1.0),
    "mm/s²": ("Acceleration", 1e-3),
    "g": ("Acceleration", G),
    "m/s": ("Velocity", 1.0),
    "mm/s": ("Velocity", 1e-3),
    "in/s": ("Velocity", _INCH),
    "m": ("Displacement", 1.0),
    "mm": ("Displacement", 1e-3),
    "µm": ("Displacement", 1e-6),
    "mil": ("Displacement", _INCH / 1000),
    "N": ("Force", 1.0),
    "kN": ("Force", 1e3),
    "lbf": ("Force", 4.4482216152605),
    "Pa": ("Pressure", 1.0),
    "kPa": ("Pressure", 1e3),
    "V": ("Voltage", 1.0),
    "mV": ("Voltage", 1e-3),
}

_SPELLINGS = {
    "": FULL_SCALE,
    "fs": FULL_SCALE,
    "counts": COUNTS,
    "count": COUNTS,
    "lsb": COUNTS,
    "a.u.": UNKNOWN,
    "a.u": UNKNOWN,
    "arb. u.": UNKNOWN,
    "unknown": UNKNOWN,
    "m/s^2": "m/s²",
    "m/s2": "m/s²",
    "m/s**2": "m/s²",
    "m/sec^2": "m/s²",
    "m/ss": "m/s²",
    "ms-2": "m/s²",
    "m s-2": "m/s²",
    "m s^-2": "m/s²",
    "m·s⁻²": "m/s²",
    "mm/s^2": "mm/s²",
    "mm/s2": "mm/s²",
    "g_n": "g",
    "gn": "g",
    "ips": "in/s",
    "mils": "mil",
    "um": "µm",
    "\u03bcm": "µm",
}


@cache
def registry() -> pint.UnitRegistry[float]:
    """The pint registry, loaded on first use; ``g`` is the standard acceleration here."""
    import pint

    ureg: pint.UnitRegistry[float] = pint.UnitRegistry(cache_folder=None)
    ureg.define("ips = inch / second")
    return ureg


def pint_name(symbol: str) -> str:
    """How pint spells one of our symbols."""
    return {"g": "g_0", "mil": "thou", "lbf": "lbf"}.get(symbol, symbol.replace("²", "**2"))


@cache
def unit(text: str) -> Unit:
    """The unit that ``text`` names.

    Raises :class:`UserError` when neither the table nor pint knows it.
    """
    stripped = text.strip().strip("[]()").strip()
    symbol = _SPELLINGS.get(stripped.lower(), _SPELLINGS.get(stripped, stripped))
    if symbol in PLAIN:
        return Unit(symbol, "Amplitude", 1.0, PLAIN[symbol][0])
    if symbol in COMMON:
        quantity, size = COMMON[symbol]
        _, reference, label = REFERENCES[quantity]
        return Unit(symbol, quantity, reference / size, label)
    return _from_pint(symbol)


_FROM_A_POINT = {"°C", "°F", "degC", "degF"}  # not from zero: nothing is converted into them


def _from_pint(symbol: str) -> Unit:
    if _NO_UNIT.search(symbol):
        raise _unknown(symbol)
    ureg = registry()
    try:
        quantity = ureg.Quantity(1.0, ureg.parse_units(pint_name(symbol)))
    except Exception as error:  # pint raises many kinds, even for mere typing mistakes
        raise _unknown(symbol) from error
    for name, (base, reference, label) in REFERENCES.items():
        if quantity.is_compatible_with(base):
            return Unit(symbol, name, reference / quantity.to(base).magnitude, label)
    return Unit(symbol, "Amplitude", 1.0, f"1 {symbol}")


def _unknown(symbol: str) -> UserError:
    return UserError(
        f"The unit ‘{symbol[:40]}’ is not known",
        remedy="write it like m/s², g, mm/s, µm, N, Pa or V",
    )


@cache
def conversion(source: str, target: str) -> float:
    """What one ``source`` is in ``target``.

    Raises :class:`UserError` where they measure different things, or one is unknown.
    """
    one, other = unit(source), unit(target)
    if one.symbol == other.symbol:
        return 1.0
    if one.symbol in COMMON and other.symbol in COMMON:
        (kind, size), (other_kind, other_size) = COMMON[one.symbol], COMMON[other.symbol]
        if kind == other_kind:
            return size / other_size
    elif one.symbol not in PLAIN and other.symbol not in PLAIN:
        ureg = registry()
        quantity = ureg.Quantity(1.0, ureg.parse_units(pint_name(one.symbol)))
        wanted = ureg.parse_units(pint_name(other.symbol))
        from_zero = not {one.symbol, other.symbol} & _FROM_A_POINT
        if from_zero and quantity.is_compatible_with(wanted):
            return float(quantity.to(wanted).magnitude)
    raise UserError(
        f"{one.symbol} cannot be converted into {other.symbol}",
        "they measure different things",
        "calibrate the channel, or choose a unit of the same quantity",
    )


def find_unit(text: str) -> str | None:
    """The symbol when ``text`` is a unit, else None: for guessing at headers and comments."""
    try:
        return unit(text).symbol
    except UserError:
        return None
