"""Sessions and presets of every version: kept files, what they meant, and that a name in a file is
not a name in the code."""

from __future__ import annotations

import dataclasses
import json
from pathlib import Path

import pytest

from tonecomb.core.document import Document
from tonecomb.core.estimate.averages import Highest, InStep, Mean, Median, Single
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.find.damping import Fit
from tonecomb.core.record.recording import Stretch
from tonecomb.core.steps.combine import VectorSum
from tonecomb.core.steps.decimate import Decimate
from tonecomb.core.steps.keep import Keep
from tonecomb.core.steps.motion import Integral
from tonecomb.core.steps.remove import RemoveDrift
from tonecomb.core.steps.scale import Scale
from tonecomb.formats.session import presets, schema, session

KEPT = Path(__file__).parent / "kept"
STEPS = (
    Keep(2.0, 22.0), RemoveDrift(0.7), VectorSum((0, 1, 2)), Integral((0,), 2.0, "speed"),
    Scale((1,), 2.5), Decimate(4),
)  # fmt: skip


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
    assert first.method.follow.bands == (Band(10.0, 1000.0, "overall"),)
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
        (("averaging", "average"), {"kind": "mode"}), (("averaging", "average"), "mean"),
        (("source", "steps"), [{"step": "hum"}]), (("source", "steps"), [{"step": "keep"}]),
        (("source", "steps"), [{"step": "decimate", "factor": 2.5}]),
        (("frames", "frame"), "4096"), (("frames", "more"), 1), (("shown", "scaling"), "loud"),
    ],
)  # fmt: skip
def test_what_makes_no_sense_is_refused(
    tmp_path: Path, place: tuple[str, str], value: object
) -> None:
    from tonecomb.core.errors import UserError

    body = json.loads((KEPT / "session-v6.tcomb").read_text())
    part, name = place
    body["document"]["recordings"][0]["method"][part][name] = value
    (tmp_path / "a.tcomb").write_text(json.dumps(body))
    with pytest.raises(UserError, match="is damaged"):
        session.load(tmp_path / "a.tcomb")
