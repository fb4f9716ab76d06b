"""What sessions and presets hold, name by name.

The tables below say how each field is called in files. Whoever renames a field in the code changes
its name before the colon here, and no file changes; whoever moves or adds one writes a migration.
"""

from __future__ import annotations

import dataclasses
import operator
from functools import partial
from typing import Any

import cattrs
from cattrs.gen import make_dict_structure_fn, make_dict_unstructure_fn, override

from tonecomb.core.estimate.averages import AVERAGES, Average, InStep, Single
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.profile import Profile
from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.document import (
    Chain,
    Document,
    DroppedComb,
    Fingerprint,
    HeldTrace,
    Mark,
    PeakNote,
    RecordingRef,
)
from tonecomb.core.method.frf_settings import FrfSettings
from tonecomb.core.method.given import ColumnGiven, Given, Import
from tonecomb.core.method.machine import Known, Machine
from tonecomb.core.method.method import (
    OPTIONAL,
    Averaging,
    Follow,
    Frames,
    Method,
    Preset,
    Search,
    Shown,
    Source,
)
from tonecomb.core.method.searches import Fit, PeakSearch
from tonecomb.core.method.sketch import Place, Sketch
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.sensors import Calibration, ChannelGiven
from tonecomb.core.steps.step import Step
from tonecomb.core.synthesis.made import Made
from tonecomb.formats import made_json, step_text
from tonecomb.formats.session import strict

# attribute, or attribute:name in files
NAMES: dict[type, str] = {
    Document: "recordings current held",
    RecordingRef: "id name path fingerprint method given chains beside marks combs peak_notes "
    "machine mode_notes sketch",
    Sketch: "places lines",
    Place: "channel x y z along",
    Fingerprint: "size ends_sha256",
    Chain: "name channel steps",
    Mark: "time note",
    DroppedComb: "name spacing carrier first last std",
    PeakNote: "frequency name aside marked",
    Machine: "shaft comb known",
    Known: "name value of_shaft tolerance",
    HeldTrace: "id name recording method shown given",
    Given: "rate unit how channels made live",
    Import: "columns delimiter decimal time_base missing piece",
    ColumnGiven: "role name unit",
    ChannelGiven: "channel name calibration shown_in unit",
    Calibration: "unit sensitivity raw gain offset sensor",
    Preset: "name method",
    Method: "source frames averaging shown search follow shaft between",
    FrfSettings: "reference answers hits estimator form frame before decay pulse aside taken low "
    "high order",
    Source: "channel stretch steps reference axes",
    Frames: "detrend window frame overlap pad",
    Averaging: "average struck leave_clipped",
    Shown: "scaling level display",
    Search: "peaks fits",
    Follow: "tracks bands profile",
    Profile: "points unit below above",
    Display: "quantity low_cut reference drawn bands units weighting",
    PeakSearch: "above_db prominence_db low high most least above_floor_db spacing by_hand",
    Fit: "low high modes",
    Wanted: "low high teeth name",
    Band: "low high name unit detector limits accept weighting",
    Shaft: "comb channel tacho pulses orders",
    Sync: "period channel level falling",
    Stretch: "start end",
    Single: "at",
    InStep: "sync",
    **{kind: "" for kind in AVERAGES.values() if not dataclasses.fields(kind)},
}
_KIND = "kind"


def file_names(kind: type) -> dict[str, str]:
    """Names in files by attribute."""
    pairs = (entry.partition(":") for entry in NAMES[kind].split())
    return {attribute: name or attribute for attribute, _, name in pairs}


def _reader(made: cattrs.Converter, renamed: dict[str, Any], kind: type) -> Any:
    return make_dict_structure_fn(kind, made, _cattrs_forbid_extra_keys=True, **renamed)


def _writer(made: cattrs.Converter, renamed: dict[str, Any], kind: type) -> Any:
    return make_dict_unstructure_fn(kind, made, **renamed)


def _converter() -> cattrs.Converter:
    made = strict.converter()
    for kind in NAMES:
        renamed = {a: override(rename=name) for a, name in file_names(kind).items()}
        exactly = partial(operator.is_, kind)  # and none of its subclasses
        made.register_structure_hook_factory(exactly, partial(_reader, made, renamed))
        made.register_unstructure_hook_factory(exactly, partial(_writer, made, renamed))

    def read_average(value: Any, _: type) -> Average:
        if not isinstance(value, dict) or value.get(_KIND) not in AVERAGES:
            raise ValueError(f"{value!r} is no way to average")
        settings = {name: one for name, one in value.items() if name != _KIND}
        return made.structure(settings, AVERAGES[value[_KIND]])

    made.register_structure_hook_func(lambda t: t is Average, read_average)
    made.register_unstructure_hook_func(
        lambda t: t is Average,
        lambda one: {_KIND: one.key, **made.unstructure(one, unstructure_as=type(one))},
    )
    made.register_structure_hook_func(lambda t: t is Made, lambda value, _: made_json.read(value))
    made.register_unstructure_hook_func(lambda t: t is Made, made_json.written)
    made.register_structure_hook_func(lambda t: t is Step, lambda value, _: step_text.read(value))
    made.register_unstructure_hook_func(lambda t: t is Step, step_text.written)
    return made


_CONVERTER: list[cattrs.Converter] = []


def converter() -> cattrs.Converter:
    """The one that reads and writes by the tables, made when it is first needed."""
    if not _CONVERTER:
        _CONVERTER.append(_converter())
    return _CONVERTER[0]


def written(value: Any) -> Any:
    """A value as JSON has it."""
    return converter().unstructure(value)


def method_values(method: Method) -> dict[str, Any]:
    """A method for reading programs: every setting by its own name, whatever part it is in."""
    parts = written(method)
    flat: dict[str, Any] = {}
    for name, part in parts.items():
        flat |= {name: part} if name in OPTIONAL or part is None else part
    average = flat["average"]
    return flat | {"average": average.pop(_KIND), **average}
