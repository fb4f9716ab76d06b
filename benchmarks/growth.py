"""How time and memory grow: with the length of a record, its channels, its peaks and its combs.

A slope is that of time over size on logarithmic axes between two rows: 1 is a straight line, 2
would be quadratic. Rows that a fixed cost governs have less.
"""

from __future__ import annotations

import math
import os
import tempfile
import time
import tracemalloc
from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path

import numpy as np
import soundfile

import tonecomb
from tonecomb.core.find.families import families
from tonecomb.core.record.recording import ArraySamples, Channel
from tonecomb.formats.kinds.table import SPECTRUM

FS = 12_800
LENGTHS = (10**4, 10**5, 10**6, 10**7, 10**8)
LONGEST = 10**9  # with TONECOMB_LONG=1: it takes 4 GB of disk and minutes
ALLOWED = 1.3


def _write(path: Path, length: int, channels: int = 1) -> Path:
    """Two tones in noise; a second repeated, block by block."""
    chance, done = np.random.default_rng(0), 0
    with soundfile.SoundFile(path, "w", FS, channels, subtype="FLOAT") as file:
        while done < length:
            count = min(1 << 22, length - done)
            t = (done + np.arange(count)) / FS
            x = 0.3 * np.cos(2 * np.pi * 24.3 * t) + 0.1 * np.cos(2 * np.pi * 413.1 * t)
            x += 0.02 * chance.standard_normal(count)
            file.write(np.repeat(x[:, None], channels, axis=1).astype(np.float32))
            done += count
    return path


def _tones(count: int, spacing: float) -> tonecomb.Recording:
    """So many tones in a minute of noise."""
    t, chance = np.arange(60 * FS) / FS, np.random.default_rng(0)
    x = 0.001 * chance.standard_normal(len(t))
    for k in range(count):
        x += 0.005 * np.cos(2 * np.pi * (101.3 + spacing * k + 0.37 * (k % 7)) * t)
    return _recording(x)


def _families(count: int) -> tonecomb.Recording:
    """So many families of five harmonics in a minute of noise."""
    t, chance = np.arange(60 * FS) / FS, np.random.default_rng(0)
    x = 0.001 * chance.standard_normal(len(t))
    for k in range(count):
        for number in range(1, 6):
            x += 0.01 / number * np.cos(2 * np.pi * number * (83.17 + 31.713 * k) * t)
    return _recording(x)


def _recording(x: np.ndarray) -> tonecomb.Recording:
    return tonecomb.Recording(
        id="made",
        name="made",
        format="array",
        sample_rate=float(FS),
        rate_source="given",
        rate_found="as made",
        length=len(x),
        channels=(Channel("c1", ""),),
        samples=ArraySamples.of(x),
    )


def _measured(work: Callable[[], object], rounds: int = 3) -> tuple[float, float]:
    """Least seconds of a few, and the most bytes that Python and NumPy held in one more."""
    best = math.inf
    for _ in range(rounds):
        begin = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - begin)
        if best > 5:
            break
    tracemalloc.start()
    work()
    held = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    return best, held


def _table(title: str, rows: Iterable[tuple[int, Callable[[], object]]]) -> None:
    print(f"| {title} | time | slope | memory |\n|--:|--:|--:|--:|")
    before: tuple[int, float] | None = None
    for size, work in rows:
        seconds, held = _measured(work)
        told = ""
        if before is not None:
            slope = math.log(seconds / before[1]) / math.log(size / before[0])
            told = f"{slope:.2f}" + (" steep" if slope > ALLOWED else "")
        before = (size, seconds)
        print(f"| {size:,} | {1e3 * seconds:.0f} ms | {told} | {held / 1e6:.0f} MB |", flush=True)
    print()


def main() -> None:
    """Print a table for each thing that grows."""
    method = tonecomb.Method.of(frame=4096)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        lengths = (*LENGTHS, LONGEST) if os.environ.get("TONECOMB_LONG") else LENGTHS

        def long(length: int) -> Callable[[], object]:
            recording = tonecomb.open(_write(folder / "long.wav", length))
            return partial(tonecomb.analyse, recording, method)

        _table("samples, all of the analysis", ((n, long(n)) for n in lengths))

        def wide(channels: int) -> Callable[[], object]:
            path = _write(folder / "wide.wav", 10**6, channels)

            def every() -> None:
                recording = tonecomb.open(path)
                for i in range(channels):
                    tonecomb.analyse(recording, method.having(channel=i))

            return every

        _table("channels of 10⁶ samples, each analysed", ((n, wide(n)) for n in (1, 4, 16, 64)))
    _table(
        "peaks in a minute",
        (
            (n, partial(SPECTRUM.run, tonecomb.Method.of(frame=32768), _tones(n, 5900 / n)))
            for n in (1, 10, 30, 100)
        ),
    )

    def combs(count: int) -> Callable[[], object]:
        found = SPECTRUM.run(tonecomb.Method.of(frame=32768), _families(count))
        return partial(families, found.lines, FS / 2, None, found.resolution.separable_hz)

    _table("families of five, looked for among the peaks", ((n, combs(n)) for n in (1, 5, 10, 20)))
