"""How files of the same shape were read, so that the next one need not be asked about."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

import cattrs

from tonecomb.core.method.given import Given
from tonecomb.formats import atomic
from tonecomb.formats.contents import Contents
from tonecomb.formats.session import schema

_MOST = 200  # shapes; the ones not used for longest are forgotten


def shape(contents: Contents) -> str:
    """A digest of what two files of one logger have in common: format, columns, their units."""
    columns = [(c.name, c.unit, c.role, c.rate is None) for c in contents.columns]
    said = repr((contents.format, contents.delimiter, contents.decimal, columns))
    return hashlib.sha256(said.encode()).hexdigest()[:16]


def recall(file: Path, key: str) -> Given | None:
    """What was said about files of this shape, None when nothing was, or nothing that makes
    sense any more."""
    try:
        return schema.converter().structure(_load(file)[key], Given)
    except (KeyError, cattrs.BaseValidationError, ValueError, TypeError):
        return None


def remember(file: Path, key: str, given: Given) -> None:
    """Keep what was said about files of this shape."""
    kept = _load(file)
    kept.pop(key, None)
    kept[key] = schema.written(given)
    newest = dict(list(kept.items())[-_MOST:])
    atomic.make_folder(file.parent)
    atomic.write_text(file, json.dumps(newest, indent=1) + "\n")


def _load(file: Path) -> dict[str, object]:
    try:
        kept = json.loads(file.read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return kept if isinstance(kept, dict) else {}
