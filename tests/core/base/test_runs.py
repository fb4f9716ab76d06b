"""Runs of what is so in a row, against a count by hand."""

from __future__ import annotations

from itertools import groupby

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tonecomb.core.base.runs import runs_of, spans_of


@given(st.lists(st.booleans(), max_size=60))
def test_runs_are_those_that_one_counts(flags: list[bool]) -> None:
    wanted, at = [], 0
    for value, group in groupby(flags):
        length = len(list(group))
        if value:
            wanted.append((at, at + length))
        at += length
    assert spans_of(np.array(flags, dtype=bool)) == wanted
    assert runs_of(np.array(flags, dtype=bool)).shape == (len(wanted), 2)
