"""A run-up on the stage: the shaft is named, orders and resonances are read, and exported."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLineEdit, QPushButton

from tonecomb.core.estimate.shaft import Shaft, of_comb
from tonecomb.core.estimate.synchronous import Sync
from tonecomb.core.method.document import DroppedComb, select, set_combs
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.shaft import ShaftPopover, suggested
from tonecomb.formats.session import session

Settle = Callable[[], None]
Key = Qt.Key


def apply(popover: ShaftPopover) -> None:
    (use,) = [b for b in popover.findChildren(QPushButton) if b.text() == "Analyse by this shaft"]
    QTest.mouseClick(use, Qt.MouseButton.LeftButton)


@pytest.fixture
def bracket(runup: Bench, settle: Settle) -> Bench:
    """The bracket of the run-up, the pane of run-ups open."""
    assert runup.store.ref is not None
    runup.store.apply("Choose", select(runup.store.document, runup.store.ref.id, 1))
    QTest.keyClick(runup, Key.Key_7)
    settle()
    return runup


def test_from_the_shaft_to_the_resonances(
    bracket: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    pane = bracket.stage.panes["run-up"]
    assert pane.isVisible() and bracket.stage.spectra.isHidden()
    assert "Say what tells" in pane.told.text() and not pane.map.image.isVisible()
    QTest.mouseClick(pane.edit, Qt.MouseButton.LeftButton)
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, ShaftPopover)
    popover.low.setValue(4.5)
    fields = {f.accessibleName(): f for f in popover.findChildren(QLineEdit) if f.accessibleName()}
    fields["Teeth of the comb"].setText("1, 2, x")
    apply(popover)
    assert popover.wrong.text().startswith("Teeth are whole numbers")
    fields["Teeth of the comb"].setText("1, 2, 17")
    fields["Orders to follow"].setText("1 2 17")
    popover.channel.choose(0)
    apply(popover)
    method = bracket.store.method
    assert method is not None and method.shaft is not None
    assert method.shaft.orders == (1.0, 2.0, 17.0) and method.shaft.channel == 0
    settle()
    assert pane.told.text().startswith("5.18") and "/min" in pane.told.text()
    assert "resonance at 143.0(1) Hz, damping 0.90" in pane.resonances.text()
    assert "would be met by order 2" in pane.resonances.text()
    assert [name for name, _ in pane.levels.lines] == ["order 1", "order 2", "order 17"]
    assert pane.spectrum.uprights.names == ["1", "2", "17"]
    # The map: order 17 is an upright line, the mode where it passes 143 Hz.
    pane.map.hover(QPointF(17.0, 12.9))
    text = pane.map.readout.text()
    assert "12.90 s · 8.4" in text and "order 17.00 · 143." in text and text.endswith(" dB")
    assert bracket.stage.waveform.time_line.value() == pytest.approx(12.9)
    column = int(np.argmin(np.abs(pane.map.found.map.centres - 17)))  # type: ignore[union-attr]
    assert pane.map.levels[:, column].argmax() == pytest.approx(
        np.searchsorted(pane.map.found.map_time, 12.9),
        abs=12,  # type: ignore[union-attr]
    )
    bracket.layout_.toggle_decibels()
    assert pane.levels.label_of("left") == "Acceleration, m/s² rms"
    pane.map.clicked.emit(45.0)
    settle()
    assert bracket.context.moments.time == pytest.approx(45.0, abs=0.4)
    for action, name in (
        ("Export orders…", "o.csv"),
        ("Save report…", "r.html"),
        ("Export picture…", "p.png"),
    ):
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *_, name=name: (str(tmp_path / name), "")
        )
        bracket.action(action).trigger()
        settle()
    rows = (tmp_path / "o.csv").read_text().splitlines()
    assert rows[0].startswith("# run-up: Tower bracket · ") and "by shaft angle" in rows[0]
    table = [row for row in rows if not row.startswith("#")]
    heads = "time [s],speed [Hz],order 1 [m/s² rms],order 1 phase lead [°],order 2"
    assert table[0].startswith(heads)
    page = (tmp_path / "r.html").read_text()
    assert "met by order 17" in page and "by shaft angle" in page
    assert (tmp_path / "p.png").read_bytes().startswith(b"\x89PNG")
    session.save(tmp_path / "s.tcomb", bracket.store.document)
    kept = session.load(tmp_path / "s.tcomb").current_ref
    assert kept is not None and kept.method.shaft == method.shaft
    bracket.action("Run-up").trigger()
    settle()
    assert pane.isHidden() and bracket.context.watched["run-up"].shown is None


def test_what_a_shaft_is_suggested_by_and_what_fails_is_told(
    bracket: Bench, settle: Settle
) -> None:
    ref = bracket.store.ref
    assert ref is not None
    comb = DroppedComb("A", 20.0, last=3)
    bracket.store.apply("Comb", set_combs(bracket.store.document, ref, (comb,)))
    guess = suggested(ref.method, (comb,)).comb
    assert guess is not None and (guess.low, guess.high, guess.teeth) == (12.0, 28.0, (1, 2, 3))
    bracket.store.edit_method("Shaft", shaft=of_comb(700, 900, (1,)))
    settle()
    assert "not known well enough" in bracket.context.notices.text
    assert bracket.context.watched["run-up"].shown is None
    QTest.keyClick(bracket, Key.Key_F, Qt.KeyboardModifier.ShiftModifier)
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, ShaftPopover)
    popover.kind.picked.emit(popover.kind.choose("tacho") or "tacho")
    assert popover.tacho.isVisible() and not popover.low.isVisible()
    popover.level.setValue(0.25)
    popover.pulses.setValue(2)
    apply(popover)
    assert bracket.store.method is not None
    wanted = Shaft(tacho=Sync(channel=0, level=0.25), pulses=2, orders=(1.0,))
    assert bracket.store.method.shaft == wanted
    bracket.finding.choose_shaft()
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, ShaftPopover)
    (none,) = [b for b in popover.findChildren(QPushButton) if b.text() == "No shaft"]
    QTest.mouseClick(none, Qt.MouseButton.LeftButton)
    assert bracket.store.method.shaft is None
