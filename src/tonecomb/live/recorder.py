"""Writing what a source sends into files, without anybody looking."""

from __future__ import annotations

import csv
import io
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.formats import atomic
from tonecomb.formats.growing import DiskFull, GrowingFile
from tonecomb.formats.registry import open_recording, write_recording
from tonecomb.live.source import Block, LiveSource
from tonecomb.live.watching import Alarm, Event, Numbers, Trigger, watch_of

_SYNC_S = 1.0
GROWING = (".wav", ".rf64")
"""Names of what is written as it comes; other formats are made of that at the end."""


@dataclass
class Recorder:
    """Into ``target``, for ``duration`` s or until it is stopped; a new file every ``split`` s, or
    with a ``trigger`` one for each capture and nothing between. ``events`` are the captures, and
    where ``alarms`` were exceeded; ``told`` is what there is to say at the end."""

    source: LiveSource
    target: Path
    duration: float | None = None
    split: float | None = None
    trigger: Trigger | None = None
    alarms: tuple[Alarm, ...] = ()
    notice: Callable[[Event], object] = lambda event: None
    events: dict[tuple[str, int], Event] = field(default_factory=dict)
    written: list[Path] = field(default_factory=list)
    samples: int = 0
    told: str = ""
    _files: int = 0
    _began: datetime = field(default_factory=lambda: datetime.now(UTC))

    def __post_init__(self) -> None:
        if self.target.suffix.lower() not in (*GROWING, ".h5", ".flac", ".parquet"):
            raise UserError(
                f"{self.target.name} does not tell in which format to record",
                remedy="end it in .wav, .rf64, .h5, .flac or .parquet",
            )
        for name, value in (("duration", self.duration), ("split", self.split)):
            if value is not None and not value > 0:
                raise UserError(f"A {name} of {value:g} s is none", remedy="give one above 0 s")
        described = self.source.described
        if self.trigger is not None:
            self.trigger.check(described.channels)
            if self.split is not None:
                raise UserError("Captures have files of their own", remedy="leave --split out")
        for alarm in self.alarms:
            alarm.check(described.channels, described.rate)
        taken = [self.target] if self._whole else []
        for file in (*taken, *([self.list_] if self.alarms else [])):
            if file.exists():
                raise UserError(f"{file} is there already", remedy="choose another name")

    @property
    def _whole(self) -> bool:
        """Whether all goes into one file."""
        return self.split is None and self.trigger is None

    @property
    def list_(self) -> Path:
        """The table of alarms."""
        return self.target.with_name(f"{self.target.stem}-alarms.csv")

    def run(
        self, stopped: Callable[[], bool], progress: Callable[[float], object] = lambda _: None
    ) -> None:
        """Record. What came is whole and readable whatever ends it."""
        rate = self.source.described.rate
        wanted: list[Trigger | Alarm] = [*self.alarms]
        if self.trigger is not None:
            wanted.append(self.trigger)
        numbers = Numbers()
        watches = [watch_of(one, rate, numbers) for one in wanted]
        captures = None if self.trigger is None else _Captures(self.trigger, rate, self._open)
        most = None if self.duration is None else round(self.duration * rate)
        each = None if self.split is None else max(1, round(self.split * rate))
        file: GrowingFile | None = None
        synced = time.monotonic()
        try:
            for block in self.source.blocks(
                lambda: stopped() or (most is not None and self.samples >= most)
            ):
                if not block.first:
                    self._began = datetime.now(UTC) - timedelta(seconds=block.length / rate)
                left = block.length if most is None else min(block.length, most - self.samples)
                done = 0
                events = [event for one in watches for event in one.take(block)]
                self._note(events)
                if captures is not None:
                    captures.take(block, events)
                    for ended in captures.ended():
                        self._end(ended)
                    self.samples, done = self.samples + left, left
                while done < left:
                    if file is None:
                        file = self._open(self.samples)
                    room = left - done if each is None else min(left - done, each - file.length)
                    put(file, block, done, room)
                    done, self.samples = done + room, self.samples + room
                    if each is not None and file.length >= each:
                        self._end(file)
                        file = None
                if most is not None:
                    progress(min(1.0, self.samples / most))
                if file is not None and time.monotonic() - synced > _SYNC_S:
                    synced = time.monotonic()
                    file.sync()
        except DiskFull as error:
            self.told = error.text
        finally:
            self.source.close()
            for unended in [] if captures is None else captures.ended(all_of_them=True):
                self._end(unended)
            if file is not None:
                self._end(file)
            if self.alarms:
                self._list()

    def _note(self, events: list[Event]) -> None:
        for event in events:
            key = (event.kind, event.number)
            new, self.events[key] = key not in self.events, event
            if new:
                self.notice(event)

    def _list(self) -> None:
        """Write the alarms as a table."""
        described, out = self.source.described, io.StringIO()
        rows = csv.writer(out, lineterminator="\n")
        rows.writerow(
            [
                "number",
                "channel",
                "start_s",
                "end_s",
                "highest",
                "unit",
                "frequency_hz",
                "times_the_limit",
            ]
        )
        for event in self.events.values():
            if event.kind == "alarm":
                one, rate = described.channels[event.channel], described.rate
                rows.writerow(
                    [
                        event.number,
                        one.name,
                        f"{event.first / rate:.6f}",
                        f"{event.end / rate:.6f}",
                        f"{event.value:.6g}",
                        one.unit,
                        f"{event.hz:.6g}",
                        f"{event.over:.4g}",
                    ]
                )
        atomic.write_text(self.list_, out.getvalue())

    def _open(self, first: int) -> GrowingFile:
        path, described = self.target, self.source.described
        if not self._whole:
            self._files += 1
            path = path.with_stem(f"{path.stem}-{self._files:04d}")
        if path.suffix.lower() not in GROWING:
            path = path.with_suffix(".part.wav")
        begun = self._began + timedelta(seconds=first / described.rate)
        start = begun.isoformat(timespec="milliseconds").replace("+00:00", "Z")
        return GrowingFile(path, described.rate, described.channels, start, described.name)

    def _end(self, file: GrowingFile) -> None:
        file.close()
        if self.target.suffix.lower() in GROWING:
            self.written.append(file.path)
            return
        final = file.path.with_suffix("").with_suffix(self.target.suffix)
        if file.length:
            write_recording(final, open_recording(file.path))
            self.written.append(final)
        file.path.unlink()


class _Captures:
    """Writes captures out of what comes, and of what came before the trigger."""

    def __init__(self, trigger: Trigger, rate: float, opened: Callable[[int], GrowingFile]) -> None:
        self._opened = opened
        self._before = round(trigger.before * rate)
        self._past: deque[Block] = deque()
        self._now: tuple[GrowingFile, Event] | None = None
        self._waiting: deque[Event] = deque()
        self._ended: list[GrowingFile] = []

    def take(self, block: Block, found: list[Event]) -> None:
        """The next block, and what was found in it."""
        self._past.append(block)
        self._waiting += [event for event in found if event.kind == "capture"]
        self._write(block)
        while self._now is None and self._waiting:
            event = self._waiting.popleft()
            self._now = (self._opened(event.first), event)
            for past in self._past:
                self._write(past)
        while self._past and self._past[0].end <= block.end - self._before:
            self._past.popleft()

    def _write(self, block: Block) -> None:
        if self._now is None:
            return
        file, event = self._now
        first, end = max(block.first, event.first), min(block.end, event.end)
        if end > first:
            put(file, block, first - block.first, end - first)
        if block.end >= event.end:
            self._ended.append(file)
            self._now = None

    def ended(self, *, all_of_them: bool = False) -> list[GrowingFile]:
        """Files that are complete; with ``all_of_them`` also the one that is not."""
        ended, self._ended = self._ended, []
        if all_of_them and self._now is not None:
            ended.append(self._now[0])
            self._now = None
        return ended


def put(file: GrowingFile, block: Block, first: int, count: int) -> None:
    """Write ``count`` samples of a block, from its sample ``first`` on."""
    if block.frames is None:
        file.lose(count)
    else:
        file.write(block.frames[first : first + count])
