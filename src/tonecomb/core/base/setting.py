"""Settings: fields of a value that say how they are called in files and on the command line, so
that renaming one in the code changes neither.

Steps and the parts of made recordings are described by theirs: editors, options and JSON follow.
"""

from __future__ import annotations

from dataclasses import MISSING, Field, dataclass, field, fields
from typing import Any


@dataclass(frozen=True)
class Setting:
    """A field as files and the command line have it: ``name`` in both; ``kind`` is
    ``number``, ``whole``, ``text``, ``flag`` (on the command line its name alone), ``choice`` (one
    of ``choices``), ``regions`` (see :mod:`tonecomb.core.steps.regions`), ``pairs`` (of numbers, on
    the command line with / between) or ``channels`` (numbers
    from 0; on the command line from 1). Of channels it takes ``least`` or more, a whole number is
    as much or more; ``unit`` and ``help`` are for reading."""

    name: str
    kind: str
    unit: str = ""
    help: str = ""
    least: int = 1
    choices: tuple[str, ...] = ()


_KEY = "setting"


def setting(
    name: str,
    kind: str,
    default: Any = MISSING,
    *,
    unit: str = "",
    help: str = "",
    least: int = 1,
    choices: tuple[str, ...] = (),
) -> Any:
    """A dataclass field that is a setting."""
    meta = {_KEY: Setting(name, kind, unit, help, least, choices)}
    return field(metadata=meta) if default is MISSING else field(default=default, metadata=meta)


def setting_of(one: Field[Any]) -> Setting:
    """What a field says of itself."""
    found = one.metadata[_KEY]
    assert isinstance(found, Setting)
    return found


def settings(kind: type[Any]) -> list[tuple[str, Setting, Any]]:
    """Attribute, setting and default (``MISSING`` for none) of each field that is a setting."""
    return [
        (one.name, setting_of(one), one.default) for one in fields(kind) if _KEY in one.metadata
    ]
