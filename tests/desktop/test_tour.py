"""The walk through one job: by its button, by the user's own hands, and left."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.acts.guide import STEPS
from tonecomb.desktop.bench import Bench

Settle = Callable[[], None]


@pytest.fixture
def touring(bench: Bench, settle: Settle) -> Bench:
    """On an empty bench: it opens the demo by itself."""
    bench.tour.start()
    settle()
    return bench


def area(bench: Bench, control: object) -> QRect:
    return QRect(control.mapTo(bench, QPoint()), control.size())  # type: ignore[attr-defined]


def test_every_step_is_done_when_asked(touring: Bench, settle: Settle) -> None:
    """Each points at what it talks of, and stands beside it wherever that leaves room."""
    tour = touring.tour
    assert touring.store.document.recordings
    for number, step in enumerate(STEPS):
        assert tour.at == number
        callout = tour.callout
        assert callout is not None and callout.isVisible()
        QTest.qWait(150)
        assert callout.title.text() == f"{number + 1} of {len(STEPS)} · {step.title}"
        control = step.where(touring)
        assert control is not None and control.isVisible(), step.title
        ring = callout.ring.geometry().adjusted(-1, -1, 1, 1)
        assert ring.contains(area(touring, control) & touring.rect()), step.title
        assert touring.rect().contains(callout.geometry())
        if control.height() < 500:
            assert not callout.geometry().intersects(area(touring, control)), step.title
        before = None if step.state is None else step.state(touring)
        QTest.mouseClick(callout.go, Qt.MouseButton.LeftButton)
        settle()
        if step.state is not None:
            assert step.state(touring) != before, step.title
    assert not tour.running and tour.callout is not None and not tour.callout.isVisible()
    done = touring.store.document
    touring.store.undo()
    assert touring.store.document is not done, "what was done can be taken back"


def test_it_goes_on_when_the_user_did_it(touring: Bench, settle: Settle) -> None:
    tour = touring.tour
    assert tour.callout is not None
    tour.callout.onward.emit()
    assert tour.at == 1
    touring.store.edit_method("Stretch", stretch=Stretch(5, 25))
    settle()
    QTest.qWait(300)
    assert tour.at == 2, "the stretch was chosen"
    touring.resize(1100, 700)
    QApplication.processEvents()
    assert touring.rect().contains(tour.callout.geometry())
    QTest.keyClick(touring, Qt.Key.Key_4)
    settle()
    assert tour.at == 2, "another thing is not what was asked"
    QTest.keyClick(touring, Qt.Key.Key_Escape)
    assert not tour.running and not tour.callout.isVisible()
    QTest.keyClick(touring, Qt.Key.Key_BracketLeft)
    settle()
    assert not tour.running
