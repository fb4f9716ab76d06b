"""Nothing holds the window for long: what is much is split over turns of the event loop."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QEventLoop
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QApplication, QDialog, QMainWindow, QMessageBox

from tonecomb.desktop.acts import exports
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.stage.waveform.lanes import MOST_LANES
from tonecomb.desktop.state.jobs import Jobs


def one_turn() -> None:
    QApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents)


def test_results_that_come_together_are_told_one_in_a_turn(qapp: QApplication, qtbot: Any) -> None:
    jobs, gate, told = Jobs(), threading.Event(), list[int]()
    for i in range(3):
        jobs.submit(f"{i}", lambda _: gate.wait(5), lambda _, i=i: told.append(i), print)
    gate.set()
    counts = []
    for _ in range(2000):
        before = len(told)
        one_turn()
        counts.append(len(told) - before)
        if len(told) == 3:
            break
        qtbot.wait(1) if not jobs.running else None
    jobs.close()
    assert sorted(told) == [0, 1, 2] and max(counts) == 1


def test_results_come_while_one_of_them_asks_something(qapp: QApplication, qtbot: Any) -> None:
    jobs, told = Jobs(), list[str]()
    box = QMessageBox()

    def ask(_: object) -> None:
        jobs.submit("other", lambda _: None, lambda _: (told.append("other"), box.close()), print)
        box.exec()
        told.append("asked")

    jobs.submit("asks", lambda _: None, ask, print)
    qtbot.waitUntil(lambda: len(told) == 2, timeout=10_000)
    jobs.close()
    assert told == ["other", "asked"]


def test_pictures_are_packed_beside_the_window(
    opened: Bench, settle: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    threads: list[str] = []
    pack = exports.packed

    def packing(picture: Any) -> bytes:
        threads.append(threading.current_thread().name)
        return pack(picture)

    monkeypatch.setattr(exports, "packed", packing)
    opened.stage.show_pane("waterfall")
    settle()
    opened.action("Copy picture").trigger()
    settle()
    assert threads and all(name.startswith("job") for name in threads)
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None and clipboard.image().width() > 300


def test_edits_of_a_full_shelf_prepare_one_recording(
    opened: Bench, settle: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is said of the others stays: with a thousand, an edit would take long."""
    asked: list[str] = []
    real = opened.store.recording

    def recording(recording_id: str | None) -> Any:
        asked.append(recording_id or "")
        return real(recording_id)

    monkeypatch.setattr(opened.store, "recording", recording)
    current = opened.store.document.current
    opened.store.edit_method("Window", window="flat-top")
    settle()
    assert len(opened.store.document.recordings) > 4
    assert set(asked) == {current}


def test_lanes_of_many_channels_come_in_turns(
    bench: Bench, settle: Callable[[], None], tmp_path: Any
) -> None:
    x = np.random.default_rng(0).uniform(-0.5, 0.5, (4000, 40))
    soundfile.write(tmp_path / "many.wav", x, 8000)
    bench.opening.open_paths([tmp_path / "many.wav"])
    settle()
    bench.action("All channels").trigger()
    lanes = bench.stage.lanes
    assert len(lanes.lanes) == 3
    settle()
    assert len(lanes.lanes) == MOST_LANES
    assert [one.channel for one in lanes.lanes] == list(range(MOST_LANES))
    bench.action("All channels").trigger()
    settle()
    assert len(lanes.lanes) == 1


def test_no_window_hears_all_events_in_python(opened: Bench) -> None:
    """Qt calls ``event`` with ChildRemoved while the collector takes a dialog apart, which may be
    in the middle of bringing in a module of Qt; sip then ends the program (seen with *Listen*)."""
    windows, seen = [QMainWindow, QDialog], set[type]()
    while windows:
        kind = windows.pop()
        seen.add(kind)
        windows += kind.__subclasses__()
    ours = [kind for kind in seen if kind.__module__.startswith("tonecomb")]
    assert Bench in ours and len(ours) > 5
    assert not [kind for kind in ours if "event" in vars(kind)]
