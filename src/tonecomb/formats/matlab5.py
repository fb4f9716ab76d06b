"""MATLAB 5 to 7.2: numeric variables, and those within structs, through SciPy."""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from tonecomb.core.base.progress import Progress
from tonecomb.core.method.given import Import
from tonecomb.formats.arrays import contents, split_array
from tonecomb.formats.contents import MOST_COLUMNS, Contents, FileColumn, damaged, foreign, rate_of
from tonecomb.formats.on_disk import ArraySeries, aside

_MOST_DEEP = 16
_BEST_PACKED = 1032  # as many bytes as one can stand for in a compressed file


def sniff(start: bytes) -> bool:
    """Whether a file that starts so is MATLAB 5: its text, then version 1 and the byte order."""
    return start[124:128] in (b"\x00\x01IM", b"\x01\x00MI")


def open_matlab(path: Path, how: Import, progress: Progress) -> Contents:
    """Read the numbers of a MATLAB 5 file; ``fs`` or ``dt`` among them gives the rate."""
    import scipy.io

    kind = "MATLAB 5"
    with foreign(path, kind):
        size = path.stat().st_size
        for name, shape, _ in scipy.io.whosmat(path):
            if math.prod(shape) > _BEST_PACKED * size:
                raise damaged(path, kind, f"‘{name}’ claims more numbers than the file can hold")
        progress(0.1)
        variables = scipy.io.loadmat(path, squeeze_me=False, chars_as_strings=False)
        named = dict(_numbers("", variables, 0))
    rate = rate_of({name.rpartition(".")[2]: value for name, value in named.items()})
    found: list[tuple[FileColumn, ArraySeries]] = []
    for name, array in named.items():
        if array.size > 1:
            found += split_array(name, aside(array), rate)
        if len(found) > MOST_COLUMNS:
            raise damaged(path, kind, f"it holds more than {MOST_COLUMNS} series")
    progress(1.0)
    return contents(kind, found)


def _numbers(prefix: str, fields: dict[str, Any], depth: int) -> Iterator[tuple[str, np.ndarray]]:
    """Every array of numbers with its path; structs are walked, cells and text passed over."""
    for key, value in fields.items():
        if key.startswith("__") or not isinstance(value, np.ndarray):
            continue
        name = f"{prefix}{key}"
        if value.dtype.names and depth < _MOST_DEEP:
            for i, one in enumerate(value.reshape(-1)[:MOST_COLUMNS]):
                numbered = f"{name}({i + 1})." if value.size > 1 else f"{name}."
                yield from _numbers(
                    numbered, {field: one[field] for field in value.dtype.names}, depth + 1
                )
        elif value.dtype.kind in "iuf" and value.size:
            yield name, value
