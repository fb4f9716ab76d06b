"""Recordings by the workers of a Dask cluster: they see files and results under the same paths."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from tonecomb.batches.one import Job, Outcome, work
from tonecomb.core.errors import UserError

TRIES = 3  # of a job whose worker is lost
_AHEAD = 4  # jobs a thread of the cluster that wait
_WAIT = "8s"


@contextmanager
def cluster(address: str) -> Iterator[Any]:
    """A client of the scheduler at an address like ``tcp://10.0.0.1:8786``.

    Raises :class:`UserError` where the extra package is not there, or nobody answers.
    """
    try:
        from distributed import Client
    except ImportError as error:
        raise UserError(
            "A cluster takes the package ‘distributed’", remedy="install tonecomb[cluster]"
        ) from error
    try:
        client = Client(address, timeout=_WAIT, set_as_default=False)
    except Exception as error:  # whatever it makes of an address that is none, or of another server
        raise UserError(
            f"No scheduler answers at {address}", str(error).splitlines()[0][:200] if str(error)
            else "", "start one with ‘dask scheduler’ and name its address",
        ) from error  # fmt: skip
    try:
        if not client.nthreads():
            raise UserError(f"The scheduler at {address} has no workers",
                            remedy="start some with ‘dask worker’ and its address")  # fmt: skip
        yield client
    finally:
        client.close()


def on_cluster(client: Any, left: Sequence[Job]) -> Iterator[tuple[Job, Outcome]]:
    """What came of each job, as they are done. Those of lost workers are done again."""
    from distributed import as_completed

    waiting = iter(left)
    most = _AHEAD * max(1, sum(client.nthreads().values()))
    running: dict[Any, Job] = {}
    done = as_completed(loop=client.loop)

    def send() -> None:
        job = next(waiting, None)
        if job is not None:
            future = client.submit(work, job, pure=False, retries=TRIES)
            running[future] = job
            done.add(future)

    for _ in range(most):
        send()
    while running:
        future = next(done)
        job = running.pop(future)
        yield job, future.result()
        send()
