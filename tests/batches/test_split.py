"""A long recording done by several, and recordings by a cluster: the same to the last bit."""

from __future__ import annotations

import json
import multiprocessing
import os
import pickle
import signal
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from tests.cli.test_cli import call

import tonecomb
from tonecomb.batches import run as run_module
from tonecomb.batches import worker_pools
from tonecomb.batches.plan import Plan
from tonecomb.batches.run import run
from tonecomb.batches.worker_pools import Processes, ProcessPool
from tonecomb.core.base.errors import UserError
from tonecomb.core.method.given import NOTHING_GIVEN
from tonecomb.core.record import parallel as spread_module
from tonecomb.core.record.channel_scan import whole_look
from tonecomb.core.record.parallel import Alone, WorkerPool, share

FS = 4000


@pytest.fixture(scope="module")
def long(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Of parts that are small here: two tones, noise that swells, a click and equal samples."""
    path, n = tmp_path_factory.mktemp("long") / "deck.wav", 300_000
    t, chance = np.arange(n) / FS, np.random.default_rng(7)
    x = 0.3 * np.cos(2 * np.pi * 41.3 * t) + 0.1 * np.cos(2 * np.pi * 611.7 * t)
    x += 0.02 * (1 + t / t[-1]) * chance.normal(size=n)
    x[140_000:140_020] = 0.05
    x[77] = 0.9
    soundfile.write(path, np.column_stack([x, 0.5 * x]), FS, subtype="FLOAT")
    return path


@pytest.fixture
def small_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(spread_module, "PART", 1 << 13)


class Elsewhere(WorkerPool):
    """Shares as another process would have them: packed, read anew, the last ones first."""

    def __init__(self, path: Path) -> None:
        self.path, self.count = path, 0

    def shares(self, read: Any, work: Any, edges: Any, grain: int, progress: Any) -> Iterator[Any]:
        where = ProcessPool(Processes(1), self.path, NOTHING_GIVEN).where(read)
        found = {}
        for first, last in reversed(edges):
            packed = pickle.loads(pickle.dumps((where, work)))
            found[first] = worker_pools.share_of(*packed, first, last, grain)
            self.count += 1
        return (found[first] for first, _ in edges)


@pytest.mark.parametrize(
    ("settings", "steps"),
    [
        ({"frame": 1024}, ()),
        ({"frame": 256}, ()),  # so many that they are followed in the same pass
        ({"frame": 1024, "detrend": "line", "window": "flat-top", "pad": 2}, ()),
        ({"frame": 512, "overlap": 90, "detrend": "none"}, ()),
        ({"frame": 2048}, ("high-pass:20", "decimate:2")),
    ],
)
def test_shares_done_elsewhere_are_the_same_to_the_bit(
    long: Path, small_parts: None, settings: dict[str, Any], steps: tuple[str, ...]
) -> None:
    chain = tuple(tonecomb.step(text) for text in steps)
    method = tonecomb.Method.of(steps=chain, **settings)
    pool = Elsewhere(long)
    plain, told = tonecomb.open(long), []
    for recording in (plain, *(replace(plain, pool=one) for one in (Alone(), pool))):
        done = tonecomb.analyse(recording, method)
        found = done.analysis.found
        look = whole_look(tonecomb.prepare(recording, chain), 1)
        assert found is not None
        assert found.averages is not None
        told.append(
            (
                done.spectrum.mean_square.tobytes(),
                found.averages.tobytes(),
                repr(found.peaks),
                repr(found.changes),
                [one.text for one in done.cautions],
                repr(look[1]),
                look[0].levels[0][0].tobytes(),
            )
        )
    assert told[0] == told[1] == told[2]
    assert pool.count > 8


@pytest.mark.parametrize("parts", [1, 2, 5, 17])
@pytest.mark.parametrize("threads", [1, 2, 3])
def test_parts_are_joined_in_their_order(parts: int, threads: int) -> None:
    class Listing:
        def __call__(self, read: Any, first: int, last: int, tell: Any) -> list[int]:
            tell(last - first)
            return list(range(first, last))

        def join(self, parts: Any) -> list[int]:
            return [one for part in parts for one in part]

    told: list[int] = []
    assert share(None, Listing(), 3, 40, -(-37 // parts), told.append, threads) == list(
        range(3, 40)
    )
    assert sum(told) == 37


def test_of_a_large_file_all_processes_take_shares(
    long: Path, small_parts: None, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """One of which is killed on the way; parts are of the size they have here in all of them."""
    monkeypatch.setattr(spread_module, "PART", 1 << 13)
    alone = run(Plan(), [long], tmp_path / "alone", reports=False)
    monkeypatch.setattr(run_module, "SPLIT_FROM", 1)
    killed: list[int] = []
    plain = Processes.submit

    def submit(self: Processes, *call: Any) -> Any:
        future = plain(self, *call)
        if len(killed) < 1 and future.done() is False and self.count == 2:
            future.result()
            killed.append(multiprocessing.active_children()[0].pid or 0)
            os.kill(killed[0], signal.SIGKILL)
        return future

    monkeypatch.setattr(Processes, "submit", submit)
    split = run(Plan(), [long], tmp_path / "split", workers=2, reports=False)
    assert killed
    assert [one.channels for one in split.outcomes] == [one.channels for one in alone.outcomes]


def test_one_that_always_dies_is_told(
    long: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from concurrent.futures.process import BrokenProcessPool

    def die(self: Processes, *call: Any) -> Any:
        raise BrokenProcessPool("gone")

    monkeypatch.setattr(Processes, "submit", die)
    monkeypatch.setattr(run_module, "SPLIT_FROM", 1)
    (outcome,) = run(Plan(), [long], tmp_path / "out", workers=2).outcomes
    assert "several processes" in outcome.failed


CLUSTER = """
import sys
from pathlib import Path
from distributed import LocalCluster
from tonecomb.batches import run as module
from tonecomb.batches.plan import Plan

if __name__ == "__main__":
    files, out = [Path(one) for one in sys.argv[2:]], Path(sys.argv[1])
    module.SPLIT_FROM = files[0].stat().st_size
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as cluster:
        done = module.run(Plan(), files, out, scheduler=cluster.scheduler_address, reports=False)
    print(len(done.outcomes), len(done.failed))
"""


def test_a_cluster_does_the_same(long: Path, tmp_path: Path) -> None:
    """Whole recordings by its workers, and one that all of them share."""
    x = 0.1 * np.cos(2 * np.pi * 100 * np.arange(9000) / 1000)
    files = [long]
    for i in range(3):
        soundfile.write(tmp_path / f"{i}.wav", (1 + i) * x, 1000, subtype="FLOAT")
        files.append(tmp_path / f"{i}.wav")
    (tmp_path / "script.py").write_text(CLUSTER)
    out = tmp_path / "cluster"
    done = subprocess.run(
        [sys.executable, tmp_path / "script.py", out, *files],
        capture_output=True,
        text=True,
        timeout=120,
    )
    assert done.stdout.split() == ["4", "0"], done.stderr[-2000:]
    run(Plan(), files, tmp_path / "alone", reports=False)
    for name in ("tones.csv", "recordings.csv", "cautions.csv"):
        assert (out / name).read_bytes() == (tmp_path / "alone" / name).read_bytes()


@pytest.mark.parametrize("address", ["nonsense"])
def test_a_scheduler_that_is_not_there_is_told(
    address: str, long: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from tonecomb.batches import cluster

    monkeypatch.setattr(cluster, "_WAIT", "1s")
    plan = tmp_path / "plan.json"
    plan.write_text(Plan().text)
    done = call("batch", plan, long, "--out", tmp_path / "out", "--scheduler", address)
    assert done.returncode == 2 and "No scheduler answers" in done.stderr, done.stderr
    assert done.stderr.strip().count("\n") == 0
    with pytest.raises(UserError), cluster.cluster(address):
        raise AssertionError


LOSSES = """
import signal, socket, subprocess, sys, time
from pathlib import Path
from tonecomb.batches.plan import Plan
from tonecomb.batches.run import run
from tonecomb.core.base.errors import UserError

def start(what, *rest):
    return subprocess.Popen([sys.executable, "-m", f"distributed.cli.dask_{what}", *rest,
                             "--no-dashboard"], stderr=subprocess.DEVNULL)

if __name__ == "__main__":
    out, *files = map(Path, sys.argv[1:])
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        address = f"tcp://127.0.0.1:{free.getsockname()[1]}"
    scheduler = start("scheduler", "--host", address)
    work = lambda: start("worker", address, "--nthreads", "1", "--no-nanny")
    workers, said, begun = [work()], [], []

    def told(one):
        if len(workers) == 1:
            workers[0].kill()
            begun.append(time.monotonic())
            workers.append(work())
        elif any("new" in one for one in said):
            scheduler.kill()

    def notice(text):
        said.append(text)
        begun.append(time.monotonic())

    try:
        for _ in range(30):
            try:
                run(Plan(), files, out, scheduler=address, reports=False, told=told, notice=notice)
                print("to its end")
            except UserError as error:
                if "has no workers" in error.text or "No scheduler" in error.text:
                    time.sleep(0.5)
                    continue
                print(error.text)
            break
        print(*said, sep="\\n")
        print(begun[1] - begun[0])
    finally:
        for one in (scheduler, *workers):
            one.kill()
            one.wait()
"""


def test_lost_workers_are_said_and_a_lost_scheduler_loses_nothing(tmp_path: Path) -> None:
    """One worker, killed at the first outcome; a new one comes; then the scheduler is killed, and
    the rest is done without."""
    files, chance = [], np.random.default_rng(0)
    for i in range(30):
        x = 0.1 * np.cos(2 * np.pi * 100 * np.arange(40_000) / 1000)
        files.append(tmp_path / f"{i}.wav")
        soundfile.write(files[-1], x + 0.01 * chance.standard_normal(len(x)), 1000)
    (tmp_path / "script.py").write_text(LOSSES)
    out = tmp_path / "out"
    made = subprocess.run(
        [sys.executable, tmp_path / "script.py", out, *files],
        capture_output=True,
        text=True,
        timeout=120,
    )
    assert not made.stderr, made.stderr[-2000:]
    end, first, *_, seconds = made.stdout.splitlines()
    assert end.startswith("The scheduler at tcp://") and "is kept" in end
    assert first.startswith("1 worker lost"), first
    assert float(seconds) < 5.0
    done = [json.loads(path.read_text()) for path in (out / "done").glob("*.json")]
    assert 1 < len(done) < len(files)
    whole = [one for one in done if not one["failed"]]  # what failed is tried again
    again = run(Plan(), files, out, reports=False).kept
    assert again >= len(whole) > 0, [(one["name"], one["failed"]) for one in done]
    run(Plan(), files, tmp_path / "alone", reports=False)
    for name in ("tones.csv", "recordings.csv", "cautions.csv"):
        assert (out / name).read_bytes() == (tmp_path / "alone" / name).read_bytes()


@pytest.mark.parametrize("found", ["0.0.1", ModuleNotFoundError("tonecomb")])
def test_workers_with_another_version_are_refused(
    found: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    import distributed

    from tonecomb.batches.cluster import cluster

    class Client:
        status = "running"

        def __init__(self, address: str, **_: object) -> None:
            self.address = address

        def nthreads(self) -> dict[str, int]:
            return {"tcp://w:1": 1}

        def run(self, function: Callable[..., str], package: str, on_error: str) -> dict[str, Any]:
            assert on_error == "return"
            return {"tcp://w:1": found if package == "tonecomb" else function(package)}

        def close(self, timeout: float) -> None:
            pass

    monkeypatch.setattr(distributed, "Client", Client)
    with pytest.raises(UserError) as said, cluster("tcp://s:1"):
        raise AssertionError
    assert "tcp://w:1 has another version of tonecomb" in said.value.text
    assert ("(0.0.1)" if found == "0.0.1" else "(none)") in said.value.text
