"""The bench on a signal that is still coming: pictures that follow, freeze, keep, end."""

from __future__ import annotations

import math
import os
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QFileDialog, QInputDialog, QPushButton
from tests.support import read_all

import tonecomb
from tonecomb.core.results.search import run_findings
from tonecomb.core.steps.filters import LowPass
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.watching import WatchPopover
from tonecomb.desktop.kit.widgets import Number
from tonecomb.desktop.stage.bars.live_bar import Last
from tonecomb.desktop.state import results
from tonecomb.formats.session import session

Settle = Callable[[], None]


@pytest.fixture
def live(bench: Bench, demo: Path, qtbot: Any, monkeypatch: pytest.MonkeyPatch) -> Iterator[Bench]:
    """The drive, played as if live."""
    source = str(demo / "drive-steady.h5")
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: (source, True))
    qtbot.waitUntil(bench.isActiveWindow)
    QTest.keyClick(bench, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier)
    bench.stage.live_bar.choice.choose(Last(1.0))
    qtbot.waitUntil(lambda: bench.context.results.analysis is not None, timeout=20_000)
    yield bench
    bench.live.end()


def test_pictures_follow_what_comes(live: Bench, qtbot: Any) -> None:
    seen: list[np.ndarray] = []
    drawn: list[int] = []
    live.context.results.analysis_changed.connect(
        lambda a: seen.append(a.spectrum.mean_square) if a else None
    )
    live.stage.spectrum.curve.sigPlotChanged.connect(lambda *_: drawn.append(1))
    waves: list[float] = []
    live.stage.waveform.inside.sigPlotChanged.connect(
        lambda *_: waves.append(float(live.stage.waveform.drawn()[1][0]))
    )
    qtbot.waitUntil(lambda: len(set(waves)) > 5, timeout=20_000)  # another waveform each time
    qtbot.waitUntil(lambda: len({float(one.sum()) for one in seen}) > 10, timeout=20_000)
    qtbot.waitUntil(lambda: len(drawn) > 10, timeout=20_000)
    signal = live.store.current
    assert signal is not None and signal.length == 12_800, "the last second"
    bar = live.stage.live_bar
    assert bar.isVisible() and bar.state.text().startswith("● live · 0:00:0")
    assert "pictures a second" in bar.how.text() and "lost" not in bar.how.text()
    table = live.readings.peaks.table.model()
    assert table is not None
    qtbot.waitUntil(lambda: table.rowCount() > 3, timeout=10_000)
    analysis = live.context.results.analysis
    assert analysis is not None and analysis.peaks is not None, "and the readings stay"
    found = [peak.tone.frequency for peak in analysis.peaks]
    assert any(abs(f - 24.3) < 0.1 for f in found)
    assert live.shelf.tree.topLevelItem(0).text(0) == "drive-steady"  # type: ignore[union-attr]


@pytest.mark.parametrize("frame, overlap, length", [(2048, 50.0, 5120), (4096, 75.0, 7168)])
def test_so_many_frames_follow_the_method(
    live: Bench, qtbot: Any, frame: int, overlap: float, length: int
) -> None:
    live.stage.live_bar.choice.choose(Last(4, frames=True))
    live.store.edit_method("Frames", frame=frame, overlap=overlap)

    def followed() -> bool:
        signal, analysis = live.store.current, live.context.results.analysis
        return bool(
            signal and analysis and (signal.length, analysis.spectrum.framing.count) == (length, 4)
        )

    qtbot.waitUntil(followed, timeout=10_000)


def test_findings_are_of_the_frames_that_are_shown(
    live: Bench, qtbot: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Those of the picture before stay in view until others come; never under another frame."""

    def late(*given: Any) -> Any:
        time.sleep(0.3)
        return run_findings(*given)

    monkeypatch.setattr(results, "run_findings", late)
    seen: list[tuple[int, int]] = []
    live.context.results.analysis_changed.connect(
        lambda a: a and a.peaks and seen.append((len(a.floor), len(a.spectrum.frequency)))
    )
    for frame in (512, 8192, 512):
        live.store.edit_method("Frames", frame=frame)
        qtbot.waitUntil(lambda: bool(seen) and seen[-1][0] == frame // 2 + 1, timeout=20_000)  # noqa: B023
    assert all(floor == bins for floor, bins in seen)


def test_frozen_pictures_stand_still_and_are_looked_at_closely(
    live: Bench, qtbot: Any, settle: Settle
) -> None:
    QTest.keyClick(live, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    settle()
    assert live.stage.live_bar.state.text().startswith("frozen")
    assert not live.context.scheduler.lively
    before = live.store.current
    assert before is not None
    x = read_all(before)
    qtbot.wait(400)
    assert live.store.current is before and np.array_equal(read_all(before), x)
    assert live.context.figures.shown is not None, "what waited is there"
    assert live.context.envelopes.pyramid(before.id, 0) is not None
    live.store.edit_method("Filter", steps=(LowPass(100.0),))
    settle()
    filtered = live.store.current
    assert (filtered is not None and filtered.words == ("low-pass 100 Hz",)) or filtered.words
    assert np.std(read_all(filtered)) < np.std(x)
    QTest.keyClick(live, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: live.store.current is not filtered, timeout=5000)
    now = live.store.current
    assert now is not None and now.words == filtered.words, "and live it is filtered too"


def test_what_is_kept_is_what_was_looked_at(
    live: Bench, qtbot: Any, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    live.live.freeze()
    settle()
    shown, frozen = live.store.current, live.context.results.analysis
    assert shown is not None and frozen is not None
    target = tmp_path / "kept.wav"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
    QTest.keyClick(
        live, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    qtbot.waitUntil(lambda: len(live.store.document.recordings) == 2, timeout=10_000)
    settle()
    kept = tonecomb.open(target)
    assert [c.name for c in kept.channels] == ["Motor DE", "Gearbox DE", "Bullwheel"]
    for channel in range(3):
        assert np.array_equal(read_all(kept, channel), read_all(shown, channel))
    again = tonecomb.analyse(kept, frozen.method).analysis
    assert np.allclose(again.spectrum.mean_square, frozen.spectrum.mean_square, rtol=1e-9)
    assert live.store.document.current_ref is not None
    assert live.store.document.current_ref.name == "kept"


def test_an_end_leaves_what_was_looked_at(
    live: Bench, qtbot: Any, settle: Settle, tmp_path: Path
) -> None:
    QTest.mouseClick(live.stage.live_bar.end, Qt.MouseButton.LeftButton)
    settle()
    assert not live.live.live and not live.stage.live_bar.isVisible()
    signal = live.store.current
    assert signal is not None and np.isfinite(read_all(signal)).all()
    assert live.context.results.analysis is not None
    file = tmp_path / "s.tcomb"
    session.save(file, live.store.document)
    live.workspace.may_discard = lambda what: True  # type: ignore[method-assign]
    live.workspace.open_session(file)
    settle()
    assert "was live: go live with" in live.context.notices.text


def test_a_source_that_is_none_is_told(
    bench: Bench, qtbot: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(QInputDialog, "getItem", lambda *a, **k: ("rtp://nowhere", True))
    bench.action("Go live…").trigger()
    qtbot.waitUntil(lambda: "no address of a stream" in bench.context.notices.text, timeout=10_000)
    assert not bench.live.live and not bench.store.document.recordings


def test_the_node_in_one_click(bench: Bench, qtbot: Any) -> None:
    bench.action("Go live with the ropeway's node").trigger()
    qtbot.waitUntil(lambda: bench.context.results.analysis is not None, timeout=30_000)
    assert bench.store.current is not None and bench.store.current.name == "ropeway node"
    assert [c.name for c in bench.store.current.channels][1] == "Gearbox DE"
    bench.live.end()
    assert not bench.live.live


def test_what_is_lost_is_shown_told_and_left_out(
    bench: Bench, qtbot: Any, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A node that drops packets now and then: gaps at their places, and frames without them."""
    described = tmp_path / "node.sdp"
    port = 41_000 + os.getpid() % 15_000
    node = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "tonecomb",
            "node",
            "--port",
            str(port),
            "--sdp",
            str(described),
            "--loss",
            "0.5",
        ],
        stdin=subprocess.DEVNULL,
        stdout=subprocess.DEVNULL,
    )
    try:
        qtbot.waitUntil(described.exists, timeout=20_000)
        bench.stage.live_bar.choice.choose(Last(5.0))
        bench.live.go(str(described))
        qtbot.waitUntil(
            lambda: (
                bench.store.current is not None
                and len(bench.store.current.lost) >= 1
                and bench.store.current.duration == 5.0
            ),
            timeout=30_000,
        )
        bench.live.freeze()
        settle()
        signal, analysis = bench.store.current, bench.context.results.analysis
        assert signal is not None and analysis is not None and analysis.peaks
        lost = signal.lost
        size = 1400 // 9
        assert lost and all((b - a) % size == 0 for a, b in lost if a and b < signal.length)
        frame, hop = analysis.method.frames.frame, analysis.method.frames.frame // 2
        starts = analysis.spectrum.framing.numbers * hop
        for a, b in lost:
            assert not any(start < b and start + frame > a for start in starts)
        assert analysis.spectrum.framing.count < 1 + (signal.length - frame) // hop
        codes = [one.code for one in bench.context.advice.cautions]
        assert codes[0] == "lost"
        text = bench.context.advice.cautions[0].text
        assert f"in {len(lost)} gap" in text and "left out" in text
        a, b = lost[0]
        span = bench.stage.waveform.problems.spans.at((a + b) / 2 / signal.rate, 1e-4)
        assert span is not None and f"{b - a} samples lost on the way" in span.text
        # Kept, they are missing in the file, each at its place and as long as it was.
        target = tmp_path / "kept.wav"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
        bench.live.keep()
        qtbot.waitUntil(target.exists, timeout=10_000)
        holes = np.isnan(read_all(tonecomb.open(target)))
        assert holes.sum() == sum(b - a for a, b in lost) and holes[lost[0][0]]
    finally:
        bench.live.end()
        node.terminate()
        node.wait()


def events_of(bench: Bench, kind: str) -> list[Any]:
    return [e for (k, _), e in bench.live.watching.events.items() if k == kind]


def test_captures_and_alarms_pile_up_and_can_be_looked_at(live: Bench, qtbot: Any) -> None:
    bar, page = live.stage.live_bar, live.readings.events
    QTest.mouseClick(bar.watch, Qt.MouseButton.LeftButton)
    popover = QApplication.activePopupWidget()
    assert isinstance(popover, WatchPopover)
    captures = popover.findChild(QComboBox, "", Qt.FindChildOption.FindChildrenRecursively)
    assert captures is not None and captures.accessibleName() == "Captures"
    QTest.keyClicks(captures, "where")
    captures.activated.emit(1)

    def number(name: str) -> Number:
        found = popover.findChildren(Number)
        return next(one for one in found if one.accessibleName() == name)

    number("Level of the trigger").setValue(1.0)
    link = next(one for one in popover.findChildren(QPushButton) if "rms in a band" in one.text())
    QTest.mouseClick(link, Qt.MouseButton.LeftButton)
    number("Level of the alarm").setValue(0.1)
    popover.close()
    bar.freeze.setChecked(True)  # what is watched for comes all the same
    qtbot.waitUntil(
        lambda: len(events_of(live, "capture")) > 1 and bool(events_of(live, "alarm")),
        timeout=20_000,
    )
    live.readings.show_page("events")
    assert page.tree.topLevelItemCount() == len(live.live.watching.events)
    alarm = events_of(live, "alarm")[0]
    assert alarm.running and alarm.value > 0.1
    assert live.stage.spectrum.alarms.shown[0].on
    first = events_of(live, "capture")[0]
    qtbot.waitUntil(lambda: live.live.progressed.end > first.end, timeout=10_000)  # type: ignore[union-attr]
    row = next(i for i, one in enumerate(page.events) if one is first or one == first)
    page.tree.setCurrentItem(page.tree.topLevelItem(row))
    page.tree.itemClicked.emit(page.tree.topLevelItem(row), 0)
    signal = live.store.current
    assert signal is not None and signal.length == first.end - first.first
    at = first.at - first.first
    before, after = signal.samples.read(0, at - 1, at + 1)
    assert before < 1.0 <= after and after == pytest.approx(first.value), "where it crossed"
    assert live.stage.waveform.marks.lines[0].value() == pytest.approx(at / signal.rate)
    live.activateWindow()
    qtbot.waitUntil(live.isActiveWindow)
    QTest.keyClick(page.tree, Qt.Key.Key_Delete)
    assert live.live.watching.aside == {first.number}
    listed = [(one.kind, one.number) for one in page.events]  # more may have come
    item = page.tree.topLevelItem(listed.index(("capture", first.number)))
    assert item is not None and item.font(1).strikeOut(), "still listed"
    QTest.keyClick(page.tree, Qt.Key.Key_Delete)
    assert live.live.watching.aside == set(), "and taken back"


def test_what_is_averaged_since_a_restart_grows_from_there(live: Bench, qtbot: Any) -> None:
    bar = live.stage.live_bar
    bar.choice.choose(Last(math.inf))
    bar.choice.picked.emit(Last(math.inf))

    def length() -> int:
        return 0 if live.store.current is None else live.store.current.length

    qtbot.waitUntil(lambda: length() > 16_000, timeout=10_000)
    assert bar.restart.isVisible()
    before = length()
    QTest.keyClick(
        live, Qt.Key.Key_L, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    qtbot.waitUntil(lambda: length() < before, timeout=10_000)
    small = length()
    qtbot.waitUntil(lambda: length() > small + 6000, timeout=10_000)
    analysis = live.context.results.analysis
    assert analysis is not None and analysis.spectrum.framing.length <= length()


def test_a_comb_goes_along_with_its_teeth(bench: Bench, qtbot: Any, tmp_path: Path) -> None:
    """The motor's speed rises while a comb stands on it."""
    rate, seconds = 6400.0, 60
    t = np.arange(int(rate * seconds)) / rate
    turns = np.cumsum(20.0 + 0.25 * t) / rate
    made = sum(np.cos(2 * np.pi * n * turns) / n for n in (1, 2, 3, 4))
    noise = 0.01 * np.random.default_rng(0).standard_normal(len(t))
    soundfile.write(tmp_path / "up.wav", 0.1 * (made + noise), int(rate), subtype="FLOAT")
    bench.live.go(str(tmp_path / "up.wav"))
    bench.stage.live_bar.choice.choose(Last(2.0))
    try:
        qtbot.waitUntil(
            lambda: (a := bench.context.results.analysis) is not None and bool(a.peaks),
            timeout=20_000,
        )
        bench.context.combs.drop(20.5)
        steps = len(bench.store.history.done)
        began = bench.context.combs.shown[0].comb.spacing
        qtbot.waitUntil(
            lambda: bench.context.combs.shown[0].comb.spacing > began + 0.7, timeout=20_000
        )
        comb = bench.context.combs.shown[0].comb
        end = bench.live.progressed.end / rate  # type: ignore[union-attr]
        assert comb.spacing == pytest.approx(20.0 + 0.25 * (end - 1.0), abs=0.5)
        assert len(bench.store.history.done) == steps, "which is no edit"
    finally:
        bench.live.end()
