"""An envelope filled column by column covers what its strokes would."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtGui import QColor, QImage
from tests.desktop.test_many import Settle

from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.dense import DenseTrace, columns, filled
from tonecomb.desktop.kit.plot import Trace


def pixels(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    bits = image.bits()
    assert bits is not None
    bits.setsize(image.sizeInBytes())
    return np.frombuffer(bytes(bits), np.uint32).reshape(image.height(), image.width())


def test_runs_hold_every_point_and_touch(rng: np.random.Generator) -> None:
    x = np.repeat(np.arange(40.0) + 0.3, 6)
    y = 50 + 30 * np.sin(np.arange(len(x)) / 9) + rng.normal(size=len(x))
    y[60:66] = np.nan  # a gap of one column
    found = columns(x, y, (0.0, 30.0))
    assert found is not None
    first, low, high = found
    assert first == 0 and len(low) == 31, "what is seen, and one beside it"
    for i in range(31):
        own = y[6 * i : 6 * i + 6]
        if i == 10:
            assert np.isnan(low[i]) and np.isnan(high[i])
            continue
        assert low[i] <= own.min() and high[i] >= own.max()
        if i not in (0, 10, 11):
            assert low[i] <= high[i - 1] and high[i] >= low[i - 1], "no gap between neighbours"
    picture, left, top = filled(first, low, high, (0.0, 100.0), QColor("#123456"))
    assert picture is not None
    drawn = pixels(picture) & 0xFFFFFF
    assert left == 0 and not drawn[:, 10].any()
    for i in (0, 5, 20):
        run = np.flatnonzero(drawn[:, i] == 0x123456) + top
        assert run[0] == max(np.floor(low[i]), 0) and run[-1] <= np.floor(high[i])
        assert (np.diff(run) == 1).all()
    assert columns(x + 1000, y, (0.0, 30.0)) is None


@pytest.mark.parametrize("apart", [0.5, 1.0, 1.01, 1.3])
def test_no_column_is_left_out(apart: float) -> None:
    """Of a screen whose pixels are a little finer than the points; a hole stays one."""
    x = np.repeat(np.arange(200) * apart, 2)
    y = np.tile([10.0, 20.0], 200)
    found = columns(x, y, (0.0, 1000.0))
    assert found is not None and not np.isnan(found[1]).any()
    y[200:208] = np.nan
    found = columns(x, y, (0.0, 1000.0))
    assert found is not None
    gone = np.flatnonzero(np.isnan(found[1]))
    assert len(gone) and 98 * apart <= gone[0] and gone[-1] <= 106 * apart


@pytest.mark.parametrize("limits", [(0.0, 100.0), (20.0, 60.0)])
def test_it_looks_as_it_did(
    bench: Bench,
    settle: Settle,
    tmp_path: Path,
    rng: np.random.Generator,
    monkeypatch: pytest.MonkeyPatch,
    limits: tuple[float, float],
) -> None:
    x = 0.1 * rng.normal(size=400_000)
    x[123_456] = 0.9
    soundfile.write(tmp_path / "long.wav", x, 4000, subtype="FLOAT")
    bench.opening.open_paths([tmp_path / "long.wav"])
    settle()
    bench.setUpdatesEnabled(True)
    view = bench.stage.waveform
    view.set_limits(*limits)
    settle()
    now = pixels(view.grab().toImage())
    monkeypatch.setattr(DenseTrace, "paint", Trace.paint)
    view.viewport().update()
    before = pixels(view.grab().toImage())
    assert (now != before).mean() < 0.02
    assert len(np.unique(now)) > 3, "something is drawn"
