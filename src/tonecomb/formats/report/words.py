"""Every word of a report's page that is not a reading, in one catalogue a language.

A translation is a file beside ``languages/en.json`` with its keys; what it lacks stays English.
Sentences that tell readings (the method, in short, cautions) are made where they are reckoned, in
English.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from tonecomb.core.base.errors import UserError

ENGLISH = "en"


@dataclass(frozen=True)
class Words:
    """The catalogue of a language: groups of texts by their keys."""

    language: str
    groups: dict[str, dict[str, str]]

    def __call__(self, group: str, key: str, **values: object) -> str:
        """A text, with what stands in its braces."""
        text = self.groups[group][key]
        return text.format(**values) if values else text


@cache
def words(language: str = ENGLISH) -> Words:
    """The catalogue of a language. Raises :class:`UserError` where there is none."""
    groups = _read(ENGLISH)
    if language != ENGLISH:
        if language not in languages():
            raise UserError(
                f"There is no report in the language ‘{language[:20]}’",
                remedy=f"choose from {', '.join(languages())}",
            )
        own = _read(language)
        groups = {name: group | own.get(name, {}) for name, group in groups.items()}
        groups["terms"] = own.get("terms", groups["terms"])  # they are looked for as they are
    return Words(language, groups)


def languages() -> tuple[str, ...]:
    """Those that there is a catalogue of."""
    here = (one.name for one in _folder().iterdir())
    return tuple(sorted(name.removesuffix(".json") for name in here if name.endswith(".json")))


def _folder() -> Any:
    return files("tonecomb.formats.report") / "languages"


def _read(language: str) -> dict[str, dict[str, str]]:
    body: dict[str, dict[str, str]] = json.loads(
        (_folder() / f"{language}.json").read_text("utf-8")
    )
    return body
