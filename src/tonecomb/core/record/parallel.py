"""Long passes over a stretch, by several threads, or by processes that read it themselves.

A pass is cut into parts whose size hangs on its length alone, sixteen of which are a share. What is
found in the parts of a share is joined in their order, and so are the shares: the result is the
same to the last bit whoever did which of them.
"""

from __future__ import annotations

import threading
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from tonecomb.core.base.errors import Cancelled
from tonecomb.core.base.progress import Progress

if TYPE_CHECKING:
    from tonecomb.core.record.recording import Array
    from tonecomb.core.record.signal import Signal

PART = 1 << 20
"""Samples of a part, about."""
_LEAST, _AT_LEAST = 1 << 16, 4
"""Samples of a part of a short stretch, which has so many parts: all threads have some."""
_PARTS = 16  # of a share
_THREADS = 2  # beyond which the transforms wait for memory

Made = TypeVar("Made")
Read = Callable[[int, int], "Array"]
"""Samples ``start`` to ``stop`` of a stretch, counted from the stretch's start."""
Tell = Callable[[int], None]
"""Called with how many of the numbers of a part are done; raises ``Cancelled`` where it should
stop."""


class Work(Protocol[Made]):
    """What is done in each part, of the numbers ``first`` to ``last`` (of samples, or of frames).
    Where a pool may do it, a value that can be pickled."""

    def __call__(self, read: Read, first: int, last: int, tell: Tell) -> Made: ...

    def join(self, parts: Iterable[Made]) -> Made:
        """What neighbours in their order are together."""
        ...


class StretchRead:
    """The samples of a signal's channel from number ``start`` on."""

    def __init__(self, signal: Signal, channel: int, start: int = 0) -> None:
        self.signal, self.channel, self.start = signal, channel, start

    def __call__(self, first: int, last: int) -> Array:
        return self.signal.samples.read(self.channel, self.start + first, self.start + last)

    @property
    def pool(self) -> WorkerPool | None:
        """Who else may read it."""
        return self.signal.recording.pool


class WorkerPool(ABC):
    """Processes that can read a recording."""

    threads = 1
    """That a process of it may use by itself."""

    @abstractmethod
    def shares(
        self,
        read: StretchRead,
        work: Work[Any],
        edges: list[tuple[int, int]],
        grain: int,
        progress: Progress,
    ) -> Iterator[Any]:
        """What :func:`share` makes of each of ``edges``, in their order."""


class Alone(WorkerPool):
    """One process with so many threads, for those that are themselves one of several."""

    def __init__(self, threads: int = 1) -> None:
        self.threads = threads

    def shares(
        self,
        read: StretchRead,
        work: Work[Any],
        edges: list[tuple[int, int]],
        grain: int,
        progress: Progress,
    ) -> Iterator[Any]:
        counting = _Counting(edges[-1][1], progress)
        for first, last in edges:
            yield share(read, work, first, last, grain, counting.tell, self.threads)


def spread(
    read: Read,
    work: Work[Made],
    count: int,
    samples: int,
    progress: Progress,
    threads: int | None = None,
) -> Made:
    """What ``work`` makes of the numbers 0 to ``count``, each of which takes so many ``samples``
    more. By the pool of what is read, else in ``threads`` of this process (two for None)."""
    each = max(samples, 1)
    part = min(PART, max(_LEAST, count * each // _AT_LEAST))
    grain = max(1, part // each)
    step = grain * _PARTS
    edges = [(first, min(first + step, count)) for first in range(0, count, step)]
    if edges and isinstance(read, StretchRead) and read.pool is not None:
        return work.join(read.pool.shares(read, work, edges, grain, progress))
    counting = _Counting(count, progress)
    return work.join(
        share(read, work, first, last, grain, counting.tell, threads or _THREADS)
        for first, last in edges
    )


def share(
    read: Read, work: Work[Made], first: int, last: int, grain: int, tell: Tell, threads: int = 1
) -> Made:
    """The parts of one share, joined."""
    edges = [(a, min(a + grain, last)) for a in range(first, last, grain)]
    if threads < 2 or len(edges) < 2:
        return work.join(work(read, a, b, tell) for a, b in edges)
    stopped = threading.Event()

    def told(done: int) -> None:
        if stopped.is_set():
            raise Cancelled
        tell(done)

    with ThreadPoolExecutor(min(threads, len(edges)), thread_name_prefix="part") as pool:
        try:
            return work.join(list(pool.map(lambda edge: work(read, edge[0], edge[1], told), edges)))
        except BaseException:  # where one is stopped, the others stop at their next word
            stopped.set()
            pool.shutdown(wait=False, cancel_futures=True)
            raise


class _Counting:
    """Says how much of all is done, whichever thread did it."""

    def __init__(self, count: int, progress: Progress) -> None:
        self._count, self._progress = max(count, 1), progress
        self._done, self._lock = 0, threading.Lock()

    def tell(self, done: int) -> None:
        with self._lock:
            self._done += done
            fraction = self._done / self._count
        self._progress(fraction)
