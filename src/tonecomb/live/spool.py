"""What came, on disk: pieces of one length in a folder, the oldest let go where they take too much.

One program writes, any may read while it does: what was handed to the system is there for all.
Beside the pieces lies a page of figures that says how far it is.
"""

from __future__ import annotations

import json
import mmap
import struct
import time
from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import astuple, dataclass, fields
from pathlib import Path

import numpy as np

from tonecomb.core.base.runs import spans_of
from tonecomb.core.record.recording import Array, Channel, Samples
from tonecomb.formats import atomic
from tonecomb.formats.growing import GrowingFile
from tonecomb.formats.json_text import json_text
from tonecomb.live.source import Block, Counts, Described, Frames
from tonecomb.live.watching import Event

PIECE_S = 20.0
"""How long a piece is,"""
_LEAST_PIECES = 8  # in the room there is: where that is little, pieces are shorter,
_SHORTEST = 1000  # but no shorter than so many samples
_FIGURES = "figures"
_DESCRIBED = "described.json"
_GAPS, _EVENTS = "gaps", "events"
_PLACES = 32  # numbers on the page
_END, _FIRST, _STATE, _WHEN, _COUNTS = 0, 1, 2, 3, 8
RUNNING, ENDED = 1, 2


class SpoolPage:
    """Numbers that one program writes and others read."""

    def __init__(self, path: Path, *, write: bool = False) -> None:
        if write:
            path.write_bytes(bytes(8 * _PLACES))
        with path.open("r+b" if write else "rb") as file:
            access = mmap.ACCESS_WRITE if write else mmap.ACCESS_READ
            self._map = mmap.mmap(file.fileno(), 8 * _PLACES, access=access)

    def __getitem__(self, at: int) -> int:
        return int(struct.unpack_from("<q", self._map, 8 * at)[0])

    def __setitem__(self, at: int, value: int) -> None:
        struct.pack_into("<q", self._map, 8 * at, value)

    def close(self) -> None:
        self._map.close()


class SpoolWriter:
    """Writes blocks; ``room`` are the bytes that all pieces may take together."""

    def __init__(self, folder: Path, described: Described, room: int) -> None:
        self._folder, self._described, self._room = folder, described, room
        frame = 4 * len(described.channels)
        fitting = max(room // (_LEAST_PIECES * frame), _SHORTEST)
        self._each = max(min(round(PIECE_S * described.rate), fitting), 1)
        self._bytes = self._each * frame
        said = {
            "name": described.name,
            "rate": described.rate,
            "piece": self._each,
            "channels": [[c.name, c.unit] for c in described.channels],
        }
        self._page = SpoolPage(folder / _FIGURES, write=True)
        self._file: GrowingFile | None = None
        self._number = self._oldest = 0
        self._page[_STATE] = RUNNING
        self._gaps = (folder / _GAPS).open("wb", buffering=0)
        self._events = (folder / _EVENTS).open("wb", buffering=0)
        atomic.write_text(folder / _DESCRIBED, json_text(said, None))

    def take(self, block: Block, counts: Counts) -> None:
        """One more block, and how it goes."""
        done = 0
        for first, stop in _holes(block):
            self._gaps.write(struct.pack("<qq", block.first + first, block.first + stop))
        while done < block.length:
            if self._file is None:
                path = _piece(self._folder, self._number)
                self._file = GrowingFile(path, self._described.rate, self._described.channels)
            count = min(block.length - done, self._each - self._file.length)
            if block.frames is None:
                self._file.skip(count)  # the gaps say so
            else:
                self._file.write(block.frames[done : done + count])
            done += count
            if self._file.length >= self._each:
                self._file.close()
                self._file = None
                self._number += 1
                self._let_go()
        self._page[_WHEN] = time.monotonic_ns()
        for i, count in enumerate(astuple(counts)):
            self._page[_COUNTS + i] = count
        self._page[_END] = block.end  # last: what it says is there

    def tell(self, events: Iterable[Event]) -> None:
        """Keep what was watched for and came."""
        for event in events:
            self._events.write(event.line().encode() + b"\n")

    def _let_go(self) -> None:
        while (self._number - self._oldest + 1) * self._bytes > max(self._room, 2 * self._bytes):
            self._oldest += 1
            self._page[_FIRST] = self._oldest * self._each
            _piece(self._folder, self._oldest - 1).unlink(missing_ok=True)

    def close(self) -> None:
        """Nothing more comes."""
        if self._file is not None:
            self._file.close()
        self._gaps.close()
        self._events.close()
        self._page[_STATE] = ENDED
        self._page.close()


def _holes(block: Block) -> list[tuple[int, int]]:
    """What of a block was lost, in any channel."""
    if block.frames is None:
        return [(0, block.length)]
    if np.isfinite(block.frames.sum()):
        return []
    bad = ~np.isfinite(block.frames).all(axis=1)
    return spans_of(np.asarray(bad))


def _piece(folder: Path, number: int) -> Path:
    return folder / f"piece-{number:06d}.wav"


@dataclass(frozen=True)
class Progressed:
    """``first`` and ``end`` are the samples that are there, ``age`` (s) how long ago the last came,
    ``counts`` how it goes; ``ended`` where nothing more comes."""

    first: int
    end: int
    age: float
    counts: Counts
    ended: bool


class SpoolReader:
    """Reads what a :class:`SpoolWriter` writes."""

    def __init__(self, folder: Path) -> None:
        said = json.loads((folder / _DESCRIBED).read_text())
        channels = tuple(Channel(name, symbol) for name, symbol in said["channels"])
        self.described = Described(said["name"], said["rate"], channels)
        self._folder = folder
        self._page = SpoolPage(folder / _FIGURES)
        self._each = said["piece"]
        self._heads: dict[int, int] = {}
        self._gaps_told = self._events_told = self._gaps_known = 0  # bytes
        self._lost: list[tuple[int, int]] = []

    @staticmethod
    def there(folder: Path) -> bool:
        """Whether there is something to read."""
        return (folder / _DESCRIBED).exists()

    def progressed(self) -> Progressed:
        """How far it is."""
        page = self._page
        counts = Counts(*(page[_COUNTS + i] for i in range(len(fields(Counts)))))
        age = (time.monotonic_ns() - page[_WHEN]) / 1e9
        return Progressed(page[_FIRST], page[_END], age, counts, page[_STATE] == ENDED)

    def gaps(self) -> list[tuple[int, int]]:
        """What was lost since this was asked last: samples, first and one after the last. The same
        call may tell of one that goes on where the last ended."""
        data = self._more(_GAPS, self._gaps_told)
        data = data[: len(data) // 16 * 16]
        self._gaps_told += len(data)
        return list(struct.iter_unpack("<qq", data))

    def events(self) -> list[Event]:
        """What was watched for and came since this was asked last."""
        data = self._more(_EVENTS, self._events_told)
        data = data[: data.rfind(b"\n") + 1]
        self._events_told += len(data)
        return [Event.of_line(line) for line in data.decode().splitlines()]

    def _more(self, name: str, told: int) -> bytes:
        path = self._folder / name
        if path.stat().st_size <= told:
            return b""
        with path.open("rb") as file:
            file.seek(told)
            return file.read()

    def frames(self, start: int, stop: int) -> Frames:
        """Samples ``start`` to ``stop`` (not included) of all channels, shape (stop − start,
        channels); nan where they were lost, or were let go."""
        count = len(self.described.channels)
        values = np.full((stop - start, count), np.nan, np.float32)
        for number in range(start // self._each, (stop - 1) // self._each + 1):
            first = number * self._each
            a, b = max(start, first), min(stop, first + self._each)
            try:
                with _piece(self._folder, number).open("rb") as file:
                    file.seek(self._head(number) + (a - first) * 4 * count)
                    data = file.read((b - a) * 4 * count)
            except OSError:
                continue  # it was let go
            whole = np.frombuffer(data[: len(data) // (4 * count) * 4 * count], "<f4")
            values[a - start : a - start + len(whole) // count] = whole.reshape(-1, count)
        for first, last in self._lost_in(start, stop):
            values[max(first - start, 0) : last - start] = np.nan
        return values

    def _lost_in(self, start: int, stop: int) -> list[tuple[int, int]]:
        data = self._more(_GAPS, self._gaps_known)
        data = data[: len(data) // 16 * 16]
        self._gaps_known += len(data)
        self._lost += struct.iter_unpack("<qq", data)
        # They are told one after the other, and none reaches into the next.
        first = bisect_right(self._lost, start, key=lambda gap: gap[1])
        return self._lost[first : bisect_left(self._lost, stop, key=lambda gap: gap[0])]

    def _head(self, number: int) -> int:
        """Bytes before a piece's samples, which all of them have alike."""
        if not self._heads:
            start = _piece(self._folder, number).read_bytes()[: 1 << 16]
            self._heads[0] = start.index(b"data\xff\xff\xff\xff") + 8
        return self._heads[0]

    def close(self) -> None:
        self._page.close()


class SpoolSamples(Samples):
    """Of a stretch of a spool, from sample ``first`` on: a picture of it that stays as it is while
    more comes."""

    together = True

    def __init__(self, reader: SpoolReader, first: int) -> None:
        self._reader, self._first = reader, first

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.read_many((channel,), start, stop)[0]

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        frames = self._reader.frames(self._first + start, self._first + stop)
        return tuple(np.ascontiguousarray(frames[:, i], np.float64) for i in channels)
