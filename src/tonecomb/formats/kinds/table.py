"""Every kind of result, in the order in which they are told. To add one: its module and a line."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from typing import Any

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.formats.kinds.alike import AlikeKind
from tonecomb.formats.kinds.before_after import BeforesAfters
from tonecomb.formats.kinds.cepstrum import CepstrumKind
from tonecomb.formats.kinds.changes import ChangesKind
from tonecomb.formats.kinds.hits import HitKind
from tonecomb.formats.kinds.kind import Kind, ResultEntry
from tonecomb.formats.kinds.lengths import LengthsKind
from tonecomb.formats.kinds.ranges import Ranges
from tonecomb.formats.kinds.run_up import RunUps
from tonecomb.formats.kinds.shock import ShockKind
from tonecomb.formats.kinds.slices import SliceKind
from tonecomb.formats.kinds.spectrogram import Spectrograms
from tonecomb.formats.kinds.spectrum import SpectrumKind
from tonecomb.formats.kinds.transfer import TransferKind
from tonecomb.formats.kinds.trend import Trends

SPECTRUM, SPECTROGRAM = SpectrumKind(), Spectrograms()
KINDS: list[Kind[Any]] = [
    SPECTRUM,
    BeforesAfters(),
    SPECTROGRAM,
    SliceKind(),
    Trends(),
    RunUps(),
    Ranges(),
    HitKind(),
    CepstrumKind(),
    TransferKind(),
    AlikeKind(),
    LengthsKind(),
    ShockKind(),
    ChangesKind(),
]


def kind(key: str) -> Kind[Any]:
    """The kind with this key."""
    return next(one for one in KINDS if one.key == key)


def besides(
    method: Method,
    recording: Recording,
    asked: Mapping[str, Hashable] | None = None,
    progress: Progress = silent,
) -> list[ResultEntry]:
    """What a method, or what is ``asked`` of a kind by its key, calls for besides the spectrum;
    where something of it is over time, a spectrogram comes first."""
    wanted = asked or {}
    called = [
        one for one in KINDS if one is not SPECTRUM and one.called_for(method, wanted.get(one.key))
    ]
    if any(one.in_time for one in called) and SPECTROGRAM not in called:
        called.insert(0, SPECTROGRAM)
    entries = []
    for i, one in enumerate(called):
        share = part(progress, i / len(called), (i + 1) / len(called))
        asked_of = wanted.get(one.key)
        entries.append(ResultEntry(one, one.run(method, recording, asked_of, share), asked_of))
    return entries
