"""Readings of records that change, as they stand on the screen."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from benchmarks import changing
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel

from tonecomb.desktop.bench import Bench
from tonecomb.desktop.readings.model import PAGE

Settle = Callable[[], None]


@pytest.fixture
def show(bench: Bench, settle: Settle, tmp_path: Path) -> Callable[[changing.Made], Bench]:
    """Open a made record from a file."""

    def opened(made: changing.Made) -> Bench:
        path = tmp_path / "made.wav"
        soundfile.write(path, (made.samples / 20).astype(np.float32), 5000, subtype="FLOAT")
        bench.opening.open_paths([path])
        settle()
        return bench

    return opened


def cells(bench: Bench, key: str) -> list[str]:
    """A column of the table of peaks as it is read."""
    readings = bench.readings.peaks
    at = [column.key for column in readings.model.columns].index(key)
    return [readings.sorted.index(row, at).data() for row in range(readings.sorted.rowCount())]


def test_the_peaks_are_offered_page_by_page(
    show: Callable[[changing.Made], Bench], settle: Settle
) -> None:
    bench = show(changing.COMBS["many"](3))
    readings = bench.readings.peaks
    assert bench.readings.tabs["peaks"].text() == "Peaks 40"
    assert readings.listed.text() == "1–30 of 40"
    first = cells(bench, "frequency_hz")
    assert len(first) == PAGE
    assert not readings.back.isEnabled()
    QTest.keyClick(bench, Qt.Key.Key_PageDown, Qt.KeyboardModifier.ControlModifier)
    settle()
    assert readings.listed.text() == "31–40 of 40"
    rest = cells(bench, "frequency_hz")
    assert len(rest) == 10
    assert not set(first) & set(rest)
    assert not readings.on.isEnabled()
    QTest.mouseClick(readings.back, Qt.MouseButton.LeftButton)
    assert cells(bench, "frequency_hz") == first
    bench.readings.focus_filter()
    bench.readings.filter_field.setText(rest[0])
    assert cells(bench, "frequency_hz") == [rest[0]], "the filter looks through all of them"
    assert len(readings.text().splitlines()) > 40, "all are copied"


def test_a_tone_that_moves_is_drawn_over_its_range(
    show: Callable[[changing.Made], Bench], settle: Settle
) -> None:
    made = changing.TONES["drift 10"](3)
    bench = show(made)
    (true,) = made.tones
    (does,) = cells(bench, "behaviour")
    assert does.startswith("± ")
    assert float(does[2:-3]) == pytest.approx((true.high - true.low) / 2, rel=0.2)
    bench.readings.step(1)
    settle()
    assert "moves from 18" in bench.readings.peaks.detail.text()
    x, y = bench.stage.spectrum.marks.ranges.getData()
    assert x == pytest.approx([true.low, true.high], abs=1.5)
    assert y[0] == y[1]
    (card,) = [c for c in bench.readings.cautions if c.code == "moving"]
    words = [label.text() for label in bench.readings.findChildren(QLabel)]
    assert card.text in words
    bench.readings.remedy_chosen.emit(card)
    settle()
    method = bench.store.method
    assert method is not None
    assert len(method.follow.tracks) == 1


def test_a_tone_that_comes_and_goes_says_so(show: Callable[[changing.Made], Bench]) -> None:
    bench = show(changing.TONES["halves"](3))
    assert len(cells(bench, "behaviour")) == 6
    assert all(one.startswith("in ") for one in cells(bench, "behaviour"))
    assert "comes-and-goes" in {one.code for one in bench.readings.cautions}


def test_a_voice_is_one_comb_that_moves(
    show: Callable[[changing.Made], Bench], settle: Settle
) -> None:
    made = changing.COMBS["voice"](3)
    bench = show(made)
    bench.finding.find_combs()
    settle()
    (shown,) = bench.context.combs.shown
    assert shown.comb.low is not None
    words = bench.readings.combs.words(shown)
    assert "moves from" in words
    assert "inharmonicity" not in words
    top = bench.readings.combs.tree.topLevelItem(0)
    assert top is not None
    assert float(top.text(1)) == pytest.approx(made.fundamentals[0], rel=0.01)
