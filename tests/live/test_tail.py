"""What is held in memory of a spool, against what was written."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tonecomb.core.record import pyramid
from tonecomb.core.record.pyramid import BASE
from tonecomb.core.record.recording import Channel
from tonecomb.live.source import Block, Counts, Described
from tonecomb.live.spool import SpoolReader, SpoolWriter
from tonecomb.live.tail import Tail

CHANNELS = (Channel("a", "m/s²"), Channel("b", "m/s²"))


@settings(deadline=None, max_examples=25)
@given(
    blocks=st.lists(st.tuples(st.integers(1, 3000), st.booleans()), min_size=1, max_size=30),
    room=st.sampled_from([1, 1 << 16, 1 << 24]),
    start=st.floats(0, 1),
    seed=st.integers(0, 99),
)
def test_samples_losses_and_outline_are_those_that_came(
    tmp_path_factory: pytest.TempPathFactory,
    blocks: list[tuple[int, bool]],
    room: int,
    start: float,
    seed: int,
) -> None:
    folder, random = tmp_path_factory.mktemp("tail"), np.random.default_rng(seed)
    writer = SpoolWriter(folder, Described("made", 1000.0, CHANNELS), 1 << 30)
    reader = SpoolReader(folder)
    tail, came = Tail(reader, room), np.zeros((0, 2))
    for length, there in blocks:
        frames = random.standard_normal((length, 2)).astype(np.float32) if there else None
        writer.take(Block(len(came), length, frames), Counts())
        lacking = np.full((length, 2), np.nan)
        came = np.concatenate([came, lacking if frames is None else frames])
        tail.catch_up()
    first = int(start * (len(came) - 1)) // BASE * BASE
    samples = tail.samples(first, len(came))
    for i in range(2):
        np.testing.assert_array_equal(samples.read(i, 0, len(came) - first), came[first:, i])
    marked = np.zeros(len(came) - first, bool)
    for a, b in tail.lost(first, len(came)):
        marked[a:b] = True
    np.testing.assert_array_equal(marked, np.isnan(came[first:, 0]))
    end = len(came) // BASE * BASE
    outline = tail.samples(first, end).outline(1)
    if end > first:
        built = pyramid.build(lambda a, b: came[first:end, 1][a:b], end - first)
        assert outline is not None and outline.length == built.length
        for (low, high), (least, most) in zip(outline.levels, built.levels, strict=True):
            np.testing.assert_array_equal(low, least)
            np.testing.assert_array_equal(high, most)
        assert outline.missing == built.missing
    writer.close()
    reader.close()


def test_what_was_let_go_is_not_told(tmp_path: Path) -> None:
    writer = SpoolWriter(tmp_path, Described("made", 1000.0, CHANNELS), 1)
    reader = SpoolReader(tmp_path)
    tail = Tail(reader, 1)
    for i in range(100):
        frames = None if i == 3 else np.full((1000, 2), float(i), np.float32)
        writer.take(Block(1000 * i, 1000, frames), Counts())
    now = tail.catch_up()
    assert now.first > 0 and tail.lost(0, now.end) == ()
    assert tail.samples(now.first, now.end).read(0, 0, 1)[0] == now.first // 1000
    writer.close()
    reader.close()
