"""Two benches on one home: neither loses what the other does."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtWidgets import QFileDialog, QMessageBox

from tonecomb.desktop.acts.workspace import SessionFile
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit import settings
from tonecomb.desktop.state.autosave import left_behind
from tonecomb.formats.session import session


@pytest.fixture
def other(opened: Bench, monkeypatch: pytest.MonkeyPatch) -> Iterator[Bench]:
    """A second one, on the same home."""
    made = Bench()
    yield made
    monkeypatch.setattr(made.workspace, "may_discard", lambda what: True)
    made.close()
    made.deleteLater()


def window_of(path: Path) -> str:
    return session.load(path).recordings[0].method.frames.window


def test_a_session_that_is_open_twice_is_said_and_never_replaced_unseen(
    opened: Bench,
    other: Bench,
    settle: Callable[[], None],
    qtbot: Any,
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    path, aside = tmp_path / "work.tcomb", tmp_path / "aside.tcomb"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(path), ""))
    assert opened.workspace.save()
    asked: list[str] = []
    answer = {"now": "Cancel"}

    def click(box: QMessageBox) -> None:
        asked.append(box.text())
        texts = {one.text().replace("&", ""): one for one in box.buttons()}
        texts[answer["now"]].click()

    monkeypatch.setattr(QMessageBox, "exec", click)
    other.workspace.open_session(path)
    qtbot.waitUntil(lambda: other.store.path == path, timeout=20_000)
    assert "work.tcomb is open in another window too" in other.context.notices.text
    other.store.edit_method("Window", window="flat-top")
    assert other.workspace.save() and not asked, "it is as it was opened"
    assert window_of(path) == "flat-top"

    opened.store.edit_method("Window", window="hamming")
    assert not opened.workspace.save() and window_of(path) == "flat-top"
    assert "was saved by another" in asked[0] and opened.store.unsaved
    answer["now"] = "Save as…"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(aside), ""))
    assert opened.workspace.save()
    assert (window_of(path), window_of(aside)) == ("flat-top", "hamming")
    opened.store.edit_method("Window", window="hann")
    assert opened.workspace.save() and len(asked) == 2, "that file is its own"

    aside.write_text(path.read_text())
    answer["now"] = "Replace"
    opened.store.edit_method("Window", window="hamming")
    assert opened.workspace.save() and len(asked) == 3 and window_of(aside) == "hamming"
    aside.unlink()
    opened.store.edit_method("Window", window="hann")
    assert opened.workspace.save() and len(asked) == 3 and window_of(aside) == "hann"


def test_a_lock_that_a_killed_program_left_is_none(own_folders: Path, tmp_path: Path) -> None:
    path = tmp_path / "a.tcomb"
    path.write_text("{}")
    first, second = SessionFile(), SessionFile()
    assert first.take(path) and not second.take(path)
    assert first.take(None) and second.take(path), "let go of"
    every = (settings.data_folder() / "open").iterdir()
    lock = max(every, key=lambda one: one.stat().st_mtime_ns)
    lines = lock.read_text().splitlines()
    second.take(None)
    lock.write_text("\n".join(["999999", *lines[1:]]) + "\n")
    assert first.take(path)


def test_each_bench_keeps_its_own_unsaved_work(
    opened: Bench, other: Bench, settle: Callable[[], None], qtbot: Any
) -> None:
    opened.store.edit_method("Window", window="flat-top")
    qtbot.waitUntil(opened.autosave.file.exists, timeout=10_000)
    other.opening.open_demo()
    qtbot.waitUntil(lambda: len(other.store.document.recordings) > 4, timeout=60_000)
    other.store.edit_method("Window", window="hamming")
    qtbot.waitUntil(
        lambda: other.autosave.file.exists() and window_of(other.autosave.file) == "hamming",
        timeout=10_000,
    )
    assert window_of(opened.autosave.file) == "flat-top"
    assert not left_behind(), "work of benches that run is nobody else's"
