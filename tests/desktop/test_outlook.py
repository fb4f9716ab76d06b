"""Which frequencies and levels are shown when another channel is chosen, or the view is moved."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot
from tests.support import recording

from tonecomb.core.method.document import select
from tonecomb.core.method.method import Method
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.search import run
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.theme import PAPER
from tonecomb.desktop.stage.spectrum.spectrum import SpectrumView

FS = 6400


def test_what_there_is_to_see_is_in_view(
    bench: Bench, settle: Callable[[], None], tmp_path: Path
) -> None:
    t = np.arange(30 * FS) / FS
    noise = 0.001 * np.random.default_rng(0).standard_normal((len(t), 2))
    tones = 0.2 * np.cos(2 * np.pi * np.outer(t, [100.0, 392.0]))
    soundfile.write(tmp_path / "two.wav", tones + noise, FS, subtype="FLOAT")
    bench.opening.open_paths([tmp_path / "two.wav"])
    settle()
    spectrum, ref = bench.stage.spectrum, bench.store.document.recordings[0]

    def choose(channel: int) -> None:
        bench.store.apply("Choose", select(bench.store.document, ref.id, channel))
        settle()

    low = spectrum.limits()[1]
    assert 100 < low < 200
    choose(1)
    assert 392 < spectrum.limits()[1] < 700, "nobody chose the first channel's limits"
    spectrum.set_limits(20, 150)
    choose(0)
    choose(1)
    assert np.allclose(spectrum.limits(), (20, 150)), "who zoomed keeps what was chosen"
    assert spectrum.level_limits()[1] < -40, "noise alone is in view"
    spectrum.set_limits(20, 500)
    assert spectrum.level_limits()[1] > -17, "nothing that comes into view is cut off"
    spectrum.set_level_limits(-90, -60)
    spectrum.set_limits(10, 600)
    assert np.allclose(spectrum.level_limits(), (-90, -60)), "but levels that were chosen stay"


def seen(*tones: tuple[float, float], frame: int = 1024) -> Analysis:
    """One recording, as it is now: noise, and tones by frequency and amplitude."""
    t = np.arange(20_000) / 1000
    x = 1e-3 * np.random.default_rng(1).standard_normal(len(t))
    for f, a in tones:
        x += a * np.cos(2 * np.pi * f * t)
    return run(Method.of(frame=frame), recording(x))


def shown(qtbot: QtBot) -> SpectrumView:
    made = SpectrumView()
    made.set_theme(PAPER)
    qtbot.addWidget(made)
    made.resize(800, 400)
    made.show()
    return made


@pytest.mark.parametrize("live", [False, True])
def test_a_view_that_nobody_set_follows_what_there_is_to_see(qtbot: QtBot, live: bool) -> None:
    view = shown(qtbot)
    view.show_analysis(seen((40.0, 0.01)))
    assert view.limits()[1] < 100
    view.outlook.holds = live
    view.show_analysis(seen((40.0, 0.01), (310.0, 1.0)))
    assert view.limits()[1] > 310, "what came later is in view"
    top = float(view.curve.getData()[1].max())
    assert view.level_limits()[1] > top
    view.show_analysis(seen((40.0, 0.01)))
    assert (view.limits()[1] > 310) == live, "while pictures go on a view only grows"


def test_where_a_hand_chose_a_flag_says_what_is_beyond_and_goes_there(qtbot: QtBot) -> None:
    view = shown(qtbot)
    view.show_analysis(seen((40.0, 0.1)))
    view.set_limits(20.0, 100.0)
    view.show_analysis(seen((40.0, 0.1), (310.0, 0.5)))
    assert view.limits() == pytest.approx((20, 100))
    left, right = view.beyond.buttons
    qtbot.waitUntil(right.isVisible, timeout=5000)
    assert not left.isVisible()
    assert right.text().startswith("310.") and right.text().endswith(" dB ›")
    assert right.geometry().right() <= view.width()
    qtbot.mouseClick(right, Qt.MouseButton.LeftButton)
    low, high = view.limits()
    assert low < 310 < high and high - low == pytest.approx(80)
    qtbot.waitUntil(lambda: not right.isVisible(), timeout=5000)


def test_the_highest_of_frames_does_not_run_off_the_top(qtbot: QtBot) -> None:
    view = shown(qtbot)
    analysis = seen((40.0, 0.1))
    louder = seen((40.0, 30.0))
    view.show_analysis(analysis)
    before = view.level_limits()[1]
    view.show_range((louder, analysis, analysis))
    assert view.level_limits()[1] > before + 40
