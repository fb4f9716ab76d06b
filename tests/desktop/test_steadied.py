"""A machine whose speed breathes in the bench: told, steadied by a key, and as it was again."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from benchmarks.breathing import control, machine
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tonecomb.desktop.bench import Bench

Settle = Callable[[], None]


def opened_with(bench: Bench, settle: Settle, path: Path, samples: np.ndarray, fs: int) -> None:
    soundfile.write(path, (samples / 12).astype(np.float32), fs, subtype="FLOAT")
    bench.opening.open_paths([path])
    settle()


def shift_y(bench: Bench, settle: Settle) -> str:
    QTest.keyClick(bench, Qt.Key.Key_Y, Qt.KeyboardModifier.ShiftModifier)
    settle()
    analysis = bench.context.results.analysis
    assert analysis is not None
    return analysis.sentence


def test_a_key_steadies_it_and_takes_it_back(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    made = machine("wander", 1e-3, 6, fs=5000.0, seconds=16.0)
    opened_with(bench, settle, tmp_path / "m.wav", made.samples, 5000)
    model = bench.readings.peaks.model
    does = [column.key for column in model.columns].index("behaviour")
    cells = [model.index(row, does).data() for row in range(model.rowCount())]
    assert cells.count("turns") > 10
    told = re.search(r"steadied by the signal \(± ([0-9.]+) %\)", shift_y(bench, settle))
    assert told is not None and float(told[1]) == pytest.approx(50 * np.ptp(made.swing), rel=0.1)
    assert "steadied" not in shift_y(bench, settle)
    bench.store.undo()
    settle()
    assert "steadied" in bench.context.results.analysis.sentence  # type: ignore[union-attr]


def test_where_nothing_breathes_it_says_so(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    opened_with(bench, settle, tmp_path / "w.wav", control("white", 4, 5000.0, 6.0), 5000)
    assert "steadied" not in shift_y(bench, settle)
    assert "No tones breathe together here" in bench.context.notices.text
