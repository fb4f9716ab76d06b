"""Reading JSON without guessing: no key too many, no text for a number."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import cattrs

from tonecomb.core.base.errors import UserError
from tonecomb.formats import files
from tonecomb.formats.session import limits

_QUOTED = 160  # letters of what went wrong that are told


def converter() -> cattrs.Converter:
    """One that takes no text for a number, and no key too many."""
    made = cattrs.Converter(forbid_extra_keys=True)
    for kind, accepted in ((int, (int,)), (float, (int, float)), (str, (str,)), (bool, (bool,))):

        def check(value: Any, _: type, kind: Any = kind, accepted: Any = accepted) -> Any:
            # True is an int to Python, and not to anyone else.
            if not isinstance(value, accepted) or (isinstance(value, bool) and kind is not bool):
                raise ValueError(f"{value!r} is not of the kind {kind.__name__}")
            return kind(value)

        made.register_structure_hook(kind, check)
    return made


def _read(file: Path) -> str:
    return file.read_text("utf-8")


def read_body(
    file: Path,
    form: str,
    versions: tuple[int, ...],
    what: str,
    read: Callable[[Path], str] = _read,
) -> dict[str, Any]:
    """What a JSON file of the given ``format`` and one of the ``versions`` holds; ``read`` takes
    the JSON out of the file.

    Raises :class:`UserError` where it is none (``what`` it should hold, like ``a session``), or
    from a newer program.
    """
    files.head(file, 1)
    try:
        if file.stat().st_size > limits.MOST_BYTES:
            raise ValueError("it is too large for one")
        text = read(file)
        body = json.loads(text, parse_constant=limits.refuse_constant)
        limits.check_json(body)
        if not isinstance(body, dict) or body.get("format") != form:
            raise ValueError("its first words are not those of one")
    except (ValueError, OSError, RecursionError) as error:
        raise UserError(
            f"{file.name} is not {what} of Tone Comb", remedy="choose a file that it wrote"
        ) from error
    if body.get("version") not in versions:
        known = f"version {versions[0]}"
        if len(versions) > 1:
            known = f"versions {versions[0]} to {versions[-1]}"
        raise UserError(
            f"{file.name} is {what} of version {body.get('version')}",
            f"this program reads {known}",
            "open it with the program that wrote it",
        )
    return body


def first_cause(error: BaseException) -> str:
    """In one line what went wrong first inside."""
    while isinstance(error, BaseExceptionGroup) and error.exceptions:
        error = error.exceptions[0]
    text = str(error).splitlines()[0] if str(error) else type(error).__name__
    return text if len(text) <= _QUOTED else f"{text[:_QUOTED]}…"
