"""From starting the process to the first painted window, against starting Python alone."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

_ROUNDS, _COLD_ROUNDS = 7, 3
_CHILD = """
import sys, time
from pathlib import Path
from PyQt6.QtCore import QEvent, QObject, QTimer
seen = set()
class FirstPaints(QObject):
    def eventFilter(self, watched, event):
        painted = event.type() == QEvent.Type.Paint and watched.isWidgetType()
        window = watched.window() if painted else None
        if painted and window.isVisible() and type(window).__name__ not in seen:
            seen.add(type(window).__name__)
            # The event is being handled: what it paints takes some milliseconds more.
            print(type(window).__name__, time.time() - float(sys.argv[1]), flush=True)
            if type(window).__name__ == "Bench":
                QTimer.singleShot(50, window.close)
        return False
from tonecomb.desktop import app as start
made = start.make_application
def make(arguments):
    app = made(arguments)
    app.paint = FirstPaints()
    app.installEventFilter(app.paint)
    QTimer.singleShot(8000, app.quit)
    return app
start.make_application = make
start.main([])
"""


def main() -> None:
    bare, warm = [], _Painted()
    with tempfile.TemporaryDirectory() as home:
        environment = os.environ | {
            "QT_QPA_PLATFORM": "offscreen",
            "XDG_DATA_HOME": home,
            "XDG_CONFIG_HOME": home,
        }
        _start(environment)
        for _ in range(_ROUNDS):
            begin = time.time()
            subprocess.run([sys.executable, "-c", "pass"], check=True)
            bare.append(time.time() - begin)
            warm.add(_start(environment))
        cold = _Painted()
        for _ in range(_COLD_ROUNDS if _forget_files() else 0):
            _forget_files()
            cold.add(_start(environment))
    print("Start to first painted window (goals: warm ≤ 0.5 s, cold ≤ 2 s; cold: the system has")
    print("dropped the files that it kept in memory, for which it asks an administrator)\n")
    print("| | warm | against bare Python | cold |")
    print("|--|--:|--:|--:|")
    python = statistics.median(bare)
    for name, told in (("FirstLook", "first window painted"), ("Bench", "bench painted")):
        times = statistics.median(warm.of[name]) / python
        print(f"| {told} | {warm.told(name)} | {times:.0f}× | {cold.told(name)} |")


class _Painted:
    """After how many seconds each window was painted, of several starts."""

    def __init__(self) -> None:
        self.of: dict[str, list[float]] = {}

    def add(self, start: dict[str, float]) -> None:
        for name, seconds in start.items():
            self.of.setdefault(name, []).append(seconds)

    def told(self, name: str) -> str:
        found = self.of.get(name)
        return f"{min(found):.2f}–{max(found):.2f} s" if found else "not measured"


def _start(environment: dict[str, str]) -> dict[str, float]:
    done = subprocess.run(
        [sys.executable, "-c", _CHILD, str(time.time())],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    return {name: float(seconds) for name, seconds in map(str.split, done.stdout.splitlines())}


def _forget_files() -> bool:
    """Have the system drop what it keeps of files, where it lets us."""
    try:
        os.sync()
        Path("/proc/sys/vm/drop_caches").write_text("3")
    except OSError:
        return False
    return True
