"""Writing what a source sends into files, without anybody looking."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

from tonecomb.core.errors import UserError
from tonecomb.formats.growing import DiskFull, GrowingFile
from tonecomb.formats.registry import open_recording, write_recording
from tonecomb.live.source import Block, Source

_SYNC_S = 1.0
GROWING = (".wav", ".rf64")
"""Names of what is written as it comes; other formats are made of that at the end."""


@dataclass
class Recorder:
    """Into ``target``, for ``duration`` s or until it is stopped; a new file every ``split`` s.
    ``told`` is what there is to say at the end."""

    source: Source
    target: Path
    duration: float | None = None
    split: float | None = None
    written: list[Path] = field(default_factory=list)
    samples: int = 0
    told: str = ""

    def __post_init__(self) -> None:
        if self.target.suffix.lower() not in (*GROWING, ".h5", ".flac", ".parquet"):
            raise UserError(
                f"{self.target.name} does not tell in which format to record",
                remedy="end it in .wav, .rf64, .h5, .flac or .parquet",
            )
        for name, value in (("duration", self.duration), ("split", self.split)):
            if value is not None and not value > 0:
                raise UserError(f"A {name} of {value:g} s is none", remedy="give one above 0 s")
        if self.split is None and self.target.exists():
            raise UserError(f"{self.target} is there already", remedy="choose another name")

    def run(
        self, stopped: Callable[[], bool], progress: Callable[[float], object] = lambda _: None
    ) -> None:
        """Record. What came is whole and readable whatever ends it."""
        rate = self.source.described.rate
        most = None if self.duration is None else round(self.duration * rate)
        each = None if self.split is None else max(1, round(self.split * rate))
        file: GrowingFile | None = None
        synced = time.monotonic()
        try:
            for block in self.source.blocks(
                lambda: stopped() or (most is not None and self.samples >= most)
            ):
                left = block.length if most is None else min(block.length, most - self.samples)
                done = 0
                while done < left:
                    if file is None:
                        file = self._open()
                    room = left - done if each is None else min(left - done, each - file.length)
                    self._write(file, block, done, room)
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
            if file is not None:
                self._end(file)

    @staticmethod
    def _write(file: GrowingFile, block: Block, first: int, count: int) -> None:
        if block.frames is None:
            file.lose(count)
        else:
            file.write(block.frames[first : first + count])

    def _open(self) -> GrowingFile:
        path, described = self.target, self.source.described
        if self.split is not None:
            path = path.with_stem(f"{path.stem}-{len(self.written) + 1:04d}")
        if path.suffix.lower() not in GROWING:
            path = path.with_suffix(".part.wav")
        start = datetime.now(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
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
