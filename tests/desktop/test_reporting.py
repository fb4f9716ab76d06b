"""The cover and the sections of reports, as they are edited and kept."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFileDialog
from tests.support import write_csv

from tonecomb.desktop.acts import reporting
from tonecomb.desktop.acts.reporting import kept_layout
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.dialogs.reporting import ReportDialog
from tonecomb.desktop.kit import settings
from tonecomb.formats.report.check import check
from tonecomb.formats.report.layout import AUDIENCES, USUAL
from tonecomb.formats.session import session

Settle = Callable[[], None]


@pytest.fixture
def small(bench: Bench, settle: Settle, tmp_path: Path) -> Bench:
    bench.opening.open_paths([write_csv(tmp_path / "short.csv", rows=600)])
    settle()
    return bench


def test_a_report_has_the_cover_and_sections_that_were_chosen(
    small: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: Any
) -> None:
    def edit(dialog: ReportDialog) -> bool:
        dialog.lines["client"].setText("Quillbeck & Sons")
        dialog.lines["title"].setText("x" * 5000)
        dialog.remarks.setPlainText("All is well.")
        dialog.sections.show_sections(("peaks", "source", "in short"))
        dialog.sections.setCurrentRow(2)
        for _ in range(2):  # as it comes in where the dialog is modal
            alt_up = QKeyEvent(QEvent.Type.KeyPress, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
            dialog.sections.keyPressEvent(alt_up)
        assert dialog.sections.chosen == ("in short", "peaks", "source")
        return True

    monkeypatch.setattr(ReportDialog, "exec", edit)
    small.reporting.edit()
    assert kept_layout() == USUAL, "what no report takes is not kept"
    assert "4000 letters" in small.context.notices.text

    def shorter(dialog: ReportDialog) -> bool:
        edit(dialog)
        dialog.lines["title"].setText("Winch")
        return True

    monkeypatch.setattr(ReportDialog, "exec", shorter)
    small.reporting.edit()
    assert kept_layout().cover.client == "Quillbeck & Sons"
    target = tmp_path / "r.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    small.exports.export_report()
    qtbot.waitUntil(target.exists, timeout=20_000)
    page = target.read_text()
    assert "<h1>Winch</h1>" in page and "Quillbeck &amp; Sons" in page and "All is well." in page
    heads = re.findall(r"<h2[^>]*>(.*?)</h2>", page)
    assert heads == ["In short", "Peaks", "Recording", "Resolution"]


def test_it_is_looked_at_before_it_is_saved(
    small: Bench, monkeypatch: pytest.MonkeyPatch, qtbot: Any
) -> None:
    seen: list[str] = []
    monkeypatch.setattr(
        reporting.QDesktopServices, "openUrl", lambda url: seen.append(url.toLocalFile())
    )
    small.reporting.look(USUAL, "channel")
    qtbot.waitUntil(lambda: bool(seen), timeout=20_000)
    assert "<svg" in Path(seen[0]).read_text()
    Path(seen[0]).unlink()


def test_a_pdf_where_that_kind_is_chosen(
    small: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: Any
) -> None:
    """The name that was proposed ends as the kind says."""

    def choose(_: object, title: str, start: str, kinds: str) -> tuple[str, str]:
        return start, kinds.split(";;")[1]

    monkeypatch.setattr(QFileDialog, "getSaveFileName", choose)
    small.exports.export_report()
    made = tmp_path / "short report.pdf"
    qtbot.waitUntil(made.exists, timeout=20_000)
    assert made.read_bytes().startswith(b"%PDF-")
    # Opened, it is the session that it is of; what is saved then does not go into it.
    small.store.edit_method("Frame", frame=128)
    monkeypatch.setattr(small.workspace, "may_discard", lambda what: True)
    small.opening.open_paths([made])
    qtbot.waitUntil(lambda: small.store.method.frames.frame != 128, timeout=20_000)
    assert [ref.name for ref in small.store.document.recordings] == ["short"]
    assert small.store.path is None and small.store.current is not None


def test_of_all_channels_and_of_the_whole_shelf(
    small: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: Any
) -> None:
    x = 0.1 * np.cos(2 * np.pi * 40 * np.arange(4000) / 500)
    soundfile.write(tmp_path / "pair.wav", np.column_stack([x, 2 * x]), 500, subtype="FLOAT")
    small.opening.open_paths([tmp_path / "pair.wav"])
    qtbot.waitUntil(lambda: small.store.ref.name == "pair", timeout=20_000)

    def named(scope: str) -> list[str]:
        def choose(dialog: ReportDialog) -> bool:
            dialog.of.choose(scope)
            return True

        monkeypatch.setattr(ReportDialog, "exec", choose)
        small.reporting.edit()
        target = tmp_path / f"{scope}.html"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
        small.exports.export_report()
        qtbot.waitUntil(target.exists, timeout=20_000)
        found = check(target)
        assert found.holds, [one.words for one in found.findings]
        return [ref.name for ref in session.load(target).recordings]

    assert named("recording") == ["pair", "pair"]
    assert named("shelf") == ["short", "pair"]
    assert named("channel") == ["pair"]


@pytest.mark.parametrize("text", ["", "{", '{"sections": ["poetry"]}', "[]"])
def test_a_damaged_layout_is_the_usual_one(bench: Bench, text: str) -> None:
    settings.settings().setValue("report", text)
    assert kept_layout() == USUAL
    settings.settings().setValue("report", json.dumps({"sections": list(AUDIENCES["one page"])}))
    assert kept_layout().sections == AUDIENCES["one page"]
