"""Samples over samples: any block of any stack of them is what the arrays say."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone
from itertools import pairwise

import numpy as np
import pyarrow
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import recording

from tonecomb.core.record.recording import ArraySamples, Stretch
from tonecomb.core.record.resampling import Affine, Columns, ResampledPart, excerpt
from tonecomb.formats.clock import Clock, is_stamp
from tonecomb.formats.columnar import _Groups
from tonecomb.formats.spool import Spool

DATA = np.random.default_rng(4).normal(size=(3, 700))
blocks = st.lists(st.integers(0, 120), min_size=1, max_size=9)
ends = st.tuples(st.integers(0, 700), st.integers(0, 700)).map(sorted)


@given(sizes=blocks, span=ends, channel=st.integers(0, 2))
def test_a_spool_reads_what_was_put_in(sizes: list[int], span: list[int], channel: int) -> None:
    cuts = np.minimum(np.cumsum([0, *sizes]), 700)
    spool = Spool(3)
    with spool:
        for a, b in pairwise(cuts):
            spool.add(*(row[a:b] for row in DATA))
    assert spool.length == cuts[-1]
    start, stop = (min(int(end), spool.length) for end in span)
    np.testing.assert_array_equal(spool.read(channel, start, stop), DATA[channel, start:stop])


def test_a_spool_that_is_given_up_leaves_nothing_open() -> None:
    spool = Spool(1)
    with pytest.raises(RuntimeError), spool:
        spool.add(DATA[0])
        raise RuntimeError
    assert spool.file.closed
    assert len(spool.read(0, 0, 10)) == 0


@given(rows=blocks, span=ends)
def test_groups_are_read_once_and_joined(rows: list[int], span: list[int]) -> None:
    starts = np.cumsum([0, *rows])
    whole = np.arange(float(starts[-1]))
    loaded: list[tuple[int, int]] = []

    def load(channel: int, group: int) -> np.ndarray:
        loaded.append((channel, group))
        return whole[starts[group] : starts[group + 1]].copy()

    groups = _Groups(rows, load)
    start, stop = (min(end, groups.length) for end in span)
    for _ in range(2):
        np.testing.assert_array_equal(groups.read(0, start, stop), whole[start:stop])
    assert len(loaded) == len(set(loaded)), "what was loaded is kept"


@given(
    order=st.permutations([0, 1, 2]),
    first=st.integers(0, 600),
    span=ends,
    factor=st.floats(-9, 9),
    offset=st.floats(-9, 9),
)
def test_stacks_of_samples(
    order: list[int], first: int, span: list[int], factor: float, offset: float
) -> None:
    source = ArraySamples.of(*DATA)
    stack = Affine(
        ResampledPart(Columns(source, tuple(order)), first), (factor,) * 3, (offset,) * 3
    )
    start, stop = (min(end, 700 - first) for end in span)
    for i in range(3):
        wanted = factor * DATA[order[i]][first:][start:stop] + offset
        np.testing.assert_allclose(stack.read(i, start, stop), wanted, atol=1e-12)


def test_an_excerpt_is_a_recording_of_its_own() -> None:
    made = excerpt(recording(*DATA, fs=100.0), [2, 0], Stretch(1.0, 4.5))
    assert (made.length, [c.name for c in made.channels]) == (350, ["c3", "c1"])
    np.testing.assert_array_equal(made.samples.read(0, 0, 350), DATA[2, 100:450])


FORMS = {
    "iso": "%Y-%m-%dT%H:%M:%S.{ms}",
    "space, comma": "%Y-%m-%d %H:%M:%S,{ms}",
    "german": "%d.%m.%Y %H:%M:%S.{ms}",
    "slashes": "%Y/%m/%d %H:%M:%S.{ms}",
    "clock": "%H:%M:%S.{ms}",
    "half days": "%m/%d/%Y %I:%M:%S.{ms} %p",
}


@given(
    form=st.sampled_from(sorted(FORMS)),
    zone=st.sampled_from(["", "Z", "+01:00", "-0530"]),
    begin=st.datetimes(datetime(1990, 1, 1), datetime(2050, 1, 1)),
    steps=st.lists(st.integers(1, 30_000_000), min_size=1, max_size=30),
    cut=st.integers(0, 30),
)
def test_stamps_of_any_form_count_the_seconds(
    form: str, zone: str, begin: datetime, steps: list[int], cut: int
) -> None:
    """In two blocks, over midnights, months and leap days; ``steps`` in ms."""
    if form in ("clock", "half days"):
        zone = ""
    begin = begin.replace(microsecond=0)
    at = np.concatenate([[0], np.cumsum(steps)])
    moments = [begin + timedelta(milliseconds=int(ms)) for ms in at]
    texts = [
        m.strftime(FORMS[form]).format(ms=f"{m.microsecond // 1000:03d}") + zone for m in moments
    ]
    assert all(map(is_stamp, texts))
    clock = Clock()
    parts = [
        clock.seconds(pyarrow.array(part, pyarrow.string()))
        for part in (texts[:cut], texts[cut:])
        if part
    ]
    np.testing.assert_allclose(np.concatenate(parts), at / 1000, atol=1e-6)
    if form not in ("clock", "half days"):
        offset = {"": 0, "Z": 0, "+01:00": 60, "-0530": -330}[zone]
        known = begin.replace(tzinfo=timezone(timedelta(minutes=offset))).astimezone(UTC)
        assert datetime.fromisoformat(clock.start) == known.replace(tzinfo=None)


@pytest.mark.parametrize("text", ["8:61:00", "8:00:75", "2026-03-04", "12", "a:b:c", "1:2", ""])
def test_what_is_no_stamp(text: str) -> None:
    assert not is_stamp(text)
