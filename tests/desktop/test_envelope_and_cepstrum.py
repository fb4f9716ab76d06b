"""One key finds the hits, another the family of lines; what they offer is taken by a click."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialogButtonBox
from tests.desktop.mouse import drag
from tests.desktop.test_method_line import method

from tonecomb.core.method.document import select
from tonecomb.core.method.machine import Known, Machine
from tonecomb.core.steps.envelope import Envelope
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.machine import BearingDialog, MachineDialog
from tonecomb.desktop.stage.panes.cepstrum import CepstrumPane
from tonecomb.desktop.stage.panes.envelope import EnvelopePane

Settle = Callable[[], None]


@pytest.fixture
def bullwheel(opened: Bench, settle: Settle) -> Bench:
    ref = next(r for r in opened.store.document.recordings if r.name == "drive-steady")
    opened.store.apply("Choose", select(opened.store.document, ref.id, 2))
    settle()
    return opened


def test_one_key_finds_the_bearing(bullwheel: Bench, settle: Settle) -> None:
    QTest.keyClick(bullwheel, Qt.Key.Key_8)
    settle()
    pane = bullwheel.stage.panes["envelope"]
    assert isinstance(pane, EnvelopePane) and pane.found is not None
    assert pane.told.text().startswith("Hits at 88.36")
    band = pane.found.shown
    assert band.low < 3100 < band.high
    places = [line.value() for line in pane.plot.uprights.lines]
    assert places[:3] == pytest.approx([88.37, 176.74, 265.11], rel=1e-3)
    QTest.mouseClick(pane.take, Qt.MouseButton.LeftButton)
    settle()
    assert method(bullwheel).source.steps == (Envelope(band.low, band.high),)
    strongest = max(bullwheel.context.results.analysis.peaks, key=lambda p: p.tone.amplitude)  # type: ignore[union-attr, arg-type]
    assert strongest.tone.frequency == pytest.approx(88.37, rel=1e-3)
    assert pane.told.text().startswith("Hits at 88.36"), "the same is looked at as before"
    QTest.keyClick(bullwheel, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    settle()
    assert bullwheel.context.combs.shown[0].comb.spacing == pytest.approx(88.37, rel=1e-3)
    another = pane.map.bands[3][1]
    place = pane.map.area(3, another).center().toPoint()
    QTest.mouseClick(pane.map, Qt.MouseButton.LeftButton, pos=place)
    assert method(bullwheel).source.steps == (Envelope(1600.0, 3200.0),)


def test_the_cepstrum_offers_its_comb_and_a_range_is_taken_out(
    bullwheel: Bench, settle: Settle
) -> None:
    QTest.keyClick(bullwheel, Qt.Key.Key_9)
    settle()
    pane = bullwheel.stage.panes["cepstrum"]
    assert isinstance(pane, CepstrumPane) and pane.found is not None
    assert "lines 88.3" in pane.told.text()
    QTest.mouseClick(pane.drop, Qt.MouseButton.LeftButton)
    settle()
    assert bullwheel.context.combs.shown[0].comb.spacing == pytest.approx(88.37, rel=1e-3)

    def at(milliseconds: float) -> QPoint:
        scene = pane.plot.box.mapViewToScene(QPointF(milliseconds, 0.0))
        return pane.plot.mapFromScene(scene)

    drag(pane.plot.viewport(), at(9.0), at(40.0), Qt.KeyboardModifier.ControlModifier)
    settle()
    assert pane.found is not None and pane.found.cut == pytest.approx((0.009, 0.04), abs=2e-4)
    spectrum = bullwheel.stage.spectrum
    assert [name for _, name in spectrum.liftered.legend()] == ["without that range"]
    assert spectrum.liftered.curves[0].isVisible()
    QTest.mouseClick(pane.whole, Qt.MouseButton.LeftButton)
    settle()
    assert not spectrum.liftered.legend()


def test_a_bearing_is_added_to_the_machine(
    bench: Bench, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    dialog = MachineDialog(bench, Machine(24.3, "", ()), (), tmp_path)

    def filled(asking: BearingDialog) -> bool:
        asking.name.setText("DE")
        for field, value in ((asking.diameter, 60.0), (asking.pitch, 39.04)):
            field.setValue(value)
        buttons = asking.findChildren(QDialogButtonBox)[0].buttons()
        (ok,) = [one for one in buttons if one.text() == "Name its rates"]
        QTest.mouseClick(ok, Qt.MouseButton.LeftButton)
        assert "smaller than the circle's" in asking.wrong.text() and not asking.known
        asking.diameter.setValue(7.94)
        assert "outer ring 3.585 × shaft" in asking.told.text()
        QTest.mouseClick(ok, Qt.MouseButton.LeftButton)
        return True

    monkeypatch.setattr(BearingDialog, "exec", filled)
    dialog.add_bearing()
    names = [one.name for one in dialog.known()]
    assert names == ["DE outer ring", "DE inner ring", "DE element", "DE cage"]
    assert dialog.known()[0] == Known("DE outer ring", pytest.approx(3.5848, abs=1e-4), True, 2.0)  # type: ignore[arg-type]
    dialog.deleteLater()
