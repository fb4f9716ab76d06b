"""What doing things at random had found, one by one."""

from __future__ import annotations

import math
import sys
from collections.abc import Callable
from typing import Any

import numpy as np
import pyqtgraph as pg
import pytest
from PyQt6 import sip
from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QMessageBox, QWidget
from tests.support import recording

from tonecomb.core.base.errors import UserError
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.shaft import Shaft
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.method import Method, plan
from tonecomb.core.method.searches import Fit
from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.app import Defects
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.widgets import Number
from tonecomb.desktop.state.jobs import Jobs

Settle = Callable[[], None]


@pytest.mark.parametrize(
    "settings",
    [
        {"shaft": Shaft(Wanted(5, 30, (1,)), orders=(1.0, math.nan))},
        {"fits": (Fit(math.nan, 20.0),)},
        {"stretch": Stretch(0.0, math.inf)},
        {"overlap": math.nan},
    ],
)
def test_no_number_is_told_before_it_is_used(settings: dict[str, Any]) -> None:
    of = recording(np.random.default_rng(0).standard_normal(4096))
    with pytest.raises(UserError, match="is no number"):
        plan(Method.of(frame=512, **settings), of)


def test_what_could_not_be_saved_is_refused(bench: Bench, settle: Settle) -> None:
    bench.opening.open_demo()
    settle()
    before = bench.store.document
    bench.store.edit_method("Choose", stretch=Stretch(math.nan, 2.0))
    assert bench.store.document is before and not bench.context.scheduler.busy
    told = [one.text() for one in bench.context.notices.findChildren(QLabel)]
    assert "The start is no number; give it a number." in told


def test_what_is_found_is_of_the_curve_that_it_is_found_in(bench: Bench, settle: Settle) -> None:
    """Looked for again at once, between an edit and its curve."""
    bench.opening.open_demo()
    settle()
    results = bench.context.results
    for frame, end in ((4096, 20.0), (32768, 60.0), (512, 1.0)):
        bench.store.edit_method("Choose", frame=frame, stretch=Stretch(0.0, end))
        results.tell_again()
        for timer in results.findChildren(QTimer):
            timer.timeout.emit()
        settle()
        found = results.analysis
        assert found is not None and found.averages is not None
        assert len(found.averages) == len(found.spectrum.frequency)
        assert found.method.frames.frame == frame == found.spectrum.framing.frame


def test_a_logarithmic_axis_without_anything_on_it(bench: Bench, settle: Settle) -> None:
    spectrum = bench.stage.spectrum
    spectrum.box.setXRange(0, 6400, padding=0)
    bench.action("Logarithmic frequency").trigger()
    low, high = spectrum.limits()
    assert 0 <= low <= high < math.inf
    assert spectrum.bottom.tickValues(0.0, 6400.0, 800) == []
    assert not bench.grab().isNull()
    settle()


def test_a_dialog_that_is_gone_is_told_nothing(qtbot: Any) -> None:
    jobs, label, told = Jobs(), QLabel(), []
    try:
        jobs.submit("a", lambda _: 1, lambda _: told.append(label.text()), told.append, owner=label)
        jobs.submit("b", lambda _: 2, told.append, told.append)
        sip.delete(label)
        qtbot.waitUntil(lambda: told == [2])
    finally:
        jobs.close()


def test_long_lines_are_drawn_short_and_whole(bench: Bench, settle: Settle) -> None:
    bench.opening.open_demo()
    settle()
    bench.store.edit_method("Choose", frame=65536)
    bench.stage.show_pane("cepstrum")
    settle()
    pane = bench.stage.panes["cepstrum"]
    plot, values = pane.plot, pane.plot.lines[0][1]  # type: ignore[attr-defined]
    curve = next(one for one in plot.getPlotItem().items if isinstance(one, pg.PlotCurveItem))
    plot.box.setXRange(float(plot.across[0]), float(plot.across[-1]), padding=0)
    x, y = curve.getData()
    assert len(x) < 3 * plot.columns < len(values)
    known = values[np.isfinite(values)]
    assert np.nanmax(y) == known.max() and np.nanmin(y) == known.min(), "no crest is lost"
    plot.box.setXRange(*(float(plot.across[i]) for i in (1000, 1200)), padding=0)
    x, y = curve.getData()
    assert len(x) <= 210 and np.isin(y, values).all()


class Broken(QWidget):
    def paintEvent(self, event: Any) -> None:
        painter = QPainter(self)
        painter.drawText(10, 10, "so far")
        raise ValueError("and no further")


def test_a_painter_that_fails_does_not_stay_at_work(
    qtbot: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Or the next that is shown ends the process; Qt says so, which fails this test."""
    hook, told = Defects(lambda: told.append(1)), list[int]()
    monkeypatch.setattr(QMessageBox, "exec", lambda _: 0)
    monkeypatch.setattr(sys, "excepthook", hook)
    widget = Broken()
    qtbot.addWidget(widget)
    widget.resize(80, 40)
    widget.show()
    qtbot.waitUntil(lambda: bool(told))
    widget.repaint()
    qtbot.wait(20)
    assert len(told) >= 2


@pytest.mark.parametrize("page", ["truth", "events", "modes"])
def test_every_page_of_the_readings_can_be_asked_for_its_table(
    bench: Bench, settle: Settle, page: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_, **__: ("", ""))
    bench.opening.open_demo()
    settle()
    bench.readings.show_page(page)
    bench.action("Export readings…").trigger()
    settle()
    if page != "truth":
        assert bench.context.notices.text, "what lacks is told"


def test_a_row_whose_track_is_gone_changes_nothing(bench: Bench, settle: Settle) -> None:
    bench.opening.open_demo()
    settle()
    bench.store.edit_method("Follow", tracks=(Wanted(10, 100), Wanted(100, 200)))
    bench.action("Follow…").trigger()
    popover = QApplication.activePopupWidget()
    assert popover is not None
    ends = [one for one in popover.findChildren(Number) if one.accessibleName() == "To"]
    assert len(ends) == 2
    bench.store.undo()
    before = bench.store.document
    ends[1].setValue(500.0)
    assert bench.store.document is before
    popover.close()


def test_a_row_whose_band_is_gone_changes_nothing(bench: Bench, settle: Settle) -> None:
    bench.opening.open_demo()
    settle()
    bench.store.edit_method("Add band", bands=(Band(10, 100), Band(100, 200)))
    bench.action("Levels…").trigger()
    popover = QApplication.activePopupWidget()
    assert popover is not None
    ends = [one for one in popover.findChildren(Number) if one.accessibleName() == "To"]
    assert len(ends) == 2
    bench.store.undo()
    before = bench.store.document
    ends[1].setValue(500.0)
    assert bench.store.document is before
    popover.close()
