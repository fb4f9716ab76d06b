"""Receiving in a process of its own, so that nothing that the bench does can make it late.

``python -m tonecomb.live.receiver SOURCE FOLDER ROOM`` spools what SOURCE sends into FOLDER until
its standard input is closed, which the system does too where the bench is gone.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import queue
import shutil
import subprocess
import sys
import tempfile
import threading
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import BinaryIO

from tonecomb.core.base.errors import UserError
from tonecomb.core.results.itself import PYTHON
from tonecomb.formats.atomic import reason
from tonecomb.live.opening import open_source
from tonecomb.live.spool import SpoolReader, SpoolWriter
from tonecomb.live.watching import Alarm, Numbers, Trigger, Watch, watch_of

ROOM = 2 << 30
"""Bytes that a live recording may take on the disk."""
_PREFIX, _OWNER = "tone-comb-live-", "owner"
_REFUSED = 2


class Receiver:
    """Starts receiving. ``reader`` is there as soon as the source is described."""

    def __init__(self, source: str, room: int = ROOM) -> None:
        remove_left_behind()
        self.source = source
        self.folder = Path(tempfile.mkdtemp(prefix=_PREFIX))
        self.owner = _owned(self.folder)
        self.reader: SpoolReader | None = None
        self.process = subprocess.Popen(
            [*PYTHON, "-m", "tonecomb.live.receiver", source, str(self.folder), str(room)],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )

    def look(self) -> SpoolReader | None:
        """What can be read so far, None while there is nothing. Raises :class:`UserError` where the
        source cannot be listened to, or no longer."""
        if self.reader is None and SpoolReader.there(self.folder):
            self.reader = SpoolReader(self.folder)
        if code := self.process.poll():
            raise UserError(self._why(code).strip().rstrip("."))
        return self.reader

    def _why(self, code: int) -> str:
        said = self.process.stdout.read().decode() if self.process.stdout else ""
        if said:
            return said
        how = f"by signal {-code}" if code < 0 else f"with code {code}"
        return f"The process that receives {self.source} was ended {how}; go live again"

    def watch(self, trigger: Trigger | None, alarms: Sequence[Alarm]) -> None:
        """Watch for this from now on, and for nothing else; numbers go on."""
        said = {
            "trigger": None if trigger is None else asdict(trigger),
            "alarms": [asdict(alarm) for alarm in alarms],
        }
        pipe = self.process.stdin
        if pipe is not None and not pipe.closed:
            with contextlib.suppress(BrokenPipeError):
                pipe.write(json.dumps(said).encode() + b"\n")
                pipe.flush()

    def stop(self) -> None:
        """Receive no more; what came can still be read."""
        if self.process.stdin is not None:
            with contextlib.suppress(BrokenPipeError):  # it is gone already
                self.process.stdin.close()
        try:
            self.process.wait(5)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait()
        if self.process.stdout is not None:
            self.process.stdout.close()

    def forget(self) -> None:
        """Stop, and let go of all that came."""
        self.stop()
        if self.reader is not None:
            self.reader.close()
        shutil.rmtree(self.folder, ignore_errors=True)
        self.owner.close()


def _owned(folder: Path) -> BinaryIO:
    """A file in the folder that is locked as long as it is open and its program runs; from the
    moment on when it has its name."""
    path = folder / _OWNER
    file = (path if path.exists() else path.with_suffix(".new")).open("ab")
    try:
        fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        file.close()
        raise
    if not path.exists():
        path.with_suffix(".new").rename(path)
    return file


def remove_left_behind() -> None:
    """Take away what programs left that were killed."""
    for folder in Path(tempfile.gettempdir()).glob(f"{_PREFIX}*"):
        # Another's is locked, or not ours; one that is being made has no such file yet.
        with contextlib.suppress(OSError):
            if (folder / _OWNER).exists():
                _owned(folder).close()
                shutil.rmtree(folder)


def main(source: str, folder: Path, room: int) -> int:
    """Spool until standard input is closed."""
    stop = threading.Event()
    asked: queue.SimpleQueue[bytes] = queue.SimpleQueue()

    def wait() -> None:
        # Not by a buffer of Python's: at its end a thread that holds one aborts the process.
        rest = b""
        while data := os.read(0, 1 << 16):
            *lines, rest = (rest + data).split(b"\n")
            for line in lines:
                asked.put(line)
        stop.set()

    threading.Thread(target=wait, daemon=True).start()
    try:
        made = open_source(source)
        spool = SpoolWriter(folder, made.described, room)
        watches: list[Watch] = []
        try:
            for block in made.blocks(stop.is_set):
                while not asked.empty():
                    watches = _watches(asked.get(), made.described.rate, watches)
                spool.take(block, made.counts)
                for one in watches:
                    spool.tell(one.take(block))
        finally:
            made.close()
            spool.close()
    except UserError as error:
        print(error.text)
        return _REFUSED
    except OSError as error:
        print(f"What {source} sends could not be kept: {reason(error, folder)}; make room there")
        return _REFUSED
    return 0


def _watches(line: bytes, rate: float, before: list[Watch]) -> list[Watch]:
    """What is asked for; what was watched for before goes on."""
    said = json.loads(line)
    wanted: list[Trigger | Alarm] = [Alarm(**one) for one in said["alarms"]]
    if said["trigger"] is not None:
        wanted.insert(0, Trigger(**said["trigger"]))
    numbers = Numbers() if not before else before[0].numbers
    known = {one.wanted: one for one in before}
    return [known.get(one) or watch_of(one, rate, numbers) for one in wanted]


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], Path(sys.argv[2]), int(sys.argv[3])))
