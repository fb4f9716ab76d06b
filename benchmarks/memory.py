"""Resident memory of ``analyse`` on a WAV of one gigabyte (goal: under 250 MB; written through a
filter that settles over many blocks, under 300 MB)."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import soundfile

import tonecomb
from benchmarks.timing import medians
from tonecomb.core.results.estimate import run_spectrum

GIGABYTE = 1 << 30
RATE = 51_200
# The high-water mark of the process itself: what wait4 reports counts its parent's memory too.
_CHILD = """
import atexit, re, sys
from pathlib import Path
from tonecomb.cli.main import entry
status = Path("/proc/self/status")
def tell():
    print(re.search(r"VmHWM:\\s+(\\d+)", status.read_text())[1], file=sys.stderr)
atexit.register(tell)
entry(sys.argv[1:])
"""


def main() -> None:
    print("`analyse --json` on a WAV of 1 GB, 16 bit, one channel (goal: under 250 MB)\n")
    print("| file / resident | resident | time |")
    print("|--:|--:|--:|")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.wav"
        _write(path)
        _tell(path, "analyse", path, "--json")
        _passes(path)
        out = Path(folder) / "out.flac"
        _tell(
            path,
            "analyse",
            path,
            "--step",
            "notch:50:width=0.05",
            "--stretch",
            "100:200",
            "--write-signal",
            out,
        )


def _passes(path: Path) -> None:
    """Everything against the spectrum alone, in this process, two threads."""
    recording = tonecomb.open(path)
    method = tonecomb.default_method(recording)
    seconds = medians(
        {
            "spectrum": lambda: run_spectrum(method, tonecomb.open(path)),
            "all": lambda: tonecomb.analyse(tonecomb.open(path), method),
        },
        3,
    )
    ratio = seconds["all"] / seconds["spectrum"]
    print("\n| spectrum alone | all of the analysis | ratio (goal: ≤ 1.8) |\n|--:|--:|--:|")
    print(f"| {seconds['spectrum']:.1f} s | {seconds['all']:.1f} s | {ratio:.1f} |")


def _tell(path: Path, *call: object) -> None:
    begin = time.perf_counter()
    done = subprocess.run(
        [sys.executable, "-c", _CHILD, *map(str, call)],
        capture_output=True,
        text=True,
        check=True,
    )
    seconds = time.perf_counter() - begin
    resident = int(done.stderr.split()[-1]) * 1024
    ratio = path.stat().st_size / resident
    print(f"| {ratio:.1f}× | {resident / 1e6:.0f} MB | {seconds:.0f} s |", flush=True)


def _write(path: Path) -> None:
    """Two tones in noise, a second repeated: cheap to make, and nothing that compresses."""
    t = np.arange(RATE) / RATE
    second = 0.2 * np.sin(2 * np.pi * 50 * t) + 0.1 * np.sin(2 * np.pi * 1234 * t)
    rng = np.random.default_rng(0)
    with soundfile.SoundFile(path, "w", RATE, 1, subtype="PCM_16") as file:
        for _ in range(GIGABYTE // (2 * RATE)):
            file.write(second + 0.01 * rng.standard_normal(RATE))
