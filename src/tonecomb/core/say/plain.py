"""Words that come from files, made harmless where they are shown."""

from __future__ import annotations

import re

_CONTROL = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\ud800-\udfff]")


def printable(text: str) -> str:
    """The text with control characters other than line ends and tabs replaced: a terminal acts on
    some, fonts have none of them. So are bytes of a file's name that are no letters."""
    return _CONTROL.sub("�", text)
