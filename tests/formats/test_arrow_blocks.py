"""Feather files whose batches are too large to be unpacked as a whole: read in blocks, as the
library reads them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import feather

from tonecomb.core.base.errors import UserError
from tonecomb.formats import arrow_blocks, columnar
from tonecomb.formats.registry import open_recording

KINDS = [pa.float64(), pa.float32(), pa.int16(), pa.int64(), pa.uint8()]
CODECS = ["lz4", "zstd", "uncompressed"]


@given(
    kind=st.sampled_from(KINDS),
    codec=st.sampled_from(CODECS),
    rows=st.integers(1, 900),
    missing=st.sets(st.integers(0, 899), max_size=40),
    step=st.integers(1, 200),
    chunk=st.integers(50, 900),
)
def test_blocks_are_what_the_library_reads(
    tmp_path_factory: pytest.TempPathFactory,
    kind: pa.DataType,
    codec: str,
    rows: int,
    missing: set[int],
    step: int,
    chunk: int,
) -> None:
    """Whatever kind and packing, with values that are missing, behind a column of texts."""
    values = np.random.default_rng(rows).integers(0, 100, rows)
    mask = np.isin(np.arange(rows), list(missing))
    texts = pa.array([f"{i}" for i in range(rows)])
    table = pa.table({"said": texts, "a": pa.array(values, kind, mask=mask)})
    path = tmp_path_factory.mktemp("feather") / "x.feather"
    feather.write_feather(table, str(path), compression=codec, chunksize=chunk)
    held = arrow_blocks.batches_of(path)
    assert sum(one.rows for one in held) == rows
    first = arrow_blocks.first_buffer(table.schema, 1)
    assert first is not None
    found = [part for one in held for part in arrow_blocks.blocks(path, one, first, kind, step)]
    assert all(len(part) <= step + 8 for part in found)
    assert pa.concat_arrays(found).equals(table["a"].combine_chunks())


@pytest.mark.parametrize("codec", CODECS)
def test_a_long_batch_is_opened_in_blocks(
    tmp_path: Path, codec: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name, rows in (("_LARGE", 500), ("_PIECE", 300), ("_BATCH", 128)):
        monkeypatch.setattr(columnar, name, rows)
    x = np.random.default_rng(1).standard_normal((2, 5000))
    table = pa.table({"time": np.arange(5000) / 1000, "a": x[0], "b": x[1]})
    path = tmp_path / "long.feather"
    feather.write_feather(table, str(path), compression=codec, chunksize=5000)
    made = open_recording(path)
    assert made.sample_rate == 1000.0
    np.testing.assert_array_equal(made.samples.read(1, 100, 4200), x[1, 100:4200])
    data = bytearray(path.read_bytes())
    data[len(data) // 2 : len(data) // 2 + 400] = bytes(400)
    data[-60:-40] = bytes(20)
    path.write_bytes(data)
    with pytest.raises(UserError, match=r"long\.feather is damaged"):
        open_recording(path).samples.read(1, 0, 5000)


@pytest.mark.parametrize("rows", [-1, 1 << 36, 1 << 62])
def test_a_batch_of_rows_that_cannot_be_is_refused(tmp_path: Path, rows: int) -> None:
    """Also a buffer that says it has more than its rows is read no further than those."""
    path = tmp_path / "x.feather"
    feather.write_feather(pa.table({"a": np.zeros(4321)}), str(path), compression="zstd")
    whole = path.read_bytes()
    length, said = (4321).to_bytes(8, "little"), (8 * 4321).to_bytes(8, "little")
    path.write_bytes(whole.replace(length, (rows % (1 << 64)).to_bytes(8, "little")))
    with pytest.raises(UserError, match=r"x\.feather is damaged"):
        open_recording(path)
    path.write_bytes(whole.replace(said, (1 << 60).to_bytes(8, "little")))
    (held,) = arrow_blocks.batches_of(path)
    parts = list(arrow_blocks.blocks(path, held, 0, pa.float64(), 1000))
    assert sum(map(len, parts)) == 4321
