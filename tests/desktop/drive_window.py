"""Drives a real window with the X server's own mouse and keys; run by test_window.py.

Prints what it saw as JSON.
"""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, QPointF
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from tonecomb.desktop.app import make_application


def xdo(*words: object) -> None:
    """Let xdotool act while the window goes on living."""
    running = subprocess.Popen(["xdotool", *map(str, words)])
    while running.poll() is None:
        QTest.qWait(10)
    QTest.qWait(60)


def until(condition: Callable[[], object], what: str) -> None:
    end = time.monotonic() + 30
    while not condition():
        if time.monotonic() > end:
            raise SystemExit(f"waited in vain for {what}")
        QTest.qWait(20)


def point(widget: QWidget, place: QPoint) -> tuple[int, int]:
    there = widget.mapToGlobal(place)
    return there.x(), there.y()


def click(widget: QWidget, place: QPoint | None = None) -> None:
    xdo("mousemove", *point(widget, place or widget.rect().center()), "click", 1)


def main(report: Path) -> None:
    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.show()
    bench.move(0, 0)
    until(lambda: bench.isActiveWindow(), "the window to become active")
    seen: dict[str, object] = {"platform": app.platformName()}

    def idle() -> bool:
        return not bench.results.busy and not bench.jobs.running

    xdo("key", "ctrl+shift+d")
    until(lambda: bench.results.analysis is not None and idle(), "the demo")
    seen["opened"] = [ref.name for ref in bench.store.document.recordings]

    view = bench.stage.waveform
    middle = view.box.viewRange()[1]
    ends = [
        view.mapFromScene(view.box.mapViewToScene(QPointF(t, sum(middle) / 2))) for t in (10, 30)
    ]
    xdo("mousemove", *point(view.viewport(), ends[0]), "mousedown", 1)
    for i in range(1, 6):
        xdo("mousemove", *point(view.viewport(), ends[0] + (ends[1] - ends[0]) * i / 5))
    xdo("mouseup", 1)
    until(lambda: bench.store.method.stretch is not None and idle(), "the stretch")
    seen["stretch"] = [bench.store.method.stretch.start, bench.store.method.stretch.end]

    click(bench.method_line.phrase("window"))
    until(QApplication.activePopupWidget, "the popover")
    xdo("key", "Down", "Down", "Return")
    until(lambda: bench.store.method.window == "blackman-harris" and idle(), "the window")
    seen["sentence"] = bench.results.analysis.sentence

    rows = bench.readings.sorted
    click(
        bench.readings.table.viewport(), bench.readings.table.visualRect(rows.index(0, 0)).center()
    )
    until(lambda: bench.readings.current_peak() is not None, "the chosen peak")
    seen["first_peak"] = [rows.index(0, column).data() for column in range(4)]
    seen["limits"] = bench.stage.spectrum.limits()

    # The file dialog has an event loop of its own: what answers it must already be on its way.
    answer = (
        'xdotool search --sync --onlyvisible --name "Save report" windowactivate --sync '
        '&& xdotool key ctrl+a type "$0" && xdotool key Return'
    )
    answering = subprocess.Popen(["sh", "-c", answer, str(report)])
    xdo("key", "ctrl+r")
    answering.wait(20)
    until(lambda: report.exists() and idle(), "the report")
    QTest.qWait(100)
    seen["notice"] = bench.notices.text
    bench.workspace.may_discard = lambda what: True  # type: ignore[method-assign]
    bench.close()
    print(json.dumps(seen))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
