"""From starting the process to the first painted window, against starting Python alone."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile

ROUNDS = 7
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
    print("Start to first painted window, warm (goal: ≤ 0.5 s)\n")
    print("| | least–greatest | against bare Python |")
    print("|--|--:|--:|")
    import time

    with tempfile.TemporaryDirectory() as home:
        environment = os.environ | {
            "QT_QPA_PLATFORM": "offscreen", "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home,
        }  # fmt: skip
        bare: list[float] = []
        painted: dict[str, list[float]] = {}
        for turn in range(ROUNDS + 1):
            begin = time.time()
            subprocess.run([sys.executable, "-c", "pass"], check=True)
            middle = time.time()
            done = subprocess.run(
                [sys.executable, "-c", _CHILD, str(middle)],
                env=environment, capture_output=True, text=True, check=False,
            )  # fmt: skip
            if turn:
                bare.append(middle - begin)
                for name, seconds in (line.split() for line in done.stdout.splitlines()):
                    painted.setdefault(name, []).append(float(seconds))
    python = statistics.median(bare)
    for name, told in (("FirstLook", "first window painted"), ("Bench", "bench painted")):
        found = painted[name]
        print(f"| {told} | {min(found):.2f}–{max(found):.2f} s | "
              f"{statistics.median(found) / python:.0f}× |")  # fmt: skip
