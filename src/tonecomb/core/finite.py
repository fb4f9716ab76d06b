"""Numbers that are none: what was typed as nan, or became infinite, is told before it is used."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any


def not_finite(value: Any, name: str = "") -> str:
    """The name of the first field in a value that is nan or infinite, "" where all are numbers.
    Arrays and what is no dataclass are not looked into."""
    if isinstance(value, float):
        return "" if math.isfinite(value) else name or "a number"
    if isinstance(value, (tuple, list)):
        return next((found for one in value if (found := not_finite(one, name))), "")
    if isinstance(value, Mapping):
        return not_finite(tuple(value.values()), name)
    if not is_dataclass(value) or isinstance(value, type):
        return ""
    for part in fields(value):
        if found := not_finite(getattr(value, part.name), part.name.replace("_", " ")):
            return found
    return ""
