"""Reading tables and building the waveform's pyramid, against the barest way to read the file."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import numpy as np
import pyarrow
import pyarrow.csv

from benchmarks.timing import medians
from tonecomb.core.record import pyramid
from tonecomb.core.record.recording import ArraySamples, Channel, Recording
from tonecomb.formats.hdf5 import write_hdf5
from tonecomb.formats.registry import open_recording

_ROWS = 5_000_000
_SAMPLES = 1 << 27  # of float64: a gigabyte
_READ = 1 << 23


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        _table(Path(folder) / "table.csv")
        _pyramid(Path(folder) / "long.h5")


def _table(path: Path) -> None:
    rng = np.random.default_rng(0)
    columns = {
        "time [ms]": np.arange(_ROWS) / 10,
        "a [g]": np.round(rng.normal(size=_ROWS), 6),
        "b [m/s2]": np.round(rng.normal(size=_ROWS), 6),
        "c": rng.integers(0, 65535, _ROWS),
    }
    pyarrow.csv.write_csv(pyarrow.table(columns), path)
    taken = medians(
        {"ours": lambda: open_recording(path), "alone": lambda: pyarrow.csv.read_csv(path)}, 5
    )
    size = path.stat().st_size / 1e6
    print(f"A CSV of 5 M rows, {size:.0f} MB, to a recording (goal: ≤ 1.25× `pyarrow.csv` alone)\n")
    print("| ours | pyarrow.csv alone | ratio |")
    print("|--:|--:|--:|")
    ratio = taken["ours"] / taken["alone"]
    print(f"| {taken['ours']:.2f} s | {taken['alone']:.2f} s | {ratio:.2f} |\n")


def _pyramid(path: Path) -> None:
    block = np.random.default_rng(1).normal(size=1 << 20)
    samples = ArraySamples.of(np.tile(block, _SAMPLES >> 20))
    made = Recording(
        "", "long", "made", 51_200.0, "given", "", _SAMPLES, (Channel("x", "g"),), samples
    )
    write_hdf5(path, made, lambda fraction: None)
    recording = open_recording(path)
    buffer = bytearray(_READ)

    def plain() -> None:
        with path.open("rb", buffering=0) as file:
            while file.readinto(buffer):
                pass

    def build() -> None:
        pyramid.build(lambda a, b: recording.samples.read(0, a, b), recording.length)

    def cold(work: object) -> object:
        def run() -> None:
            _forget(path)
            work()  # type: ignore[operator]

        return run

    works = {"ours": build, "plain": plain, "ours cold": cold(build), "plain cold": cold(plain)}
    taken = medians(works, 5)  # type: ignore[arg-type]
    print("Waveform pyramid of a gigabyte in HDF5 (goal: ≤ 1.8× a plain read, in memory)\n")
    print("| | ours | plain read | ratio |")
    print("|--|--:|--:|--:|")
    for name, mark in (("not in memory", " cold"), ("in memory", "")):
        ours, bare = taken[f"ours{mark}"], taken[f"plain{mark}"]
        print(f"| {name} | {ours:.2f} s | {bare:.2f} s | {ours / bare:.2f} |")


def _forget(path: Path) -> None:
    """Ask the system to drop the file's pages from memory."""
    with path.open("rb") as file:
        os.fsync(file.fileno())
        os.posix_fadvise(file.fileno(), 0, 0, os.POSIX_FADV_DONTNEED)
