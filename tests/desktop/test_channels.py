"""Calibrating, deriving and conditioning in the bench, held to closed forms."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QWidget,
)

from tonecomb.core.method.document import set_steps
from tonecomb.core.steps.decimate import Decimate
from tonecomb.core.steps.keep import Keep
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.calibrating import CalibrationDialog
from tonecomb.desktop.dialogs.deriving import DerivingDialog
from tonecomb.desktop.kit import settings
from tonecomb.desktop.kit.widgets import Choice, Number, Popover
from tonecomb.formats.session import session

Settle = Callable[[], None]
FS = 8000


@pytest.fixture
def raw(bench: Bench, settle: Settle, tmp_path: Path) -> Bench:
    """Two channels at full scale: 50 Hz, and the same with 3 Hz below it."""
    t = np.arange(10 * FS) / FS
    x = 0.5 * np.sin(2 * np.pi * 50 * t)
    slow = x + 0.2 * np.sin(2 * np.pi * 3 * t)
    soundfile.write(tmp_path / "raw.wav", np.stack([x, slow], axis=1), FS, subtype="FLOAT")
    bench.opening.open_paths([tmp_path / "raw.wav"])
    settle()
    return bench


def named(widget: QWidget, kind: type, name: str) -> QWidget:
    """The visible part of this kind with this accessible name."""
    parts = widget.findChildren(kind)
    return next(p for p in parts if p.accessibleName() == name and p.isVisible())


def type_in(field: QWidget, text: str) -> None:
    field.setFocus()
    field.selectAll()  # type: ignore[attr-defined]
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def choose(widget: QWidget, name: str, text: str) -> None:
    choice = named(widget, Choice, name)
    assert isinstance(choice, Choice)
    choice.showPopup()
    view = choice.view()
    assert view is not None
    texts = [choice.itemText(i).lower() for i in range(choice.count())]
    (place,) = [i for i, one in enumerate(texts) if one.startswith(text.lower())]
    QTest.keyClick(view, Qt.Key.Key_Home)
    for _ in range(place):
        QTest.keyClick(view, Qt.Key.Key_Down)
    QTest.keyClick(view, Qt.Key.Key_Return)


def strongest(bench: Bench) -> tuple[float, float, str]:
    analysis = bench.context.results.analysis
    assert analysis is not None
    peak = max(analysis.peaks or (), key=lambda p: p.tone.amplitude)
    return peak.tone.frequency, analysis.amplitude(peak)[0], analysis.amplitude_unit


def problems(bench: Bench) -> str:
    return " ".join(w.text() for w in bench.readings.findChildren(QLabel) if w.isVisible())


def test_full_scale_is_calibrated(raw: Bench, settle: Settle) -> None:
    assert strongest(raw)[2] == "FS rms"
    assert "channel 1 is not calibrated" in problems(raw)
    QTest.keyClick(raw, Qt.Key.Key_C, Qt.KeyboardModifier.ShiftModifier)
    dialog = raw.channels.dialog
    assert isinstance(dialog, CalibrationDialog)
    type_in(named(dialog, Number, "Sensitivity"), "0.02")
    type_in(named(dialog, QLineEdit, "Unit of the sensor"), "g")
    choose(dialog, "Show in", "m/s")
    settle()
    QTest.qWait(250)
    settle()
    assert "1 FS is 490.332 m/s²" in " ".join(w.text() for w in dialog.findChildren(QLabel))
    box = dialog.findChild(QCheckBox)
    assert box is not None
    box.setChecked(True)
    QTest.mouseClick(dialog.go, Qt.MouseButton.LeftButton)
    settle()
    frequency, amplitude, unit = strongest(raw)
    assert (unit, frequency) == ("m/s² rms", pytest.approx(50, abs=1e-6))
    assert amplitude == pytest.approx(0.5 / 0.02 * 9.80665 / np.sqrt(2), rel=1e-6)
    assert "not calibrated" not in problems(raw)
    assert [c.unit for c in raw.store.current.channels] == ["m/s²", "m/s²"]  # type: ignore[union-attr]
    raw.store.undo()
    settle()
    assert strongest(raw)[2] == "FS rms"


def test_sensors_are_kept(raw: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch) -> None:
    settings.sensors_file().unlink(missing_ok=True)
    raw.channels.calibrate()
    dialog = raw.channels.dialog
    assert isinstance(dialog, CalibrationDialog)
    type_in(named(dialog, Number, "Sensitivity"), "0.25")
    type_in(named(dialog, QLineEdit, "Unit of the sensor"), "N")
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("hammer 3", True))
    dialog.keep_rows()
    dialog.reject()
    settle()
    raw.channels.calibrate()
    dialog = raw.channels.dialog
    assert isinstance(dialog, CalibrationDialog)
    choose(dialog, "Sensor", "hammer")
    settle()
    assert (dialog.calibration.sensitivity, dialog.calibration.unit) == (0.25, "N")
    type_in(named(dialog, QLineEdit, "Unit of the sensor"), "furlong per nap")
    QTest.qWait(300)
    settle()
    assert not dialog.go.isEnabled()
    assert "is not known" in " ".join(w.text() for w in dialog.findChildren(QLabel))
    dialog.reject()


def test_velocity_of_an_acceleration(raw: Bench, settle: Settle) -> None:
    """From the channel's menu to the spectrum of its integral, named on the method line."""
    raw.channels.calibrate()
    dialog = raw.channels.dialog
    assert isinstance(dialog, CalibrationDialog)
    dialog.take()
    settle()
    raw.action("Derive a channel…").trigger()
    deriving = raw.channels.dialog
    assert isinstance(deriving, DerivingDialog)
    type_in(named(deriving, Number, "Low cut"), "5")
    type_in(named(deriving, QLineEdit, "Name"), "Speed")
    settle()
    assert "It will be in mm/s." in " ".join(w.text() for w in deriving.findChildren(QLabel))
    QTest.mouseClick(deriving.make, Qt.MouseButton.LeftButton)
    settle()
    frequency, amplitude, unit = strongest(raw)
    assert (round(frequency, 3), unit) == (50.0, "mm/s rms")
    assert amplitude == pytest.approx(1e3 * 0.5 / (2 * np.pi * 50) / np.sqrt(2), rel=1e-3)
    assert raw.context.results.analysis.sentence.startswith("Speed · ")  # type: ignore[union-attr]
    raw.channels.calibrate()
    assert "derived channel follows those" in raw.context.notices.text


def test_a_derived_channel_is_removed_from_the_shelf(
    raw: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    raw.channels.derive()
    deriving = raw.channels.dialog
    assert isinstance(deriving, DerivingDialog)
    choose(deriving, "What to make", "the vector")
    assert not deriving.make.isEnabled(), "one channel has no sum"
    deriving.boxes[1].setChecked(True)
    settle()
    assert deriving.make.isEnabled()
    deriving.accept()
    settle()
    assert [i.text(0) for i in raw.shelf.channel_rows()][-1] == "|channel 1, channel 2|"

    def pick(menu: QMenu, *_: object) -> None:
        texts = [action.text() for action in menu.actions()]
        menu.actions()[texts.index("Remove the derived channel")].trigger()

    monkeypatch.setattr(QMenu, "exec", pick)
    item = raw.shelf.channel_rows()[-1]
    raw.shelf.open_menu(raw.shelf.tree.visualItemRect(item).center())
    settle()
    assert len(raw.shelf.channel_rows()) == 2
    raw.store.undo()
    settle()
    assert len(raw.shelf.channel_rows()) == 3


def test_steps_on_the_method_line(raw: Bench, settle: Settle) -> None:
    """Added, changed, moved and dropped by mouse and keys; each is a phrase of its own."""
    raw.shelf.tree.setCurrentItem(raw.shelf.channel_rows()[1])
    settle()
    QTest.keyClick(raw, Qt.Key.Key_C)
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, Popover)
    for kind in ("Keep a part", "Remove drift", "Decimate"):
        choose(popover, "Add a step", kind)
    type_in(named(popover, Number, "Keep a part: start"), "2")
    type_in(named(popover, Number, "Remove drift: below"), "10")
    type_in(named(popover, Number, "Decimate: factor"), "8")
    popover.close()
    settle()
    analysis = raw.context.results.analysis
    assert analysis is not None
    drift = "drift below 10 Hz removed, 0.44 s left out at each end"
    assert f"kept 2–10 s, {drift}, decimated by 8" in analysis.sentence
    line = raw.method_line
    texts = [line.phrase(f"step {i}").text() for i in range(3)]  # type: ignore[union-attr]
    assert texts == ["kept 2–10 s", drift, "decimated by 8"]
    assert raw.ruler.figure("up to") == "500 Hz"
    assert [round(p.tone.frequency, 2) for p in analysis.peaks or ()] == [50.0]
    assert "decimated by 8 to 1000 Hz" in raw.shelf.told.text()
    line.edit("step 1")
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, Popover)
    earlier = [b for b in popover.findChildren(QPushButton) if b.text() == "↑" and b.isVisible()]
    QTest.mouseClick(earlier[2], Qt.MouseButton.LeftButton)
    assert [step.key for step in raw.store.method.source.steps] == [  # type: ignore[union-attr]
        "keep",
        "decimate",
        "remove-drift",
    ]
    drops = [b for b in popover.findChildren(QPushButton) if b.text() == "Drop" and b.isVisible()]
    QTest.mouseClick(drops[1], Qt.MouseButton.LeftButton)
    popover.close()
    settle()
    assert f"kept 2–10 s, {drift} · mean" in raw.context.results.analysis.sentence  # type: ignore[union-attr]
    while raw.store.history.undo_label != "Choose channel":
        raw.store.undo()
    settle()
    assert line.phrase("step 0") is None


def test_a_step_that_cannot_be_is_told_and_not_taken(raw: Bench, settle: Settle) -> None:
    raw.method_line.edit("steps")
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, Popover)
    choose(popover, "Add a step", "Keep a part")
    before = raw.store.method
    type_in(named(popover, Number, "Keep a part: end"), "900")
    assert "is outside raw" in popover.wrong.text()  # type: ignore[attr-defined]
    assert raw.store.method == before
    popover.close()


def test_a_chain_is_put_on_the_shelf_and_taken_from_it(
    raw: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    raw.store.apply(
        "Steps",
        set_steps(raw.store.document, raw.store.ref, (Keep(2.0, 8.0), Decimate(4))),  # type: ignore[arg-type]
    )
    settle()
    told = raw.context.results.analysis.sentence  # type: ignore[union-attr]
    raw.method_line.edit("steps")
    popover = QApplication.activePopupWidget()
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("slow part", True))
    (put,) = [b for b in popover.findChildren(QPushButton) if b.text().startswith("Put it")]  # type: ignore[union-attr]
    QTest.mouseClick(put, Qt.MouseButton.LeftButton)
    popover.close()  # type: ignore[union-attr]
    raw.store.edit_method("Plain", steps=())
    settle()
    assert "kept" not in raw.context.results.analysis.sentence  # type: ignore[union-attr]
    document = raw.store.document
    session.save(tmp_path / "a.tcomb", document)
    assert session.load(tmp_path / "a.tcomb").recordings == document.recordings
    (item,) = raw.shelf.tree.findItems(
        "slow part", Qt.MatchFlag.MatchContains | Qt.MatchFlag.MatchRecursive
    )
    assert "decimated by 4" in item.toolTip(0)
    place = raw.shelf.tree.visualItemRect(item).center()
    QTest.mouseClick(raw.shelf.tree.viewport(), Qt.MouseButton.LeftButton, pos=place)
    settle()
    assert raw.context.results.analysis.sentence == told  # type: ignore[union-attr]
