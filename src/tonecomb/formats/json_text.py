"""JSON as it is written: readable, strict, and able to hold the name of any file."""

from __future__ import annotations

import json
import re
from typing import Any

_NO_LETTER = re.compile("[\ud800-\udfff]")


def json_text(value: Any, indent: int | None = 1) -> str:
    """A value as JSON with letters as they are. Bytes of a file's name that are no UTF-8, which
    Python has as lone surrogates, are escaped, and come back as they were.

    Raises :class:`ValueError` for numbers that are not finite.
    """
    text = json.dumps(value, indent=indent, ensure_ascii=False, allow_nan=False)
    return _NO_LETTER.sub(lambda found: f"\\u{ord(found[0]):04x}", text)
