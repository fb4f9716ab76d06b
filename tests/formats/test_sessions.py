"""Sessions and presets of every version: kept files, what they meant, and that a name in a file is
not a name in the code."""

from __future__ import annotations

import contextlib
import dataclasses
import json
import os
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.setting import settings as settings_of
from tonecomb.core.estimate.averages import AVERAGES, Average, Highest, InStep, Mean, Median, Single
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.document import Document, RecordingRef
from tonecomb.core.method.given import Given
from tonecomb.core.method.searches import Fit
from tonecomb.core.method.sketch import Place
from tonecomb.core.record.recording import Stretch
from tonecomb.core.steps.combine import VectorSum
from tonecomb.core.steps.decimate import Decimate
from tonecomb.core.steps.isolate import Isolate
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.motion import Integral
from tonecomb.core.steps.remove import RemoveDrift
from tonecomb.core.steps.scale import Scale
from tonecomb.core.steps.step import Step
from tonecomb.core.steps.table import STEPS as KINDS
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.noise import Noise
from tonecomb.formats.session import limits, presets, schema, session

KEPT = Path(__file__).parent / "kept"
STEPS = (
    Keep(2.0, 22.0),
    RemoveDrift(0.7),
    VectorSum((0, 1, 2)),
    Integral((0,), 2.0, "speed"),
    Scale((1,), 2.5),
    Decimate(4),
)


def read(version: int) -> Document:
    return session.load(KEPT / f"session-v{version}.tcomb")


@pytest.mark.parametrize("version", range(1, session.VERSION + 1))
def test_every_version_is_read_and_comes_back_whole(version: int, tmp_path: Path) -> None:
    document = read(version)
    first, second = document.recordings
    assert (document.current, first.name, second.name) == ("a", "drive-steady", "run-up")
    method = first.method
    assert (method.frames.window, method.frames.frame) == ("kaiser:8.6", 2048)
    assert method.source.stretch == Stretch(1.0, 9.0)
    assert (method.shown.scaling, method.shown.level) == ("psd", "peak")
    assert method.search.peaks.above_db == 50.0
    session.save(tmp_path / "again.tcomb", document)
    again = session.load(tmp_path / "again.tcomb")
    assert again == document


@pytest.mark.parametrize("version", range(2, session.VERSION + 1))
def test_conditioning_becomes_steps_that_mean_the_same(version: int) -> None:
    """The order that was fixed then, and the numbers of channels as they were."""
    first, second = read(version).recordings
    assert first.method.source.steps == STEPS
    assert first.method.source.channel == 3, "the first derived one"
    assert second.method.source.steps == ()
    held, other = read(version).held
    assert held.method.source.steps == STEPS, "a trace has the chain that it was made with"
    assert held.method.averaging.average == Median() and not held.shown
    assert other.method.source.steps == () and other.method.averaging.average == Highest()


def test_averages_take_what_belongs_to_them_along() -> None:
    first, second = read(5).recordings
    assert first.method.averaging.average == Single(4.5)
    assert isinstance(second.method.averaging.average, InStep)
    assert second.method.averaging.average.sync.channel == 1
    assert read(1).recordings[0].method.averaging.average == Mean()
    assert first.method.averaging.struck == (Stretch(3.0, 4.0),)
    assert first.method.averaging.leave_clipped
    assert first.method.shown.display == Display("Velocity", 2.0, 1e-9, "octave", 3)
    assert first.method.follow.bands == (Band(10.0, 1000.0, "overall", "mm/s"),)
    assert first.method.search.fits == (Fit(55.0, 70.0, 2),)
    assert first.method.shaft is not None and first.method.shaft.orders == (1.0, 2.0)


def test_the_first_versions_unit_is_found() -> None:
    assert [ref.given.unit for ref in read(1).recordings] == ["g", "g"]


@pytest.mark.parametrize("version", [1, 2])
def test_presets_of_every_version(version: int, tmp_path: Path) -> None:
    in_step, tones = presets.load(KEPT / f"presets-v{version}.json")
    assert isinstance(in_step.method.averaging.average, InStep)
    assert tones.method.averaging.average == Single()
    assert tones.method.frames.window == "kaiser:8.6"
    presets.save(tmp_path / "a.json", (in_step, tones))
    assert presets.load(tmp_path / "a.json") == (in_step, tones)


@pytest.mark.parametrize("kind", schema.NAMES, ids=lambda kind: kind.__name__)
def test_every_field_has_its_name_in_files(kind: type) -> None:
    """A field that is new in the code is told here to have no name yet."""
    named = schema.file_names(kind)
    assert set(named) == {field.name for field in dataclasses.fields(kind)}
    assert len(set(named.values())) == len(named)


def test_a_field_may_be_renamed_in_the_code_alone(monkeypatch: pytest.MonkeyPatch) -> None:
    """The names in files come from the table, not from the class."""
    monkeypatch.setitem(schema.NAMES, Stretch, "start:from end")
    monkeypatch.setattr(schema, "_CONVERTER", [])
    assert schema.written(Stretch(1.0, 2.0)) == {"from": 1.0, "end": 2.0}
    back = schema.converter().structure({"from": 1.0, "end": 2.0}, Stretch)
    assert back == Stretch(1.0, 2.0)


@pytest.mark.parametrize(
    ("place", "value"),
    [
        (("averaging", "average"), {"kind": "mode"}),
        (("averaging", "average"), "mean"),
        (("source", "steps"), [{"step": "hum"}]),
        (("source", "steps"), [{"step": "keep"}]),
        (("source", "steps"), [{"step": "decimate", "factor": 2.5}]),
        (("frames", "frame"), "4096"),
        (("frames", "more"), 1),
        (("shown", "scaling"), "loud"),
    ],
)
def test_what_makes_no_sense_is_refused(
    tmp_path: Path, place: tuple[str, str], value: object
) -> None:
    from tonecomb.core.base.errors import UserError

    body = json.loads((KEPT / "session-v6.tcomb").read_text())
    part, name = place
    body["document"]["recordings"][0]["method"][part][name] = value
    (tmp_path / "a.tcomb").write_text(json.dumps(body))
    with pytest.raises(UserError, match="is damaged"):
        session.load(tmp_path / "a.tcomb")


def setting_values(kind: type) -> st.SearchStrategy[Any]:
    """A step or a part with whatever its editor can hold."""
    by_kind = {
        "number": NUMBERS,
        "whole": st.integers(-(10**6), 10**6),
        "text": TEXTS,
        "flag": st.booleans(),
        "channels": st.lists(st.integers(0, 40)).map(tuple),
    }
    chosen = {
        name: st.sampled_from(one.choices) if one.kind == "choice" else by_kind[one.kind]
        for name, one, _ in settings_of(kind)
        if one.choices or one.kind in by_kind
    }
    return st.builds(kind, **chosen)


NUMBERS = st.floats(-1e9, 1e9)
TEXTS = st.text(st.characters(codec=None), max_size=6)
PATHS = st.binary(min_size=1, max_size=6).map(lambda one: one.replace(b"\0", b"/"))
STEP = st.one_of([setting_values(kind) for kind in KINDS if kind is not Isolate])


def can_be_made(one: Made) -> bool:
    """What the bench asks of a description before it takes it."""
    with contextlib.suppress(UserError):
        one.check()
        return True
    return False


MADE = st.builds(Made, TEXTS, st.just("g"), st.lists(setting_values(Noise), max_size=2).map(tuple))
MADE = MADE.filter(can_be_made)
HELD = {
    float: NUMBERS,
    int: st.integers(-900, 900),
    str: TEXTS,
    Step: STEP,
    Place: st.builds(Place, st.integers(0, 9), NUMBERS, along=st.sampled_from(["+z", "-x"])),
    Average: st.one_of([st.from_type(kind) for kind in AVERAGES.values()]),
}


@settings(max_examples=20, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
@given(data=st.data(), path=PATHS, made=st.none() | MADE)
def test_whatever_the_bench_can_hold_comes_back(
    tmp_path: Path, data: st.DataObject, path: bytes, made: Made | None
) -> None:
    """Any names, numbers, notes and steps, and files of any name."""
    for kind, strategy in HELD.items():
        st.register_type_strategy(kind, strategy)
    ref = data.draw(st.builds(RecordingRef, given=st.builds(Given, made=st.just(made))))
    place = "" if made else os.path.normpath(tmp_path / os.fsdecode(path))
    ref = replace(ref, path=place, method=ref.method.having(window="hann"))
    document = Document((ref,), ref.id)
    limits.check(document)
    session.save(tmp_path / "s.tcomb", document)
    assert session.load(tmp_path / "s.tcomb") == document
