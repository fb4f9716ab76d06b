"""The waterfall: where it stands, what hides what, and what a click and a drag do."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtTest import QTest
from tests.desktop import mouse

from tonecomb.core.base.errors import Cancelled
from tonecomb.core.estimate.display import Display
from tonecomb.core.method.document import Mark, set_marks
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.stage.waterfall import pane
from tonecomb.desktop.stage.waterfall.relief import Lines, draw
from tonecomb.desktop.stage.waterfall.scene import (
    LEAST_TILT,
    MOST_TURNED,
    Scene,
    Stance,
    even_ticks,
    log_ticks,
    words,
)
from tonecomb.formats.report.colours import table

Settle = Callable[[], None]
Key = Qt.Key

stances = st.builds(
    Stance, st.floats(-MOST_TURNED, MOST_TURNED), st.floats(LEAST_TILT, 80), st.floats(0.1, 1.0)
)


@given(stances, st.integers(200, 1600), st.integers(200, 900))
def test_the_box_fits_the_screen_and_places_come_back(
    stance: Stance, width: int, height: int
) -> None:
    scene = Scene(stance, width, height)
    x, y, z = (np.array(c) for c in zip(*np.ndindex(2, 2, 2), strict=True))
    right, down = scene.place(x, y, z)
    left, top, far, bottom = scene.margin
    assert right.min() > left - 1 and right.max() < width - far + 1
    assert down.min() > top - 1 and down.max() < height - bottom + 1
    # Frequency goes right, time goes into the screen, levels go up.
    assert scene.point(1, 0, 0)[0] > scene.point(0, 0, 0)[0]
    assert scene.point(0.5, 1, 0)[1] < scene.point(0.5, 0, 0)[1]
    assert scene.point(0.5, 0.5, 1)[1] < scene.point(0.5, 0.5, 0)[1]
    near, end = scene.depths()
    into = np.linspace(near, end, 7)
    across = scene.across(np.full(7, width / 2.0), into)
    back, _ = scene.place(*across, np.zeros(7))
    assert back == pytest.approx(width / 2, abs=1e-6)


def naive(heights: np.ndarray, scene: Scene) -> np.ndarray:
    """The colour numbers by asking each pixel's line of sight, finely, from the front on."""
    near, far = scene.depths()
    out = np.full((scene.height, scene.width), -1)
    floor = scene.frame
    for column in range(scene.width):
        into = np.linspace(near, far, 3000)
        x, y = scene.across(np.full(len(into), float(column)), into)
        inside = (x >= 0) & (x <= 1) & (y >= 0) & (y <= 1)
        if not inside.any():
            continue
        x, y = x[inside], y[inside]
        row, point = y * (heights.shape[0] - 1), x * (heights.shape[1] - 1)
        r = np.minimum(row.astype(int), heights.shape[0] - 2)
        p = np.minimum(point.astype(int), heights.shape[1] - 2)
        dr, dp = row - r, point - p
        z = (
            heights[r, p] * (1 - dr) * (1 - dp)
            + heights[r, p + 1] * (1 - dr) * dp
            + heights[r + 1, p] * dr * (1 - dp)
            + heights[r + 1, p + 1] * dr * dp
        )
        _, down = scene.place(x, y, z)
        horizon = scene.place(x[:1], y[:1], np.zeros(1))[1][0]
        for top, height in zip(down, z, strict=True):
            if top < horizon:
                out[max(int(np.ceil(top)), 0) : int(np.ceil(horizon)), column] = int(height * 255)
                horizon = top
    assert floor[0] > 0
    return out


@pytest.mark.parametrize("azimuth", [-40.0, 0.0, 25.0])
def test_what_stands_in_front_hides_what_is_behind(azimuth: float) -> None:
    rng = np.random.default_rng(4)
    heights = 0.04 * rng.random((30, 40))
    heights[5, 10] = heights[20:24, 12] = heights[15, 30] = 0.9
    scene = Scene(Stance(azimuth, 30.0, 0.4), 160, 120, (10, 10, 10, 10))
    colours = np.stack([np.arange(256)] * 3, axis=1).astype(np.uint8)
    got = draw(heights, scene, colours, shaded=False)
    expected = naive(heights, scene)
    covered, wanted = got[..., 3] > 0, expected >= 0
    assert np.mean(covered != wanted) < 0.02
    both = covered & wanted
    off = np.abs(got[..., 0].astype(int) - expected)[both]
    assert np.mean(off > 12) < 0.06, "but for the edges of what stands out"


def test_the_map_lies_below_and_shading_keeps_colours_apart() -> None:
    heights = np.tile(0.5 + 0.5 * np.sin(np.linspace(0, 20, 50)), (20, 1))
    bare = Scene(Stance(), 300, 200)
    without = draw(heights, bare, table("paper"))
    with_map = draw(heights, replace(bare, drop=0.9), table("paper"))
    assert (with_map[..., 3] > 0).any(axis=1).sum() > (without[..., 3] > 0).any(axis=1).sum()
    plain = draw(heights, bare, table("paper"), shaded=False)
    assert np.any(plain[..., :3] != without[..., :3])
    assert without[..., :3][without[..., 3] > 0].max() > 150, "not black"


@given(st.floats(-1e3, 1e3), st.floats(1e-3, 1e4), st.integers(2, 12))
def test_ticks_are_round_and_few(low: float, span: float, most: int) -> None:
    found = even_ticks(low, low + span, most)
    assert len(found) <= most + 1
    assert all(low - 1e-6 * span <= v <= low + span * (1 + 1e-6) for v in found)
    assert len(set(words(found))) == len(found)
    if low > 0:
        logs = log_ticks(low, low + span, most)
        assert all(low <= v <= (low + span) * (1 + 1e-6) for v in logs)


@pytest.fixture
def relieved(runup: Bench, settle: Settle) -> Bench:
    """The run-up with its waterfall shown."""
    runup.stage.spectrum.set_limits(0, 600)
    QTest.keyClick(runup, Key.Key_5)
    settle()
    return runup


def test_slices_in_relief(relieved: Bench, settle: Settle) -> None:
    shown, view = relieved.stage.panes["waterfall"], relieved.stage.panes["waterfall"].view
    relief = view.relief
    assert relief is not None and relief.heights.shape[0] == 60
    high = relief.frequency > 75
    top = relief.frequency[high][np.argmax(relief.levels[:, high], axis=1)]
    assert top == pytest.approx(17 * (5 + 24 * relief.time / 90), abs=4.0)
    # A click singles a slice out, and shows its frame beside the average.
    scene = view.scene_now()
    k = int(np.argmax(relief.heights[30] * high))
    place = scene.point(k / (relief.heights.shape[1] - 1), 30 / 59, relief.heights[30, k])
    at = QPointF(*place)
    assert view.nearest(at) == (30, k)
    assert view.words_at(30, k).startswith(f"{relief.time[30]:.3f} s · ")
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, pos=at.toPoint())
    settle()
    assert relieved.context.moments.time == pytest.approx(relief.time[30], abs=0.2)
    assert view.chosen is not None
    before = view.grab().toImage()
    mouse.drag(view, QPoint(300, 200), QPoint(350, 180))
    assert view.stance.azimuth == pytest.approx(18.0 - 20.0, abs=0.5)
    assert view.stance.elevation == pytest.approx(34.0 - 8.0, abs=0.5)
    assert view.grab().toImage() != before
    QTest.mouseDClick(view, Qt.MouseButton.LeftButton, pos=QPoint(300, 200))
    assert view.stance == Stance()
    # Zoomed with the spectrum; marks; either end in front; a surface in full size when it rests.
    relieved.stage.spectrum.set_limits(100, 300)
    settle()
    assert view.relief is not None and view.relief.low == pytest.approx(100, abs=2)
    shown.front.picked.emit(shown.front.choose("end") or "end")
    assert view.ordered()[1][0] > 80
    shown.kind.picked.emit(shown.kind.choose("shaded") or "shaded")
    shown.floor.picked.emit(shown.floor.choose("map") or "map")
    view.grab()
    assert view.small is not None
    QTest.qWait(200)
    settle()
    assert view.full is not None and view.full[1].width() == view.width()
    shown.where.picked.emit(shown.where.choose("every") or "every")
    shown.every.setValue(10.0)
    shown.width_s.setValue(2.0)
    settle()
    assert np.diff(view.relief.time) == pytest.approx(10.0) and view.relief.time[0] == 1.0
    shown.width_s.setValue(0.0)
    assert relieved.store.ref is not None
    marked = set_marks(
        relieved.store.document, relieved.store.ref, (Mark(20.0, "a"), Mark(50.0, "b"))
    )
    relieved.store.apply("Marks", marked)
    shown.where.picked.emit(shown.where.choose("marks") or "marks")
    settle()
    assert view.relief.time.tolist() == [20.0, 50.0]
    # Typed times stand where they are on the axis of time, and are what is stepped through.
    shown.where.picked.emit(shown.where.choose("at") or "at")
    shown.times.setText("30 10, 90000 20 no")
    shown.times.editingFinished.emit()
    shown.width_s.setValue(2.0)
    settle()
    assert view.relief.time.tolist() == [10.0, 20.0, 30.0]
    shown.times.setText("10 20 50")
    shown.times.editingFinished.emit()
    settle()
    assert view.shares(view.ordered()[1]).tolist() == pytest.approx([0, 0.75, 1])
    assert len(view.evenly()) == 5
    assert relieved.context.moments.time == 20.0, (
        "the frame that was shown goes to the nearest slice"
    )
    relieved.context.moments.step(1)
    settle()
    assert relieved.context.moments.time == 50.0 and not relieved.context.moments.step(1)
    relieved.context.moments.step(-1)
    settle()
    assert relieved.context.moments.time == 20.0 and relieved.context.moments.shown is not None
    assert relieved.context.moments.shown.resolution.stretch_s == pytest.approx(2.0)
    assert relieved.stage.frame_bar.told.text() == "slice 2 of 3, 20 s"
    # In bands each slice has steps, of the level that its own band has.
    octaves = Display(drawn="octave", bands=1)
    relieved.store.edit_method("Bands", display=octaves, scaling="psd")
    settle()
    steps = np.abs(np.diff(view.relief.levels[0])) > 1e-9
    assert steps.sum() < 6 and view.relief.title.startswith("Acceleration PSD")
    QTest.keyClick(relieved, Key.Key_5)
    settle()
    assert shown.isHidden() and relieved.context.watched["slices"].shown is None


def test_log_frequency_linear_levels_and_teeth(relieved: Bench, settle: Settle) -> None:
    view = relieved.stage.panes["waterfall"].view
    relieved.layout_.toggle_log()
    settle()
    assert view.relief is not None and view.relief.log
    assert view.share_of(view.relief.high) == pytest.approx(1.0)
    relieved.layout_.toggle_decibels()
    settle()
    assert view.relief is not None and view.relief.unit == "m/s² rms" and view.relief.ends[0] == 0
    relieved.context.combs.drop(24.0)
    settle()
    assert len(view.teeth) == 12 and view.teeth[1][0] == pytest.approx(2 * view.teeth[0][0])
    assert not view.grab().isNull()


def test_the_window_waits_for_no_relief(
    relieved: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Slices are pooled and drawn in full by threads; the view has something at once."""
    view, seen = relieved.stage.panes["waterfall"].view, set()

    def watched(made: Callable[..., Any], name: str) -> Callable[..., Any]:
        def noting(*arguments: Any, **options: Any) -> Any:
            if options.get("fine", True):
                seen.add((name, threading.current_thread() is threading.main_thread()))
            return made(*arguments, **options)

        return noting

    monkeypatch.setattr(pane, "relief_of", watched(pane.relief_of, "pooled"))
    monkeypatch.setattr(Lines, "draw", watched(Lines.draw, "drawn"))
    relieved.setUpdatesEnabled(True)
    relieved.stage.spectrum.set_limits(50, 250)
    settle()
    view.repaint()
    assert view.small is not None
    QTest.qWait(200)
    settle()
    assert view.full is not None and seen == {("pooled", False), ("drawn", False)}
    view.repaint()
    jagged, smooth = view.small[1], view.full[1]
    assert smooth.size() == jagged.size() and smooth != jagged


def test_a_relief_gives_way_and_is_let_go_of(
    relieved: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whoever draws has the interpreter to itself: it is asked at each slice whether to go on. A
    view of another size shows what there was until it is drawn anew."""
    view = relieved.stage.panes["waterfall"].view
    relieved.setUpdatesEnabled(True)
    settle()
    view.repaint()
    QTest.qWait(200)
    settle()
    assert view.full is not None
    before, drawn = view.full[1], []
    monkeypatch.setattr(Lines, "draw", lambda *_, **options: drawn.append(options["fine"]))
    view.resize(view.width() - 40, view.height() - 30)
    view.repaint()
    assert view.full[1] is before and not drawn
    monkeypatch.undo()
    slices: list[float] = []

    def stop(fraction: float) -> None:
        slices.append(fraction)
        if len(slices) == 3:
            raise Cancelled

    picture = QImage(200, 100, QImage.Format.Format_ARGB32)
    painter = QPainter(picture)
    heights, shares = np.zeros((7, 50)), np.linspace(0, 1, 7)
    lines = Lines(heights, shares, "#ffffff", (QColor("black"),) * 7)
    with pytest.raises(Cancelled):
        lines.draw(painter, Scene(Stance(), 200, 100), progress=stop)
    painter.end()
    assert slices == [0.0, pytest.approx(1 / 7), pytest.approx(2 / 7)]
