"""The scheduler alone, with a pool that does only what the test tells it to."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest

from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.desktop.state import scheduler
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.scheduler import Cache, Scheduler, Slot, Want, bytes_of


@dataclass
class Work:
    """What was submitted; the test ends it, also after it was cancelled: late."""

    title: str
    run: Callable[[Any], Any]
    done: Callable[[Any], None]
    failed: Callable[[Exception], None]
    background: bool
    cancelled: bool = False

    def cancel(self) -> None:
        self.cancelled = True


class FakePool:
    def __init__(self) -> None:
        self.works: list[Work] = []

    def submit(
        self, title: str, work: Any, done: Any, failed: Any, *, background: bool = False
    ) -> Work:
        self.works.append(Work(title, work, done, failed, background))
        return self.works[-1]


class Bed:
    """A scheduler with slots whose wants the test sets, and what they were told."""

    def __init__(self, qtbot: Any, room: int = 1 << 20) -> None:
        self.qtbot, self.pool = qtbot, FakePool()
        self.scheduler = Scheduler(self.pool, room=room)
        self.told: list[Any] = []

    def slot(self, *, patient: bool = False) -> Slot:
        slot = Slot(self.scheduler, lambda: self.wanted, patient=patient)
        slot.changed.connect(lambda result: self.told.append(result))
        slot.failed.connect(lambda error: self.told.append(error))
        return slot

    wanted: Want | None = None

    def let_go_on(self) -> None:
        self.qtbot.wait(1)
        self.qtbot.wait(1)


@pytest.fixture
def bed(qtbot: Any) -> Bed:
    return Bed(qtbot)


def want(key: object) -> Want:
    return Want(key, f"Making {key}", lambda progress: key)  # type: ignore[arg-type]


def test_a_want_is_computed_once_and_kept(bed: Bed) -> None:
    one, other = bed.slot(), bed.slot()
    one.want(want("a"))
    other.want(want("a"))
    (work,) = bed.pool.works
    assert work.title == "Making a" and one.busy and bed.scheduler.busy
    work.done("result")
    assert bed.told == ["result", "result"] and (one.shown, one.busy) == ("result", False)
    bed.slot().want(want("a"))
    assert len(bed.pool.works) == 1 and bed.told[-1] == "result", "out of the cache"


def test_only_the_newest_counts_whatever_comes_late(bed: Bed) -> None:
    slot = bed.slot()
    slot.want(want("a"))
    slot.want(want("b"))
    bed.let_go_on()
    first, second = bed.pool.works
    assert first.cancelled and not second.cancelled
    second.done("B")
    first.done("A, late")
    assert bed.told == ["B"] and slot.shown == "B"


def test_what_another_wants_is_not_stopped(bed: Bed) -> None:
    one, other = bed.slot(), bed.slot()
    one.want(want("a"))
    other.want(want("a"))
    one.want(want("b"))
    bed.let_go_on()
    assert not bed.pool.works[0].cancelled
    bed.pool.works[0].done("A")
    assert (one.shown, other.shown) == (None, "A")


def test_work_begun_anew_is_not_ended_by_the_old(bed: Bed) -> None:
    slot = bed.slot()
    slot.want(want("a"))
    slot.want(None)
    bed.let_go_on()
    slot.want(want("a"))
    first, second = bed.pool.works
    assert first.cancelled
    first.failed(Cancelled())
    assert slot.busy and bed.told == []
    second.done("A")
    assert bed.told == ["A"]


def test_edits_in_between_are_waited_for(bed: Bed, monkeypatch: pytest.MonkeyPatch) -> None:
    """A row of edits makes one job, of the last."""
    monkeypatch.setattr(scheduler, "_SETTLE_MS", 600_000)  # however slow the machine is
    slot = bed.slot()
    for key in "abcde":
        bed.wanted = want(key)
        slot.follow()
        bed.qtbot.wait(5)
    assert [work.title for work in bed.pool.works] == ["Making a"], "the first stood alone"
    monkeypatch.setattr(scheduler, "_SETTLE_MS", 1)
    slot.follow()
    bed.qtbot.waitUntil(lambda: len(bed.pool.works) == 2)
    assert bed.pool.works[-1].title == "Making e"
    bed.pool.works[-1].done("E")
    bed.wanted = None
    slot.follow()
    bed.qtbot.waitUntil(lambda: slot.shown is None)
    assert bed.told[-2:] == ["E", None]


def test_a_failure_is_told_and_may_be_tried_again(bed: Bed) -> None:
    slot = bed.slot()
    bed.wanted = want("a")
    slot.follow_now()
    bed.pool.works[0].failed(UserError("It does not fit"))
    assert bed.told[-1].text.startswith("It does not fit") and not slot.busy
    slot.again()
    bed.pool.works[1].failed(Cancelled())
    assert bed.told[-1].text == "Making a was stopped; press F5 to run it again."
    slot.again()
    bed.pool.works[2].done("A")
    assert bed.told[-1] == "A"


def test_a_patient_slot_lets_work_end(bed: Bed) -> None:
    slot = bed.slot(patient=True)
    for key in "abc":
        slot.want(want(key))
    bed.let_go_on()
    assert [work.title for work in bed.pool.works] == ["Making a"]
    assert not bed.pool.works[0].cancelled
    bed.pool.works[0].done("A")
    assert [work.title for work in bed.pool.works] == ["Making a", "Making c"], "b is past"
    bed.pool.works[1].done("C")
    assert bed.told == ["A", "C"]


def test_who_is_told_may_want_more_at_once(bed: Bed) -> None:
    slot = bed.slot()
    slot.want(want("a"))
    bed.pool.works[0].done("A")
    slot.want(want("b"))
    slot.changed.connect(lambda result: slot.want(want("c")) if result == "A" else None)
    slot.want(want("a"))  # which is kept, so that it is told within the call
    assert slot.busy, "c is awaited"
    bed.pool.works[-1].done("C")
    assert slot.shown == "C"


def test_idle_is_told_once_nothing_is_awaited(bed: Bed) -> None:
    idle: list[None] = []
    bed.scheduler.idle.connect(lambda: idle.append(None))
    slot = bed.slot()
    slot.want(want("a"))
    bed.let_go_on()
    assert idle == []
    bed.pool.works[0].done("A")
    bed.let_go_on()
    assert idle == [None] and not bed.scheduler.busy


def test_the_cache_is_bounded_by_what_it_holds() -> None:
    cache = Cache(room=1000)
    shared = np.zeros(50)
    assert bytes_of((shared, [shared, np.zeros(10)])) == 480, "each array once"
    cache.keep("a", np.zeros(60))
    cache.keep("b", np.zeros(60))
    assert cache.get("a") is not None and cache.held == 960
    cache.keep("c", np.zeros(40))
    assert cache.get("b") is None and cache.get("a") is not None, "least used goes first"
    assert cache.held == 800
    cache.keep("d", np.zeros(500))
    assert cache.get("d") is not None and cache.held == 4000, "the newest stays in any case"
    cache.clear()
    assert cache.held == 0 and cache.get("d") is None


def test_a_defect_leaves_nobody_waiting(qtbot: Any) -> None:
    jobs = Jobs()
    scheduler = Scheduler(jobs, pool_busy=lambda: bool(jobs.running))
    jobs.changed.connect(scheduler.settle)

    def broken(progress: object) -> None:
        raise ZeroDivisionError

    slot = Slot(scheduler, lambda: None)
    with qtbot.captureExceptions() as caught, qtbot.waitSignal(scheduler.idle):
        slot.want(Want("x", "Dividing", broken))
    assert [kind for kind, *_ in caught] == [ZeroDivisionError]
    assert not slot.busy and not scheduler.busy
    jobs.close()


def lazy_slot(bed: Bed, told: list[Any]) -> Slot:
    slot = Slot(bed.scheduler, lambda: bed.wanted, lazy=True)
    slot.changed.connect(told.append)
    return slot


def test_while_a_handle_is_held_work_ends_and_the_newest_follows(bed: Bed) -> None:
    slot = bed.slot()
    bed.scheduler.lively = True
    bed.wanted = want("a")
    slot.follow()
    bed.let_go_on()
    for key in ("b", "c"):
        bed.wanted = want(key)
        slot.follow()
        bed.scheduler.look_now()
    assert [work.title for work in bed.pool.works] == ["Making a"], "which is not stopped"
    bed.pool.works[0].done("a")
    assert bed.told == ["a"]
    assert [work.title for work in bed.pool.works] == ["Making a", "Making c"]


def test_what_is_quick_comes_with_the_edit(bed: Bed) -> None:
    slot = bed.slot()
    made: list[str] = []

    def quick(key: str) -> Want:
        def run(_: object) -> str:
            made.append(key)
            return key

        return Want(key, "Making it", run, quick=True)

    bed.wanted = quick("a")
    slot.follow_now()
    assert bed.pool.works and not made, "in a worker, as ever"
    bed.pool.works[0].done("a")
    bed.scheduler.lively = True
    bed.wanted = quick("b")
    slot.follow()
    bed.scheduler.look_now()
    assert made == ["b"] and bed.told == ["a", "b"] and len(bed.pool.works) == 1
    bed.wanted = quick("a")
    slot.follow_now()
    assert bed.told[-1] == "a" and made == ["b"], "what is known is not made again"

    def broken(_: object) -> str:
        raise UserError("It cannot be made")

    bed.wanted = Want("c", "Making it", broken, quick=True)
    slot.follow_now()
    assert len(bed.pool.works) == 2, "what fails is told as ever"


def test_what_is_lazy_waits_until_the_handle_is_let_go(bed: Bed) -> None:
    told: list[Any] = []
    slot = lazy_slot(bed, told)
    bed.scheduler.lively = True
    bed.wanted = want("a")
    slot.follow()
    slot.follow_now()
    bed.let_go_on()
    assert not bed.pool.works
    bed.scheduler.lively = False
    slot.follow()
    bed.let_go_on()
    bed.pool.works[0].done("a")
    assert told == ["a"]


def test_an_edit_that_others_follow_too_is_one(bed: Bed, monkeypatch: pytest.MonkeyPatch) -> None:
    """What follows an edit may take a while to say so; nobody waits for the next edit then."""
    monkeypatch.setattr(scheduler, "_SETTLE_MS", 600_000)
    one, other = bed.slot(), bed.slot()
    bed.wanted = want("a")
    one.follow()
    time.sleep(0.005)
    other.follow()
    bed.let_go_on()
    assert [work.title for work in bed.pool.works] == ["Making a"]
    assert one.busy and other.busy
    # What is wanted as a result of looking is not forgotten.
    monkeypatch.setattr(scheduler, "_SETTLE_MS", 1)
    one.looked.connect(other.follow)
    bed.wanted = want("b")
    one.follow()
    bed.qtbot.waitUntil(lambda: other.wanted == want("b"))
