"""Trends against time on the stage: tracks chosen by hand, one time cursor, CSV."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QPushButton

from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.method.document import DroppedComb, set_combs
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.tracks import TracksPopover
from tonecomb.desktop.kit.widgets import Number
from tonecomb.formats.session import session

Settle = Callable[[], None]
Key = Qt.Key


def press(bench: Bench, text: str) -> TracksPopover:
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, TracksPopover)
    (button,) = [b for b in popover.findChildren(QPushButton) if b.text() == text]
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)
    return popover


def test_the_tone_in_view_is_followed(runup: Bench, settle: Settle) -> None:
    runup.stage.spectrum.set_limits(70, 520)
    QTest.keyClick(runup, Key.Key_T, Qt.KeyboardModifier.ShiftModifier)
    assert runup.stage.panes["trend"].isVisible() and runup.stage.spectra.isHidden()
    popover = press(runup, "The tone in view")
    assert runup.store.method is not None
    assert runup.store.method.follow.tracks == (Wanted(70.0, 520.0),)
    names = {f.accessibleName(): f for f in popover.findChildren(QLineEdit) if f.accessibleName()}
    names["Name of the track"].setText("mesh")
    names["Name of the track"].editingFinished.emit()
    fields = {f.accessibleName(): f for f in popover.findChildren(Number)}
    fields["To"].setValue(510.0)
    names["Teeth"].setText("0")
    names["Teeth"].editingFinished.emit()
    assert popover.wrong.text().startswith("Teeth are")
    names["Teeth"].setText("")
    names["Teeth"].editingFinished.emit()
    popover.close()
    settle()
    assert runup.store.method.follow.tracks == (Wanted(70.0, 510.0, (), "mesh"),)
    runup.finding.edit_tracks()
    popover = press(runup, "The chosen peak or tooth")
    assert popover.wrong.text() == "Choose a peak, or a tooth of a comb, in the readings first."
    popover.close()
    runup.readings.peaks.table.selectRow(0)
    runup.finding.edit_tracks()
    press(runup, "The chosen peak or tooth").close()
    near = runup.store.method.follow.tracks[1]
    assert near.low < 27.6 < near.high and near.name == "27.56 Hz"
    runup.store.undo()
    pane = runup.stage.panes["trend"]
    ((name, frequency),) = pane.above.lines
    time = pane.above.across
    assert name == "mesh" and frequency == pytest.approx(17 * (5 + 24 * time / 90), abs=1.0)
    # One cursor for all that is over time.
    pane.above.hover(QPointF(45.0, 300.0))
    assert "289." in pane.above.readout.text() and pane.below.time_line.value() == 45.0
    assert runup.stage.waveform.time_line.value() == 45.0
    pane.clicked.emit(45.0)
    settle()
    assert runup.context.moments.time == pytest.approx(45.0, abs=0.2)
    runup.action("Trend").trigger()
    assert pane.isHidden() and runup.stage.spectrum.isVisible()
    # Nothing is computed that nobody looks at.
    runup.store.edit_method("Frame", frame=2048)
    settle()
    assert runup.context.watched["trend"].shown is None


def test_a_comb_levels_and_figures(runup: Bench, settle: Settle, tmp_path: Path) -> None:
    assert runup.store.ref is not None
    combs = (DroppedComb("A", 17.0, last=17),)
    runup.store.apply("Comb", set_combs(runup.store.document, runup.store.ref, combs))
    runup.store.edit_method("Bands", bands=(Band(80, 500, "mesh"),))
    runup.readings.show_page("combs")
    QTest.keyClick(runup, Key.Key_T, Qt.KeyboardModifier.ShiftModifier)
    popover = press(runup, "The chosen comb")
    popover.close()
    settle()
    assert runup.store.method is not None
    (wanted,) = runup.store.method.follow.tracks
    assert wanted.name == "comb A" and wanted.teeth == tuple(range(1, 18))
    assert (wanted.low, wanted.high) == pytest.approx((14.45, 19.55))
    tree = runup.readings.combs.tree
    tree.setCurrentItem(tree.topLevelItem(0).child(1))  # type: ignore[union-attr]
    runup.finding.edit_tracks()
    press(runup, "The chosen peak or tooth").close()
    tooth = runup.store.method.follow.tracks[1]
    assert tooth.name == "A2" and (tooth.low + tooth.high) / 2 == pytest.approx(34.0)
    runup.store.edit_method("Wider", tracks=(Wanted(4, 31, (1, 2, 17), "motor"),))
    settle()
    pane = runup.stage.panes["trend"]
    ((_, speed),) = pane.above.lines
    assert speed == pytest.approx(5 + 24 * pane.above.across / 90, rel=2e-3)
    assert [name for name, _ in pane.below.lines] == ["mesh", "motor"]
    assert pane.below.label_of("left") == "Level, m/s² rms"
    for kind, label in (("crest", "Crest factor"), ("kurtosis", "Kurtosis"), ("rms", "Rms, m/s²")):
        pane.shown.choose(kind)
        pane.shown.picked.emit(kind)
        assert pane.below.label_of("left") == label
        assert np.isfinite(pane.below.lines[0][1]).all()
    session.save(tmp_path / "s.tcomb", runup.store.document)
    kept = session.load(tmp_path / "s.tcomb").current_ref
    assert kept is not None and kept.method.follow.tracks == runup.store.method.follow.tracks


def test_the_trend_is_exported_and_reported(
    runup: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    runup.store.edit_method("Tracks", tracks=(Wanted(70, 510, (), "mesh"),))
    settle()
    for action, name in (("Export trend…", "t.csv"), ("Save report…", "r.html")):
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), "")
        )
        runup.action(action).trigger()
        settle()
    rows = (tmp_path / "t.csv").read_text().splitlines()
    assert "Motor DE" in rows[0], "every table says by which method it was made"
    assert rows[2].endswith("mesh [Hz],mesh [m/s² rms]") and len(rows) == 283
    page = (tmp_path / "r.html").read_text()
    assert "Changes in time" in page and "track mesh: 86.4" in page


def test_what_cannot_be_followed_is_told(runup: Bench, settle: Settle) -> None:
    QTest.keyClick(runup, Key.Key_6)
    runup.store.edit_method("Tracks", tracks=(Wanted(100.1, 100.2),))
    settle()
    assert "No bin lies between 100.1 and 100.2 Hz" in runup.context.notices.text
    assert runup.stage.panes["trend"].below.lines == []
