"""Known frequencies: the table on disk, and the names that peaks get from it."""

from __future__ import annotations

import csv
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import recording, tone

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.document import DroppedComb, Fingerprint, PeakNote, RecordingRef
from tonecomb.core.method.machine import Known, Machine, named
from tonecomb.core.method.method import Method
from tonecomb.core.method.searches import PeakSearch
from tonecomb.core.results.knowledge import knowledge
from tonecomb.core.results.search import run
from tonecomb.formats import machines, readings
from tonecomb.formats.kinds.kind import ResultContext
from tonecomb.formats.kinds.table import SPECTRUM

names = st.text(st.characters(exclude_categories=("C", "Z")), min_size=1, max_size=12).filter(
    lambda text: not text.startswith("#")
)
known_frequencies = st.builds(
    Known, names, st.floats(1e-3, 1e6), st.booleans(), st.floats(0.01, 50.0)
)


@settings(max_examples=60, deadline=None)
@given(st.lists(known_frequencies, max_size=6))
def test_tables_come_back(tmp_path_factory: pytest.TempPathFactory, known: list[Known]) -> None:
    file = tmp_path_factory.mktemp("t") / "machine.csv"
    machines.write(file, tuple(known))
    back = machines.read(file)
    assert [(one.name, one.of_shaft) for one in back] == [(k.name, k.of_shaft) for k in known]
    for one, before in zip(back, known, strict=True):
        assert one.value == pytest.approx(before.value, rel=1e-9)
        assert one.tolerance == pytest.approx(before.tolerance, rel=1e-5)


def test_a_spreadsheets_table_is_read(tmp_path: Path) -> None:
    """Semicolons, decimal commas, a byte order mark, columns in another order, no tolerance."""
    file = tmp_path / "m.csv"
    file.write_text(
        "\ufeffTimes shaft;Name;Frequency (Hz)\n17;Mesh;\n;Mains;50,0\n\n# old\n", "utf-8"
    )
    assert machines.read(file) == (Known("Mesh", 17.0, True), Known("Mains", 50.0))


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("\n", "it is empty"),
        ("a,b\n1,2\n", "does not name its columns"),
        ("name,frequency\nMesh,fast\n", "row 2: could not convert"),
        ("name,frequency,times\nMesh,1,2\n", "row 2: one of frequency and times"),
        ("name,frequency\nMesh,-3\n", "row 2: ‘Mesh’ is no known frequency"),
        ("name,frequency\n,3\n", "row 2: A known frequency has no name"),
    ],
)
def test_what_is_no_table_is_told(tmp_path: Path, text: str, why: str) -> None:
    file = tmp_path / "m.csv"
    file.write_text(text)
    with pytest.raises(UserError, match=r"m\.csv is no table of known frequencies") as told:
        machines.read(file)
    assert why in told.value.text


def test_the_nearest_known_frequency_within_its_tolerance_names_a_peak() -> None:
    known = (Known("mesh", 17.0, True, 0.5), Known("fan", 412.0, False, 0.1))
    assert named(known, 24.3, 413.1, 0.0) == "mesh"
    assert named(known, 24.3, 412.3, 0.0) == "fan"
    assert named(known, None, 413.1, 0.0) == "", "no shaft, no multiples"
    assert named(known, 24.3, 420.0, 0.0) == ""
    assert named(known, 24.3, 420.0, 10.0) == "mesh", "measured so badly it may be"


def test_everything_that_is_said_goes_into_the_tables() -> None:
    """The shaft's speed from a comb, a typed name over a known one, a comb of one's own."""
    n, fs = 1 << 15, 2000.0
    rng = np.random.default_rng(0)
    x = sum(tone(n, 24.3 * k, fs) / k for k in range(1, 6)) + tone(n, 413.1, fs)
    made = recording(x + 0.01 * rng.standard_normal(n), fs=fs)
    weak = 301.0
    method = Method.of(frame=8192, peaks=PeakSearch(above_db=40, by_hand=(weak, 24.3)))
    analysis = run(method, made)
    by_hand = [peak for peak in analysis.peaks or () if peak.by_hand]
    assert len(by_hand) == 1 and abs(by_hand[0].tone.frequency - weak) < 0.6
    ref = RecordingRef(
        "a",
        "a",
        "a",
        Fingerprint(1, ""),
        method,
        combs=(DroppedComb("motor", 24.3, last=5, std=1e-4),),
        peak_notes=(PeakNote(48.6, "my own"), PeakNote(97.2, aside="known")),
        machine=Machine(None, "motor", (Known("mesh", 17.0, True), Known("second", 48.6))),
    )
    said = knowledge(ref)
    assert said.shaft == 24.3
    assert knowledge(replace(ref, machine=Machine(25.0, "motor"))).shaft == 25.0
    rows = list(csv.DictReader(readings.peaks(analysis, said).csv().splitlines()[2:]))
    told = {round(float(row["frequency [Hz]"]), 1): row for row in rows}
    assert (told[413.1]["name"], told[413.1]["order"]) == ("mesh", "17")
    assert told[48.6]["name"] == "my own" and told[97.2]["set aside"] == "known"
    context = ResultContext(analysis, said=said)
    values = SPECTRUM.values(analysis, context)
    assert [comb["name"] for comb in values["combs"]] == ["motor"], "what was found is the same"
    assert all(tooth["found"] for tooth in values["combs"][0]["teeth"])
    assert "17.000 × shaft, mesh" in "".join(SPECTRUM.lines(analysis, context))
    assert values["peaks"][1]["name"] == "my own" and values["peaks"][0]["order"] == pytest.approx(
        1
    )
