"""One long recording by several processes: each opens it and takes shares of its passes.

What is sent are a path, a pass and the numbers of its frames; what comes back are sums, counts and
extremes, never samples.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from functools import lru_cache
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.method.given import Given
from tonecomb.core.record.parallel import StretchRead, Work, WorkerPool, share
from tonecomb.core.record.recording import Recording
from tonecomb.core.steps.prepare import prepare
from tonecomb.formats.registry import open_recording

TRIES = 3  # of a share whose process died
_AHEAD = 2  # shares a process that wait in its queue


@dataclass(frozen=True)
class Where:
    """What a share reads: a channel of a file after ``steps``, from sample ``start`` on.
    ``changed`` is when the file was (ns), so that no process goes on with an older one."""

    path: Path
    given: Given
    steps: tuple[Any, ...]
    channel: int
    start: int
    changed: int


def share_of(where: Where, work: Work[Any], first: int, last: int, grain: int) -> Any:
    """In a process of a pool: the numbers ``first`` to ``last`` of a pass."""
    recording = _opened(where.path, where.given, where.changed)
    read = StretchRead(prepare(recording, where.steps), where.channel, where.start)
    return share(read, work, first, last, grain, lambda _: None)


@lru_cache(2)
def _opened(path: Path, given: Given, changed: int) -> Recording:
    """One file's, for all its shares."""
    return open_recording(path, given)


class _Shared(WorkerPool):
    """Shares in their order, so many of them under way. ``given`` is how the file is read."""

    def __init__(self, path: Path, given: Given) -> None:
        self.path, self.given = path, given

    def where(self, read: StretchRead) -> Where:
        """For another process."""
        changed = self.path.stat().st_mtime_ns
        return Where(self.path, self.given, read.signal.steps, read.channel, read.start, changed)


class Processes:
    """So many processes of this machine, started when they are first needed; one that dies is
    replaced."""

    def __init__(self, count: int) -> None:
        self.count = count
        self._pool: ProcessPoolExecutor | None = None

    def submit(self, *call: Any) -> Future[Any]:
        """Call :func:`share_of` in one of them."""
        if self._pool is None:
            self._pool = ProcessPoolExecutor(self.count, get_context("spawn"))
        return self._pool.submit(share_of, *call)

    def restart(self) -> None:
        """After one died: the others of its pool are gone with it."""
        self.close()

    def close(self) -> None:
        """End them."""
        if self._pool is not None:
            self._pool.shutdown(wait=False, cancel_futures=True)
            self._pool = None


class ProcessPool(_Shared):
    """Processes of this machine."""

    def __init__(self, processes: Processes, path: Path, given: Given) -> None:
        super().__init__(path, given)
        self._processes = processes

    def shares(
        self,
        read: StretchRead,
        work: Work[Any],
        edges: list[tuple[int, int]],
        grain: int,
        progress: Progress,
    ) -> Iterator[Any]:
        where, count = self.where(read), edges[-1][1]
        waiting, tries = deque(edges), 0
        under_way: deque[tuple[tuple[int, int], Future[Any]]] = deque()
        while waiting or under_way:
            try:
                while waiting and len(under_way) < self._processes.count * _AHEAD:
                    edge = waiting.popleft()
                    try:
                        future = self._processes.submit(where, work, *edge, grain)
                    except BrokenProcessPool:
                        waiting.appendleft(edge)
                        raise
                    under_way.append((edge, future))
                edge, future = under_way[0]
                found = future.result()
            except BrokenProcessPool as error:
                tries += 1
                if tries > TRIES:
                    raise UserError(
                        f"{self.path.name} could not be read by several processes",
                        f"one of them died {tries} times",
                        "analyse it alone to see why",
                    ) from error
                waiting.extendleft(edge for edge, _ in reversed(under_way))
                under_way.clear()
                self._processes.restart()
                continue
            under_way.popleft()
            progress(edge[1] / count)
            yield found


class ClusterPool(_Shared):
    """Workers of a Dask cluster, which see the file under the same path."""

    def __init__(self, client: Any, path: Path, given: Given) -> None:
        super().__init__(path, given)
        self._client = client

    def shares(
        self,
        read: StretchRead,
        work: Work[Any],
        edges: list[tuple[int, int]],
        grain: int,
        progress: Progress,
    ) -> Iterator[Any]:
        from distributed import KilledWorker

        where, count = self.where(read), edges[-1][1]
        sent = self._client.scatter(work, hash=False)  # a window's samples travel once
        most = _AHEAD * max(1, sum(self._client.nthreads().values()))
        waiting = deque(edges)
        under_way: deque[tuple[tuple[int, int], Any]] = deque()
        while waiting or under_way:
            while waiting and len(under_way) < most:
                edge = waiting.popleft()
                future = self._client.submit(
                    share_of, where, sent, *edge, grain, pure=False, retries=TRIES
                )
                under_way.append((edge, future))
            edge, future = under_way.popleft()
            try:
                found = future.result()
            except KilledWorker as error:
                raise UserError(
                    f"{self.path.name} could not be read by several workers",
                    f"{TRIES} of them died over it",
                    "analyse it alone to see why",
                ) from error
            yield found
            progress(edge[1] / count)
