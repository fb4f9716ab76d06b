"""Traces against each other, beside each other, of several channels; phase and confidence."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton
from tests.desktop.test_bench import drag
from tests.support import estimated

from tonecomb.core.estimate.averages import Highest, Single
from tonecomb.core.method.document import select
from tonecomb.core.record.recording import Stretch
from tonecomb.core.results.compare import compare
from tonecomb.core.results.confidence import band_db
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.several import SeveralDialog

Settle = Callable[[], None]
SHIFT = Qt.KeyboardModifier.ShiftModifier


def press(bench: Bench, key: Qt.Key, shift: bool = False) -> None:
    QTest.keyClick(bench, key, SHIFT if shift else Qt.KeyboardModifier.NoModifier)


def test_the_trace_against_a_held_one(opened: Bench, settle: Settle) -> None:
    """By keys: hold, change the method, see the ratio; then the difference."""
    pane = opened.stage.panes["against"]
    press(opened, Qt.Key.Key_H, shift=True)
    settle()
    assert pane.isVisible()
    assert pane.why.text().startswith("Hold a trace (H)")
    press(opened, Qt.Key.Key_H)
    opened.store.edit_method("Change", window="flat-top", scaling="psd")
    settle()
    now, signal = opened.context.results.analysis, opened.store.current
    assert now is not None and signal is not None
    held = estimated(now.method.having(window="hann"), signal.recording)
    wanted = compare(now, held)
    low, high = opened.stage.spectrum.limits()
    opened.stage.spectrum.set_limits(300, 500)
    x, y = pane.plot.line.getData()
    inside = (wanted.frequency > 301) & (wanted.frequency < 499)
    assert y.max() >= wanted.ratio_db[inside].max() - 1e-9
    assert np.interp(350.0, x, y) == pytest.approx(
        np.interp(350.0, wanted.frequency, wanted.ratio_db), abs=3.0
    )
    assert pane.plot.label_of("left") == "Ratio, dB"
    assert "‘Gearbox DE, Hann, 32768’" in pane.of.text()
    pane.way.choose("difference")
    pane.refresh()
    assert pane.plot.label_of("left") == "Difference, (m/s²)²/Hz"
    assert pane.plot.line.getData()[1].max() == pytest.approx(
        wanted.difference[inside].max(), rel=1e-9
    )
    # What is dragged below moves the axis above, and the other way round.
    level = float(np.mean(pane.plot.level_limits()))
    drag(pane.plot, (340.0, level), (380.0, level))
    assert opened.stage.spectrum.limits() == pytest.approx((340, 380), abs=2)
    opened.stage.spectrum.set_limits(low, high)
    assert pane.plot.limits() == pytest.approx((low, high))
    press(opened, Qt.Key.Key_L)
    settle()
    assert pane.plot.bottom.log
    assert pane.plot.limits() == pytest.approx(opened.stage.spectrum.limits())
    press(opened, Qt.Key.Key_L)
    press(opened, Qt.Key.Key_H, shift=True)
    assert not pane.isVisible()


def test_what_cannot_be_compared_is_said(opened: Bench, settle: Settle) -> None:
    opened.context.held.hold()
    taps = next(r for r in opened.store.document.recordings if r.name == "bracket-taps")
    opened.store.apply("Hammer", select(opened.store.document, taps.id, 0))
    settle()
    opened.context.held.compare_with(opened.store.document.held[0].id)
    settle()
    assert opened.stage.panes["against"].isVisible(), "asking for it opens it"
    assert "m/s² cannot be converted into N" in opened.stage.panes["against"].why.text()


def test_two_methods_beside_each_other(opened: Bench, settle: Settle) -> None:
    opened.store.edit_method("Change", frame=4096)
    settle()
    press(opened, Qt.Key.Key_H)
    opened.store.edit_method("Change", frame=16384, window="blackman-harris")
    settle()
    stage = opened.stage
    stage.spectrum.set_limits(300, 520)
    press(opened, Qt.Key.Key_V, shift=True)
    settle()
    assert stage.spectra.second.isVisible()
    assert stage.spectra.second.limits() == pytest.approx((300, 520), abs=0.1)
    assert "Blackman–Harris, 16384 samples" in stage.spectra.titles[0].text()
    assert "Hann, 4096 samples" in stage.spectra.titles[1].text()
    # Their cells: Harris's −6 dB widths of 2.72 and 2.00 bins, at 12.8 kHz.
    assert stage.spectrum.cell.text == "2.08 Hz × 1.28 s"
    assert stage.spectra.second.cell.text == "6.25 Hz × 0.32 s"
    level = float(np.mean(stage.spectra.second.level_limits()))
    drag(stage.spectra.second, (350.0, level), (450.0, level))
    assert stage.spectrum.limits() == pytest.approx((350, 450), abs=3)
    assert stage.spectrum.level_limits() == pytest.approx(stage.spectra.second.level_limits())
    press(opened, Qt.Key.Key_V, shift=True)
    assert not stage.spectra.second.isVisible()
    assert stage.spectrum.cell.text == ""


def test_one_method_over_several_channels(opened: Bench, settle: Settle) -> None:
    """The dialog offers the recording's other channels; one of another recording is ticked."""
    opened.store.edit_method("Change", frame=6400, stretch=Stretch(1, 31))
    settle()

    def answer() -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, SeveralDialog)
        assert [c for _, c in dialog.chosen()] == [0, 2]
        run_up = dialog.tree.topLevelItem(1)
        hammer = dialog.tree.topLevelItem(2)
        assert run_up is not None and hammer is not None
        tower = run_up.child(1)
        assert tower is not None
        tower.setCheckState(0, Qt.CheckState.Checked)
        assert hammer.child(0).isDisabled(), "a force is no acceleration"  # type: ignore[union-attr]
        assert dialog.go is not None
        assert dialog.go.text() == "Hold 3 traces"
        QTest.mouseClick(dialog.go, Qt.MouseButton.LeftButton)

    QTimer.singleShot(200, answer)
    press(opened, Qt.Key.Key_S, shift=True)
    settle()
    held = opened.store.document.held
    assert [t.name.split(",")[0] for t in held] == [
        "Motor DE",
        "Bullwheel",
        "run-up: Tower bracket",
    ]
    assert [t.method.frames.frame for t in held] == [6400, 6400, 3200], "as long in seconds"
    assert [t.method.source.stretch for t in held] == [Stretch(1, 31), Stretch(1, 31), None]
    assert len(opened.context.held.shown) == 3
    opened.store.undo()
    assert opened.store.document.held == (), "one step"
    opened.context.held.hold_alike([(opened.store.document.current or "", 0)] * 8)
    assert "room for 7 more held traces, not for 8" in opened.context.notices.text


def test_the_confidence_band(opened: Bench, settle: Settle) -> None:
    opened.store.edit_method("Change", scaling="psd")
    settle()
    spectrum = opened.stage.spectrum
    press(opened, Qt.Key.Key_K)
    now = opened.context.results.analysis
    assert now is not None
    limits = band_db(now)
    assert limits is not None
    assert f"95 % band −{-limits[0]:.1f} to +{limits[1]:.1f} dB" in spectrum.legend.text()
    y = spectrum.curve.getData()[1]
    for edge, limit in zip(spectrum.overlays.edges, limits, strict=True):
        np.testing.assert_allclose(edge.getData()[1] - y, limit)
    opened.layout_.toggle_decibels()
    y = spectrum.curve.getData()[1]
    np.testing.assert_allclose(spectrum.overlays.edges[1].getData()[1], y * 10 ** (limits[1] / 10))
    opened.layout_.toggle_decibels()
    opened.store.edit_method("Change", average=Highest())
    settle()
    assert not spectrum.overlays.band.isVisible(), "there is none for the highest of all frames"
    press(opened, Qt.Key.Key_K)
    assert not spectrum.legend.isVisible()


def test_the_noise_floor_is_drawn(opened: Bench, settle: Settle) -> None:
    """Where the noise is, whatever the tones; as the trace is scaled."""
    opened.store.edit_method("Change", frame=4096, scaling="psd")
    settle()
    press(opened, Qt.Key.Key_U)
    spectrum = opened.stage.spectrum
    spectrum.set_limits(1500, 3000)
    assert "noise floor" in spectrum.legend.text()
    density = 10 * np.log10((1.4e-3 / 1e-6) ** 2)  # what the demo puts in
    x, y = spectrum.overlays.noise.getData()
    assert np.median(y[(x > 1600) & (x < 2900)]) == pytest.approx(density, abs=0.5)
    opened.readings.peaks.table.selectRow(0)
    assert "dB above the noise floor" in opened.readings.peaks.detail.text()
    press(opened, Qt.Key.Key_U)
    assert not spectrum.overlays.noise.isVisible()


def test_what_is_left_is_the_spectrum_without_its_peaks(opened: Bench, settle: Settle) -> None:
    opened.store.edit_method("Change", frame=4096, scaling="psd")
    settle()
    opened.action("What is left").trigger()
    spectrum, a = opened.stage.spectrum, opened.context.results.analysis
    assert a is not None and "what is left" in spectrum.legend.text()
    x, y = spectrum.overlays.rest.getData()
    curve = spectrum.curve.getData()
    for peak in a.highest(5):
        at = np.argmin(np.abs(x - peak.tone.frequency))
        assert y[at] < np.interp(x[at], *curve) - 6
    opened.action("What is left").trigger()
    assert not spectrum.overlays.rest.isVisible()


def test_the_phase_of_a_tap(opened: Bench, settle: Settle) -> None:
    """3 shows why there is none, the link takes a single frame, and the parts can be chosen."""
    taps = next(r for r in opened.store.document.recordings if r.name == "bracket-taps")
    opened.store.apply("Bracket", select(opened.store.document, taps.id, 1))
    settle()
    press(opened, Qt.Key.Key_3)
    pane = opened.stage.panes["phase"]
    assert pane.isVisible()
    assert pane.pages.currentIndex() == 0
    (take,) = [b for b in pane.findChildren(QPushButton) if b.text() == "Use a single frame"]
    QTest.mouseClick(take, Qt.MouseButton.LeftButton)
    opened.store.edit_method("Place", average=Single(7.4), frame=8192, window="rectangular")
    settle()
    assert pane.pages.currentIndex() == 1
    assert pane.plot.label_of("left") == "Phase lead re start, °"
    single = opened.context.results.analysis.single  # type: ignore[union-attr]
    assert single is not None
    opened.stage.spectrum.set_limits(40, 90)
    x, y = pane.plot.dots.getData()
    strong = single.worth()
    assert set(np.round(x, 6)) <= set(np.round(single.frequency[strong], 6)), "weak ones are pale"
    at = np.argmin(abs(single.frequency - 62.0))
    assert y[np.argmin(abs(x - 62.0))] == pytest.approx(single.part("phase", "start")[at])
    # The decay's modes, fitted and drawn over it, with the figures of the one that is chosen.
    fitted = opened.stage.spectrum.overlays.fits.getData()[0]
    assert fitted[np.isfinite(fitted)].min() < 61.8 < 388.0 < fitted[np.isfinite(fitted)].max()
    opened.readings.peaks.table.selectRow(0)
    assert "resonance, damping 1.2" in opened.readings.peaks.detail.text()
    opened.readings.show_page("resonances")
    modes = opened.readings.resonances
    modes.tree.setCurrentItem(modes.tree.topLevelItem(0))
    assert "fitted to a decay" in modes.told.text() and "at half power" in modes.told.text()
    for part, reference, label in (
        ("unwrapped", "centre", "Phase lead, unwrapped re centre, °"),
        ("real", "start", "Real part, m/s² rms"),
        ("imaginary", "start", "Imaginary part, m/s² rms"),
        ("delay", "start", "Group delay re start, s"),
    ):
        pane.part.choose(part)
        pane.reference.choose(reference)
        pane.part.picked.emit(part)
        assert pane.plot.label_of("left") == label
        wanted = single.part(part, reference)[at]  # type: ignore[arg-type]
        drawn = pane.plot.weak.getData()
        assert drawn[1][np.argmin(abs(drawn[0] - 62.0))] == pytest.approx(wanted)
    press(opened, Qt.Key.Key_1)
    assert not pane.isVisible(), "the waveform has the stage for itself"


def test_what_changed_is_listed_against_the_held_trace(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    """Held, then another channel: the list is made when it is asked for, a row goes to its
    place, and it is copied as a table."""
    page = opened.readings.changes
    QTest.keyClick(opened, Qt.Key.Key_H, Qt.KeyboardModifier.ControlModifier)
    settle()
    assert opened.readings.page == "changes"
    assert page.told.text().startswith("Hold a trace (H)")
    press(opened, Qt.Key.Key_H)
    settle()
    assert page.told.text().startswith("Nothing changed beyond what both leave open; 15 tones")
    opened.readings.show_page("peaks")
    document = opened.store.document
    opened.store.apply("Other", select(document, document.current, 0))
    settle()
    assert opened.context.changes.found is None, "nobody looks"
    opened.readings.show_page("changes")
    settle()
    rows = {round(one.frequency, 1): one for one in page.rows if one.kind == "tone"}
    assert rows[413.1].verdicts == ("fell",)
    before, now = rows[413.1].before.level, rows[413.1].now.level
    assert rows[413.1].change_db == pytest.approx(20 * np.log10(now / before))
    at = next(i for i, one in enumerate(page.rows) if one is rows[413.1])
    opened.stage.spectrum.set_limits(0, 100)
    page.tree.setCurrentItem(page.tree.topLevelItem(at))
    low, high = opened.stage.spectrum.limits()
    assert low < 413.1 < high
    assert re.search(r"fell by \d", page.told.text())
    assert opened.readings.copy()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert len(clipboard.text().splitlines()) == 1 + len(page.rows)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "r.html"), ""))
    opened.exports.export_report()
    settle()
    page_html = (tmp_path / "r.html").read_text()
    assert "since drive-steady" in page_html and "413.100" in page_html
    opened.context.held.drop(opened.store.document.held[0].id)
    settle()
    assert opened.readings.page == "peaks", "the page goes with the trace"


def test_a_trace_is_named_after_what_is_chosen(opened: Bench, settle: Settle) -> None:
    """Also while what is shown is still of the channel before."""
    document = opened.store.document
    opened.store.apply("Other", select(document, document.current, 0))
    opened.context.held.hold()
    settle()
    (trace,) = opened.store.document.held
    assert trace.name.startswith("Motor DE,") and trace.method.source.channel == 0
