"""Panes are made when they are looked at, and are then as if they had been there from the start."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest
from PyQt6.QtWidgets import QApplication

from tonecomb.core.method.document import PeakNote, set_peak_notes
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.theme import NIGHT, PAPER, current_theme
from tonecomb.desktop.stage.pane_table import PANES

Settle = Callable[[], None]


def test_none_is_there_before_it_is_wanted(opened: Bench) -> None:
    assert not opened.stage.panes
    assert not any(opened.stage.shows(spec.key) for spec in PANES)
    assert not opened.stage.panes, "asking does not make one"
    with pytest.raises(KeyError):
        opened.stage.panes["nothing"]


def test_the_order_is_that_of_the_table(opened: Bench, settle: Settle) -> None:
    stage = opened.stage
    for key in ("phase", "spectrogram", "against", "frame"):
        stage.toggle_pane(key)
    settle()
    order = [spec.key for spec in PANES]
    assert list(stage.panes) == sorted(stage.panes, key=order.index)
    tops = [pane.mapTo(stage, pane.rect().topLeft()).y() for pane in stage.panes.values()]
    assert tops == sorted(tops), "from top to bottom"
    assert QApplication.activeWindow() is opened, "none of them was a window for a moment"


def test_a_late_pane_knows_what_was_said_before(opened: Bench, settle: Settle) -> None:
    """Theme, marks, combs, axis and levels that were chosen while it was not there."""
    stage, ref = opened.stage, opened.store.ref
    assert ref is not None
    opened.layout_.toggle_theme()
    notes = (PeakNote(413.1, "mesh", marked=True),)
    opened.store.apply("Mark", set_peak_notes(opened.store.document, ref, notes))
    opened.finding.find_combs()
    stage.spectrum.set_limits(300.0, 500.0)
    opened.layout_.toggle_decibels()
    settle()
    assert current_theme() is NIGHT
    stage.toggle_pane("spectrogram")
    settle()
    plot = stage.panes["spectrogram"].plots[0]
    assert plot.limits() == pytest.approx((300.0, 500.0))
    marks = [lines.marks for lines in stage.marked]
    assert len(marks) > 2 and all([name for _, name in one] == ["mesh"] for one in marks)
    assert opened.context.combs.shown and plot.combs.isVisible()
    assert plot.backgroundBrush().color().name() == NIGHT.raised.lower()
    opened.layout_.toggle_decibels()
    opened.layout_.toggle_theme()
    assert current_theme() is PAPER
    stage.spectrum.set_limits(350.0, 450.0)
    assert plot.limits() == pytest.approx((350.0, 450.0)), "and follows from then on"


def test_a_shown_frame_is_shown_in_a_late_pane(opened: Bench, settle: Settle) -> None:
    opened.context.moments.go(20.0)
    settle()
    opened.stage.toggle_pane("spectrogram")
    settle()
    moments = opened.context.moments
    assert moments.time is not None and moments.shown is not None
    before = moments.time
    opened.stage.panes["spectrogram"].clicked.emit(30.0)
    settle()
    assert moments.time != before, "a click on it is heard"
    opened.store.edit_method("Other", frame=8192)
    settle()
    ref = opened.store.ref
    assert ref is not None and replace(ref) == ref
