"""What one recording of a batch costs, what a cluster's scheduler does, and from both what 10⁵
recordings would take on so many workers: a simulation, no measurement."""

from __future__ import annotations

import heapq
import tempfile
import time
import tracemalloc
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tonecomb.batches import overview, tables
from tonecomb.batches.one import Outcome
from tonecomb.batches.plan import Plan
from tonecomb.batches.run import run

FS, SECONDS, COUNT = 25_600, 10, 40
RECORDINGS = 100_000
STORAGE = (125e6, 1e9, 5e9)  # bytes/s: a gigabit, a good server, a parallel file system
WORKERS = (2, 16, 64, 256)


@dataclass(frozen=True)
class Costs:
    """Of a recording: ``work`` (s, of one process), ``read`` and ``written`` bytes; the
    ``scheduler`` takes so many s for it; the end takes ``table`` s and ``held`` bytes for each."""

    work: float
    read: float
    written: float
    scheduler: float
    table: float
    held: float


def made(folder: Path, count: int) -> list[Path]:
    """Recordings of 10 s of two tones in noise."""
    import soundfile

    t, chance = np.arange(FS * SECONDS) / FS, np.random.default_rng(1)
    paths = []
    for i in range(count):
        x = 0.3 * np.cos(2 * np.pi * (24.3 + i / 10) * t) + 0.05 * chance.normal(size=len(t))
        paths.append(folder / f"point {i:05d}.wav")
        soundfile.write(paths[-1], x, FS, subtype="FLOAT")
    return paths


def of_recording(folder: Path, reports: bool) -> tuple[float, float, float, tuple[Outcome, ...]]:
    """Seconds, bytes read and written for each, and the outcomes."""
    paths, out = made(folder, COUNT), folder / f"out {reports}"
    run(Plan(), paths[:2], folder / f"warm {reports}", reports=reports)
    start = time.perf_counter()
    done = run(Plan(), paths, out, reports=reports)
    spent = (time.perf_counter() - start) / COUNT
    size = sum(one.stat().st_size for one in out.rglob("*") if one.is_file()) / COUNT
    return spent, paths[0].stat().st_size, size, done.outcomes


def of_scheduler(tasks: int = 3000) -> float:
    """Seconds a task that does nothing, with two workers on this machine."""
    import logging

    from distributed import Client, LocalCluster

    logging.getLogger("distributed").setLevel(logging.CRITICAL)  # workers mind being ended
    with (
        LocalCluster(
            n_workers=2, threads_per_worker=1, dashboard_address=None, silence_logs=logging.CRITICAL
        ) as cluster,
        Client(cluster) as client,
    ):
        client.gather(client.map(_nothing, range(100), pure=False))
        start = time.perf_counter()
        client.gather(client.map(_nothing, range(tasks), pure=False))
        return (time.perf_counter() - start) / tasks


def _nothing(number: int) -> int:
    return number


def of_end(outcomes: tuple[Outcome, ...], folder: Path, times: int = 50) -> tuple[float, float]:
    """Seconds and bytes that tables and overview take for each recording, at the end."""
    many = outcomes * times
    tracemalloc.start()
    copies = [Outcome(**vars(one)) for one in many]
    start = time.perf_counter()
    tables.write(folder, copies)
    overview.write(folder, copies, Plan())
    spent = time.perf_counter() - start
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    return spent / len(many), most / len(many)


def simulated(costs: Costs, count: int, workers: int, storage: float) -> float:
    """Seconds for ``count`` recordings: the scheduler hands out one after the other, the storage
    serves one after the other, each worker computes by itself; then come the tables."""
    free = [0.0] * workers
    heapq.heapify(free)
    handed = served = last = 0.0
    for _ in range(count):
        ready = heapq.heappop(free)
        handed = max(handed, ready) + costs.scheduler
        served = max(served, handed) + (costs.read + costs.written) / storage
        done = served + costs.work
        last = max(last, done)
        heapq.heappush(free, done)
    return last + count * costs.table


def main() -> None:
    """Print both tables."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        scheduler = of_scheduler()
        for reports in (False, True):
            (folder / str(reports)).mkdir()
            work, read, written, outcomes = of_recording(folder / str(reports), reports)
            table, held = of_end(outcomes, folder / str(reports))
            costs = Costs(work, read, written, scheduler, table, held)
            kind = "with reports" if reports else "no reports"
            print(
                f"A recording of {SECONDS} s at {FS} Hz, {kind}: {1e3 * work:.0f} ms of one "
                f"process, {read / 1e6:.1f} MB read, {written / 1e3:.0f} kB written; scheduler "
                f"{1e3 * scheduler:.2f} ms; at the end {1e3 * table:.2f} ms and "
                f"{held / 1e3:.0f} kB each\n"
            )
            print(
                f"| {RECORDINGS:,} recordings, {kind} | "
                + " | ".join(f"{one / 1e6:g} MB/s" for one in STORAGE)
                + " |"
            )
            print("|---" * (1 + len(STORAGE)) + "|")
            for workers in WORKERS:
                cells = (simulated(costs, RECORDINGS, workers, one) / 3600 for one in STORAGE)
                print(f"| {workers} workers | " + " | ".join(f"{c:.2f} h" for c in cells) + " |")
            print(flush=True)


if __name__ == "__main__":
    main()
