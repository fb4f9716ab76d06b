"""Drives a real window with the X server's own mouse and keys; run by test_window.py.

Prints what it saw as JSON.
"""

from __future__ import annotations

import json
import math
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, QPointF
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QPushButton, QWidget

from tonecomb.desktop.app import make_application
from tonecomb.desktop.kit.widgets import Choice
from tonecomb.desktop.method_line.averaging import StrikePopover

if TYPE_CHECKING:
    from tonecomb.desktop.bench import Bench
    from tonecomb.desktop.stage.waveform.waveform import WaveformView


def xdo(*words: object) -> None:
    """Let xdotool act while the window goes on living."""
    running = subprocess.Popen(["xdotool", *map(str, words)])
    while running.poll() is None:
        QTest.qWait(10)
    QTest.qWait(60)


def until(condition: Callable[[], object], what: str) -> None:
    end = time.monotonic() + 60  # other work may fill the machine
    while not condition():
        if time.monotonic() > end:
            raise SystemExit(f"waited in vain for {what}")
        QTest.qWait(20)


def point(widget: QWidget, place: QPoint) -> tuple[int, int]:
    there = widget.mapToGlobal(place)
    return there.x(), there.y()


def click(widget: QWidget, place: QPoint | None = None) -> None:
    xdo("mousemove", *point(widget, place or widget.rect().center()), "click", 1)


def drag(view: WaveformView, start: float, end: float) -> None:
    """Drag with the left button between two times in s."""
    middle = sum(view.box.viewRange()[1]) / 2
    a, b = (view.mapFromScene(view.box.mapViewToScene(QPointF(t, middle))) for t in (start, end))
    xdo("mousemove", *point(view.viewport(), a), "mousedown", 1)
    for i in range(1, 6):
        xdo("mousemove", *point(view.viewport(), a + (b - a) * i / 5))
    xdo("mouseup", 1)


def import_a_log(bench: Bench, idle: Callable[[], bool]) -> dict[str, object]:
    """A log whose time is in ms without saying so: put right in the preview, then measured."""
    path = Path(tempfile.mkdtemp()) / "log.csv"
    rows = (f"{5 * i};{math.sin(2 * math.pi * i / 25):.5f}" for i in range(4000))
    path.write_text("\n".join(["t;x [g]", *rows]))
    bench.opening.open_paths([path])
    until(lambda: bench.opening.dialog is not None and idle(), "the preview")
    preview = bench.opening.dialog
    until(preview.isActiveWindow, "the preview to become active")
    choices = preview.facts.findChildren(Choice)
    click(next(c for c in choices if c.accessibleName() == "Unit of time"))
    QTest.qWait(300)
    xdo("key", "m", "i", "l", "Return")
    until(lambda: preview.understood.recording.sample_rate == 200, "milliseconds")
    until(lambda: not preview.busy and idle(), "the preview to settle")
    click(preview.go)
    until(lambda: bench.opening.dialog is None and idle(), "the log on the shelf")
    until(bench.isActiveWindow, "the bench to become active")
    view = bench.stage.waveform
    view.set_limits(2.0, 4.0)
    until(idle, "the zoom")
    xdo("keydown", "ctrl")
    drag(view, 2.5, 3.5)
    xdo("keyup", "ctrl")
    until(lambda: bench.stage.lanes.strip.isVisible() and idle(), "the measure")
    return {
        "rate": bench.store.current.rate,
        "periods": bench.stage.lanes.strip.periods.value(),
        "mean": bench.stage.lanes.strip.mean.text(),
    }


def strike_out(bench: Bench, idle: Callable[[], bool]) -> dict[str, object]:
    """From one popover to the next by mouse, limits by keys; then back to the bench's own keys."""
    click(bench.method_line.phrase("frames"))
    until(QApplication.activePopupWidget, "the averages")
    link = next(b for b in popup().findChildren(QPushButton) if "Strike out" in b.text())
    click(link)
    until(lambda: isinstance(popup(), StrikePopover), "the parts to strike out")
    xdo("key", "ctrl+a", "1", "2", "Tab", "ctrl+a", "1", "4", "Tab", "space")
    until(lambda: bench.store.method.averaging.struck, "the part")
    xdo("key", "Escape")
    until(lambda: popup() is None and idle(), "the average without it")
    sentence = bench.context.results.analysis.sentence
    xdo("key", "e", "Right", "Right", "Return")
    until(QApplication.activePopupWidget, "the third phrase")
    xdo("key", "Down", "Return")
    until(lambda: bench.store.method.frames.detrend == "line" and idle(), "the line removed")
    xdo("key", "ctrl+z", "ctrl+z")
    until(lambda: not bench.store.method.averaging.struck and idle(), "both taken back")
    return {"sentence": sentence, "frames": bench.context.results.analysis.resolution.frames}


def popup() -> QWidget | None:
    return QApplication.activePopupWidget()


def main(report: Path) -> None:
    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.show()
    bench.move(0, 0)
    until(lambda: bench.isActiveWindow(), "the window to become active")
    seen: dict[str, object] = {"platform": app.platformName()}

    def idle() -> bool:
        return not bench.context.scheduler.busy

    xdo("key", "ctrl+shift+d")
    until(lambda: bench.context.results.analysis is not None and idle(), "the demo")
    seen["opened"] = [ref.name for ref in bench.store.document.recordings]

    view = bench.stage.waveform
    drag(view, 10, 30)
    until(lambda: bench.store.method.source.stretch is not None and idle(), "the stretch")
    seen["stretch"] = [
        bench.store.method.source.stretch.start,
        bench.store.method.source.stretch.end,
    ]

    click(bench.method_line.phrase("window"))
    until(QApplication.activePopupWidget, "the popover")
    xdo("key", "Down", "Down", "Return")
    until(lambda: bench.store.method.frames.window == "blackman" and idle(), "the window")
    seen["sentence"] = bench.context.results.analysis.sentence

    seen["struck"] = strike_out(bench, idle)

    rows = bench.readings.peaks.sorted
    click(
        bench.readings.peaks.table.viewport(),
        bench.readings.peaks.table.visualRect(rows.index(0, 0)).center(),
    )
    until(lambda: bench.readings.current_peak() is not None, "the chosen peak")
    seen["first_peak"] = [rows.index(0, column).data() for column in range(4)]
    seen["limits"] = bench.stage.spectrum.limits()

    # The file dialog has an event loop of its own: what answers it must already be on its way.
    answer = (
        'xdotool search --sync --onlyvisible --name "Save report" windowactivate --sync '
        '&& xdotool key ctrl+a type "$0" && xdotool key Return'
    )
    frf_key = subprocess.Popen(["sh", "-c", answer, str(report)])
    xdo("key", "ctrl+r")
    frf_key.wait(20)
    until(lambda: report.exists() and idle(), "the report")
    QTest.qWait(100)
    seen["notice"] = bench.context.notices.text
    seen["log"] = import_a_log(bench, idle)
    bench.workspace.may_discard = lambda what: True  # type: ignore[method-assign]
    bench.close()
    print(json.dumps(seen))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
