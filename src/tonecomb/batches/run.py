"""Many recordings, one after the other or in several processes; stopped and started again it goes
on where it was."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from tonecomb.batches import overview, tables
from tonecomb.batches.cluster import Notice, cluster, on_cluster
from tonecomb.batches.one import DONE, BatchJob, Outcome, jobs, keep, kept, work
from tonecomb.batches.plan import Plan
from tonecomb.batches.worker_pools import ClusterPool, Processes, ProcessPool
from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.record.parallel import WorkerPool
from tonecomb.formats import atomic, guard
from tonecomb.formats.registry import opened_lazily

TRIES = 3  # of a job whose process died, of which it may be the cause
_AHEAD = 4  # jobs a process that wait in its queue
SPLIT_FROM = 512 << 20
"""Bytes of a file from which all processes share it."""
Told = Callable[[Outcome], None]


@dataclass(frozen=True)
class Batch:
    """What came of all files, in their order, how many of them were ``kept`` from an earlier call,
    and the files that were ``written``."""

    outcomes: tuple[Outcome, ...]
    kept: int
    written: tuple[Path, ...]

    @property
    def exceeded(self) -> tuple[Outcome, ...]:
        """Those with a limit that is exceeded."""
        return tuple(one for one in self.outcomes if one.exceeded)

    @property
    def idle(self) -> tuple[str, ...]:
        """The limits that judged nothing at all: each was meant to."""
        judged: dict[str, bool] = {}
        for row in (
            row
            for one in self.outcomes
            for outcome in one.channels
            for row in outcome.rows["limits"]
        ):
            judged[row["limit"]] = judged.get(row["limit"], False) or not row["why_not"]
        return tuple(name for name, did in judged.items() if not did)

    @property
    def failed(self) -> tuple[Outcome, ...]:
        """Those that could not be used."""
        return tuple(one for one in self.outcomes if one.failed)


def run(
    plan: Plan,
    paths: Sequence[Path],
    out: Path,
    *,
    workers: int = 1,
    scheduler: str = "",
    reports: bool = True,
    progress: Progress = silent,
    told: Told = lambda _: None,
    notice: Notice = lambda _: None,
) -> Batch:
    """Analyse files by a plan into the folder ``out``: tables, reports and an overview, by so many
    ``workers`` of this machine, or by those of the Dask ``scheduler`` at an address. ``told`` is
    handed each outcome as it comes, ``notice`` a sentence where workers of a cluster are lost.

    What an earlier call did of the same files by the same plan stands. Raises :class:`UserError`
    where ``out`` cannot be written or has files of others in the way, and
    :class:`~tonecomb.core.base.errors.Cancelled` where ``progress`` does: what is done by then
    stands.
    """
    tables.refuse_others(out)
    guard.refuse_others(out / "overview.html")
    every = jobs(paths, plan, out, reports)
    for folder in (out, out / DONE):
        atomic.make_folder(folder)
    found: dict[str, Outcome] = {}
    for job in every:
        if (earlier := kept(job)) is not None:
            found[job.key] = earlier
    old = len(found)
    left = [job for job in every if job.key not in found]
    doing = part(progress, 0, 0.97)
    with _means(workers, scheduler) as means:
        for job, outcome in _by(means, left, doing, notice):
            found[job.key] = outcome
            told(outcome)
            doing((len(found)) / len(every))
    outcomes = tuple(found[job.key] for job in every)
    written = [*tables.write(out, outcomes), overview.write(out, outcomes, plan)]
    progress(1.0)
    return Batch(outcomes, old, tuple(written))


@dataclass(frozen=True, eq=False)
class _Means:
    """What there is to do it by: a cluster's ``client``, ``processes``, or neither."""

    client: Any = None
    processes: Processes | None = None

    def pool(self, job: BatchJob) -> WorkerPool | None:
        """Who share a job, None where it is done by one."""
        if self.client is None and self.processes is None:
            return None
        try:
            if job.path.stat().st_size < SPLIT_FROM or not opened_lazily(job.path):
                return None
        except (OSError, UserError):
            return None  # opening it says why
        given = job.plan.said.given
        if self.processes is not None:
            return ProcessPool(self.processes, job.path, given)
        return ClusterPool(self.client, job.path, given)


@contextmanager
def _means(workers: int, scheduler: str) -> Iterator[_Means]:
    if scheduler:
        with cluster(scheduler) as client:
            yield _Means(client=client)
        return
    processes = Processes(workers) if workers > 1 else None
    try:
        yield _Means(processes=processes)
    finally:
        if processes is not None:
            processes.close()


def _by(
    means: _Means, left: Sequence[BatchJob], progress: Progress, notice: Notice
) -> Iterator[tuple[BatchJob, Outcome]]:
    """Long recordings first, each by all; then the others, one by each."""
    pools = {job.key: pool for job in left if (pool := means.pool(job)) is not None}
    for i, job in enumerate(job for job in left if job.key in pools):
        share = part(progress, i / len(left), (i + 1) / len(left))
        yield job, work(job, share, pools[job.key])
    others = [job for job in left if job.key not in pools]
    if means.client is not None:
        yield from on_cluster(means.client, others, notice)
    elif means.processes is not None:
        yield from _in_processes(others, means.processes.count)
    else:
        yield from _in_turn(others, progress)


def _in_turn(left: Sequence[BatchJob], progress: Progress) -> Iterator[tuple[BatchJob, Outcome]]:
    for i, job in enumerate(left):
        yield job, work(job, part(progress, i / len(left), (i + 1) / len(left)))


def _in_processes(left: Sequence[BatchJob], workers: int) -> Iterator[tuple[BatchJob, Outcome]]:
    """By several processes. One that dies is replaced, and what it was at is tried again."""
    tries = dict.fromkeys((job.key for job in left), 0)
    waiting = list(reversed(left))
    while waiting:
        with ProcessPoolExecutor(workers, get_context("spawn")) as pool:
            under_way: dict[Future[Outcome], BatchJob] = {}
            try:
                while waiting or under_way:
                    while waiting and len(under_way) < workers * _AHEAD:
                        job = waiting.pop()
                        under_way[pool.submit(work, job)] = job
                    for future in wait(under_way, return_when=FIRST_COMPLETED).done:
                        outcome = future.result()
                        yield under_way.pop(future), outcome
            except BrokenProcessPool:
                # Which of them killed it is not known: all that were begun are tried again.
                for job in under_way.values():
                    tries[job.key] += 1
                    if (done := kept(job)) is not None:
                        yield job, done
                    elif tries[job.key] < TRIES:
                        waiting.append(job)
                    else:
                        yield job, _given_up(job)
            except BaseException:
                pool.shutdown(wait=False, cancel_futures=True)
                raise


def _given_up(job: BatchJob) -> Outcome:
    died = f"its process died {TRIES} times; analyse it alone to see why"
    return keep(job, Outcome(str(job.path), job.path.stem, job.plan.digest, failed=died))
