"""Everything that can be used is reached by the keyboard, shows that it is, and has a name that a
screen reader tells."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QGraphicsView,
    QLabel,
    QLineEdit,
    QMenu,
    QMessageBox,
    QScrollBar,
    QWidget,
)

from tonecomb.desktop.actions import ACTIONS
from tonecomb.desktop.bench import Bench

Settle = Callable[[], None]
CONTROLS = (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QAbstractSpinBox,
    QComboBox,
    QLineEdit,
    QGraphicsView,
)
NO_WORDS = re.compile(r"^\W*$")
POPOVERS = {"Edit the method", "Filter the readings", "Keys", "Pick a peak", "Doing the job"}


def controls(top: QWidget) -> Iterator[QWidget]:
    """What can be used in a window or popover and is not part of another control."""
    for one in top.findChildren(QWidget):
        if not isinstance(one, CONTROLS) or isinstance(one, QScrollBar):
            continue
        if not one.isVisibleTo(top) or not one.isEnabled():
            continue
        above, part = one.parentWidget(), False
        while above is not None and above is not top:
            part = part or isinstance(above, (QAbstractSpinBox, QComboBox))
            # Headers and corners of a table are its own.
            part = part or (
                isinstance(above, QAbstractItemView)
                and type(one).__name__ in ("QHeaderView", "QTableCornerButton")
            )
            above = above.parentWidget()
        if not part and type(one).__name__ not in ("QHeaderView", "QTableCornerButton"):
            yield one


def told(one: QWidget) -> str:
    """What a screen reader tells of a control: its name, its own words, or those of its label."""
    text = one.text() if isinstance(one, QAbstractButton) else ""
    beside = [label.text() for label in one.window().findChildren(QLabel) if label.buddy() is one]
    return one.accessibleName() or text.replace("&", "") or "".join(beside)


def lacking(top: QWidget, where: str) -> list[str]:
    """Controls without a name."""
    found = []
    for one in controls(top):
        if NO_WORDS.match(told(one)):
            tip = one.toolTip() or type(one).__name__
            found.append(f"{where}: no name: {type(one).__name__} {tip!r}")
    return found


def test_the_bench_is_told(opened: Bench, settle: Settle) -> None:
    missing = lacking(opened, "bench")
    for key in list(opened.stage.panes):
        opened.stage.toggle_pane(key)
        settle()
        missing += lacking(opened.stage.panes[key], key)
        opened.stage.toggle_pane(key)
    for page in opened.readings.pages:
        opened.readings.show_page(page)
        missing += lacking(opened.readings, page)
    assert not missing, "\n".join(dict.fromkeys(missing))


def test_dialogs_and_popovers_are_told(
    opened: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of every action of the table that asks for something."""
    missing: list[str] = []
    seen: list[str] = []
    name = ""

    def look() -> None:
        top: Any = QApplication.activeModalWidget() or QApplication.activePopupWidget()
        if top is None:
            return
        seen.append(name)
        if not isinstance(top, (QMenu, QMessageBox, QFileDialog)):
            missing.extend(lacking(top, name))
        top.reject() if isinstance(top, QDialog) else top.close()

    for method in ("getOpenFileName", "getOpenFileNames", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, method, lambda *_, **__: ("", ""))
    timer = QTimer(opened)
    timer.timeout.connect(look)
    timer.start(20)
    for action in ACTIONS:
        if not action.text.endswith("…") and action.text not in POPOVERS:
            continue
        name = action.text
        action.run(opened)
        QTest.qWait(50)
        settle()
    timer.stop()
    assert len(set(seen)) > 15, seen
    assert not missing, "\n".join(dict.fromkeys(missing))


def test_tab_goes_as_one_reads_and_shows_where(opened: Bench) -> None:
    """Through the method line, the shelf, the stage, the readings, the ruler, and back again;
    what has the focus looks otherwise than without."""
    opened.activateWindow()
    assert QTest.qWaitForWindowActive(opened, 5000), "only then is the focus drawn"
    opened.method_line.setFocus()
    passed: list[QWidget] = []
    for _ in range(60):
        before = {id(one): one.grab().toImage() for one in (passed[-1:] or [])}
        QTest.keyClick(QApplication.focusWidget() or opened, Qt.Key.Key_Tab)
        now = QApplication.focusWidget()
        assert now is not None
        if passed and now is passed[-1]:
            continue  # the next of several links in a text
        for one in passed[-1:]:
            assert before[id(one)] != one.grab().toImage(), f"{told(one)} {one} shows no focus"
        if now in passed:
            break
        passed.append(now)
    regions = (opened.method_line, opened.shelf, opened.stage, opened.readings, opened.ruler)
    of = [next(i for i, region in enumerate(regions) if region.isAncestorOf(one)) for one in passed]
    assert of == sorted(of)
    assert set(of) == set(range(5)), [told(one) for one in passed]
    heights = [
        one.mapTo(opened.readings, QPoint()).y()
        for i, one in zip(of, passed, strict=True)
        if i == 3
    ]
    assert heights == sorted(heights) and len(heights) > 6
    QTest.keyClick(QApplication.focusWidget() or opened, Qt.Key.Key_Backtab)
    assert QApplication.focusWidget() is passed[-1], "and back"
    assert now is passed[0]
