"""kill −9 at any moment: at most two seconds of edits are lost, and every file is whole."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import soundfile

from tonecomb.formats.session import session

_LOST_S = 2.0


def run_and_kill(folder: Path, recording: Path, seconds: float, pause: int) -> tuple[int, int, int]:
    """Edit for so long, then kill. The last edit that may not be lost, the last at all, and the one
    that was restored at first (0 for none)."""
    environment = os.environ | {
        "QT_QPA_PLATFORM": "offscreen",
        "XDG_DATA_HOME": str(folder / "data"),
        "XDG_CONFIG_HOME": str(folder / "config"),
        "XDG_CACHE_HOME": str(folder / "cache"),
    }
    running = subprocess.Popen(
        [sys.executable, Path(__file__).with_name("drive_edits.py"), recording, str(pause)],
        env=environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    said: list[tuple[float, int]] = []
    restored = [0]

    def listen() -> None:
        assert running.stdout is not None
        for line in running.stdout:
            if line.startswith("restored"):
                restored[0] = int(line.split()[1])
            else:
                said.append((time.monotonic(), int(line)))

    thread = threading.Thread(target=listen)
    thread.start()
    end = time.monotonic() + 30
    while not said and time.monotonic() < end:
        time.sleep(0.02)
    time.sleep(seconds)
    killed = time.monotonic()
    running.kill()
    running.wait()
    thread.join()
    running.stdout.close()  # type: ignore[union-attr]
    assert said, "it never began"
    safe = [number for when, number in said if killed - when > _LOST_S]
    return max(safe, default=0), said[-1][1], restored[0]


def kills(folder: Path, times: int, seed: int) -> None:
    random = np.random.default_rng(seed)
    recording = folder / "in.wav"
    soundfile.write(recording, 0.1 * random.standard_normal(4000), 1000)
    last_safe = 0
    for turn in range(times):
        seconds, pause = float(random.uniform(0.05, 4.0)), int(random.integers(20, 900))
        safe, last, restored = run_and_kill(folder, recording, seconds, pause)
        if turn:
            assert restored >= last_safe, "what was restored"
        kept = list((folder / "data").rglob("*.tcomb"))
        for file in kept:
            json.loads(file.read_text())  # whole
        names = [
            int(session.load(file).recordings[0].name.split()[-1])
            for file in kept
            if "edit" in session.load(file).recordings[0].name
        ]
        best = max(names, default=0)
        assert best >= max(safe, restored if safe else 0), f"turn {turn}: {best}, not {safe}"
        assert best <= last
        last_safe = best


def test_a_kill_loses_two_seconds_at_most(tmp_path: Path) -> None:
    kills(tmp_path, 2, 0)
