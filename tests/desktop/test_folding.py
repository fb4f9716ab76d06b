"""Peaks that stand for a moment only are folded below those that stand."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tonecomb.desktop.bench import Bench


def test_what_stands_for_a_moment_is_folded(
    bench: Bench, settle: Callable[[], None], tmp_path: Path
) -> None:
    fs, rng = 4000, np.random.default_rng(1)
    t = np.arange(60 * fs) / fs
    x = 0.2 * np.cos(2 * np.pi * 111 * t) + 0.1 * np.cos(2 * np.pi * 1503 * t)
    for k in range(12):
        there = (t > 3 + 4 * k) & (t < 4 + 4 * k)
        x += 0.1 * there * np.cos(2 * np.pi * (203 + 89.3 * k + 7.1 * k * k % 31) * t + k)
    soundfile.write(tmp_path / "x.wav", x + 1e-3 * rng.standard_normal(len(t)), fs, "FLOAT")
    bench.opening.open_paths([tmp_path / "x.wav"])
    settle()
    bench.store.edit_method("Frame", frame=4096)
    settle()
    peaks = bench.readings.peaks
    analysis = bench.context.results.analysis
    assert analysis is not None and len(analysis.momentary) == 12
    assert [round(one.tone.frequency) for one in analysis.highest(5)] == [111, 1503]
    assert peaks.sorted.rowCount() == 2
    assert peaks.fold.isVisible() and peaks.fold.text().startswith("12 more, each in under 5 %")
    QTest.mouseClick(peaks.fold, Qt.MouseButton.LeftButton)
    assert peaks.sorted.rowCount() == 14
    QTest.mouseClick(peaks.fold, Qt.MouseButton.LeftButton)
    assert peaks.sorted.rowCount() == 2
    peaks.filter("203.")
    assert peaks.sorted.rowCount() == 1, "a filter looks through all"
