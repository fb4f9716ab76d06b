"""How much a session, a list of presets or a description may hold: data of bounded size, whoever
wrote it. What the program itself writes is far below all of these."""

from __future__ import annotations

import math
from dataclasses import fields, is_dataclass
from typing import Any

from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.document import Document, DroppedComb, RecordingRef
from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.method.searches import PeakSearch
from tonecomb.core.method.sketch import Place, Sketch

MOST_BYTES = 64 << 20
"""Of a file, beyond which it is not read."""
_TEXT, _LIST, _DEPTH, _NODES = 20_000, 50_000, 60, 2_000_000
_NUMBER = 1e18

FIELDS: dict[type, dict[str, float]] = {
    DroppedComb: {"first": 10_000, "last": 10_000},
    PeakSearch: {"most": 100_000},
    Shaft: {"pulses": 1_000_000},
    FrfSettings: {"order": 1_000},
    Place: {"channel": 10_000, "x": 1e6, "y": 1e6, "z": 1e6},
}
"""The greatest, either way, of numbers that say how much is done and that nobody checks later: what
a plan refuses may stand in a session, as it may stand on the bench."""
LENGTHS: dict[type, dict[str, int]] = {
    Document: {"recordings": 2_000, "held": 200},
    RecordingRef: {
        "combs": 50,
        "marks": 10_000,
        "peak_notes": 10_000,
        "chains": 200,
        "beside": 1_000,
        "mode_notes": 1_000,
    },
    Sketch: {"places": 2_000, "lines": 10_000},
    Wanted: {"teeth": 200},
    FrfSettings: {"answers": 1_000, "aside": 10_000, "taken": 10_000},
}
"""The most of lists that are drawn or computed one by one."""


def refuse_constant(text: str) -> float:
    """What JSON does not have: NaN and infinities."""
    raise ValueError(f"{text} is no number")


def check_json(value: Any) -> None:
    """Raise :class:`ValueError` where what was read from JSON is too deep, too long or too
    large."""
    waiting: list[tuple[Any, int]] = [(value, 0)]
    count = 0
    while waiting:
        one, depth = waiting.pop()
        count += 1
        if depth > _DEPTH or count > _NODES:
            raise ValueError("it holds more than such a file may")
        if isinstance(one, (str, int, float)):
            _check_plain(one)
        elif isinstance(one, (list, dict)):
            _check_length(one)
            inside = [*one.keys(), *one.values()] if isinstance(one, dict) else one
            waiting += [(each, depth + 1) for each in inside]


def _check_plain(one: str | float) -> None:
    if isinstance(one, str):
        if len(one) > _TEXT:
            raise ValueError(f"a text of {len(one)} letters is longer than {_TEXT}")
    elif (isinstance(one, int) and abs(one) > _NUMBER) or not math.isfinite(one):
        raise ValueError("a number is too large")


def _check_length(several: Any) -> None:
    if len(several) > _LIST:
        raise ValueError(f"a list of {len(several)} is longer than {_LIST}")


def check(value: Any) -> None:
    """Raise :class:`ValueError` where a value holds more than the tables above allow, or what
    :func:`check_json` would refuse of it in a file."""
    if isinstance(value, (str, int, float)):
        _check_plain(value)
        return
    if isinstance(value, (tuple, list)):
        _check_length(value)
        for one in value:
            check(one)
        return
    if not is_dataclass(value) or isinstance(value, type):
        return
    check_lengths(value)
    bounds = FIELDS.get(type(value), {})
    for part in fields(value):
        one = getattr(value, part.name)
        if part.name in bounds and one is not None and not abs(one) <= bounds[part.name]:
            raise ValueError(f"{part.name} is {one:g}, which is beyond {bounds[part.name]:g}")
        check(one)


def check_lengths(value: Any) -> None:
    """Raise :class:`ValueError` where a list of its own is longer than the table allows."""
    for name, most in LENGTHS.get(type(value), {}).items():
        if len(getattr(value, name)) > most:
            words = name.replace("_", " ")
            raise ValueError(f"there are {len(getattr(value, name))} {words}, more than {most}")
