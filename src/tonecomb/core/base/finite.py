"""Numbers that are none: what was typed as nan, stands in a file, or became infinite, is told
before it is used."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tonecomb.core.base.errors import UserError

HOLES = "The stretch holds missing or infinite values"
_LARGEST = 1e75  # whose fourth power is still a number


def check_samples(samples: NDArray[np.floating[Any]]) -> None:
    """A :class:`UserError` where samples cannot be reckoned with: they hold what is no number, or
    are too large to be squared twice."""
    lowest, highest = (float(samples.min()), float(samples.max())) if samples.size else (0.0, 0.0)
    if not math.isfinite(lowest) or not math.isfinite(highest):
        raise UserError(HOLES, remedy="choose a stretch without them, or have them interpolated")
    if max(-lowest, highest) > _LARGEST:
        raise UserError(
            "The stretch holds values too large to be squared",
            remedy="check the file's unit and scale",
        )


def not_finite(value: Any, name: str = "") -> str:
    """The name of the first field in a value that is nan or infinite, "" where all are numbers.
    Arrays and what is no dataclass are not looked into."""
    if isinstance(value, float):
        return "" if math.isfinite(value) else name or "a number"
    if isinstance(value, (tuple, list)):
        return next((text for one in value if (text := not_finite(one, name))), "")
    if isinstance(value, Mapping):
        return not_finite(tuple(value.values()), name)
    if not is_dataclass(value) or isinstance(value, type):
        return ""
    for part in fields(value):
        if text := not_finite(getattr(value, part.name), part.name.replace("_", " ")):
            return text
    return ""
