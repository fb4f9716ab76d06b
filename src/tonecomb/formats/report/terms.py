"""The terms that a report uses, each in a sentence."""

from __future__ import annotations

import re

from tonecomb.formats.report.words import Words

_PLURALS = {"family": "famil(y|ies)"}


def used(text: str, words: Words) -> list[tuple[str, str]]:
    """The terms that stand in a text, in the order of the alphabet."""
    found = []
    for term, meaning in words.groups["terms"].items():
        stem = _PLURALS.get(term, re.escape(term) + "s?")
        flags = 0 if term[0].isupper() else re.IGNORECASE
        if re.search(rf"\b{stem}\b", text, flags):
            found.append((term, meaning))
    return sorted(found, key=lambda pair: pair[0].lower())
