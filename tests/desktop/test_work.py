"""Work in threads, sessions, autosave, defects and the themes."""

from __future__ import annotations

import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtWidgets import QFileDialog, QMessageBox
from tests.support import write_csv

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.method.document import Document, Fingerprint, RecordingRef
from tonecomb.core.method.method import Method
from tonecomb.desktop import app
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.kit.theme import THEMES, Theme
from tonecomb.desktop.state import messages
from tonecomb.desktop.state.autosave import left_behind
from tonecomb.desktop.state.jobs import Jobs
from tonecomb.desktop.state.messages import Answer
from tonecomb.desktop.state.store import Store
from tonecomb.formats.palette import contrast, readable
from tonecomb.formats.session import session

Settle = Callable[[], None]


def test_jobs_deliver_here_and_fail_in_words(qtbot: object, qapp: object) -> None:
    jobs = Jobs()
    got: list[object] = []

    def work(progress: Progress) -> str:
        progress(0.5)
        return threading.current_thread().name

    def bad(progress: Progress) -> None:
        raise UserError("No")

    jobs.submit("a", work, lambda name: got.append((name, threading.current_thread().name)), print)
    jobs.submit("b", bad, print, got.append)
    qtbot.waitUntil(lambda: len(got) == 2)  # type: ignore[attr-defined]
    jobs.close()
    told = next(one for one in got if isinstance(one, tuple))
    assert told[0].startswith("job")
    assert told[1] == "MainThread"
    assert any(isinstance(one, UserError) for one in got)


def test_unwanted_jobs_stop_and_are_not_delivered(qtbot: object, qapp: object) -> None:
    jobs = Jobs()
    steps, got = [0], []
    started = threading.Event()

    def endless(progress: Progress) -> None:
        while True:
            steps[0] += 1
            started.set()
            progress(0.1)

    job = jobs.submit("endless", endless, got.append, got.append)
    assert started.wait(5)
    job.cancel()
    assert jobs.running == []
    jobs.submit("stopped", endless, got.append, got.append).stop()
    qtbot.waitUntil(lambda: len(got) == 1)  # type: ignore[attr-defined]
    assert type(got[0]).__name__ == "Cancelled", "a stop by the user is told to who asked"
    jobs.submit("left", endless, got.append, got.append)
    jobs.close()


def test_many_quick_edits_are_one_step_and_few_computations(
    opened: Bench, settle: Settle, titles: list[str]
) -> None:
    titles.clear()
    steps = len(opened.store.history.done)
    for i in range(100):
        opened.store.edit_method("Choose overlap", merge="drag", overlap=i / 2)
    settle()
    assert len(opened.store.history.done) == steps + 1
    assert titles.count("Averaging the spectrum") == 1
    assert opened.context.results.analysis is not None
    assert opened.context.results.analysis.method.frames.overlap == 49.5


def test_the_stop_button_ends_the_analysis(
    opened: Bench, settle: Settle, qtbot: object, monkeypatch: pytest.MonkeyPatch
) -> None:
    gate = threading.Event()

    def slow(method: object, recording: object, progress: Progress) -> None:
        while not gate.wait(0.01):
            progress(0.42)

    monkeypatch.setattr("tonecomb.desktop.state.results.run_spectrum", slow)
    opened.store.edit_method("x", frame=999)
    strip = opened.stage.progress
    qtbot.waitUntil(strip.isVisible)  # type: ignore[attr-defined]
    assert strip.text.text() == "Averaging the spectrum · 42 %"
    assert opened.stage.spectrum.curve.opacity() < 1, "what is drawn is no longer the method's"
    strip.stop_link()
    settle()
    gate.set()
    assert not strip.isVisible()
    assert "was stopped" in opened.context.notices.text
    monkeypatch.undo()
    opened.context.results.again()
    settle()
    assert opened.context.results.analysis is not None


def test_session_saved_opened_and_asked_for(
    opened: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "work.tcomb"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "work"), ""))
    opened.store.edit_method("Choose window", window="flat-top")
    asked: list[str] = []
    answers = {"now": Answer.CANCEL}

    def ask(parent: object, what: str) -> Answer:
        asked.append(what)
        return answers["now"]

    monkeypatch.setattr("tonecomb.desktop.acts.workspace.ask_unsaved", ask)
    assert not opened.close(), "unsaved work keeps the bench open"
    opened.store.undo()
    assert opened.workspace.may_discard("x"), "files that were only looked at are no work"
    opened.store.undo()
    assert opened.workspace.may_discard("x"), "nor is an empty shelf"
    opened.store.redo()
    opened.store.redo()
    answers["now"] = Answer.SAVE
    assert opened.workspace.may_discard("another one is opened")
    assert path.exists()
    assert "work – Tone Comb" in opened.windowTitle()
    saved = opened.store.document
    opened.store.edit_method("Choose window", window="hann")
    assert opened.windowTitle().startswith("* work")
    answers["now"] = Answer.DISCARD
    opened.opening.open_paths([path])
    settle()
    assert opened.store.document == saved
    assert not opened.store.unsaved
    assert opened.context.results.analysis.method.frames.window == "flat-top"  # type: ignore[union-attr]
    assert len(asked) == 3


def test_a_session_whose_file_is_gone_or_changed(
    bench: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    source = write_csv(tmp_path / "a.csv", rows=3000)
    bench.opening.open_paths([source])
    settle()
    session.save(tmp_path / "s.tcomb", bench.store.document)
    bench.store.mark_saved(tmp_path / "s.tcomb", bench.store.document)
    source.rename(tmp_path / "b.csv")
    bench.store.library.clear()
    bench.opening.open_paths([tmp_path / "s.tcomb"])
    settle()
    assert "a.csv does not exist" in bench.context.notices.text
    assert len(bench.store.document.recordings) == 1, "it stays on the shelf"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(tmp_path / "b.csv"), ""))
    bench.context.notices.act()
    settle()
    assert bench.context.results.analysis is not None
    (tmp_path / "b.csv").rename(source)
    write_csv(source, rows=2000)
    bench.store.mark_saved(tmp_path / "s.tcomb", bench.store.document)
    bench.opening.open_paths([tmp_path / "s.tcomb"])
    settle()
    assert "a.csv has changed since the session was saved" in bench.context.notices.text
    # Nothing that was computed from the old file is shown for the new one.
    assert bench.context.results.analysis is not None
    assert bench.context.results.analysis.resolution.stretch_s == 10.0
    assert bench.context.results.analysis.spectrum.framing.length == 2000


KILLED = """
import os, signal, sys
from pathlib import Path
from typing import Any
from tonecomb.desktop.app import make_application
app = make_application(["t"])
from tonecomb.desktop.bench import Bench
from PyQt6.QtTest import QTest
bench = Bench()
bench.opening.open_paths([Path(sys.argv[1])])
while bench.store.current is None:
    QTest.qWait(20)
bench.store.edit_method("Choose window", window="hamming")
QTest.qWait(2500)
os.kill(os.getpid(), signal.SIGKILL)
"""


def test_unsaved_work_survives_a_kill(bench: Bench, settle: Settle, tmp_path: Path) -> None:
    source = write_csv(tmp_path / "a.csv", rows=3000)
    assert left_behind() == []
    done = subprocess.run([sys.executable, "-c", KILLED, source], check=False, timeout=60)
    assert done.returncode == -signal.SIGKILL
    bench.offer_left_behind()
    assert "ended without saving" in bench.context.notices.text
    bench.context.notices.act()
    settle()
    assert bench.store.method.frames.window == "hamming"  # type: ignore[union-attr]
    assert bench.store.unsaved
    assert left_behind() == []


def test_autosave_of_a_running_bench_is_not_offered(opened: Bench) -> None:
    opened.autosave.write()
    assert opened.autosave.file.exists()
    assert left_behind() == []
    opened.autosave.finish()
    assert not opened.autosave.file.exists()


def test_a_home_that_cannot_be_written_spoils_nothing(
    opened: Bench, settle: Settle, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "file").touch()
    place = tmp_path / "file" / "data"
    monkeypatch.setattr("tonecomb.desktop.state.autosave.data_folder", lambda: place)
    monkeypatch.setattr(opened.autosave, "file", place / "autosave" / "x.tcomb")
    opened.store.edit_method("Choose window", window="hamming")
    opened.autosave.write()
    told: list[UserError] = []
    opened.autosave.failed.connect(told.append)
    opened.autosave.write_later()
    settle()
    opened.autosave.write_later()
    settle()
    assert len(told) == 1 and "cannot be kept" in told[0].text, "once"
    opened.autosave.finish()
    assert opened.store.unsaved
    assert not place.exists()


def test_a_defect_is_told_logged_and_the_work_kept(
    bench: Bench, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    told: list[str] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: told.append(box.text()))
    saved: list[int] = []
    hook = app.Defects(lambda: saved.append(1))
    try:
        raise ZeroDivisionError("inside")
    except ZeroDivisionError as error:
        hook(ZeroDivisionError, error, error.__traceback__)
    assert saved == [1]
    app.Defects(lambda: 1 / 0)(ValueError, ValueError("outside"), None)
    assert len(told) == 2, "told even when the work cannot be saved aside"
    assert "Your work was saved aside" in told[0]
    assert "inside" in caplog.text


def test_the_unsaved_question_has_three_answers(
    bench: Bench, monkeypatch: pytest.MonkeyPatch
) -> None:
    for text, answer in (
        ("Save", Answer.SAVE),
        ("Do not save", Answer.DISCARD),
        ("Cancel", Answer.CANCEL),
    ):

        def click(box: QMessageBox, text: str = text) -> None:
            next(b for b in box.buttons() if b.text().replace("&", "") == text).click()

        monkeypatch.setattr(QMessageBox, "exec", click)
        assert messages.ask_unsaved(bench, "the bench closes") is answer


@pytest.mark.parametrize("theme", THEMES.values(), ids=lambda t: t.name)
def test_text_has_contrast(theme: Theme) -> None:
    """All that is written, on all that it is written on."""
    words = (theme.ink, theme.quiet, theme.accent, theme.second, theme.fault, theme.caution_ink)
    for ground in (theme.ground, theme.raised, theme.selected, theme.caution_ground):
        for text in words:
            assert contrast(text, ground) >= 4.5, (text, ground)
    for text in (theme.ink, theme.fault, theme.accent):
        assert contrast(text, theme.fault_ground) >= 4.5, text
    assert contrast(theme.raised, theme.accent) >= 4.5, "the main button"
    for colour in theme.traces:  # flags of teeth, and their combs in the list
        assert contrast(readable(colour, theme.raised), theme.raised) >= 4.5


def test_a_file_that_changes_behind_its_recording_is_told(
    opened: Bench, settle: Settle, qtbot: Any, tmp_path: Path
) -> None:
    source = write_csv(tmp_path / "grows.csv", rows=3000)
    opened.opening.open_paths([source])
    settle()
    before = opened.store.current
    assert before is not None and before.length == 3000
    write_csv(source, rows=4000)
    notices = opened.context.notices
    qtbot.waitUntil(lambda: "grows.csv has changed" in notices.text, timeout=10_000)
    notices.act()
    settle()
    qtbot.waitUntil(
        lambda: (now := opened.store.current) is not None and now.length == 4000, timeout=10_000
    )
    ref = opened.store.ref
    assert ref is not None and session.check_source(ref) is None
    source.unlink()
    qtbot.waitUntil(lambda: "is gone" in notices.text, timeout=10_000)


def test_what_a_session_does_not_hold_is_not_added(qapp: Any) -> None:
    store = Store()
    told: list[str] = []
    store.refused.connect(lambda error: told.append(error.text))
    one = RecordingRef("a", "a", "/a.wav", Fingerprint(0, ""), Method())
    store.apply("Name it", Document((replace(one, name="x" * 20_001),), None))
    many = tuple(replace(one, id=str(i)) for i in range(2001))
    store.apply("Open", Document(many[:2000], None))
    store.apply("Open", Document(many, None))
    assert len(store.document.recordings) == 2000
    assert "20001 letters" in told[0] and "there are 2001 recordings, more than 2000" in told[1]
