"""What is to be computed, when, and where it is kept: the one place that starts and stops work for
results.

A view, or whoever serves it, has a :class:`Slot` and says what it wants there; the newest want
counts. Edits in a row are waited for. What was computed is kept up to a number of bytes, what is
under way is not started twice, and what nobody wants any more is stopped. Results arrive on the
interface thread.
"""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field, fields, is_dataclass
from typing import Any, Protocol

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.desktop.kit.gesture import giving_way

ROOM, LIVE_ROOM = 64 << 20, 8 << 20  # bytes of results
_SETTLE_MS = 40  # that edits in a row are waited for
QUICK_SAMPLES = 1 << 14
"""Up to which reading a signal and estimating its spectrum is quick."""
QUICK_PLAIN = 1 << 17
"""And where its samples lie ready."""
_REST = 2.0  # times as long as the work took, that its slot rests while pictures go on
_ALONE_S = 0.25  # an edit so long after the last one is not waited after


@dataclass(frozen=True)
class Want:
    """A result: the same where the ``key`` is. ``title`` says what is done while ``run`` is; what
    is in the ``background`` is told only when nothing else is. What is ``quick``, a few
    milliseconds, is run where it is asked for while a handle is held: it comes with the picture.
    What is not ``kept`` is made anew when it is wanted again."""

    key: Hashable
    title: str = field(compare=False)
    run: Callable[[Progress], Any] = field(compare=False)
    background: bool = field(default=False, compare=False)
    quick: bool = field(default=False, compare=False)
    kept: bool = field(default=True, compare=False)


class Running(Protocol):
    """Work under way."""

    def cancel(self) -> None: ...


class Pool(Protocol):
    """Runs work somewhere else and delivers here."""

    def submit(
        self,
        title: str,
        work: Callable[[Progress], Any],
        done: Callable[[Any], None],
        failed: Callable[[Exception], None],
        *,
        background: bool = False,
    ) -> Running: ...


def bytes_of(value: Any) -> int:
    """What a result's arrays take, each counted once."""
    seen: dict[int, int] = {}

    def add(one: Any) -> None:
        if isinstance(one, np.ndarray):
            seen[id(one)] = one.nbytes
        elif isinstance(one, (tuple, list)):
            for item in one:
                add(item)
        elif is_dataclass(one) and not isinstance(one, type):
            for part in fields(one):
                add(getattr(one, part.name))

    add(value)
    return sum(seen.values())


class Cache:
    """The results used last, up to ``room`` bytes; the newest stays in any case."""

    def __init__(self, room: int = ROOM) -> None:
        self.room, self.held = room, 0
        self._kept: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()

    def get(self, key: Hashable) -> Any:
        """What is kept, None where there is nothing."""
        found = self._kept.get(key)
        if found is None:
            return None
        self._kept.move_to_end(key)
        return found[0]

    def keep(self, key: Hashable, value: Any) -> None:
        """Keep a result, and let go of those not used for longest."""
        size = bytes_of(value)
        self.held += size - self._kept.pop(key, (None, 0))[1]
        self._kept[key] = (value, size)
        while self.held > self.room and len(self._kept) > 1:
            self.held -= self._kept.popitem(last=False)[1][1]

    def clear(self) -> None:
        """Let go of everything."""
        self._kept.clear()
        self.held = 0


class Slot(QObject):
    """A place where one result at a time is wanted: what ``ask`` says when it is followed up.

    ``changed`` carries the result, or None; ``failed`` the :class:`UserError`; ``waiting``
    whether what is shown is no longer what is wanted; ``looked`` that it was followed up, whatever
    came of it. A ``patient`` slot lets running work end before it starts the next: every want may
    be answered late, and the newest always is. A ``lazy`` one does not follow while a handle is
    held.
    """

    changed = pyqtSignal(object)
    failed = pyqtSignal(object)
    waiting = pyqtSignal(bool)
    looked = pyqtSignal()

    def __init__(
        self,
        scheduler: Scheduler,
        ask: Callable[[], Want | None],
        *,
        patient: bool = False,
        lazy: bool = False,
    ) -> None:
        super().__init__(scheduler)
        self._scheduler, self.ask, self._patient = scheduler, ask, patient
        self._lazy = lazy
        self.wanted: Want | None = None
        self.shown: Any = None
        self.shown_want: Want | None = None
        """What was wanted when that came which is shown."""
        self.ticket: _Ticket | None = None
        self._next: Want | None = None
        self._began = self._rest = 0.0

    @property
    def busy(self) -> bool:
        """Whether a result is awaited."""
        return self.ticket is not None or self._scheduler.awaits(self)

    def follow(self) -> None:
        """What is wanted may have changed: look again once edits have settled."""
        if not (self._lazy and self._scheduler.hurries):
            self._scheduler.look(self)

    def follow_now(self) -> None:
        """Look again at once."""
        if self._lazy and self._scheduler.hurries:
            return
        self.want(self.ask())
        self.looked.emit()

    def want(self, want: Want | None) -> None:
        """Have this, and nothing else any more."""
        if want is not None and want == self.wanted:
            self._next = None
            return
        waits = self.ticket is not None or self._rest > time.monotonic()
        if (self._patient or self._scheduler.lively) and waits and want is not None:
            self._next = want
            return
        self._stop()
        self.wanted, self._next = want, None
        if want is None:
            self._show(None)
            return
        self.waiting.emit(True)
        self._began = time.monotonic()
        ticket = self._scheduler.have(want, self._done, self._stopped)
        if ticket is not None:  # else it is there, and whoever was told may have asked for more
            self.ticket = ticket

    def again(self) -> None:
        """Look again, also where nothing seems to have changed."""
        self._stop()
        self.wanted = None
        self.follow_now()

    def _stop(self) -> None:
        if self.ticket is not None:
            self.ticket.drop()
            self.ticket = None
            self._scheduler.look_for_unwanted()

    def _done(self, result: Any) -> None:
        self.ticket = None
        self._show(result)
        self._go_on()

    def _show(self, result: Any) -> None:
        before, self.shown = self.shown, result
        self.shown_want = None if result is None else self.wanted
        self.waiting.emit(False)
        if result is not None or before is not None:
            self.changed.emit(result)

    def _stopped(self, error: Exception) -> None:
        want, self.ticket, self.wanted = self.wanted, None, None
        self._show(None)
        if isinstance(error, Cancelled) and want is not None:
            error = UserError(f"{want.title} was stopped", remedy="press F5 to run it again")
        self.failed.emit(error)
        self._go_on()

    def _go_on(self) -> None:
        if self._next is None:
            return
        if not (self._scheduler.lively and self._scheduler.resting):
            self.want(self._next)
            return
        # What takes long leaves the pictures the time.
        self._rest = time.monotonic() + _REST * (time.monotonic() - self._began)
        QTimer.singleShot(round(1000 * (self._rest - time.monotonic())), self._rested)

    def _rested(self) -> None:
        if self._next is not None and self.ticket is None:
            self.want(self._next)


class _Ticket:
    """Somebody's claim on a result."""

    def __init__(self, done: Callable[[Any], None], failed: Callable[[Exception], None]) -> None:
        self.done, self.failed = done, failed
        self.valid = True

    def drop(self) -> None:
        """It is not wanted here any more."""
        self.valid = False


class Scheduler(QObject):
    """``idle`` is emitted when nothing is awaited any more, here or in the pool (which tells by
    ``pool_changed`` that work began or ended, and by ``pool_busy`` whether there is any)."""

    idle = pyqtSignal()

    def __init__(
        self,
        pool: Pool,
        parent: QObject | None = None,
        *,
        pool_busy: Callable[[], bool] = lambda: False,
        room: int = ROOM,
    ) -> None:
        super().__init__(parent)
        self._pool, self._pool_busy = pool, pool_busy
        self.cache, self._room = Cache(room), room
        self._running: dict[Hashable, tuple[Running, list[_Ticket]]] = {}
        self._looking: dict[Slot, None] = {}  # in the order in which they asked
        self.lively = False
        """While a handle is held: what is under way may end, and edits are not waited for."""
        self._resting = False
        self.breathing = False
        """Whether what is lazy may follow although a handle is held, or a signal is live."""
        self._edited = 0.0
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self._look)
        self._turn = QTimer(self)
        """Runs until the event loop has its next turn."""
        self._turn.setSingleShot(True)
        self._telling = QTimer(self)
        self._telling.setSingleShot(True)
        self._telling.timeout.connect(self._tell)

    @property
    def resting(self) -> bool:
        """Whether slots rest between two works while it is lively: pictures go on and on. No
        result is wanted again then, and few are kept."""
        return self._resting

    @resting.setter
    def resting(self, resting: bool) -> None:
        self._resting = resting
        self.cache.room = min(LIVE_ROOM, self._room) if resting else self._room

    @property
    def hurries(self) -> bool:
        """Whether what is lazy has to wait."""
        return self.lively and not self.breathing

    @property
    def busy(self) -> bool:
        """Whether anything is awaited."""
        return bool(self._looking or self._running) or self._pool_busy()

    def keeps(self, want: Want) -> bool:
        """Whether it is there already."""
        return self.cache.get(want.key) is not None

    def awaits(self, slot: Slot) -> bool:
        """Whether a slot is still to be looked at."""
        return slot in self._looking

    def look(self, slot: Slot) -> None:
        """Ask a slot what it wants, at once after an edit that stands alone, or once edits in a
        row have settled."""
        now = time.monotonic()
        if self.lively:
            if not self._timer.isActive():
                self._timer.start(0)
        elif not (self._timer.isActive() and self._turn.isActive()):  # else the edit is the same
            alone = not self._looking and now - self._edited > _ALONE_S
            self._timer.start(0 if alone else _SETTLE_MS)
        self._turn.start(0)
        self._edited = now
        self._looking[slot] = None

    def look_now(self) -> None:
        """Do not wait for the edit's end: while a handle is held, its results come with it, in one
        picture."""
        if self._timer.isActive():
            self._timer.stop()
            self._look()

    def _look(self) -> None:
        looked, self._looking = list(self._looking), {}
        for slot in looked:
            slot.follow_now()
        self.settle()

    def have(
        self, want: Want, done: Callable[[Any], None], failed: Callable[[Exception], None]
    ) -> _Ticket | None:
        """Have a result: at once (and None) where it is kept, else when it is there."""
        kept = self.cache.get(want.key)
        if kept is not None:
            done(kept)
            return None
        ticket = _Ticket(done, failed)
        if want.key in self._running:
            self._running[want.key][1].append(ticket)
            return ticket
        if self.lively and want.quick:
            try:
                found = want.run(silent)
            except UserError:
                found = None  # told as ever
            if found is not None:
                self._keep(want, found)
                done(found)
                return None
        tickets = [ticket]
        # What is live goes on beside a hand.
        work = want.run if self.lively or self.resting else giving_way(want.run)
        job = self._pool.submit(
            want.title,
            work,
            lambda result: self._arrived(want, result),
            lambda error: self._failed(want.key, tickets, error),
            background=want.background,
        )
        self._running[want.key] = (job, tickets)
        return ticket

    def look_for_unwanted(self) -> None:
        """Somebody does not wait any more: stop what nobody does, unless another soon wants it."""
        self._telling.start(0)

    def settle(self) -> None:
        """Something ended: tell if that was all."""
        self._telling.start(0)

    def _stop_unwanted(self) -> None:
        for key, (job, tickets) in list(self._running.items()):
            if not any(ticket.valid for ticket in tickets):
                del self._running[key]
                job.cancel()

    def _keep(self, want: Want, result: Any) -> None:
        if want.kept:
            self.cache.keep(want.key, result)

    def _arrived(self, want: Want, result: Any) -> None:
        _, tickets = self._running.pop(want.key, (None, []))
        if result is not None:
            self._keep(want, result)
        for ticket in tickets:
            if ticket.valid:
                ticket.done(result)
        self.settle()

    def _failed(self, key: Hashable, tickets: list[_Ticket], error: Exception) -> None:
        if self._running.get(key, (None, None))[1] is tickets:  # else it was begun anew since
            del self._running[key]
        for ticket in tickets:
            if ticket.valid:
                ticket.failed(error)
        self.settle()

    def _tell(self) -> None:
        self._stop_unwanted()
        if not self.busy:
            self.idle.emit()
