"""Values that are made of settings, as JSON has them: every setting by its own name."""

from __future__ import annotations

import dataclasses
import math
from dataclasses import MISSING
from typing import Any

from tonecomb.core.base.setting import Setting, settings
from tonecomb.core.steps import regions
from tonecomb.core.synthesis import hits

MOST = 100
"""Regions in a setting at most."""


def written(value: Any) -> dict[str, Any]:
    """Its settings."""
    return {
        setting.name: _plain(setting, getattr(value, attribute))
        for attribute, setting, _ in settings(type(value))
    }


def _plain(setting: Setting, value: Any) -> Any:
    if setting.kind == "regions":
        return [one.written() for one in value]
    if setting.kind == "pairs":
        return [number for pair in value for number in pair]
    if setting.kind == "modes":
        return [dataclasses.asdict(one) for one in value]
    return list(value) if isinstance(value, tuple) else value


def read(kind: type[Any], given: dict[str, Any], what: str) -> dict[str, Any]:
    """By attribute what :func:`written` wrote of a value of a kind, which is called ``what``;
    :class:`ValueError` says what is wrong. Settings that are not given are left out."""
    given, made = dict(given), {}
    for attribute, setting, default in settings(kind):
        if setting.name in given:
            made[attribute] = checked(setting, given.pop(setting.name))
        elif default is MISSING:
            raise ValueError(f"{what} lacks its {setting.name}")
    if given:
        raise ValueError(f"{what} has no {next(iter(given))}")
    return made


def checked(setting: Setting, value: Any) -> Any:
    """A setting's value from JSON or a command line; :class:`ValueError` where it is none."""
    plain = isinstance(value, (int, float)) and not isinstance(value, bool)
    several = isinstance(value, (list, tuple))
    if setting.kind == "number" and plain and math.isfinite(value):
        return float(value)
    if setting.kind == "whole" and isinstance(value, int) and plain:
        return value
    if setting.kind == "text" and isinstance(value, str):
        return value
    if setting.kind == "choice" and value in setting.choices:
        return value
    if setting.kind == "flag" and isinstance(value, bool):
        return value
    if setting.kind == "regions" and several and len(value) <= MOST:
        return tuple(regions.parsed(str(one)) for one in value)
    if setting.kind == "modes" and several and len(value) <= MOST:
        return tuple(_mode(one) for one in value)
    if setting.kind == "pairs" and several:
        return _pairs(value)
    if setting.kind == "channels" and several:
        return tuple(checked(Setting(setting.name, "whole"), one) for one in value)
    offered = f", which is one of {', '.join(setting.choices)}" if setting.choices else ""
    raise ValueError(f"{value!r} is no {setting.name}{offered}")


def _pairs(values: Any) -> tuple[tuple[float, float], ...]:
    """Pairs of numbers that are written one after the other."""
    numbers = [checked(Setting("", "number"), one) for one in values]
    if len(numbers) % 2:
        raise ValueError(f"{len(numbers)} numbers are no pairs")
    return tuple(zip(numbers[::2], numbers[1::2], strict=True))


def _mode(value: Any) -> hits.RungMode:
    names = [one.name for one in dataclasses.fields(hits.RungMode)]
    if not isinstance(value, dict) or not set(value) <= set(names) or not {*names[:2]} <= {*value}:
        raise ValueError(f"{value!r} is no mode with a frequency and a damping")
    return hits.RungMode(
        **{name: checked(Setting(name, "number"), one) for name, one in value.items()}
    )
