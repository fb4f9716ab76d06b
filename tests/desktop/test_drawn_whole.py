"""What is drawn of a waveform reaches every extreme, however long the record and the zoom."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import example, given
from hypothesis import strategies as st
from PyQt6.QtGui import QColor
from tests.support import write_csv

from tonecomb.core.record import pyramid
from tonecomb.core.record.recording import Array
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.stage.waveform.waveform import curve_points
from tonecomb.desktop.state.envelopes import EXACT_BELOW

Settle = Callable[[], None]
PARTS = st.floats(0, 1)


@given(
    digits=st.floats(0, 7.7),
    inside=st.tuples(PARTS, PARTS),
    spikes=st.lists(PARTS, max_size=6),
    columns=st.integers(40, 3000),
)
@example(digits=np.log10(12e6), inside=(0.0, 1.0), spikes=[0.0, 0.3, 1.0], columns=1206)
@example(digits=np.log10(50e6), inside=(0.0, 1.0), spikes=[0.2, 0.9], columns=3000)
@example(digits=2.0, inside=(0.0, 1.0), spikes=[0.5], columns=40)
def test_every_extreme_is_drawn(
    digits: float, inside: tuple[float, float], spikes: list[float], columns: int
) -> None:
    length = max(1, round(10**digits))
    start, stop = sorted(round(part * length) for part in inside)
    stop = max(stop, min(start + 1, length))
    start = min(start, stop - 1)
    places = np.unique([min(int(part * length), length - 1) for part in spikes]).astype(int)
    heights = np.where(np.arange(len(places)) % 2, -1.0, 1.0) * (2 + np.arange(len(places)))

    def read(first: int, last: int) -> Array:
        block = np.zeros(last - first)
        here = (places >= first) & (places < last)
        block[places[here] - first] = heights[here]
        return block

    if stop - start <= EXACT_BELOW:
        envelope = pyramid.envelope_of(read(start, stop), start, columns)
    else:
        envelope = pyramid.build(read, length).envelope(start, stop, columns)
    x, y = curve_points(envelope, 1.0)
    assert len(x) == len(y) and (np.diff(x) >= 0).all()
    pixel = max(1.0, (stop - start) / columns)
    seen = (places >= start) & (places < stop)
    for place, height in zip(places[seen], heights[seen], strict=True):
        near = np.abs(x - place) <= pixel + 1
        assert (y[near].max() >= height) if height > 0 else (y[near].min() <= height)
    if not len(places):
        assert (y == 0).all()


def test_a_long_record_in_the_bench(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    """Both edges of the whole, at the width of the window."""
    x = np.tile(np.array([-12_000, 16_000, 0, 0], dtype=np.int16), 300_000)
    soundfile.write(tmp_path / "long.wav", x, 51_200, subtype="PCM_16")
    bench.opening.open_paths([tmp_path / "long.wav"])
    settle()
    _, y = bench.stage.waveform.drawn()
    assert (np.nanmin(y), np.nanmax(y)) == pytest.approx((-12_000 / 32768, 16_000 / 32768))
    assert len(y) > 1000
    assert (y > 0).sum() == pytest.approx(len(y) / 2, abs=2), "as often up as down"
    # Near enough the samples themselves are drawn, and stay when the view is asked again.
    view = bench.stage.waveform
    view.set_limits(10.0, 10.01)
    settle()
    for _ in range(2):
        _, y = view.drawn()
        assert y[:4] == pytest.approx(np.roll(x[:4], -int(view.envelope.edges[0])) / 32768)  # type: ignore[union-attr]
        bench.resize(bench.width(), bench.height() - 30)
        bench.context.envelopes.pyramid_ready.emit(bench.store.document.current, 0)
        settle()


def test_the_outline_of_a_short_record_is_as_wide_as_any(
    bench: Bench, settle: Settle, tmp_path: Path
) -> None:
    bench.opening.open_paths([write_csv(tmp_path / "short.csv", rows=300)])
    settle()
    tree = bench.shelf.tree
    item = tree.topLevelItem(0).child(0)  # type: ignore[union-attr]
    row = tree.visualItemRect(item)
    picture = tree.viewport().grab().toImage()  # type: ignore[union-attr]
    ground = QColor(picture.pixel(row.right() - 60, row.center().y()))
    inked = [
        column
        for column in range(row.right() - 46, row.right() - 5)
        if any(
            QColor(picture.pixel(column, line)) != ground
            for line in range(row.top() + 3, row.bottom() - 3)
        )
    ]
    assert len(inked) >= 36
