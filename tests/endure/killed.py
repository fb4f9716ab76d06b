"""Programs that are killed at a random moment, and what has to be there afterwards."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from tests.desktop.test_kill import kills
from tests.support import read_all

import tonecomb
from tonecomb.formats.registry import WRITERS
from tonecomb.formats.report.check import check
from tonecomb.formats.session import session

_WRITES = """
import sys
from pathlib import Path
import numpy as np
import tonecomb
from dataclasses import replace
from tonecomb.core.method.document import Document, Fingerprint, RecordingRef
from tonecomb.core.method.method import Method
from tonecomb.formats.registry import WRITERS, write_recording
from tonecomb.formats.session import session
source, folder, what = Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3]
recording = tonecomb.open(source)
ref = RecordingRef("r", "edit 0", str(source), Fingerprint(1, "0" * 64), Method())
found = tonecomb.analyse(recording) if what == "exporting" else None
print("begun", flush=True)
count = 0
while True:
    count += 1
    if what == "saving":
        many = tuple(replace(ref, id=f"{i}", name=f"edit {count}") for i in range(300))
        session.save(folder / "a.tcomb", Document(many, "0"))
    else:
        for one in WRITERS:
            write_recording(folder / f"a{one.suffix}", recording)
        found.write(folder / "tables", force=True)
    print(count, flush=True)
"""


_STARTS = "from tonecomb.live import receiver; receiver.remove_left_behind()"
_RECEIVES = """
import sys, time
from tonecomb.live.receiver import Receiver
receiving = Receiver(sys.argv[1])
while receiving.look() is None:
    time.sleep(0.01)
print(receiving.folder, receiving.process.pid, flush=True)
while True:
    receiving.look()
    time.sleep(0.01)
"""


def _run(*arguments: object, temporary: Path | None = None) -> subprocess.Popen[str]:
    """A process of Python; in a folder for temporary files of its own, if one is given."""
    own = {} if temporary is None else {"TMPDIR": str(temporary)}
    return subprocess.Popen(
        [sys.executable, *map(str, arguments)],
        env=os.environ | own,
        text=True,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
    )


def _to_its_end(*arguments: object, temporary: Path | None = None) -> int:
    running = _run(*arguments, temporary=temporary)
    running.communicate(timeout=120)
    return running.returncode


def _kill(running: subprocess.Popen[str], after: float) -> str:
    """Kill −9 a program so long after now; what it said."""
    time.sleep(after)
    running.send_signal(signal.SIGKILL)
    out, _ = running.communicate(timeout=30)
    return out


def _source(folder: Path) -> Path:
    path = folder / "in.wav"
    x = 0.1 * np.random.default_rng(0).standard_normal(20_000)
    soundfile.write(path, x, 8000)
    return path


def editing(folder: Path, seed: int) -> None:
    """A bench that is edited, five times: what is older than two seconds is there, and is
    edited on."""
    kills(folder, 5, seed)


def saving(folder: Path, seed: int) -> None:
    """A session that is saved over and over: it is one of those that were saved, and whole."""
    chance, source = random.Random(seed), _source(folder)
    running = _run("-c", _WRITES, source, folder, "saving")
    assert running.stdout is not None and running.stdout.readline()
    said = _kill(running, chance.uniform(0.0, 1.5)).split()
    saved = int(said[-1]) if said else 0
    if saved or (folder / "a.tcomb").exists():
        names = {ref.name for ref in session.load(folder / "a.tcomb").recordings}
        assert len(names) == 1
        assert int(names.pop().split()[1]) in (saved, saved + 1), "the last, or the one under way"


def exporting(folder: Path, seed: int) -> None:
    """Every format, a report and JSON, over and over: each file that has its name is whole."""
    chance, source = random.Random(seed), _source(folder)
    before = read_all(tonecomb.open(source))
    running = _run("-c", _WRITES, source, folder, "exporting")
    assert running.stdout is not None and running.stdout.readline()
    _kill(running, chance.uniform(0.0, 3.0))
    assert np.array_equal(read_all(tonecomb.open(source)), before), "the source stays"
    for one in WRITERS:
        path = folder / f"a{one.suffix}"
        if path.exists():
            assert np.abs(read_all(tonecomb.open(path)) - before).max() < 1e-3, path.name
    if (folder / "tables" / "report.html").exists():
        assert check(folder / "tables" / "report.html").holds
    for table in (folder / "tables").glob("*.csv"):
        assert table.read_bytes().endswith(b"\n"), table.name
    for picture in (folder / "tables").glob("*.png"):
        assert picture.read_bytes().endswith(b"IEND\xaeB`\x82"), picture.name


def batch(folder: Path, seed: int) -> None:
    """A batch that is begun again after the kill ends as one that was never killed."""
    chance = np.random.default_rng(seed)
    for i in range(6):
        x = np.cos(2 * np.pi * (30 + 5 * i) * np.arange(40_000) / 4000)
        soundfile.write(folder / f"{i}.wav", 0.1 * x + 0.01 * chance.standard_normal(40_000), 4000)
    plan = folder / "plan.json"
    plan.write_text(json.dumps({"format": "tone-comb plan", "version": 1, "rules": [{}]}))
    arguments = ("-m", "tonecomb", "batch", plan, folder, "--no-reports", "--out")
    whole, out = folder / "whole", folder / "out"
    assert _to_its_end(*arguments, whole) == 0
    _kill(_run(*arguments, out), float(chance.uniform(0.5, 4.0)))
    assert _to_its_end(*arguments, out) == 0
    for table in sorted(whole.glob("*.csv")):
        assert (out / table.name).read_bytes() == table.read_bytes(), table.name


def record(folder: Path, seed: int) -> None:
    """A recording of a stream: all but the last second is there, and it opens."""
    chance = random.Random(seed)
    with _node(folder, seed) as described:
        target, begun = folder / "kept.wav", time.monotonic()
        running = _run("-m", "tonecomb", "record", described, target)
        _until(lambda: target.exists() and target.stat().st_size > 50_000)
        began_to_come = time.monotonic() - begun
        wait = chance.uniform(0.0, 3.0)
        _kill(running, wait)
        kept = tonecomb.open(target)
        assert kept.duration > wait + 50_000 / (3 * 4 * 12_800) - 1.5, (kept.duration, wait)
        assert kept.duration < began_to_come + wait + 1.0
        assert np.isfinite(read_all(kept)).all()


def live(folder: Path, seed: int) -> None:
    """Whoever receives is killed: the process that does it for him ends, and what both leave goes
    at the next start."""
    chance = random.Random(seed)
    with _node(folder, seed) as described:
        # Elsewhere another bench may start meanwhile, and take away what was left behind.
        running = _run("-c", _RECEIVES, described, temporary=folder)
        assert running.stdout is not None
        spool, pid = running.stdout.readline().split()
        time.sleep(chance.uniform(0.0, 1.0))
        _kill(running, 0.0)
        _until(lambda: not Path(f"/proc/{pid}").exists(), seconds=5)
        assert Path(spool).exists()
        assert _to_its_end("-c", _STARTS, temporary=folder) == 0
        assert not Path(spool).exists()


class _node:
    """The ropeway's node while it is looked at; gives its description."""

    def __init__(self, folder: Path, seed: int) -> None:
        self._described = folder / "node.sdp"
        self._port = 20_000 + (os.getpid() * 7 + seed) % 20_000

    def __enter__(self) -> Path:
        self._running = _run(
            "-m", "tonecomb", "node", "--port", self._port, "--sdp", self._described
        )
        _until(self._described.exists)
        return self._described

    def __exit__(self, *_: object) -> None:
        self._running.kill()
        self._running.communicate(timeout=20)


def _until(there: Callable[[], bool], seconds: float = 30.0) -> None:
    end = time.monotonic() + seconds
    while not there():
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.01)


KILLS: dict[str, Callable[[Path, int], None]] = {
    one.__name__: one for one in (editing, saving, exporting, batch, live, record)
}
