"""Labels over spectra of many shapes and sizes: nothing lies over anything, in the picture itself;
and what the first look shows."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QTest
from tests.support import recording

from tonecomb.core.method.document import select
from tonecomb.core.method.method import Method
from tonecomb.core.method.searches import PeakSearch
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.first_view import highest
from tonecomb.core.results.search import run
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.theme import PAPER
from tonecomb.desktop.stage.plots.lines import LinesPlot
from tonecomb.desktop.stage.spectrum.spectrum import SpectrumView

Settle = Callable[[], None]
FS = 4096.0
SIZES = ((980, 420), (640, 260), (1600, 700))


@cache
def of_many_tones(seed: int) -> Analysis:
    """Up to thirty tones, some within an eighth of the axis, on coloured noise."""
    chance, n = np.random.default_rng(seed), 16_384
    t, count = np.arange(n) / FS, 5 + 25 * (seed % 2)
    x = 0.01 * np.convolve(chance.normal(size=n), np.ones(1 + seed % 5), "same")
    low, high = (100, 350) if seed % 3 == 0 else (20, 1900)
    for f in chance.uniform(low, high, count):
        x += 10 ** chance.uniform(-2, 0) * np.cos(2 * np.pi * f * t + chance.uniform(0, 6))
    method = Method.of(frame=4096)
    method = method.having(peaks=PeakSearch(most=30))
    return run(method, recording(x, fs=FS, unit="m/s²"))


def picture(view: SpectrumView) -> np.ndarray:
    """Its pixels, shape (height, width, 3)."""
    image = view.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    bits = image.constBits()
    assert bits is not None
    raw = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8)
    rows = raw.reshape(image.height(), image.bytesPerLine())[:, : 3 * image.width()]
    return rows.reshape(image.height(), image.width(), 3).astype(int)


@pytest.mark.parametrize("size", SIZES)
def test_no_label_lies_over_anything(qtbot: object, qapp: object, size: tuple[int, int]) -> None:
    view = SpectrumView()
    qtbot.addWidget(view)  # type: ignore[attr-defined]
    view.resize(*size)
    view.set_theme(PAPER)
    view.show()
    ink = np.array([int(PAPER.traces[0][i : i + 2], 16) for i in (1, 3, 5)])
    for seed in range(9):
        view.show_analysis(None)
        view.show_analysis(of_many_tones(seed))
        if seed % 3 == 0:  # thirty peaks within an eighth of the axis
            view.show_all()
        labels = view.marks.labels
        places = [place.area for _, place in labels.placed]
        assert places, "some are named"
        for i, (left, top, right, bottom) in enumerate(places):
            area = view.box.sceneBoundingRect()
            assert left >= area.left() and top >= area.top() and right <= area.right() + 1
            for other in places[:i]:
                assert (
                    left >= other[2] or other[0] >= right or top >= other[3] or other[1] >= bottom
                )
        with_labels = picture(view)
        labels.hide()
        without = picture(view)
        labels.show()
        curve = np.abs(without - ink).sum(axis=2) < 24
        for left, top, right, bottom in places:
            inside = (slice(round(top) + 1, round(bottom) - 1), slice(round(left), round(right)))
            assert not curve[inside].any(), "the curve is left free"
        changed = (np.abs(with_labels - without).sum(axis=2) > 0) & curve
        # A leader may touch the tip of the peak that it goes to.
        assert changed.sum() <= 3 * len(places)


def test_the_first_look_is_at_what_there_is(opened: Bench, settle: Settle) -> None:
    """It ends a little above the highest reading; A shows all, and again what was shown."""
    spectrum, analysis = opened.stage.spectrum, opened.context.results.analysis
    assert analysis is not None and analysis.peaks
    low, high = spectrum.limits()
    top = max(peak.tone.frequency for peak in analysis.peaks)
    assert low == 0 and top < high < 1.3 * top
    assert high == pytest.approx(highest(analysis))
    level = spectrum.level_limits()
    QTest.keyClick(opened, Qt.Key.Key_A)
    assert spectrum.limits() == pytest.approx((0, 6400))
    QTest.keyClick(opened, Qt.Key.Key_A)
    assert spectrum.limits() == pytest.approx((0, high))
    assert spectrum.level_limits() == pytest.approx(level)
    spectrum.set_limits(380, 440)
    opened.store.edit_method("Frame", frame=8192, scaling="psd")
    settle()
    assert spectrum.limits() == pytest.approx((380, 440)), "the zoom outlives the method"
    opened.stage.waveform.set_limits(10, 12)
    for _ in range(2):
        QTest.keyClick(opened, Qt.Key.Key_A)
    assert opened.stage.waveform.limits() == pytest.approx((10, 12))
    assert spectrum.limits() == pytest.approx((380, 440))
    document = opened.store.document
    noise = next(r for r in document.recordings if r.name == "undersampled")
    opened.store.apply("Other", select(document, noise.id, 0))
    settle()
    assert spectrum.limits()[1] <= 250


def test_all_of_the_axis_where_there_is_something_all_over_it() -> None:
    noise = np.random.default_rng(1).normal(size=20_000)
    assert highest(run(Method.of(frame=1024), recording(noise, fs=FS))) == FS / 2


def test_a_tooth_shows_its_flag_and_is_dragged_by_it(opened: Bench, settle: Settle) -> None:
    spectrum = opened.stage.spectrum
    opened.context.combs.drop(24.3)
    settle()
    shown = spectrum.marks.labelled()
    assert {"A1", "A2", "A3"} <= set(shown)
    assert not {"24.30", "48.60"} & set(shown)
    word = next(word for word, _ in spectrum.marks.labels.placed if word.text == "A2")
    assert word.tooth == (0, 2)
    (left, top, right, bottom) = next(
        place.area for word, place in spectrum.marks.labels.placed if word.text == "A2"
    )
    middle = spectrum.box.mapSceneToView(
        spectrum.mapToScene(round((left + right) / 2), round((top + bottom) / 2))
    )
    opened.context.combs.choose(None)
    assert spectrum.combs.at(middle) == (0, 2)


def test_words_over_upright_lines_keep_off_curves_and_each_other(qtbot: object) -> None:
    plot = LinesPlot("Order", "")
    qtbot.addWidget(plot)  # type: ignore[attr-defined]
    plot.resize(620, 240)
    plot.set_theme(PAPER)
    plot.show()
    qtbot.wait(20)  # it has its size  # type: ignore[attr-defined]
    across = np.linspace(0.0, 30.0, 3001)
    height = 60 * np.exp(-(((across - 12) / 0.05) ** 2)) + 20 * np.sin(across)
    plot.show_lines(across, [("curve", height)], "Level", "dB")
    plot.box.setXRange(0.0, 30.0, padding=0)
    plot.show_places([(12.0, "141.3 Hz"), (12.4, "146.1 Hz"), (3.0, "2"), (29.9, "17.00")])
    placed = plot.uprights.labels.placed
    assert [word.text for word, _ in placed] == ["141.3 Hz", "146.1 Hz", "2", "17.00"]
    (box,) = [plot.box.sceneBoundingRect()]
    (left, right), (low, high) = plot.box.viewRange()
    x = box.left() + (across - left) / (right - left) * box.width()
    y = box.bottom() - (height - low) / (high - low) * box.height()
    for i, (_, one) in enumerate(placed):
        inside = (x >= one.area[0]) & (x <= one.area[2])
        assert (y[inside] >= one.area[3] - 1).all(), "nothing of the curve is under it"
        for _, other in placed[:i]:
            assert (
                one.area[0] >= other.area[2]
                or other.area[0] >= one.area[2]
                or (one.area[1] >= other.area[3] or other.area[1] >= one.area[3])
            )
    plot.show_places(())
    assert not plot.uprights.labels.placed and not plot.uprights.lines


def test_panes_that_need_more_height_scroll(opened: Bench, settle: Settle) -> None:
    """The window stays as tall as it is, and the pane that was asked for is in view."""
    for key in ("spectrogram", "trend", "cepstrum", "envelope"):
        opened.stage.show_pane(key)
    settle()
    assert opened.height() == 800
    pane = opened.stage.panes["envelope"]
    top = pane.mapTo(opened.stage, QPoint(0, 0)).y()
    assert top >= 0 and top + pane.height() <= opened.stage.height() + 8
