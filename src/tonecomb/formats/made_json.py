"""Descriptions of made recordings: versioned JSON (docs/formats.md)."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.units import unit
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.part import Part
from tonecomb.core.synthesis.sampling import Sampling
from tonecomb.core.synthesis.table import PARTS
from tonecomb.formats import atomic, files, setting_text
from tonecomb.formats.json_text import json_text
from tonecomb.formats.session import strict

FORMAT = "tone-comb made signal"
VERSION = 1
SUFFIX = ".json"
_MOST_BYTES = 1 << 22
_PLAIN = ("name", "unit", "seed", "hint")


def sniff(head: bytes) -> bool:
    """Whether a file may hold a description."""
    return head.lstrip().startswith(b"{") and FORMAT.encode() in head


def written(made: Made) -> dict[str, Any]:
    """A description as JSON has it, without the words that say which format it is."""
    parts = [{"part": one.key, **_short(one)} for one in made.parts]
    told = {"name": made.name, "unit": made.unit, "seed": made.seed, "hint": made.hint}
    return {**told, "sampling": setting_text.written(made.sampling), "parts": parts}


def _short(part: Part) -> dict[str, Any]:
    """What is as it usually is, and not said first, is left out."""
    usual = setting_text.written(type(part)())
    shared = {"from", "to", "am", "am-rate", "fm", "fm-rate"}
    told = setting_text.written(part)
    return {name: one for name, one in told.items() if name not in shared or one != usual[name]}


def read(value: Any) -> Made:
    """What :func:`written` wrote; :class:`ValueError` or :class:`UserError` say what is wrong."""
    if not isinstance(value, dict):
        raise ValueError("it is no description")
    given = dict(value)
    sampling = _sampling(given.pop("sampling", {}))
    parts = given.pop("parts", [])
    if not isinstance(parts, list):
        raise ValueError("its parts are no list")
    said: dict[str, Any] = {}
    for name in _PLAIN:
        if name in given:
            said[name] = given.pop(name)
            kind = int if name == "seed" else str
            if not isinstance(said[name], kind) or isinstance(said[name], bool):
                raise ValueError(f"{said[name]!r} is no {name}")
    if given:
        raise ValueError(f"a description has no {next(iter(given))}")
    if "unit" in said:
        said["unit"] = unit(said["unit"]).symbol
    made = Made(
        said.pop("name", "made signal"),
        sampling=sampling,
        parts=tuple(_part(one) for one in parts),
        **said,
    )
    made.check()
    return made


def _part(value: Any) -> Part:
    key = value.get("part") if isinstance(value, dict) else None
    kind = next((one for one in PARTS if one.key == key), None)
    if kind is None:
        known = ", ".join(one.key for one in PARTS)
        raise ValueError(f"{key!r} is no part, which is one of {known}")
    given = {name: one for name, one in value.items() if name != "part"}
    return kind(**setting_text.read(kind, given, f"a part ‘{kind.key}’"))


def _sampling(value: Any) -> Sampling:
    """With ``duration`` (s) instead of ``samples`` where that is said."""
    if not isinstance(value, dict):
        raise ValueError("its sampling is no description")
    given = dict(value)
    seconds = given.pop("duration", None)
    sampling = Sampling(**setting_text.read(Sampling, given, "the sampling"))
    if seconds is None:
        return sampling
    if "samples" in given:
        raise ValueError("the sampling has both samples and a duration")
    if not isinstance(seconds, (int, float)) or isinstance(seconds, bool):
        raise ValueError(f"{seconds!r} is no duration")
    replace(sampling, samples=1).check()
    return sampling.lasting(float(seconds))


def load(path: Path) -> Made:
    """The description in a file; :class:`UserError` where it holds none that can be made."""
    if len(files.head(path, _MOST_BYTES + 1)) > _MOST_BYTES:
        raise UserError(f"{path.name} is too long for a description", remedy="choose another file")
    body = strict.read_body(path, FORMAT, (VERSION,), "a description")
    told = {name: one for name, one in body.items() if name not in ("format", "version")}
    try:
        return read({"name": path.stem, **told})
    except UserError as error:
        raise UserError(f"{path.name}: {error.what}", error.why, error.remedy) from error
    except (ValueError, TypeError, OverflowError) as error:
        raise UserError(
            f"{path.name} describes nothing that can be made", str(error), "mend it and try again"
        ) from error


def text(made: Made) -> str:
    """A description's file."""
    body = {"format": FORMAT, "version": VERSION, **written(made)}
    return json_text(body) + "\n"


def save(path: Path, made: Made) -> None:
    """Write a description; it is either wholly written or the old one stays."""
    atomic.write_text(path, text(made))
