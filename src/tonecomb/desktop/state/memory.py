"""What the program holds in memory, by owner, and letting go of what can be made again."""

from __future__ import annotations

import ctypes
import gc
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from tonecomb.core.estimate.transform import forget_plans
from tonecomb.core.record.blocks import BLOCKS, PASSING
from tonecomb.desktop.state.envelopes import ROOM, Envelopes
from tonecomb.desktop.state.scheduler import Scheduler
from tonecomb.desktop.state.store import Store

_QUIET_MS = 10_000  # without work, until samples go
_RESTING = 16 << 20  # bytes of them that stay


@dataclass(frozen=True)
class Owner:
    """What is held for a purpose, and at most, in bytes."""

    name: str
    held: int
    room: int


class Memory(QObject):
    """Who holds what, and what can be let go. By itself it lets go of most samples some time after
    the last work: a bench that is open all day would hold what was looked at in the morning."""

    def __init__(self, store: Store, scheduler: Scheduler, envelopes: Envelopes) -> None:
        super().__init__(scheduler)
        self.scheduler, self.envelopes = scheduler, envelopes
        self._quiet = QTimer(self)
        self._quiet.setSingleShot(True)
        self._quiet.setInterval(_QUIET_MS)
        self._quiet.timeout.connect(self._rest)
        scheduler.idle.connect(self._worked)
        store.changed.connect(self._quiet.start)

    @property
    def owners(self) -> tuple[Owner, ...]:
        """Everything that grows with use. The rest is the program itself and its windows."""
        cache = self.scheduler.cache
        return (
            Owner("Decoded and filtered samples", BLOCKS.held, BLOCKS.room),
            Owner("Samples of long records", PASSING.held, PASSING.room),
            Owner("Results", cache.held, cache.room),
            Owner("Waveforms", self.envelopes.held, ROOM),
        )

    def let_go(self) -> None:
        """Empty all of these but what is in view, and return the room to the system."""
        BLOCKS.shrink(0)
        PASSING.shrink(0)
        self.scheduler.cache.clear()
        self.envelopes.make_room(0)
        forget_plans()
        gc.collect()
        _trim()

    def _worked(self) -> None:
        # While a signal is live there is always work, which wants no samples of before.
        if not (self.scheduler.resting and self._quiet.isActive()):
            self._quiet.start()

    def _rest(self) -> None:
        if self.scheduler.busy and not self.scheduler.resting:
            return  # it tells when that is done
        forget_plans()
        BLOCKS.shrink(_RESTING)
        PASSING.shrink(0)
        _trim()

    def words(self) -> str:
        """A line for all, and one for each owner."""
        total = resident()
        lines = [f"{total / 1e6:.0f} MB in all"] if total else []
        lines += [
            f"{one.name}: {one.held / 1e6:.1f} of at most {one.room / 1e6:.0f} MB"
            for one in self.owners
        ]
        return "\n".join(lines)


def _trim() -> None:
    with suppress(OSError, AttributeError):  # another C library
        ctypes.CDLL(None).malloc_trim(0)


def resident() -> int:
    """Bytes of memory that are this process' own; 0 where the system does not tell."""
    with suppress(OSError, ValueError, IndexError):
        status = Path("/proc/self/status").read_text(encoding="ascii", errors="replace")
        return 1024 * int(status.partition("RssAnon:")[2].split()[0])
    return 0
