"""Recordings by the workers of a Dask cluster: they see files and results under the same paths."""

from __future__ import annotations

import importlib.metadata
import logging
import queue
import time
import warnings
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import CancelledError
from contextlib import contextmanager
from typing import Any

from tonecomb.batches.one import BatchJob, Outcome, keep, work
from tonecomb.core.base.errors import UserError

TRIES = 3  # of a job whose worker is lost
_AHEAD = 4  # jobs a thread of the cluster that wait
_WAIT = "8s"
_LOOK_S = 2.0  # between two looks at who works
_ALIKE = ("tonecomb", "numpy", "scipy", "distributed")
"""Packages whose versions have to be the same for results that are, to the last bit."""
Notice = Callable[[str], None]


@contextmanager
def cluster(address: str) -> Iterator[Any]:
    """A client of the scheduler at an address like ``tcp://10.0.0.1:8786``.

    Raises :class:`UserError` where the extra package is not there, nobody answers, workers have
    other versions than we, or the scheduler is lost on the way.
    """
    try:
        from distributed import Client
    except ImportError as error:
        raise UserError(
            "A cluster takes the package ‘distributed’", remedy="install tonecomb[cluster]"
        ) from error
    for name in logging.root.manager.loggerDict:
        if name.partition(".")[0] == "distributed":  # we say what matters
            logging.getLogger(name).setLevel(logging.CRITICAL)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # of versions, which are looked at below
            client = Client(address, timeout=_WAIT, set_as_default=False)
    except Exception as error:  # whatever it makes of an address that is none, or of another server
        raise UserError(
            f"No scheduler answers at {address}",
            str(error).splitlines()[0][:200] if str(error) else "",
            "start one with ‘dask scheduler’ and name its address",
        ) from error
    try:
        if not client.nthreads():
            raise UserError(
                f"The scheduler at {address} has no workers",
                remedy="start some with ‘dask worker’ and its address",
            )
        _check_versions(client)
        yield client
    except (CancelledError, OSError) as error:
        # Errors of files on the way of a single recording are outcomes; this is of the connection.
        if isinstance(error, OSError) and client.status == "running":
            raise
        raise UserError(
            f"The scheduler at {address} was lost",
            "what was done by then is kept",
            "start it again, and the same command goes on where it was",
        ) from error
    finally:
        client.close(timeout=1)


def _version(package: str) -> str:
    """That of an installed package, "none" where it is not there."""
    try:
        return importlib.metadata.version(package)
    except importlib.metadata.PackageNotFoundError:
        return "none"


def _check_versions(client: Any) -> None:
    """Refuse workers that would compute something else."""
    for package in _ALIKE:
        ours = _version(package)
        # The standard library's own: of ours a worker may have another, or none.
        theirs = client.run(importlib.metadata.version, package, on_error="return")
        for worker, found in theirs.items():
            if str(found) != ours:
                had = "none" if isinstance(found, Exception) else found
                raise UserError(
                    f"The worker at {worker} has another version of {package} ({had}) than this "
                    f"program ({ours})",
                    "its results would not be the same to the last bit",
                    "install the same there",
                )


def on_cluster(
    client: Any, left: Sequence[BatchJob], notice: Notice
) -> Iterator[tuple[BatchJob, Outcome]]:
    """What came of each job, as they are done. Those of lost workers are done again, by others or
    by new ones; ``notice`` is handed a sentence where workers are lost or come."""
    from distributed import KilledWorker

    waiting, ended = iter(left), queue.SimpleQueue[Any]()
    running: dict[Any, BatchJob] = {}
    workers, looked = set(client.nthreads()), time.monotonic()

    def send() -> None:
        job = next(waiting, None)
        if job is not None:
            future = client.submit(work, job, pure=False, retries=TRIES)
            running[future] = job
            future.add_done_callback(ended.put)

    for _ in range(_AHEAD * max(1, sum(client.nthreads().values()))):
        send()
    while running:
        try:
            future = ended.get(timeout=_LOOK_S)
        except queue.Empty:
            future = None
        if time.monotonic() - looked >= _LOOK_S:
            now, looked = set(client.nthreads()), time.monotonic()
            if now - workers:
                _check_versions(client)
            if now != workers:
                notice(_changed(len(workers - now), len(now - workers), len(now)))
            workers = now
        if future is None:
            continue
        job = running.pop(future)
        try:
            yield job, future.result()
        except KilledWorker:
            why = f"its worker died {TRIES} times; analyse it alone to see why"
            failed = Outcome(str(job.path), job.path.stem, job.plan.digest, failed=why)
            yield job, keep(job, failed)
        send()


def _changed(lost: int, came: int, now: int) -> str:
    """What happened to the workers, in a sentence."""
    lines = [
        f"{count} {'worker' if count == 1 else 'workers'} {what}"
        for count, what in ((lost, "lost"), (came, "new"))
        if count
    ]
    if not now:
        return f"{', '.join(lines)}: none is left; waiting for a new one."
    left = "1 works" if now == 1 else f"{now} work"
    return f"{', '.join(lines)}: {left} now, and nothing is lost."
