"""Text tables: finding the numbers among the words, and saying what is wrong with them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.support import read_all

from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.core.method.given import ColumnGiven, Given, Import
from tonecomb.core.record.recording import Channel
from tonecomb.formats import text_table
from tonecomb.formats.registry import open_recording, understand

TABLES = {
    "a;b\n1;2\n3;4\n": (None, ["a", "b"]),
    "1.5\n2.5\n3.5\n": (None, ["column 1"]),
    "time,a [g]\n0,1\n0.01,2\n0.02,3\n": (100.0, ["a"]),
    "Time (ms)\tx\n0\t1\n1\t2\n2\t3\n": (1000.0, ["x"]),
    "time_ms,x\n10,1\n20,2\n30,3\n": (100.0, ["x"]),
    "x,elapsed [us]\n1,0\n2,500\n3,1000\n": (2000.0, ["x"]),
    "0.0,5\n0.02,6\n0.04,7\n": (50.0, ["column 2"]),
    "1,5\n2,6\n3,7\n": (None, ["column 1", "column 2"]),
    'Logger 7\n\n"t [s]","x, y"\n0,1\n0.5,2\n1.0,\n': (2.0, ["x, y"]),
    "t [s];x\n0,0;1,5\n0,1;2,5\n0,2;3,5\n": (10.0, ["x"]),
    "# t [s] x [g]\n0.0 1\n  0.1   2\n0.2\t3\n": (10.0, ["x"]),
    "Time (s)   Deck west (g)\n 0.0  1.0\n 0.1  1.5\n 0.2  1.0\n": (10.0, ["Deck west"]),
    "t [min],x\n0,1\n0.5,2\n1.0,3\n": (1 / 30, ["x"]),
    "Sample rate;12,8 kHz\nOperator;me\nx;y\n1,5;2\n2,5;2\n3,5;2\n": (12_800.0, ["x", "y"]),
    "# fs = 50 Hz\nx\n1\n2\n3\n": (50.0, ["x"]),
    "% sampling interval: 2 ms\n1\n2\n3\n": (500.0, ["column 1"]),
    "clock,x\n23:59:59.9,1\n00:00:00.0,2\n00:00:00.1,3\n": (10.0, ["x"]),
    "when;x\n2026-03-04T08:00:00,00+01:00;1,5\n2026-03-04T08:00:00,25+01:00;2\n"
    "2026-03-04T07:00:00,50Z;3\n": (4.0, ["x"]),
    "date;clock;x\n4.3.2026;8:00:00;1\n4.3.2026;8:00:02;2\n4.3.2026;8:00:04;3\n": (0.5, ["x"]),
    "at,x\n03/04/2026 11:59:59 PM,1\n03/05/2026 12:00:01 AM,2\n03/05/2026 12:00:03 AM,3\n": (
        0.5,
        ["x"],
    ),
    "t [s],state,x\n0,OK,1\n1,OK,2\n2,LOW,3\n": (1.0, ["x"]),
    "t [ms]\tx\r0\t1\r20\t2\r40\t3\r": (50.0, ["x"]),
}


@pytest.mark.parametrize("text", TABLES)
def test_tables(tmp_path: Path, text: str) -> None:
    rate, names = TABLES[text]
    (tmp_path / "a.csv").write_text(text)
    opened = open_recording(tmp_path / "a.csv")
    assert opened.sample_rate == (None if rate is None else pytest.approx(rate))
    assert [channel.name for channel in opened.channels] == names
    assert opened.length in (2, 3)


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "latin-1", "utf-16", "utf-16-le"])
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_encodings(
    tmp_path: Path, encoding: str, end: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Block by block, wherever the blocks are cut."""
    monkeypatch.setattr(text_table, "_BLOCK", 1001)
    lines = ["Zeit [µs];Süd [m/s²];n", *(f"{50 * i};{i / 8};{i % 3}" for i in range(2000))]
    (tmp_path / "a.csv").write_bytes(end.join([*lines, ""]).replace(".", ",").encode(encoding))
    opened = open_recording(tmp_path / "a.csv")
    assert (opened.sample_rate, opened.channels[0]) == (20_000.0, Channel("Süd", "m/s²"))
    np.testing.assert_array_equal(read_all(opened), np.arange(2000) / 8)
    np.testing.assert_array_equal(opened.samples.read(1, 700, 1300), np.arange(700, 1300) % 3)


def test_days_are_counted_from_block_to_block(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Times of day without a date: blocks must not overtake each other."""
    monkeypatch.setattr(text_table, "_BLOCK", 701)
    minutes = range(20 * 60, 20 * 60 + 6000)  # past midnight four times
    rows = (f"{m // 60 % 24:02d}:{m % 60:02d}:00,{m % 7}\n" for m in minutes)
    (tmp_path / "a.csv").write_text("time,x\n" + "".join(rows))
    opened = open_recording(tmp_path / "a.csv")
    assert opened.sample_rate == pytest.approx(1 / 60)
    assert (opened.length, opened.problems) == (6000, ())


@pytest.mark.parametrize("mark", [".", "'", " ", "\u202f"])
def test_marks_between_thousands(tmp_path: Path, mark: str) -> None:
    numbers = [-1234567.25, 12.5, 1000.0, 999.75, -4321.0]
    rows = (f"{n:,.2f}".replace(",", "M").replace(".", ",").replace("M", mark) for n in numbers)
    text = "t [s];x\n" + "".join(f"{i};{row}\n" for i, row in enumerate(rows))
    (tmp_path / "a.csv").write_text(text)
    np.testing.assert_array_equal(read_all(open_recording(tmp_path / "a.csv")), numbers)
    (tmp_path / "b.csv").write_text('t [s],x\n0,"1,234.5"\n1,"12.25"\n2,"-7,654,321"\n')
    x = read_all(open_recording(tmp_path / "b.csv"))
    np.testing.assert_array_equal(x, [1234.5, 12.25, -7654321])


@given(
    delimiter=st.sampled_from([",", ";", "\t", " "]),
    decimal=st.sampled_from([".", ","]),
    header=st.sampled_from(["none", "names", "brackets", "unit row", "commented"]),
    width=st.integers(2, 5),
    remarks=st.integers(0, 40),
    seed=st.integers(0, 99),
)
def test_any_dialect_gives_its_numbers(
    tmp_path_factory: pytest.TempPathFactory,
    delimiter: str,
    decimal: str,
    header: str,
    width: int,
    remarks: int,
    seed: int,
) -> None:
    """Numbers, names and units survive whatever the logger divides and heads them with."""
    if delimiter == decimal:
        decimal = "."
    rng = np.random.default_rng(seed)
    data = np.round(rng.normal(scale=100, size=(30, width)), 3)
    names, units = [f"chan{i}" for i in range(width)], ["g", "mm/s", "µm", "V", "N"][:width]
    rows = [[f"{v:.3f}".replace(".", decimal) for v in row] for row in data]
    heads = {
        "none": [],
        "names": [names],
        "unit row": [names, units],
        "brackets": [[f"{n}[{u}]" for n, u in zip(names, units, strict=True)]],
        "commented": [["# " + names[0], *names[1:]]],
    }[header]
    lines = [f"# remark {i}" for i in range(remarks)] + ["A logger of no name"]
    lines += [delimiter.join(cells) for cells in (*heads, *rows)]
    path = tmp_path_factory.mktemp("t") / "a.txt"
    path.write_text("\n".join(lines))
    opened = open_recording(path)
    assert opened.length == 30
    for i in range(width):
        np.testing.assert_array_equal(read_all(opened, i), data[:, i])
    if header != "none":
        assert [channel.name for channel in opened.channels] == names
    if header in ("brackets", "unit row"):
        assert [channel.unit for channel in opened.channels] == units


def test_what_the_user_says_about_columns(tmp_path: Path) -> None:
    """Roles, names and units over what was guessed; a wrong guess is only a guess."""
    text = "n;t;a\n" + "".join(f"{i};{5 * i};{i * i}\n" for i in range(50))
    (tmp_path / "a.csv").write_text(text)
    guessed = understand(tmp_path / "a.csv")
    assert guessed.guesses == (
        "‘n’ counts the rows: left out.",
        "Time is in column 2: its header gives no unit; taken as milliseconds, for 200 Hz is "
        "likely, in µs it would be 200000 Hz.",
    )
    said = (ColumnGiven("leave out"), ColumnGiven(unit="ms"), ColumnGiven(name="Deck", unit="g"))
    told = understand(tmp_path / "a.csv", Given(how=Import(columns=said)))
    assert told.guesses == ()
    assert (told.recording.sample_rate, told.recording.channels) == (200.0, (Channel("Deck", "g"),))
    none = (ColumnGiven(), ColumnGiven("data"), ColumnGiven())
    assert understand(tmp_path / "a.csv", Given(how=Import(columns=none))).time is None
    commas = understand(tmp_path / "a.csv", Given(rate=1.0, how=Import(delimiter=";", decimal=",")))
    assert commas.contents.decimal == ","


def test_reading_a_long_table_can_be_stopped(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(text_table, "_BLOCK", 4096)
    (tmp_path / "a.csv").write_text("t [s],x\n" + "".join(f"{i},1\n" for i in range(20_000)))
    seen: list[float] = []

    def progress(fraction: float) -> None:
        seen.append(fraction)
        if fraction > 0.3:
            raise Cancelled

    with pytest.raises(Cancelled):
        open_recording(tmp_path / "a.csv", progress=progress)
    assert seen == sorted(seen)
    assert len(seen) > 5


@given(
    rate=st.sampled_from([0.5, 100.0, 12_800.0, 44_100.0, 48_000 / 1.001]),
    digits=st.integers(5, 8),
    start=st.floats(0, 1e4),
)
def test_rates_survive_rounded_stamps(
    tmp_path_factory: pytest.TempPathFactory, rate: float, digits: int, start: float
) -> None:
    path = tmp_path_factory.mktemp("t") / "a.csv"
    rows = "".join(f"{start + i / rate:.{digits}f},{i % 7}\n" for i in range(3000))
    path.write_text("time [s],x\n" + rows)
    found = open_recording(path).sample_rate
    assert found == pytest.approx(rate, rel=10.0**-digits * rate / 1000)


def test_missing_cells_stay_missing(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("t [s],x\n0,1\n1,\n2,NaN\n3,inf\n4,5\n")
    x = read_all(open_recording(tmp_path / "a.csv"))
    np.testing.assert_array_equal(x, [1, np.nan, np.nan, np.inf, 5])


def test_gaps_and_jitter_are_told(tmp_path: Path) -> None:
    stamps = [0, 10, 20, 30, 80, 90, 100, 110]
    (tmp_path / "a.csv").write_text("time [ms],x\n" + "".join(f"{t},1\n" for t in stamps))
    opened = open_recording(tmp_path / "a.csv")
    assert opened.sample_rate == 100.0
    assert [problem.code for problem in opened.problems] == ["gaps"]
    assert "a gap of 0.04 s" in opened.problems[0].text
    assert "after line 5" in opened.problems[0].text
    uneven = np.cumsum(np.random.default_rng(1).uniform(8, 12, 50))
    (tmp_path / "b.csv").write_text("time [ms],x\n" + "".join(f"{t:.3f},1\n" for t in uneven))
    assert [p.code for p in open_recording(tmp_path / "b.csv").problems] == ["jitter"]
    (tmp_path / "c.csv").write_text("time [ms],x\n0,1\n10,2\n10,3\n20,4\n15,5\n25,6\n35,7\n")
    (problem,) = open_recording(tmp_path / "c.csv").problems
    assert problem.code == "stamps"
    assert "1 repeated and 1 backward stamps, the first at line 4; they are ignored" in problem.text


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("Dear reader,\nthis is a letter.\nYours\n", "is text, but not a table of numbers"),
        ("t [s];x [g]\n", "has a header but no rows of numbers: it ends after line 1"),
        ("t [s];x [g]\ns;g\n", "header but no rows"),
        ("t [s],x\n0,1\n1,2\n2,oops\n3,4\n", "Line 4 of a.csv holds the word ‘oops’ .*‘x’"),
        ("t [s],x\n0,1\n1,2,3\n2,3\n", "Line 3 of a.csv has 3 cells, but .* 2"),
        ("t [s],x\n5,1\n5,2\n4,3\n", "Time never runs forward in a.csv"),
        (
            "clock,x\n8:00:00,1\n8:00:61,2\n8:00:02,3\n8:00:03,4\n",
            "Line 3 .*‘8:00:61’ where a time",
        ),
        ("t [s],x\n0,1\n,2\n2,3\n", "Line 3 of a.csv has no time"),
        ("t [s]\n0\n1\n2\n", "holds only a time column"),
        ("t [s],x\n0,1\n", "single row"),
        ("\x00\x01\x02binary", "named like a text table"),
    ],
)
def test_bad_tables(tmp_path: Path, text: str, sentence: str) -> None:
    (tmp_path / "a.csv").write_text(text)
    with pytest.raises(UserError, match=sentence):
        open_recording(tmp_path / "a.csv")
