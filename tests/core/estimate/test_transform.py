"""The bare transform: whatever is done at once, each row is its own."""

from __future__ import annotations

import numpy as np
import pytest

from tonecomb.core.estimate.transform import on_lines, rfft, rows_at_once


@pytest.mark.parametrize("into", [True, False])
@pytest.mark.parametrize(
    ("kind", "whole", "near"),
    [
        (np.float32, np.complex64, 3e-6),
        (np.float64, np.complex128, 1e-14),
    ],
)
@pytest.mark.parametrize(("rows", "length"), [(3, 16384), (19, 16384), (21, 8192), (40, 1000)])
def test_rows_are_transformed_alone(
    rows: int, length: int, kind: type, whole: type, near: float, into: bool
) -> None:
    frames = on_lines(rows, length, kind)
    frames[:] = np.random.default_rng(rows).standard_normal((rows, length))
    out = on_lines(rows, length // 2 + 1, whole) if into else None
    found = rfft(frames, out=out)
    assert found.dtype == whole
    assert out is None or np.shares_memory(found, out)
    expected = np.fft.rfft(frames.astype(np.float64), axis=1)
    assert np.abs(found - expected).max() < near * np.abs(expected).max()


def test_long_rows_are_few() -> None:
    """Several are done at once, but not so many that they fill the memory."""
    assert rows_at_once(1024, np.float64, 1 << 17) == 128
    assert rows_at_once(1 << 16, np.float32, 1 << 17) == 8
    assert rows_at_once(1 << 16, np.float64, 1 << 17) == 4
    assert rows_at_once(1 << 22, np.float32, 1 << 17) == 1
