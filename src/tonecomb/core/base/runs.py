"""Runs of what is so in a row."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def runs_of(flags: NDArray[np.bool_]) -> NDArray[np.int_]:
    """The first number and the one after the last of each run of ``True``, shape (runs, 2)."""
    padded = np.concatenate([[False], flags, [False]]).astype(np.int8)
    return np.asarray(np.flatnonzero(np.diff(padded)).reshape(-1, 2))


def spans_of(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """As :func:`runs_of`, in pairs of plain numbers."""
    return [(int(first), int(stop)) for first, stop in runs_of(flags)]
