"""Which formats can be read, and the one way to open a recording."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from tonecomb.core.errors import UserError
from tonecomb.core.progress import Progress, silent
from tonecomb.core.recording import Recording
from tonecomb.core.units import unit
from tonecomb.formats import files, sound, text_table


@dataclass(frozen=True)
class Reader:
    """A format: ``sniff`` looks at a file's first bytes, ``open`` reads lazily where it can.

    ``open(path, progress)`` returns the recording as the file has it; raises
    :class:`UserError` and nothing else for a file it cannot use.
    """

    name: str
    suffixes: tuple[str, ...]
    sniff: Callable[[bytes], bool]
    open: Callable[[Path, Progress], Recording]


def _sound(container: sound.Container, *suffixes: str) -> Reader:
    return Reader(container.name, suffixes, container.sniff, container.open)


READERS: tuple[Reader, ...] = (
    _sound(sound.WAV, ".wav", ".wave"),
    _sound(sound.RF64, ".rf64"),
    _sound(sound.W64, ".w64"),
    _sound(sound.AIFF, ".aif", ".aiff"),
    _sound(sound.FLAC, ".flac"),
    # Last: anything that looks like text is worth a try.
    Reader("text table", (".csv", ".tsv", ".txt"), text_table.sniff, text_table.open_table),
)


@dataclass(frozen=True)
class Given:
    """What the user says about a file, over what it says itself: rate in Hz, unit."""

    rate: float | None = None
    unit: str | None = None


NOTHING_GIVEN = Given()


def open_recording(
    path: Path | str,
    given: Given = NOTHING_GIVEN,
    progress: Progress = silent,
    recording_id: str | None = None,
) -> Recording:
    """Open a file by its content, whatever its name says.

    Raises :class:`UserError` for a file that cannot be used, with what can be read.
    """
    path = Path(path)
    start = files.head(path)
    reader = next((reader for reader in READERS if reader.sniff(start)), None)
    if reader is None:
        named = next((r for r in READERS if path.suffix.lower() in r.suffixes), None)
        known = ", ".join(f"{r.name} ({' '.join(r.suffixes)})" for r in READERS)
        if named is not None:
            raise UserError(
                f"{path.name} is named like a {named.name} file but does not hold one",
                f"it starts with {_shown(start)}",
                f"export it again; what can be read: {known}",
            )
        raise UserError(f"{path.name} is in no format that can be read", remedy=f"use {known}")
    recording = reader.open(path, progress)
    return with_given(replace(recording, id=recording_id or uuid.uuid4().hex[:12]), given)


def with_given(recording: Recording, given: Given) -> Recording:
    """The recording with the user's word over the file's; :class:`UserError` for a rate or a
    unit that cannot be."""
    if given.rate is not None:
        if not 0 < given.rate < 1e12:
            raise UserError(
                f"A sample rate of {given.rate:g} Hz cannot be used", remedy="give one above zero"
            )
        recording = replace(
            recording,
            sample_rate=given.rate,
            rate_source="given",
            rate_found=f"given by you: {given.rate:g} Hz",
        )
    if given.unit is not None:
        symbol = unit(given.unit).symbol
        channels = tuple(replace(channel, unit=symbol) for channel in recording.channels)
        recording = replace(recording, channels=channels)
    return recording


def _shown(start: bytes) -> str:
    text = start[:12].decode("ascii", errors="replace")
    return "‘" + "".join(c if c.isprintable() and c != "\ufffd" else "·" for c in text) + "’"
