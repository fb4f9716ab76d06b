"""The spectrogram on the stage, single frames beside the average, and back to the waveform."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMenu
from tests.desktop import mouse
from tests.desktop.test_bench import drag

from tonecomb.core.estimate.display import Display
from tonecomb.core.record.recording import Stretch
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.stage.spectrogram.plot import GramPlot
from tonecomb.formats.report import colours

Settle = Callable[[], None]
Key = Qt.Key


@pytest.fixture
def pictured(runup: Bench, settle: Settle) -> Bench:
    """The run-up with its spectrogram shown."""
    runup.stage.spectrum.set_limits(0, 600)
    QTest.keyClick(runup, Key.Key_4)
    settle()
    return runup


def shown(plot: GramPlot) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Levels (dB), times of the rows and frequencies of the columns."""
    gram = plot.picture.gram
    assert gram is not None
    return plot.picture.levels, (gram.time[:-1] + gram.time[1:]) / 2, gram.centres


def test_the_motor_runs_up_through_the_picture(pictured: Bench, settle: Settle) -> None:
    """The 17th order from 85 to 493 Hz in 90 s; time downward, frequencies of the spectrum."""
    plot = pictured.stage.panes["spectrogram"].plot
    levels, time, frequency = shown(plot)
    assert plot.box.viewRange()[0] == pictured.stage.spectrum.box.viewRange()[0]
    assert plot.box.yInverted()
    high = frequency > 75
    found = frequency[high][np.argmax(levels[:, high], axis=1)]
    assert found == pytest.approx(17 * (5 + 24 * time / 90), abs=4.0)
    # What is dragged zooms both axes, the spectrum's with it, and the part is computed anew.
    before = plot.picture.gram
    drag(plot, (200.0, 40.0), (300.0, 60.0))
    settle()
    assert pictured.stage.spectrum.limits() == pytest.approx((200, 300), abs=3)
    assert plot.times() == pytest.approx((40, 60), abs=1)
    assert plot.picture.gram is not before and plot.picture.gram is not None
    assert len(plot.picture.gram.frequency) > 60 and plot.picture.gram.time[0] > 38
    QTest.keyClick(pictured, Key.Key_A)
    settle()
    assert plot.times() == (0, 90)


def test_level_at_the_cursor_and_the_scale(pictured: Bench, settle: Settle) -> None:
    pane, plot = pictured.stage.panes["spectrogram"], pictured.stage.panes["spectrogram"].plot
    plot.hover(QPointF(293.0, 46.0))
    text = plot.readout.text()
    assert text.startswith("46.00 s · 293.0 Hz · ") and text.endswith(" dB")
    assert plot.lines.cell.rect().height() == pytest.approx(0.64)
    assert plot.lines.cell.rect().width() == pytest.approx(3.12, abs=0.02)
    assert len(plot.levels.time_line) == len(plot.picture.levels)
    # The row under the cursor stands over the spectrum, with the mesh where it is then.
    row = pictured.stage.spectrum.row
    frequency, level = (np.array(part) for part in row.getData())
    assert row.isVisible() and frequency[frequency > 100][
        np.argmax(level[frequency > 100])
    ] == pytest.approx(17 * (5 + 24 * 46 / 90), abs=4.0)
    picture = plot.image.image.copy()
    low, high = plot.picture.ends
    scale = pane.scale
    mouse.drag(
        scale, QPoint(round(scale.place_of(low)), 20), QPoint(round(scale.place_of(high - 20)), 20)
    )
    assert plot.picture.ends[0] > low + 5 and plot.picture.ends[1] == high
    assert plot.image.image.mean() < picture.mean()
    QTest.mouseDClick(scale, Qt.MouseButton.LeftButton, pos=QPoint(scale.width() // 2, 15))
    assert plot.picture.ends == pytest.approx((low, high), abs=0.5)
    pictured.layout_.toggle_decibels()
    assert pane.scale.unit == "m/s² rms" and plot.picture.ends[0] == 0.0
    pane.pooling.picked.emit(pane.pooling.choose("mean") or "mean")
    settle()
    assert plot.picture.gram is not None and plot.picture.gram.view.pooling == "mean"
    assert not row.isVisible(), "it has other levels now"
    plot.hover(QPointF(293.0, 46.0))
    assert row.isVisible()
    QTest.keyClick(pictured, Key.Key_4)
    settle()
    assert pictured.context.watched["spectrogram"].shown is None
    assert not pane.isVisible() and not row.isVisible()


def test_log_frequency_and_a_box_that_becomes_the_stretch(
    pictured: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    plot = pictured.stage.panes["spectrogram"].plot
    QTest.keyClick(pictured, Key.Key_L)
    settle()
    _, _, frequency = shown(plot)
    ratios = np.diff(np.log(frequency))
    assert ratios == pytest.approx(ratios[0], rel=1e-3), "even in ratios"
    QTest.keyClick(pictured, Key.Key_L)
    settle()
    chosen: list[list[str]] = []

    def pick(menu: QMenu, *_: object) -> None:
        chosen.append([action.text() for action in menu.actions()])
        menu.actions()[len(chosen) - 1].trigger()

    monkeypatch.setattr(QMenu, "exec", pick)
    port = plot.viewport()
    assert port is not None
    for first, last in ((30.0, 50.0), (33.0, 47.0)):
        ends = [
            plot.mapFromScene(plot.box.mapViewToScene(QPointF(*p)))
            for p in ((150.0, first), (250.0, last))
        ]
        mouse.drag(port, *ends, Qt.KeyboardModifier.ControlModifier)
        settle()
    ends = re.fullmatch(r"Analyse (.+)–(.+) s", chosen[0][0])
    assert ends is not None and chosen[0][2] == "Zoom to both"
    assert [float(end) for end in ends.groups()] == pytest.approx([30, 50], abs=0.5)
    method = pictured.store.method
    assert method is not None and method.source.stretch is not None
    assert (method.source.stretch.start, method.source.stretch.end) == pytest.approx(
        (30, 50), abs=1
    )
    assert (method.search.peaks.low, method.search.peaks.high) == pytest.approx((150, 250), abs=4)


def test_frame_by_frame(pictured: Bench, settle: Settle) -> None:
    """Each step is half a frame; the frame's spectrum has the tone where the motor is then."""
    QTest.keyClick(pictured, Key.Key_Period)
    settle()
    assert pictured.context.moments.time == pytest.approx(0.32)
    for _ in range(3):
        QTest.keyClick(pictured, Key.Key_Period)
    QTest.keyClick(pictured, Key.Key_Comma)
    settle()
    assert pictured.context.moments.time == pytest.approx(0.32 + 2 * 0.32)
    pictured.context.moments.go(45.0)
    settle()
    single = pictured.context.moments.shown
    assert single is not None and single.resolution.frames == 1
    high = single.spectrum.frequency > 100
    at = single.spectrum.frequency[high][np.argmax(single.spectrum.mean_square[high])]
    assert at == pytest.approx(17 * (5 + 24 * pictured.context.moments.time / 90), abs=3)
    assert (
        f"frame at {pictured.context.moments.time:.2f} s" in pictured.stage.spectrum.legend.text()
    )
    curve = pictured.stage.spectrum.frame.curves[0]
    assert curve.isVisible() and len(curve.getData()[0]) > 100
    assert pictured.stage.frame_place.span.isVisible()
    bar = pictured.stage.frame_bar
    assert bar.isVisible() and bar.told.text() == "frame 141 of 280, 45.12 s"
    bar.slider.setValue(31)
    settle()
    assert pictured.context.moments.time == pytest.approx(0.32 * 32)
    QTest.mouseClick(bar.back, Qt.MouseButton.LeftButton)
    settle()
    assert bar.slider.value() == 30
    pictured.stage.panes["spectrogram"].plot.lines.moment.sigDragged.emit(pg.InfiniteLine(45.0))
    settle()
    assert bar.slider.value() == 140
    before = pictured.stage.panes["spectrogram"].plot.lines.moment.value()
    bar.speed.picked.emit(bar.speed.choose(25) or 25)
    QTest.keyClick(pictured, Key.Key_Period, Qt.KeyboardModifier.ControlModifier)
    assert pictured.context.player.playing and bar.play.text() == "Stop"
    QTest.qWait(400)
    QTest.keyClick(pictured, Key.Key_Period, Qt.KeyboardModifier.ControlModifier)
    settle()
    assert not pictured.context.player.playing
    assert pictured.stage.panes["spectrogram"].plot.lines.moment.value() > before + 0.5
    pictured.context.moments.go(1e9)
    settle()
    assert not pictured.context.moments.step(1), "there is no frame after the last"
    QTest.keyClick(pictured, Key.Key_Period, Qt.KeyboardModifier.ShiftModifier)
    assert (
        pictured.context.moments.shown is None and not pictured.stage.frame_place.span.isVisible()
    )
    assert bar.isHidden()


def test_time_from_left_to_right(
    pictured: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The same picture with time as on the waveform and the spectrum's frequencies upward."""
    pane = pictured.stage.panes["spectrogram"]
    pane.way.picked.emit(pane.way.choose("right") or "right")
    settle()
    plot, picture = pane.sideways, pane.picture
    assert plot.isVisible() and not pane.plot.isVisible()
    assert pictured.stage.spectrum.label_of("bottom") == "Frequency, Hz"
    assert picture.gram is not None and plot.image.image.shape == picture.levels.T.shape
    plot.hover(QPointF(46.0, 293.0))
    assert plot.readout.text().startswith("46.00 s · 293.0 Hz · ")
    assert plot.lines.cell.rect().width() == pytest.approx(0.64) and plot.cursor == (46.0, 293.0)
    assert pictured.stage.waveform.time_line.value() == 46.0
    times, heights = plot.level.getData()
    assert times[np.argmax(heights)] == pytest.approx(46.0, abs=0.7)
    # A box zooms the waveform's times and the spectrum's frequencies.
    drag(plot, (40.0, 200.0), (60.0, 300.0))
    settle()
    assert pictured.stage.spectrum.limits() == pytest.approx((200, 300), abs=4)
    assert pictured.stage.waveform.limits() == pytest.approx((40, 60), abs=1)
    assert picture.gram is not None and picture.gram.time[0] > 38
    QTest.keyClick(pictured, Key.Key_L)
    settle()
    assert plot.left.log and plot.box.viewRange()[1] == pictured.stage.spectrum.box.viewRange()[0]
    QTest.keyClick(pictured, Key.Key_L)
    plot.box.setYRange(100, 400, padding=0)
    assert pictured.stage.spectrum.limits() == pytest.approx((100, 400))
    plot.box.show_all.emit()
    settle()
    assert pictured.stage.spectrum.limits() == pytest.approx((0, 3200))
    assert pictured.stage.waveform.limits() == pytest.approx((0, 90), abs=1)
    plot.time_clicked.emit(50.0)
    settle()
    assert plot.lines.moment.value() == pytest.approx(50.0, abs=0.4)
    pictured.stage.show_marks([(250.0, "mesh")])
    assert [line.label.format for line in plot.teeth] == ["mesh"]
    chosen: list[str] = []
    monkeypatch.setattr(
        QMenu, "exec", lambda menu, *_: chosen.extend(a.text() for a in menu.actions())
    )
    plot.box_chosen.emit(45.0, 50.0, 220.0, 260.0)
    assert chosen[:2] == ["Analyse 45–50 s", "Look for peaks in 220–260 Hz"]


def test_what_all_frames_range_over_and_what_the_window_does(
    pictured: Bench, settle: Settle
) -> None:
    shift = Qt.KeyboardModifier.ShiftModifier
    QTest.keyClick(pictured, Key.Key_U, shift)
    settle()
    ranges = pictured.stage.spectrum.ranges
    highest, median, lowest = (one.getData()[1] for one in ranges.curves)
    assert np.all(highest >= median) and np.all(median >= lowest)
    assert highest[len(highest) // 2] > lowest[len(lowest) // 2] + 20, "the mesh passed there"
    assert "highest of all frames, median, lowest" in pictured.stage.spectrum.legend.text()
    QTest.keyClick(pictured, Key.Key_U, shift)
    settle()
    assert not any(one.isVisible() for one in ranges.curves)
    QTest.keyClick(pictured, Key.Key_W, shift)
    pane = pictured.stage.panes["frame"]
    assert pane.isVisible() and pane.plot.lines == []
    pictured.context.moments.go(45.0)
    settle()
    (_, taken), (_, windowed) = pane.plot.lines
    single = pictured.context.moments.shown
    assert single is not None and single.single is not None
    assert np.array_equal(taken, single.single.samples)
    half = len(taken) // 2
    assert windowed[0] == pytest.approx(0, abs=1e-9)
    mean = taken @ np.hanning(len(taken) + 1)[:-1] / half  # under the window
    assert windowed[half] == pytest.approx(taken[half] - mean, rel=1e-6)
    assert pane.plot.label_of("left") == "Acceleration, m/s²"


def test_back_to_the_waveform(opened: Bench, settle: Settle) -> None:
    """At 413.1 Hz the crests are 1/413.1 s apart, and lie where the mesh is highest."""
    opened.store.edit_method("Frame", frame=8192, stretch=Stretch(10.0, 20.0))
    QTest.keyClick(opened, Key.Key_4)
    settle()
    opened.stage.panes["spectrogram"].plot.hover(QPointF(413.0, 15.0))
    QTest.keyClick(opened, Key.Key_G)
    settle()
    crests = opened.stage.frame_place.crests
    assert np.diff(crests) == pytest.approx(1 / 413.1, rel=1e-4)
    low, high = opened.stage.waveform.limits()
    assert (high - low) * 413.1 == pytest.approx(24, abs=0.5)
    assert low < 15.0 < high
    assert opened.stage.panes["spectrogram"].isHidden() and opened.stage.waveform.isVisible()
    opened.store.edit_method("Frame", frame=4096)
    opened.stage.spectrum.hover(None)
    opened.stage.panes["spectrogram"].plot.cursor = None
    opened.readings.peaks.table.clearSelection()
    opened.readings.peaks.table.setCurrentIndex(opened.readings.peaks.sorted.index(-1, -1))
    QTest.keyClick(opened, Key.Key_G)
    assert "no place to go to" in opened.context.notices.text


def test_a_short_stretch_still_has_a_picture(opened: Bench, settle: Settle) -> None:
    QTest.keyClick(opened, Key.Key_4)
    opened.store.edit_method("Stretch", stretch=Stretch(1.0, 1.2))
    settle()
    gram = opened.stage.panes["spectrogram"].plot.picture.gram
    assert gram is not None and gram.frame == 2048


def test_colours_fall_evenly_in_lightness() -> None:
    for name in ("paper", "grey"):
        light = colours.oklab(colours.table(name) / 255.0)[:, 0]
        assert np.all(np.diff(light) <= 0)
        steps = np.diff(light[::16])
        assert steps.std() < 0.05 * abs(steps.mean())
        assert np.array_equal(colours.table(name, dark=True), colours.table(name)[::-1])
    for name in ("viridis", "cividis"):
        assert np.all(np.diff(colours.oklab(colours.table(name) / 255.0)[:, 0]) > -2e-3)
    middle = colours.srgb(colours.oklab(np.array([[0.7, 0.2, 0.4]])))
    assert middle[0] == pytest.approx([0.7, 0.2, 0.4], abs=1e-6)


def test_levels_follow_the_low_cut_alone(pictured: Bench, settle: Settle) -> None:
    """As velocity, with another low cut and nothing else changed: what is below it goes."""
    plot = pictured.stage.panes["spectrogram"].plot
    pictured.store.edit_method("Velocity", display=Display("Velocity", low_cut=1.0))
    settle()
    gram, before = plot.picture.gram, plot.picture.levels
    pictured.store.edit_method("Low cut", display=Display("Velocity", low_cut=300.0))
    settle()
    after = plot.picture.levels
    assert gram is not None
    below, above = gram.centres < 280, gram.centres > 320
    assert (after[:, below] < -1000).all() and (before[:, below] > -1000).any()
    np.testing.assert_array_equal(after[:, above], before[:, above])


def test_one_frame_is_read_by_itself(runup: Bench, settle: Settle) -> None:
    """Its harmonics are found, named and dropped as a comb; stepping on reads the next, and
    leaving reads all of them again."""
    bench, moments = runup, runup.context.moments
    sentence = bench.context.results.analysis.sentence
    averaged = bench.context.results.analysis.spectrum.mean_square
    moments.go(80.0)
    bench.stage.frame_bar.read.click()
    settle()
    frame = bench.context.results.analysis
    assert frame.spectrum.framing.count == 1
    speed = 5.0 + 24.0 * moments.time / 90.0  # of the motor, Hz
    shown = [peak.tone.frequency for peak in frame.peaks]
    assert min(abs(f - speed) for f in shown) < 0.5
    assert bench.stage.spectrum.legend.text().count("frame at") == 1
    assert not any(caution.code == "one-frame" for caution in bench.readings.cautions)
    bench.context.combs.drop(min(shown, key=lambda f: abs(f - speed)))
    settle()
    assert any(tooth.found for tooth in bench.context.combs.shown[0].comb.teeth)
    before = bench.context.combs.shown[0].comb.spacing
    QTest.keyClick(bench, Qt.Key.Key_Comma)
    settle()
    assert bench.context.results.analysis.method.source.stretch != frame.method.source.stretch
    assert bench.context.combs.shown[0].comb.spacing == pytest.approx(before, rel=0.1)
    bench.context.player.toggle()
    settle()
    assert moments.followed and bench.context.results.analysis.spectrum.framing.count == 1
    bench.context.player.leave()
    settle()
    assert not moments.followed and not bench.stage.frame_bar.read.isChecked()
    assert bench.context.results.analysis.sentence == sentence
    np.testing.assert_array_equal(bench.context.results.analysis.spectrum.mean_square, averaged)
