"""Resident memory of ``analyse`` on a WAV of one gigabyte (goal: under 400 MB)."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

GIGABYTE = 1 << 30
RATE = 51_200


def main() -> None:
    print("`analyse --json` on a WAV of 1 GB, 16 bit, one channel (goal: under 400 MB)\n")
    print("| file / resident | resident | time |")
    print("|--:|--:|--:|")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.wav"
        _write(path)
        begin = time.perf_counter()
        child = subprocess.Popen(
            [sys.executable, "-m", "tonecomb", "analyse", path, "--json"], stdout=subprocess.DEVNULL
        )
        _, status, usage = os.wait4(child.pid, 0)
        child.returncode = os.waitstatus_to_exitcode(status)
        seconds = time.perf_counter() - begin
        if child.returncode:
            sys.exit("analyse failed")
        resident = usage.ru_maxrss * 1024
        print(
            f"| {path.stat().st_size / resident:.1f}× | {resident / 1e6:.0f} MB | {seconds:.0f} s |"
        )


def _write(path: Path) -> None:
    """Two tones in noise, a second repeated: cheap to make, and nothing that compresses."""
    t = np.arange(RATE) / RATE
    second = 0.2 * np.sin(2 * np.pi * 50 * t) + 0.1 * np.sin(2 * np.pi * 1234 * t)
    rng = np.random.default_rng(0)
    with soundfile.SoundFile(path, "w", RATE, 1, subtype="PCM_16") as file:
        for _ in range(GIGABYTE // (2 * RATE)):
            file.write(second + 0.01 * rng.standard_normal(RATE))
