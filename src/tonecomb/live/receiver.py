"""Receiving in a process of its own, so that nothing that the bench does can make it late.

``python -m tonecomb.live.receiver SOURCE FOLDER ROOM`` spools what SOURCE sends into FOLDER until
its standard input is closed, which the system does too where the bench is gone.
"""

from __future__ import annotations

import contextlib
import json
import queue
import shutil
import subprocess
import sys
import tempfile
import threading
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

from tonecomb.core.errors import UserError
from tonecomb.live.opening import open_source
from tonecomb.live.spool import SpoolReader, SpoolWriter
from tonecomb.live.watching import Alarm, Numbers, Trigger, Watch, watch_of

ROOM = 2 << 30
"""Bytes that a live recording may take on the disk."""
_FAILED = "failed.txt"


class Receiver:
    """Starts receiving. ``reader`` is there as soon as the source is described."""

    def __init__(self, source: str, room: int = ROOM) -> None:
        self.source = source
        self.folder = Path(tempfile.mkdtemp(prefix="tone-comb-live-"))
        self.reader: SpoolReader | None = None
        self._process = subprocess.Popen(
            [sys.executable, "-m", "tonecomb.live.receiver", source, str(self.folder), str(room)],
            stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def look(self) -> SpoolReader | None:
        """What can be read so far, None while there is nothing. Raises :class:`UserError` where the
        source cannot be listened to."""
        if self.reader is None and SpoolReader.there(self.folder):
            self.reader = SpoolReader(self.folder)
        failed = self.folder / _FAILED
        if self.reader is None and failed.exists() and self._process.poll() is not None:
            raise UserError(failed.read_text().rstrip("."))
        if self.reader is None and self._process.poll() is not None:
            raise UserError(f"{self.source} could not be listened to")
        return self.reader

    def watch(self, trigger: Trigger | None, alarms: Sequence[Alarm]) -> None:
        """Watch for this from now on, and for nothing else; numbers go on."""
        said = {"trigger": None if trigger is None else asdict(trigger),
                "alarms": [asdict(alarm) for alarm in alarms]}  # fmt: skip
        pipe = self._process.stdin
        if pipe is not None and not pipe.closed:
            with contextlib.suppress(BrokenPipeError):
                pipe.write(json.dumps(said).encode() + b"\n")
                pipe.flush()

    def stop(self) -> None:
        """Receive no more; what came can still be read."""
        if self._process.stdin is not None and not self._process.stdin.closed:
            self._process.stdin.close()
        try:
            self._process.wait(5)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()

    def forget(self) -> None:
        """Stop, and let go of all that came."""
        self.stop()
        if self.reader is not None:
            self.reader.close()
        shutil.rmtree(self.folder, ignore_errors=True)


def main(source: str, folder: Path, room: int) -> int:
    """Spool until standard input is closed."""
    stop = threading.Event()
    asked: queue.SimpleQueue[bytes] = queue.SimpleQueue()

    def wait() -> None:
        for line in sys.stdin.buffer:
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
        (folder / _FAILED).write_text(error.text)
        return 2
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
