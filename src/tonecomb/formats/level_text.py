"""Levels as text: ``velocity:10:1000:rms=1.4,2.8,4.5``."""

from __future__ import annotations

from typing import get_args

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import SYSTEMS, System
from tonecomb.core.estimate.bands import Band, Detector
from tonecomb.core.estimate.weighting import WEIGHTINGS

MEASURED = "measured"
"""The quantity of the channel itself."""


def parse(text: str, units: System = "metric") -> Band:
    """QUANTITY:LOW:HIGH, then in any order a detector, a weighting and ``accept`` with a zone, and
    after = the ends of the zones, rising, in the quantity's unit of this system.

    Raises :class:`UserError` where it is no level.
    """
    asked, _, ends = text.partition("=")
    try:
        quantity, low, high, *rest = asked.split(":")
        limits = tuple(float(one) for one in ends.split(",")) if ends else ()
        made = {"low": float(low), "high": float(high)}
        symbol = "" if quantity == MEASURED else SYSTEMS[units][quantity.capitalize()]
    except (ValueError, KeyError) as error:
        raise UserError(
            f"‘{text}’ is no level",
            remedy=f"give {', '.join((MEASURED, *(one.lower() for one in SYSTEMS[units])))} and "
            "two frequencies, like velocity:10:1000:rms=1.4,2.8,4.5",
        ) from error
    words: dict[str, str] = {}
    for one in rest:
        if one in get_args(Detector):
            words["detector"] = one
        elif one in WEIGHTINGS:
            words["weighting"] = one
        elif one.startswith("accept-"):
            words["accept"] = one.removeprefix("accept-")
        else:
            known = (*get_args(Detector), *WEIGHTINGS, "accept-A")
            raise UserError(f"‘{one}’ in ‘{text}’ is not known", remedy=f"use {', '.join(known)}")
    band = Band(**made, unit=symbol, limits=limits, **words)  # type: ignore[arg-type]
    band.check()
    return band
