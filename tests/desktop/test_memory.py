"""A bench that is open all day: what it holds is bounded, said, and let go of."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from tonecomb.core.method.document import select
from tonecomb.core.record.blocks import BLOCKS, BlockCache
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.state import envelopes, memory
from tonecomb.desktop.state.memory import Memory


@pytest.fixture
def shelf(bench: Bench, settle: Callable[[], None], tmp_path: Path) -> Bench:
    """Three recordings of 20,000 samples."""
    chance = np.random.default_rng(0)
    for i in range(3):
        soundfile.write(tmp_path / f"{i}.wav", 0.1 * chance.standard_normal(20_000), 8000)
    bench.opening.open_paths(sorted(tmp_path.glob("*.wav")))
    settle()
    return bench


def test_waveforms_make_room_and_outlines_stay(
    shelf: Bench, settle: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    held = shelf.context.envelopes
    ids = [ref.id for ref in shelf.store.document.recordings]
    assert all(held.pyramid(one, 0) for one in ids)
    monkeypatch.setattr(envelopes, "ROOM", 0)
    held.make_room(0)
    current = shelf.store.document.current
    assert [held.pyramid(one, 0) is not None for one in ids] == [one == current for one in ids]
    for one in ids:
        small = held.small(one, 0)
        assert small is not None and len(small[0].low) >= envelopes.OUTLINE / 2
    shelf.store.apply("Choose", select(shelf.store.document, ids[0], 0))
    settle()
    assert held.pyramid(ids[0], 0) is not None, "made again where it is looked at"


def test_blocks_go_with_whom_they_belong_to_and_when_nothing_is_done(
    shelf: Bench, monkeypatch: pytest.MonkeyPatch, qtbot: Any
) -> None:
    cache = BlockCache(800)

    class Owner:
        pass

    first, second = Owner(), Owner()
    one, two = cache.owner(first), cache.owner(second)
    assert one != two
    cache.keep((one, 0, 0), np.zeros(50))
    cache.keep((two, 0, 0), np.zeros(40))
    assert cache.held == 720
    del first
    cache.keep((two, 0, 1), np.zeros(10))
    assert cache.held == 400 and cache.get((one, 0, 0)) is None
    cache.shrink(80)
    assert cache.held == 80 and cache.get((two, 0, 1)) is not None

    assert BLOCKS.held > 0
    monkeypatch.setattr(memory, "_RESTING", 0)
    monkeypatch.setattr(memory, "_QUIET_MS", 1)
    scheduler = shelf.context.scheduler
    resting = Memory(shelf.store, scheduler, shelf.context.envelopes)
    scheduler.idle.emit()
    qtbot.waitUntil(lambda: BLOCKS.held == 0, timeout=5000)
    assert resting.owners[0].held == 0

    cache.keep((two, 0, 0), np.zeros(40))  # while live it is never idle
    monkeypatch.setattr(memory, "BLOCKS", cache)
    monkeypatch.setattr(type(scheduler), "busy", property(lambda _: True))
    shelf.store.changed.emit()
    qtbot.wait(50)
    assert cache.held > 0, "what is under way may want them"
    scheduler.resting = True
    shelf.store.changed.emit()
    qtbot.waitUntil(lambda: cache.held == 0, timeout=5000)
    scheduler.resting = False


def test_memory_is_said_and_emptied(
    shelf: Bench, settle: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    said: list[str] = []

    def answer() -> None:
        box = QApplication.activeModalWidget()
        assert isinstance(box, QMessageBox)
        said.append(box.text())
        if len(said) == 1:
            QTimer.singleShot(50, answer)
        wanted = "Empty" if len(said) == 1 else "Close"
        next(one for one in box.buttons() if one.text().replace("&", "") == wanted).click()

    QTimer.singleShot(0, answer)
    shelf.action("Memory…").trigger()
    assert len(said) == 2
    total, *owners = said[0].splitlines()
    assert total.endswith(" MB in all") and int(total.split()[0]) > 50
    assert [line.partition(":")[0] for line in owners] == [
        "Decoded and filtered samples",
        "Samples of long records",
        "Results",
        "Waveforms",
    ]
    assert shelf.context.scheduler.cache.held == 0 and BLOCKS.held == 0
    settle()
    shelf.store.edit_method("Window", window="flat-top")
    settle()
    assert shelf.context.results.analysis is not None, "and all goes on"
