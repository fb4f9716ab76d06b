"""Blocks of samples that were decoded or filtered, kept while there is room for them."""

from __future__ import annotations

import threading
import weakref
from collections import OrderedDict, deque
from collections.abc import Sequence
from functools import cached_property

import numpy as np

from tonecomb.core.record.recording import Array, Samples

ROOM = 96 << 20
"""Bytes that all kept blocks may have together."""
_PASSING = 16 << 20
"""And those of signals that do not fit whole: when one is passed over again, the blocks it begins
with are gone, so that only those just read are worth their room."""
_Key = tuple[int, int, int]


class BlockCache:
    """The blocks read last, up to ``room`` bytes; safe to share between threads."""

    def __init__(self, room: int = ROOM) -> None:
        self.room, self.held = room, 0
        self._owners = 0
        self._kept: OrderedDict[_Key, Array] = OrderedDict()
        self._gone: deque[int] = deque()
        self._lock = threading.Lock()

    def get(self, key: _Key) -> Array | None:
        """A kept block, None where it has to be read."""
        with self._lock:
            values = self._kept.get(key)
            if values is not None:
                self._kept.move_to_end(key)
            return values

    def keep(self, key: _Key, block: Array) -> None:
        """Keep a block, and let go of those not used for longest."""
        with self._lock:
            self._let_go()
            before = self._kept.pop(key, None)
            self.held += block.nbytes - (before.nbytes if before is not None else 0)
            self._kept[key] = block
            while self.held > self.room and len(self._kept) > 1:
                self.held -= self._kept.popitem(last=False)[1].nbytes

    def shrink(self, room: int) -> None:
        """Let go of those not used for longest, until ``room`` bytes are held."""
        with self._lock:
            self._let_go()
            while self.held > room:
                self.held -= self._kept.popitem(last=False)[1].nbytes

    def owner(self, whose: object) -> int:
        """A number for the keys of somebody's blocks, which go when it does."""
        with self._lock:
            self._owners += 1
            number = self._owners
        weakref.finalize(whose, self.forget, number).atexit = False
        return number

    def forget(self, owner: int) -> None:
        """Let go of everything of one owner, when the next block is kept: this may be called at any
        moment, also while the lock is held."""
        self._gone.append(owner)

    def _let_go(self) -> None:
        gone = set()
        while self._gone:
            gone.add(self._gone.popleft())
        for key in [key for key in self._kept if key[0] in gone] if gone else ():
            self.held -= self._kept.pop(key).nbytes


BLOCKS, PASSING = BlockCache(), BlockCache(_PASSING)
"""Those that all signals share."""


class KeptBlocks(Samples):
    """``source`` read in whole blocks of its grain, which are kept in ``cache``, else in the one
    that all share."""

    def __init__(
        self, source: Samples, length: int, channels: int, cache: BlockCache | None = None
    ) -> None:
        self._source, self._length = source, length
        self.costly, self.together = source.costly, source.together
        # What is decoded anyway is kept where it fits: another channel will be asked for next.
        fits = 8 * length * (channels if self.together else 1) <= ROOM
        self._every = range(channels) if self.together and fits else range(0)
        self._cache = cache or (BLOCKS if fits else PASSING)
        self._owner = self._cache.owner(self)

    @cached_property
    def _block(self) -> int:
        return max(1, self._source.grain)

    def read(self, channel: int, start: int, stop: int) -> Array:
        return self.read_many((channel,), start, stop)[0]

    def read_many(self, channels: Sequence[int], start: int, stop: int) -> tuple[Array, ...]:
        size = self._block
        parts: list[list[Array]] = [[] for _ in channels]
        for number in range(start // size, -(-stop // size) if stop > start else start // size):
            first = number * size
            a, b = max(start, first) - first, min(stop, first + size) - first
            for kept, block in zip(parts, self._blocks(channels, number), strict=True):
                kept.append(block[a:b])
        return tuple(
            one[0] if len(one) == 1 else np.concatenate(one) if one else np.empty(0)
            for one in parts
        )

    def _blocks(self, channels: Sequence[int], number: int) -> list[Array]:
        """Block ``number`` of each of the channels."""
        keys = [(self._owner, channel, number) for channel in channels]
        found = [self._cache.get(key) for key in keys]
        lacking = [i for i, block in enumerate(found) if block is None]
        if lacking:
            first = number * self._block
            stop = min(first + self._block, self._length)
            wanted = [channels[i] for i in lacking]
            read = self._every or wanted
            for channel, block in zip(
                read, self._source.read_many(list(read), first, stop), strict=True
            ):
                block = np.ascontiguousarray(block)
                if block.base is not None:  # of more, which would be held with it
                    block = block.copy()
                block.flags.writeable = False
                self._cache.keep((self._owner, channel, number), block)
                for i in lacking:
                    if channels[i] == channel:
                        found[i] = block
        return [block for block in found if block is not None]
