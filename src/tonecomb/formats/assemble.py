"""Making a recording of what a file holds and what the user says about it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.base.units import COUNTS, FULL_SCALE, PLAIN, UNKNOWN, find_unit, unit
from tonecomb.core.method.given import ColumnGiven, Given, Import, Role
from tonecomb.core.record import timebase
from tonecomb.core.record.calibration import calibrated
from tonecomb.core.record.recording import (
    Array,
    Break,
    Channel,
    Problem,
    RateSource,
    Recording,
    Samples,
)
from tonecomb.core.record.resampling import (
    Columns,
    Filled,
    Gridded,
    ResampledPart,
    longest,
    whole_parts,
)
from tonecomb.core.record.sensors import EVERY, ChannelGiven, said_of
from tonecomb.core.record.timebase import TimeBase
from tonecomb.core.say.plain import printable
from tonecomb.formats import time_column
from tonecomb.formats.contents import Contents, FileColumn, bracketed

_LONGEST = 1 << 48
_BLOCK = 1 << 20
_MOST_BREAKS = 1000
_SAME_RATE = 0.01
_NAME = 200  # letters of a name that are looked into
_RAW = (FULL_SCALE, COUNTS)  # units of samples that mean nothing without a scale


@dataclass(frozen=True, eq=False)
class Understood:
    """A recording and how it came about.

    ``columns`` are the file's with the roles, names and units that were taken; ``time`` is the
    number of the time column and ``base`` what its stamps say; ``pieces`` are those that cutting
    left, in samples, with ``piece`` the one that was kept. ``guesses`` are the sentences a user
    should confirm.
    """

    recording: Recording
    contents: Contents
    columns: tuple[FileColumn, ...]
    time: int | None
    base: TimeBase | None
    pieces: tuple[tuple[int, int], ...]
    piece: int
    guesses: tuple[str, ...]


def assemble(
    contents: Contents, path: Path, given: Given, progress: Progress = silent
) -> Understood:
    """Settle which columns are time and data, measure the time base, and cut or fill as given.

    Raises :class:`UserError` where no channel is left or the stamps cannot be used.
    """
    how = given.how
    columns = [_told(column, said) for column, said in _paired(contents, how, path)]
    guesses = list(contents.guesses)
    columns = _one_length(columns, path, guesses)
    stated = contents.rate
    found_time = time_column.find(columns, contents.samples.read, stated)
    at, size, assumed = found_time.at, found_time.size, found_time.assumed
    if at is not None:
        columns[at] = replace(columns[at], unit=time_column.SYMBOLS[size])
    for i in found_time.counting:
        columns[i] = replace(columns[i], role="leave out", note="counts the rows")
        guesses.append(f"{_title(columns[i], i)} counts the rows: left out.")
    data = [i for i, c in enumerate(columns) if i != at and c.role in (None, "data")]
    held = frozenset(data)
    columns = [replace(c, role=_role(i, at, held)) for i, c in enumerate(columns)]
    if not data:
        raise _nothing(path, columns)
    length = columns[data[0]].length
    rate, base, stamps = columns[data[0]].rate, None, None
    source: RateSource = "header"
    text = f"{contents.rate_found}: {rate:.9g} Hz" if rate is not None else ""
    if at is None and rate is None and stated is not None:
        rate, text = stated, f"{contents.rate_found}: {stated:.9g} Hz"
    if at is not None and rate is None:
        if assumed:
            guesses.append(_sentence(f"Time is in column {at + 1}: {assumed.rstrip('; ')}"))
        stamps = _Stamps(contents, at, size)
        where = _where(columns[at].name, at)
        base = timebase.measure(
            stamps, length, where, path.name, _row(contents), part(progress, 0, 0.4)
        )
        rate, source = base.rate, "time column"
        if stated is not None and abs(stated / rate - 1) > _SAME_RATE:
            guesses.append(
                f"{_sentence(contents.rate_found)[:-1]} come {stated:.6g} Hz, but the times say "
                f"{rate:.6g} Hz: the times are used."
            )
        text = timebase.found(base, where, assumed)
    if rate is None:
        source, text = "unknown", "the file has no time column"
        if given.rate is None:
            guesses.append("The file tells neither a sample rate nor a time column.")
    samples: Samples = Columns(contents.samples, tuple(data))
    channels = tuple(_channel(columns[i], i) for i in data)
    even = _Even(samples, length, channels, part(progress, 0.4, 1.0))
    settled = even.settle(base, stamps, how, _row(contents))
    problems = [*contents.problems, *settled]  # of the file's own there is nothing to ask
    lines = tuple(guesses)
    guesses += [problem.text for problem in settled]
    if how.missing == "refuse" and contents.missing:
        guesses += [
            f"{channel.name} has {_values(contents.missing[i])}."
            for channel, i in zip(channels, data, strict=True)
            if contents.missing[i]
        ]
    recording = Recording(
        id="",
        name=printable(path.stem),
        format=contents.format,
        sample_rate=rate,
        rate_source=source,
        rate_found=text,
        length=even.length,
        channels=channels,
        samples=even.samples,
        path=path,
        problems=tuple(problems),
        start=contents.start,
        comment=contents.comment,
        assumed=lines,
        breaks=_breaks(base, even) if how.time_base == "nominal" else (),
    )
    progress(1.0)
    return Understood(
        with_given(recording, given),
        contents,
        tuple(columns),
        at,
        base,
        tuple(even.pieces),
        even.piece,
        tuple(guesses),
    )


def _breaks(base: TimeBase | None, even: _Even) -> tuple[Break, ...]:
    """Where samples were joined across a gap, counted in what was kept."""
    if base is None:
        return ()
    first = even.pieces[even.piece][0]
    places = zip(base.gaps[:_MOST_BREAKS].tolist(), base.lost.tolist(), strict=False)
    breaks = (Break(at - first, lost) for at, lost in places)
    return tuple(one for one in breaks if 0 <= one.sample < even.length)


class _Stamps:
    """The time column in s, read in blocks."""

    def __init__(self, contents: Contents, column: int, size: float) -> None:
        self._samples, self._column, self._size = contents.samples, column, size

    def __call__(self, start: int, stop: int) -> Array:
        stamps = self._samples.read(self._column, start, stop)
        return stamps if self._size == 1.0 else stamps * self._size


class _Even:
    """Samples on their way to an even, whole series."""

    def __init__(
        self, samples: Samples, length: int, channels: tuple[Channel, ...], progress: Progress
    ) -> None:
        self.samples, self.length = samples, length
        self._channels, self._progress = channels, progress
        self.pieces: list[tuple[int, int]] = [(0, length)]
        self.piece = 0

    def settle(
        self, base: TimeBase | None, stamps: _Stamps | None, how: Import, row: Callable[[int], str]
    ) -> list[Problem]:
        """Resample, cut and fill as chosen; returns what there is to say about it."""
        problems: list[Problem] = []
        cut = False
        if base is not None and stamps is not None and (base.irregular or base.tick):
            problems += timebase.problems(base, how.time_base, row)
            if base.irregular and how.time_base == "resample":
                times = timebase.spread_out(stamps(0, self.length), base)
                gridded = Gridded(self.samples, times, base)
                self.samples, self.length = gridded, gridded.length
                self.pieces = [(0, self.length)]
            elif base.irregular and how.time_base == "cut":
                self.pieces, cut = base.pieces(self.length), True
        if how.missing == "interpolate":
            for i, channel in enumerate(self._channels):
                if count := _missing(self.samples, i, self.length):
                    text = f"{_values(count)} of {channel.name} {'is' if count == 1 else 'are'}"
                    problems.append(Problem("nan", f"{text} interpolated."))
                self._progress((i + 1) / len(self._channels))
            self.samples = Filled(self.samples, self.length)
        elif how.missing == "cut":
            parts = [
                found
                for first, stop in self.pieces
                for found in whole_parts(
                    self.samples, len(self._channels), first, stop, self._progress
                )
            ]
            if not parts:
                raise UserError(
                    "No sample is left",
                    "each has a missing value in one of the channels",
                    "leave out the channel that is never there",
                )
            cut = cut or parts != self.pieces
            self.pieces = parts
        if cut:
            chosen = longest(self.pieces) if how.piece is None else how.piece
            self.piece = min(max(chosen, 0), len(self.pieces) - 1)
            first, stop = self.pieces[self.piece]
            if len(self.pieces) > 1 or (first, stop) != (0, self.length):
                problems.append(
                    Problem(
                        "cut",
                        f"Piece {self.piece + 1} of {len(self.pieces)} is kept, from {row(first)} "
                        f"to {row(stop - 1)}.",
                    )
                )
            self.samples, self.length = ResampledPart(self.samples, first), stop - first
        return problems


def _paired(contents: Contents, how: Import, path: Path) -> list[tuple[FileColumn, ColumnGiven]]:
    said = how.columns or (ColumnGiven(),) * len(contents.columns)
    if len(said) != len(contents.columns):
        raise UserError(
            f"{path.name} has {len(contents.columns)} columns, but {len(said)} were described",
            "it has changed, or the description is of another file",
            "open it anew",
        )
    return list(zip(contents.columns, said, strict=True))


def _told(column: FileColumn, said: ColumnGiven) -> FileColumn:
    role = said.role or column.role
    name = column.name if said.name is None else said.name
    symbol = column.unit if said.unit is None else said.unit
    # A unit in brackets behind a name, in whatever format.
    found = bracketed(name) if said.name is None and not symbol.strip() else None
    if found and all(map(str.strip, found)) and find_unit(found[1]) is not None:
        name, symbol = found
    return replace(column, role=role, name=printable(name), unit=symbol)


def _one_length(columns: list[FileColumn], path: Path, guesses: list[str]) -> list[FileColumn]:
    """Leave out what does not fit together: of all lengths and rates the one with the most
    samples stays, unless the user chose."""
    wanted = [c for c in columns if c.role != "leave out" and c.length > 0]
    if not wanted:
        raise _nothing(path, columns)
    chosen = [c for c in wanted if c.role == "data"] or wanted
    sizes = Counter[tuple[int, float | None]]()
    for column in chosen:
        sizes[column.length, column.rate] += column.length
    kept, _ = max(sizes.items(), key=lambda item: item[1])
    if chosen is not wanted and len(sizes) > 1:
        lengths = " and ".join(str(length) for length, _ in list(sizes)[:2])
        raise UserError(
            f"The chosen columns of {path.name} do not belong together",
            f"they have {lengths} samples or different rates",
            "choose those of one length and rate, and open the file again for the others",
        )
    if not 0 < kept[0] < _LONGEST:
        raise _nothing(path, columns)
    result, out = [], 0
    for column in columns:
        fits = column.length == kept[0] and (column.rate == kept[1] or column.role == "time")
        if column.role != "leave out" and not fits:
            note = f"{column.length} samples, the others have {kept[0]}"
            column, out = replace(column, role="leave out", note=column.note or note), out + 1
        result.append(column)
    if out:
        guesses.append(
            f"{out} series of another length or rate {'are' if out > 1 else 'is'} left out."
        )
    return result


def _role(i: int, time: int | None, data: frozenset[int]) -> Role:
    return "time" if i == time else "data" if i in data else "leave out"


def _nothing(path: Path, columns: list[FileColumn]) -> UserError:
    if any(column.role == "time" for column in columns) and len(columns) == 1:
        return UserError(
            f"{path.name} holds only a time column", remedy="export it with the measured values"
        )
    notes = [f"‘{c.name or i + 1}’: {c.note}" for i, c in enumerate(columns) if c.note][:3]
    return UserError(
        f"{path.name} holds no series of numbers",
        "; ".join(notes),
        "export the measured values as numbers, a series for each channel",
    )


def _where(name: str, at: int) -> str:
    return f"the time column ‘{name}’" if name else f"column {at + 1}" if at else "the first column"


def _row(contents: Contents) -> Callable[[int], str]:
    return lambda i: f"{contents.row} {contents.first_row + i}"


def _title(column: FileColumn, at: int) -> str:
    return f"‘{column.name}’" if column.name else f"Column {at + 1}"


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:].rstrip(".") + "."


def _channel(column: FileColumn, number: int) -> Channel:
    name = column.name.strip() or f"column {number + 1}"
    stated = find_unit(column.unit) if column.unit.strip() else None
    return Channel(name, stated or (COUNTS if column.integer else UNKNOWN))


def with_given(recording: Recording, given: Given) -> Recording:
    """The recording with the user's rate and units over the file's; :class:`UserError` for a
    rate or a unit that cannot be. Nothing is read."""
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
    problems = list(recording.problems)
    for channel in recording.channels:
        own = said_of(given.channels, channel.name)
        if channel.unit in _RAW and (text := _unscaled(channel, own, given.unit)):
            problems.append(Problem("unscaled", text))
    recording = replace(recording, problems=tuple(problems))
    if given.unit is not None:
        symbol = unit(given.unit).symbol
        channels = tuple(replace(channel, unit=symbol) for channel in recording.channels)
        recording = replace(recording, channels=channels)
    return calibrated(recording, given.channels) if given.channels else recording


def _unscaled(channel: Channel, own: ChannelGiven | None, every: str | None) -> str:
    """What there is to say of a channel of bare numbers that is given a unit and no scale; "" where
    it has one."""
    scale = None if own is None else own.calibration
    if scale is not None:
        if unit(scale.raw).symbol in PLAIN:
            return ""
        return (
            f"{channel.name} is in {channel.unit} in the file and was taken to be in {scale.raw}: "
            "say what full scale stands for."
        )
    wanted = own.unit if own is not None and own.unit is not None else every
    if wanted is None or unit(wanted).symbol in PLAIN:
        return ""
    return (
        f"{channel.name} is in {channel.unit} in the file and was called {unit(wanted).symbol} "
        "without a scale: give its sensitivity, or what full scale stands for."
    )


def refuse_other_units(understood: Understood, given: Given, path: Path) -> None:
    """Raise :class:`UserError` where a unit is given to a channel of which the file says another,
    a scale to one that it cannot be of, or either to one that is not there."""
    columns = [column for column in understood.columns if column.role == "data"]
    names = [channel.name for channel in understood.recording.channels]
    for one in given.channels:
        if one.channel != EVERY and one.channel not in names:
            raise UserError(
                f"{path.name} has no channel ‘{one.channel}’",
                remedy=f"choose from: {', '.join(names[:20])}",
            )
    for column, channel in zip(columns, understood.recording.channels, strict=False):
        own = said_of(given.channels, channel.name)
        wanted = own.unit if own is not None and own.unit is not None else given.unit
        stated = column.unit.strip()
        if wanted is not None and stated and find_unit(stated) not in (unit(wanted).symbol, *PLAIN):
            raise UserError(
                f"‘{channel.name}’ of {path.name} is in {stated}, not in {unit(wanted).symbol}",
                "the file says so",
                "name the channels that are: --unit NAME=UNIT",
            )
        scale = None if own is None else own.calibration
        if scale is not None and scale.raw == FULL_SCALE and channel.unit != FULL_SCALE:
            raise UserError(
                f"‘{channel.name}’ of {path.name} is in {channel.unit}: it has no full scale",
                remedy="give the sensitivity of those in V or mV, and leave the others",
            )


def _missing(samples: Samples, channel: int, length: int) -> int:
    """How many samples of a channel are no numbers, counted in blocks."""
    return sum(
        int((~np.isfinite(samples.read(channel, i, min(length, i + _BLOCK)))).sum())
        for i in range(0, length, _BLOCK)
    )


def _values(count: int) -> str:
    return f"{count} missing {'value' if count == 1 else 'values'}"
