"""Cautions in the readings with their remedies, the window picker, and the ways to average."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton
from tests.core.say.test_cautions import CASES, QUIET
from tests.core.say.test_cautions import tone as sine

from tonecomb.core.estimate.averages import Mean
from tonecomb.core.method.method import Method
from tonecomb.core.method.searches import Fit
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.windows import WINDOWS, window
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.widgets import Number, OptionList, Popover
from tonecomb.desktop.method_line.window_picker import WindowPicker, figures

Settle = Callable[[], None]
REMEDIES = [code for code in CASES if code != "nonstationary"]


def cautions(bench: Bench) -> str:
    """All that the cautions say."""
    shown = bench.readings.cards
    cards = [shown.itemAt(i).widget() for i in range(shown.count())]  # type: ignore[union-attr]
    labels = [w for card in cards if card is not None for w in card.findChildren(QLabel)]
    return " ".join(label.text() for label in labels)


def press(bench: Bench, text: str) -> None:
    """Click the link with this text in the readings."""
    links = [b for b in bench.readings.findChildren(QPushButton) if b.isVisible()]
    QTest.mouseClick(next(b for b in links if b.text() == text), Qt.MouseButton.LeftButton)


def picker(bench: Bench) -> WindowPicker:
    bench.method_line.edit("window")
    found = QApplication.activePopupWidget()
    assert isinstance(found, WindowPicker)
    return found


def test_a_remedy_is_one_step_that_can_be_taken_back(opened: Bench, settle: Settle) -> None:
    assert "hum" in cautions(opened)
    opened.store.edit_method("Change overlap", overlap=0.0)
    settle()
    assert "hardly looks at 37 % of the record" in cautions(opened)
    press(opened, "Overlap 50 %")
    settle()
    assert opened.store.method.frames.overlap == 50.0  # type: ignore[union-attr]
    assert "hardly looks" not in cautions(opened)
    opened.store.undo()
    settle()
    assert opened.store.method.frames.overlap == 0.0  # type: ignore[union-attr]
    assert "hardly looks" in cautions(opened)


@pytest.mark.parametrize("code", [*REMEDIES, "unfitted", "short-stretch"])
def test_every_remedy_changes_the_document_and_silences_its_caution(
    code: str, bench: Bench, settle: Settle, tmp_path: Path
) -> None:
    """Taken through the bench, while the document holds what is the recording's own."""
    if code in REMEDIES:
        (samples, method), _, _ = CASES[code]
    else:
        samples = QUIET + sine(100.0)
        method = Method.of(frame=2000, fits=(Fit(300.0, 301.0),) if code == "unfitted" else ())
        if code == "short-stretch":
            method = method.having(stretch=Stretch(1.0, 2.5))
    soundfile.write(tmp_path / "made.wav", samples, 1000, subtype="FLOAT")
    bench.opening.open_paths([tmp_path / "made.wav"])
    settle()
    bench.store.edit_method(
        "As provoked",
        frames=method.frames,
        averaging=method.averaging,
        shown=method.shown,
        search=method.search,
        stretch=method.source.stretch,
    )
    settle()
    before = bench.store.document
    (caution,) = [one for one in bench.context.advice.cautions if one.code == code]
    assert caution.remedy
    bench.readings.remedy_chosen.emit(caution)
    settle()
    assert bench.store.document != before
    assert code not in [one.code for one in bench.context.advice.cautions]
    assert bench.store.document.recordings[0].given == before.recordings[0].given


def test_many_cautions_are_dealt_a_few_at_a_time(opened: Bench, settle: Settle) -> None:
    opened.store.edit_method("x", overlap=0.0, pad=2, scaling="psd", frame=65536)
    settle()
    first, seen = cautions(opened), ""
    for _ in range(4):  # as many at a time as have room
        seen += cautions(opened)
        (others,) = [
            link.text()
            for link in opened.readings.findChildren(QPushButton)
            if link.isVisible() and link.text().endswith("of 4 cautions, show others")
        ]
        press(opened, others)
        settle()
        if cautions(opened) == first:
            break
    assert cautions(opened) == first
    for caution in opened.readings.cautions:
        assert caution.text in seen


def test_what_is_known_is_told_without_an_analysis(opened: Bench, settle: Settle) -> None:
    log = next(item for item in opened.shelf.channel_rows() if item.text(0) == "Hut wall")
    opened.shelf.tree.setCurrentItem(log)
    settle()
    assert opened.context.results.analysis is None
    assert "gap of 0.86 s" in cautions(opened)
    assert "Hut wall has 1 missing sample" in cautions(opened)


def test_the_picker_shows_and_chooses(opened: Bench, settle: Settle) -> None:
    shown = picker(opened)
    assert shown.names.currentRow() == list(WINDOWS).index("hann")
    before = shown.picture.grab().toImage()
    QTest.keyClick(shown.names, Qt.Key.Key_Down)
    assert shown.value_labels[0].text() == "1.36 bins"
    assert shown.picture.grab().toImage() != before
    assert not shown.parameter.isVisible()
    assert opened.store.method.frames.window == "hann", "looking is not choosing"  # type: ignore[union-attr]
    QTest.keyClick(shown.names, Qt.Key.Key_Return)
    settle()
    assert opened.store.method.frames.window == "hamming"  # type: ignore[union-attr]


def test_a_windows_parameter_is_typed(opened: Bench, settle: Settle) -> None:
    shown = picker(opened)
    shown.names.setCurrentRow(list(WINDOWS).index("kaiser"))
    QTest.keyClick(shown.names, Qt.Key.Key_Return)
    shown.parameter.setFocus()
    shown.parameter.selectAll()
    QTest.keyClicks(shown.parameter, "12")
    QTest.keyClick(shown.parameter, Qt.Key.Key_Return)
    assert shown.value_labels[0].text() == f"{window('kaiser:12').enbw:.2f} bins"
    shown.close()
    settle()
    analysis = opened.context.results.analysis
    assert analysis is not None
    assert "· Kaiser, β = 12, 32768 samples" in analysis.sentence
    mesh = max(analysis.peaks or (), key=lambda peak: peak.tone.amplitude)
    assert mesh.tone.frequency == pytest.approx(413.1, abs=1e-3)
    assert analysis.amplitude(mesh)[0] == pytest.approx(0.9, rel=2e-3)
    again = picker(opened)
    assert again.parameter.value() == 12
    again.close()


@pytest.mark.parametrize("name", WINDOWS)
def test_every_window_has_its_figures(name: str) -> None:
    texts = figures(window(name))
    assert texts[0].endswith(" bins")
    assert all("nan" not in text and "inf" not in text for text in texts)


def test_ways_to_average(opened: Bench, settle: Settle) -> None:
    bottom = {}
    for row, name in enumerate(("mean", "median", "exponential", "max", "min")):
        opened.method_line.edit("frames")
        popover = QApplication.activePopupWidget()
        assert isinstance(popover, Popover)
        chooser = popover.findChild(OptionList)
        assert chooser is not None
        chooser.setCurrentRow(row)
        QTest.keyClick(chooser, Qt.Key.Key_Return)
        settle()
        analysis = opened.context.results.analysis
        assert analysis is not None
        assert analysis.method.averaging.average.key == name
        bottom[name] = float(np.median(analysis.spectrum.mean_square))
    assert bottom["min"] < bottom["median"] < bottom["max"]
    assert bottom["median"] == pytest.approx(bottom["mean"], rel=0.1)
    assert opened.readings.tabs["peaks"].text() == "Peaks"
    opened.method_line.edit("frames")
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, Popover)
    place = popover.findChild(Number)
    assert place is not None
    place.setValue(12.0)
    popover.close()
    settle()
    assert "single frame at 12.0 s" in opened.context.results.analysis.sentence  # type: ignore[union-attr]
    assert "Only 2.56 s of the 60 s chosen are analysed" in cautions(opened)
    press(opened, "Average all of it")
    settle()
    assert opened.store.method.averaging.average == Mean()  # type: ignore[union-attr]
