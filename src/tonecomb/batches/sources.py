"""Which files a batch is of."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import Path

from tonecomb.core.errors import UserError
from tonecomb.formats.registry import READERS

_MOST = 1_000_000


def recordings_in(paths: Sequence[Path]) -> list[Path]:
    """Files as they are named, and of folders all that have the suffix of a recording, by name.

    Raises :class:`UserError` where there is none.
    """
    suffixes = {suffix for reader in READERS for suffix in reader.suffixes}
    found: list[Path] = []
    for path in paths:
        if not path.is_dir():
            found.append(path)
            continue
        for folder, inside, names in os.walk(path):
            if "done" in inside and "overview.html" in names:  # of an earlier batch
                inside.clear()
                continue
            inside.sort()
            found += [
                Path(folder) / name for name in sorted(names)
                if Path(name).suffix.lower() in suffixes and not name.startswith(".")
            ]  # fmt: skip
            if len(found) > _MOST:
                raise UserError(f"More than {_MOST} files", remedy="name fewer of them at a time")
    if not found:
        raise UserError(
            f"{paths[0]} holds no recordings", remedy="name files, or a folder that has some"
        )
    return found
