"""Which formats can be read and written, and the one way to open a recording."""

from __future__ import annotations

import uuid
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.method.given import NOTHING_GIVEN, ColumnGiven, Given, Import, Role
from tonecomb.core.record.recording import Recording
from tonecomb.core.synthesis.made import Made
from tonecomb.formats import (
    arrays,
    columnar,
    files,
    guard,
    hdf5,
    made_json,
    matlab5,
    sound,
    text_layout,
    text_table,
    time_column,
    universal,
)
from tonecomb.formats.assemble import Understood, assemble, refuse_other_units, with_given
from tonecomb.formats.contents import Contents


@dataclass(frozen=True)
class Reader:
    """A format: ``sniff`` looks at a file's first bytes, ``open`` reads lazily where it can.

    ``open(path, how, progress)`` returns what the file holds; raises :class:`UserError` and
    nothing else for a file it cannot use. ``lazy`` where opening reads little, so that several
    processes may each open the file.
    """

    name: str
    suffixes: tuple[str, ...]
    sniff: Callable[[bytes], bool]
    open: Callable[[Path, Import, Progress], Contents]
    lazy: bool = False


@dataclass(frozen=True)
class Writer:
    """A format that recordings are written in, chosen by the name's suffix."""

    name: str
    suffix: str
    write: Callable[[Path, Recording, Progress], None]


def _sound(container: sound.Container, *suffixes: str) -> Reader:
    return Reader(container.name, suffixes, container.sniff, container.open, lazy=True)


READERS: tuple[Reader, ...] = (
    _sound(sound.WAV, ".wav", ".wave"),
    _sound(sound.RF64, ".rf64"),
    _sound(sound.W64, ".w64"),
    _sound(sound.AIFF, ".aif", ".aiff"),
    _sound(sound.FLAC, ".flac"),
    _sound(sound.CAF, ".caf"),
    _sound(sound.AU, ".au", ".snd"),
    _sound(sound.OGG, ".ogg", ".oga", ".opus"),
    _sound(sound.MP3, ".mp3"),
    Reader("HDF5", (".h5", ".hdf5", ".hdf"), hdf5.sniff, hdf5.open_hdf5, lazy=True),
    Reader("MATLAB 7.3", (".mat",), hdf5.sniff_matlab, hdf5.open_matlab, lazy=True),
    Reader("MATLAB 5", (".mat",), matlab5.sniff, matlab5.open_matlab),
    Reader("UFF", (".uff", ".unv", ".uf", ".bunv"), universal.sniff, universal.open_universal),
    Reader("NPY", (".npy",), arrays.sniff_npy, arrays.open_npy, lazy=True),
    Reader("NPZ", (".npz",), arrays.sniff_npz, arrays.open_npz),
    Reader("Parquet", (".parquet",), columnar.sniff_parquet, columnar.open_parquet, True),
    Reader("Feather", (".feather", ".arrow"), columnar.sniff_feather, columnar.open_feather, True),
    # Last: anything that looks like text is worth a try.
    Reader(
        "text table", (".csv", ".tsv", ".txt", ".asc"), text_layout.sniff, text_table.open_table
    ),
)

WRITERS: tuple[Writer, ...] = (
    Writer("WAV, 32 bit float", ".wav", sound.write_wav),
    Writer("FLAC, 24 bit", ".flac", sound.write_flac),
    Writer("HDF5", ".h5", hdf5.write_hdf5),
    Writer("Parquet", ".parquet", columnar.write_parquet),
    Writer("Feather", ".feather", columnar.write_feather),
    Writer("UFF 58, text", ".uff", universal.write_text),
    Writer("UFF 58, binary", ".bunv", universal.write_binary),
    Writer("CSV", ".csv", text_table.write_csv),
)


def understand(
    path: Path | str, given: Given = NOTHING_GIVEN, progress: Progress = silent
) -> Understood:
    """Open a file by its content, whatever its name says, and say how it was understood.

    Raises :class:`UserError` for a file that cannot be used, with what can be read.
    """
    path = Path(path)
    return assemble(
        _contents(path, given, part(progress, 0, 0.7)), path, given, part(progress, 0.7, 1)
    )


def with_time(path: Path, given: Given, column: str | None, unit: str | None) -> Given:
    """``given``, with the time in the ``column`` of this name, or number from 1, or in none for
    "none", and counted in ``unit``; None leaves either to the file.

    Raises :class:`UserError` where there is no such column or unit.
    """
    if column is None and unit is None:
        return given
    contents = _contents(path, given, silent)
    columns = contents.columns
    at = time_column.find(columns, contents.samples.read, contents.rate).at
    wanted = at
    if column is not None:
        names = [one.name for one in columns]
        numbers = {str(i + 1): i for i in range(len(names))} | {"none": None}
        if column not in names and column not in numbers:
            listed = ", ".join(f"{i} {name}".strip() for i, name in enumerate(names[:20], start=1))
            raise UserError(
                f"{path.name} has no column ‘{column}’", remedy=f"choose from: {listed}"
            )
        wanted = names.index(column) if column in names else numbers[column]
    if unit is not None and wanted is None:
        raise UserError(f"{path.name} has no time column", remedy="name it with --time-column")
    if unit is not None and time_column.factor(unit) is None:
        raise UserError(f"‘{unit}’ is no unit of time", remedy="give one like s, ms, us or min")
    said = list(given.how.columns) or [ColumnGiven()] * len(columns)
    for i in {at, wanted} - {None}:
        assert i is not None
        role: Role = "time" if i == wanted else "leave out"
        said[i] = replace(said[i], role=role, unit=unit if i == wanted and unit else said[i].unit)
    return replace(given, how=replace(given.how, columns=tuple(said)))


def _contents(path: Path, given: Given, progress: Progress) -> Contents:
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
    contents = reader.open(path, given.how, progress)
    guard.is_source(path)
    return contents


def opened_lazily(path: Path) -> bool:
    """Whether a file is of a format of which opening reads little. Raises :class:`UserError` where
    it cannot be read."""
    start = files.head(path)
    reader = next((reader for reader in READERS if reader.sniff(start)), None)
    return reader is not None and reader.lazy


def understand_anew(known: Understood, given: Given, progress: Progress = silent) -> Understood:
    """As :func:`understand` for a file that is open, reading it again only if that is needed."""
    contents, how = known.contents, given.how
    path = known.recording.path or Path()
    same = how.delimiter in (None, contents.delimiter) and how.decimal in (None, contents.decimal)
    return assemble(contents, path, given, progress) if same else understand(path, given, progress)


def open_recording(
    path: Path | str,
    given: Given = NOTHING_GIVEN,
    progress: Progress = silent,
    recording_id: str | None = None,
    *,
    strict: bool = False,
) -> Recording:
    """The recording in a file, or the one that a description in it makes; see
    :func:`understand`. With ``strict`` no unit is given to what the file says is another."""
    if (made := description(Path(path))) is not None:
        return identified(made.recording(""), recording_id)
    if not strict or (given.unit is None and not given.channels):
        return identified(understand(path, given, progress).recording, recording_id)
    understood = understand(path, replace(given, unit=None, channels=()), progress)
    refuse_other_units(understood, given, Path(path))
    return identified(with_given(understood.recording, given), recording_id)


def description(path: Path) -> Made | None:
    """The description that a file holds, None where it holds something else."""
    return made_json.load(path) if made_json.sniff(files.head(path)) else None


def identified(recording: Recording, recording_id: str | None = None) -> Recording:
    """The recording with an id, a new one unless it is given."""
    return replace(recording, id=recording_id or uuid.uuid4().hex[:12])


def write_recording(path: Path, recording: Recording, progress: Progress = silent) -> None:
    """Write a recording in the format that ``path`` is named for.

    Raises :class:`UserError` for a name without a format, a place that cannot be written, or a
    recording that the format cannot hold.
    """
    writer = next((w for w in WRITERS if w.suffix == path.suffix.lower()), None)
    if writer is None:
        known = ", ".join(f"{w.suffix} ({w.name})" for w in WRITERS)
        raise UserError(
            f"{path.name} does not tell in which format to write",
            remedy=f"end it in one of {known}",
        )
    guard.check_target(path, recording.path)
    writer.write(path, recording, progress)


def _shown(start: bytes) -> str:
    text = start[:12].decode("ascii", errors="replace")
    return "‘" + "".join(c if c.isprintable() and c != "\ufffd" else "·" for c in text) + "’"
