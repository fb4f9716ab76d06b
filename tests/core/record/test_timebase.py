"""Stamps measured, holes filled, grids made even."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import read_all

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.given import Given, Import
from tonecomb.core.record.recording import Array, ArraySamples
from tonecomb.core.record.resampling import Filled, Gridded
from tonecomb.core.record.timebase import TimeBase, measure, problems
from tonecomb.formats.registry import Path, understand


def base_of(stamps: Array) -> TimeBase:
    return measure(lambda a, b: stamps[a:b], len(stamps), "time", "x", lambda i: f"line {i + 1}")


def gridded(stamps: Array, *columns: Array) -> Gridded:
    return Gridded(ArraySamples.of(*columns), stamps, base_of(stamps))


def band_limited(t: Array, rate: float) -> Array:
    """Tones up to 0.85 of the Nyquist frequency."""
    shares = (0.013, 0.11, 0.27, 0.424)
    return sum(np.cos(2 * np.pi * s * rate * t + 5 * s) for s in shares)  # type: ignore[return-value]


@given(
    rate=st.sampled_from([0.1, 50.0, 12_800.0]),
    gaps=st.lists(st.tuples(st.integers(100, 2800), st.floats(1.6, 300)), max_size=5),
    seed=st.integers(0, 9),
)
def test_gaps_are_found_where_they_are(
    rate: float, gaps: list[tuple[int, float]], seed: int
) -> None:
    steps = np.ones(2999)
    for at, lost in gaps:
        steps[at] = 1 + lost
    base = base_of(np.concatenate([[seed], seed + np.cumsum(steps) / rate]))
    wanted = sorted({at for at, _ in gaps})
    assert base.rate == pytest.approx(rate, rel=1e-6)
    assert base.gaps.tolist() == wanted
    np.testing.assert_allclose(base.lost, (steps[wanted] - 1) / rate, rtol=1e-5)
    assert [b - a for a, b in base.pieces(3000)] == np.diff([-1, *wanted, 2999]).tolist()


def test_long_series_are_measured_in_blocks(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tonecomb.core.record.timebase._BLOCK", 37)
    stamps = np.arange(5000) * 0.01
    stamps[3000:] += 1.0
    stamps[4000] = stamps[3999]
    stamps[4500] = 0.0
    base = base_of(stamps)
    assert (base.gaps.tolist(), base.back.tolist(), base.repeated) == (
        [2999, 4000, 4500],
        [3999, 4499],
        1,
    )
    assert base.rate == 100.0
    told = {p.code: p.text for p in problems(base, "cut", lambda i: f"line {i + 1}")}
    assert "3 gaps" in told["gaps"]
    assert (
        "1 repeated and 1 backward stamps, the first at line 4001; the recording is cut"
        in (told["stamps"])
    )
    with pytest.raises(UserError, match="Line 8 of x has no time: 1 of 5000 are missing in time"):
        stamps[7] = np.nan
        base_of(stamps)


@pytest.mark.parametrize("late", [0.0, 0.25, 0.5, -0.37])
def test_resampling_is_band_limited(late: float) -> None:
    """After a gap of a broken number of steps, tones go on with their phase and amplitude."""
    rate = 100.0
    places = np.concatenate([np.arange(2000), np.arange(2400, 5000) + late])
    source = gridded(places / rate, band_limited(places / rate, rate))
    even = source.read(0, 0, source.length)
    t = np.arange(source.length) / rate
    hole = np.isnan(even)
    assert np.flatnonzero(hole).tolist() == list(range(2000, 2400 + int(np.ceil(late))))
    error = np.abs(even - band_limited(t, rate))
    inner = ~hole & (t > 0.5) & ((t < 19.5) | (t > 24.5)) & (t < 49.3)
    assert error[inner].max() < (1e-12 if late == 0 else 4e-4)
    assert error[~hole].max() < 2.5, "near the ends of a piece there is less to go by"
    for start, stop in ((0, 10), (1990, 2450), (2395, 2396), (4000, source.length)):
        np.testing.assert_allclose(source.read(0, start, stop), even[start:stop], atol=1e-12)


def test_uneven_steps_are_interpolated() -> None:
    rng = np.random.default_rng(5)
    t = np.cumsum(rng.uniform(0.8, 1.2, 4000)) / 100
    source = gridded(t, np.cos(2 * np.pi * 3 * t))
    even = source.read(0, 0, source.length)
    rate = base_of(t).rate
    at = t[0] + np.arange(source.length) / rate
    np.testing.assert_allclose(even[2:-2], np.cos(2 * np.pi * 3 * at)[2:-2], atol=1e-4)
    np.testing.assert_allclose(source.read(0, 777, 1234), even[777:1234], atol=1e-6)


def test_repeated_and_backward_stamps_are_left_out_when_resampling() -> None:
    stamps = np.arange(300) / 10
    stamps[100] = stamps[99]
    stamps[200:203] = stamps[150]
    source = gridded(stamps, np.arange(300.0))
    even = source.read(0, 0, source.length)
    assert np.flatnonzero(np.isnan(even)).tolist() == [100, 200, 201, 202]
    np.testing.assert_array_equal(
        even[~np.isnan(even)], np.delete(np.arange(300.0), [100, 200, 201, 202])
    )


def test_missing_samples_stay_missing_on_the_grid() -> None:
    stamps = np.concatenate([np.arange(500), np.arange(600, 900) + 0.5]) / 10
    x = np.cos(stamps)
    x[650] = np.nan
    even = gridded(stamps, x).read(0, 0, 900)
    holes = np.flatnonzero(np.isnan(even))
    assert set(holes) - set(range(500, 601)) == {750, 751}, "no tap of the filter spreads it"


@given(st.integers(0, 40), st.integers(0, 40), st.integers(0, 999))
def test_filling_holes_block_by_block(start: int, size: int, seed: int) -> None:
    """A block is filled as it would be in the whole: straight lines, ends held."""
    rng = np.random.default_rng(seed)
    x = rng.normal(size=80)
    x[rng.random(80) < 0.6] = np.nan
    x[rng.random(80) < 0.1] = np.inf
    good = np.isfinite(x)
    if not good.any():
        return
    whole = np.interp(np.arange(80), np.flatnonzero(good), x[good])
    block = Filled(ArraySamples.of(x), 80).read(0, start, start + size)
    np.testing.assert_allclose(block, whole[start : start + size], rtol=1e-12, atol=1e-12)


LOG = "time [ms];a [g];b\n" + "".join(
    f"{5 * i + 400 * (i >= 500)};{'' if i == 300 else i};{i % 7}\n" for i in range(800)
)


@pytest.mark.parametrize(
    ("time_base", "missing", "length", "holes", "codes"),
    [
        ("nominal", "refuse", 800, 1, ["gaps"]),
        ("nominal", "interpolate", 800, 0, ["gaps", "nan"]),
        ("nominal", "cut", 499, 0, ["gaps", "cut"]),
        ("resample", "refuse", 880, 81, ["gaps"]),
        ("resample", "interpolate", 880, 0, ["gaps", "nan", "nan"]),
        ("resample", "cut", 300, 0, ["gaps", "cut"]),
        ("cut", "refuse", 500, 1, ["gaps", "cut"]),
        ("cut", "interpolate", 500, 0, ["gaps", "nan", "cut"]),
        ("cut", "cut", 300, 0, ["gaps", "cut"]),
    ],
)
def test_every_choice(
    tmp_path: Path, time_base: str, missing: str, length: int, holes: int, codes: list[str]
) -> None:
    """What becomes of a gap and of a missing value, and what is said about it."""
    (tmp_path / "a.csv").write_text(LOG)
    how = Import(time_base=time_base, missing=missing)  # type: ignore[arg-type]
    found = understand(tmp_path / "a.csv", Given(how=how))
    opened = found.recording
    assert (opened.sample_rate, opened.length) == (200.0, length)
    assert int((~np.isfinite(read_all(opened))).sum()) == holes
    assert [problem.code for problem in opened.problems] == codes
    assert found.guesses, "what was chosen is to be confirmed"
    if "cut" in (time_base, missing):
        first, stop = found.pieces[found.piece]
        assert stop - first == length
        other = Given(how=Import((), None, None, how.time_base, how.missing, len(found.pieces) - 1))
        last = understand(tmp_path / "a.csv", other)
        assert last.piece == len(found.pieces) - 1
        assert read_all(last.recording)[-1] == 799.0
