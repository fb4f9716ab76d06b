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
class FirstPaint(QObject):
    def eventFilter(self, watched, event):
        painted = event.type() == QEvent.Type.Paint and watched.isWidgetType()
        if painted and watched.window().isVisible():
            watched.window().removeEventFilter(self)
            QTimer.singleShot(0, self.done)
            self.done = lambda: None
        return False
    def done(self):
        print(time.time() - float(sys.argv[1]), flush=True)
        QTimer.singleShot(50, app.topLevelWidgets()[0].window().close)
from tonecomb.desktop import app as start
made = start.make_application
def make(arguments):
    global app
    app = made(arguments)
    app.paint = FirstPaint()
    app.installEventFilter(app.paint)
    QTimer.singleShot(8000, app.quit)
    return app
start.make_application = make
start.main([])
"""


def main() -> None:
    print("Start to first painted window, warm (goal: under 1 s)\n")
    print("| | median | against bare Python |")
    print("|--|--:|--:|")
    import time

    with tempfile.TemporaryDirectory() as home:
        environment = os.environ | {
            "QT_QPA_PLATFORM": "offscreen", "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home,
        }  # fmt: skip
        bare, painted = [], []
        for turn in range(ROUNDS + 1):
            begin = time.time()
            subprocess.run([sys.executable, "-c", "pass"], check=True)
            middle = time.time()
            done = subprocess.run(
                [sys.executable, "-c", _CHILD, str(middle)],
                env=environment, capture_output=True, text=True, check=False,
            )  # fmt: skip
            if turn and done.stdout:
                bare.append(middle - begin)
                painted.append(float(done.stdout.split()[0]))
    first, python = statistics.median(painted), statistics.median(bare)
    print(f"| bench | {first:.2f} s | {first / python:.0f}× |")
