"""Which files a batch is of."""

from __future__ import annotations

import itertools
import os
from collections.abc import Sequence
from pathlib import Path

from tonecomb.batches.one import DONE, REPORTS, once
from tonecomb.core.base.errors import UserError
from tonecomb.formats.files import head
from tonecomb.formats.guard import is_ours
from tonecomb.formats.registry import READERS

_MOST = 1_000_000
_AS = (".csv", ".parquet", ".uff")  # what is written of one table
_TOGETHER = "tables.h5"  # of all


def recordings_in(paths: Sequence[Path]) -> list[Path]:
    """Files as they are named, and of folders all that have the suffix of a recording, by name, but
    for what a batch wrote; each file once.

    Raises :class:`UserError` where there is none.
    """
    suffixes = {suffix for reader in READERS for suffix in reader.suffixes}
    found: list[Path] = []
    for path in paths:
        if not path.is_dir():
            found.append(path)
            continue
        for folder, inside, names in os.walk(path):
            if _is_of_batch(Path(folder) / DONE):
                inside[:] = [one for one in inside if one not in (DONE, REPORTS)]
            names = _no_tables(Path(folder), names)
            inside.sort()
            found += [
                Path(folder) / name
                for name in sorted(names)
                if Path(name).suffix.lower() in suffixes and not name.startswith(".")
            ]
            if len(found) > _MOST:
                raise UserError(f"More than {_MOST} files", remedy="name fewer of them at a time")
    if not found:
        raise UserError(
            f"{paths[0]} holds no recordings", remedy="name files, or a folder that has some"
        )
    return once(found)


def _is_of_batch(done: Path) -> bool:
    """Whether this is where a batch keeps what came of its files."""
    return any(is_ours(one) for one in itertools.islice(done.glob("*.json"), 1))


def _no_tables(folder: Path, names: list[str]) -> list[str]:
    """The names without what a batch or an analysis wrote: its tables, as CSV and otherwise."""
    stems = {Path(one).stem for one in names if one.endswith(".csv") and _is_table(folder / one)}
    tables = {f"{stem}{suffix}" for stem in stems for suffix in _AS}
    return [one for one in names if not stems or one not in tables | {_TOGETHER}]


def _is_table(path: Path) -> bool:
    try:
        return any(line.startswith(b"# Tone Comb ") for line in head(path, 4096).splitlines()[:2])
    except UserError:
        return False
