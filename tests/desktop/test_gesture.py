"""What is computed gives way to a hand that moves a view, and a view is painted once a move."""

from __future__ import annotations

from collections import Counter
from typing import Any

import pytest
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication
from tests.desktop.mouse import drag
from tests.desktop.test_scheduler import Bed, bed, want

from tonecomb.core.base.errors import Cancelled
from tonecomb.core.say import placing
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit import gesture
from tonecomb.desktop.kit.plot import Plot
from tonecomb.desktop.readings import short

__all__ = ["bed"]  # a fixture


@pytest.fixture
def hand(monkeypatch: pytest.MonkeyPatch) -> list[bool]:
    """Whether it rests, at each look in turn; at rest from then on."""
    looks: list[bool] = []
    monkeypatch.setattr(gesture, "rests", lambda: looks.pop(0) if looks else True)
    monkeypatch.setattr(gesture, "_NAP_S", 0.0)
    return looks


def test_work_waits_for_a_hand_and_goes_on(hand: list[bool]) -> None:
    told: list[float] = []

    def work(progress: Any) -> str:
        hand[:] = [False, False, False]
        progress(0.5)
        assert not hand, "it went on while the hand moved"
        return "done"

    assert gesture.giving_way(work)(told.append) == "done"
    assert told == [0.0, 0.5, 0.5, 0.5, 0.5]


def test_work_that_waits_can_be_stopped(hand: list[bool]) -> None:
    def progress(fraction: float) -> None:
        if len(hand) < 3:
            raise Cancelled

    hand[:] = [False] * 5
    with pytest.raises(Cancelled):
        gesture.giving_way(lambda tell: pytest.fail("it began"))(progress)


def test_work_does_not_wait_for_ever(hand: list[bool], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(gesture, "_LONGEST_S", 0.0)
    hand[:] = [False] * 1000
    assert gesture.giving_way(lambda tell: tell(0.5))(lambda fraction: None) is None
    assert len(hand) > 900


def test_what_is_live_goes_on_beside_a_hand(bed: Bed, hand: list[bool]) -> None:
    """Else nothing of it would be seen while a view is moved."""
    told: list[float] = []
    for lively in (False, True):
        bed.scheduler.lively = lively
        bed.scheduler.have(want(f"x{lively}"), told.append, pytest.fail)  # type: ignore[arg-type]
        hand[:] = [False, False]
        bed.pool.works[-1].run(lambda fraction: None)
        assert bool(hand) == lively


@pytest.mark.parametrize("way", ["drag", "wheel"])
def test_dragging_and_wheeling_are_moves(
    opened: Bench, way: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(gesture, "_STILL_S", 60.0)
    monkeypatch.setattr(gesture, "_last_move", -1e9)
    view = opened.stage.spectrum
    port, before = view.viewport(), view.limits()
    assert port is not None
    view.set_limits(50, 300)
    assert gesture.rests(), "what the program moves is no hand"
    at = QPoint(300, 100)
    if way == "drag":
        drag(port, at, QPoint(200, 100), Qt.KeyboardModifier.ShiftModifier)
    else:
        none = Qt.MouseButton.NoButton
        QApplication.sendEvent(
            port,
            QWheelEvent(
                QPointF(at),
                QPointF(port.mapToGlobal(at)),
                QPoint(),
                QPoint(0, 120),
                none,
                Qt.KeyboardModifier.NoModifier,
                Qt.ScrollPhase.NoScrollPhase,
                False,
            ),
        )
    assert view.limits() not in (before, (50, 300))
    assert not gesture.rests()


class Paintings(QObject):
    """Counts them."""

    def __init__(self, views: list[Plot]) -> None:
        super().__init__()
        self.of: Counter[QObject | None] = Counter()
        for view in views:
            view.viewport().installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        self.of[watched] += event is not None and event.type() == QEvent.Type.Paint
        return False


def test_a_move_is_one_picture(opened: Bench, settle: Any, qtbot: Any) -> None:
    """The library takes a new range over while it paints, and would paint again."""
    stage = opened.stage
    stage.show_pane("spectrogram")
    settle()
    views: list[Plot] = [stage.waveform, stage.spectrum, stage.panes["spectrogram"].plots[0]]
    opened.setUpdatesEnabled(True)
    qtbot.wait(50)
    settle()
    opened.context.envelopes.blockSignals(True)  # what is exact comes later, as one more
    seen = Paintings(views)
    stage.waveform.set_limits(1.0, 0.9 * opened.store.current.duration)  # type: ignore[union-attr]
    stage.spectrum.set_limits(100.0, 400.0)
    QApplication.processEvents()
    QApplication.processEvents()
    assert [seen.of[view.viewport()] for view in views] == [1, 1, 1]


def test_an_edit_is_told_once(opened: Bench, settle: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    """Analysis, combs and cautions arrive one after another: what hangs on all of them waits. There
    may be a picture of the edit before that of its result."""
    opened.setUpdatesEnabled(True)
    opened.store.edit_method("Scaling", scaling="psd")
    settle()
    done: Counter[str] = Counter()

    def counted(module: Any, name: str) -> None:
        made = getattr(module, name)

        def counting(*arguments: Any) -> Any:
            done[name] += 1
            return made(*arguments)

        monkeypatch.setattr(module, name, counting)

    counted(short, "in_short")
    counted(placing, "place")
    opened.store.edit_method("Scaling", scaling="amplitude")
    settle()
    assert done["in_short"] == 1 and 1 <= done["place"] <= 2
    assert opened.readings.short.parts and opened.stage.spectrum.marks.labelled()
