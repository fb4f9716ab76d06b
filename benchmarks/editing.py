"""From an edit of one phrase to the new picture, 1 million samples (goal: median under 60 ms), and
from a step to the picture of the next frame (goal: 25 frames a second).

The time runs from the edit or step to the end of the repaint that shows it; peaks follow.
"""

from __future__ import annotations

import statistics
import time
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from benchmarks.home import offscreen_home
from tonecomb.core.estimate.averages import Mean, Median

_SAMPLES, _RATE = 1_000_000, 51_200
_ROUNDS = 8
_STEPS = 100
_EDITS: tuple[tuple[str, dict[str, Any], dict[str, Any]], ...] = (
    ("window", {"window": "blackman-harris"}, {"window": "hann"}),
    ("frame", {"frame": 16384}, {"frame": 8192}),
    ("overlap", {"overlap": 75.0}, {"overlap": 50.0}),
    ("detrending", {"detrend": "line"}, {"detrend": "mean"}),
    ("scaling", {"scaling": "psd"}, {"scaling": "amplitude"}),
    ("average", {"average": Median()}, {"average": Mean()}),
)


def main() -> None:
    print("From an edit to the picture, 1 M samples (goal: median under 60 ms)\n")
    print("| phrase | median | slowest |")
    print("|--|--:|--:|")
    with offscreen_home() as folder:
        path = folder / "a.wav"
        t = np.arange(_SAMPLES) / _RATE
        noise = 0.05 * np.random.default_rng(0).standard_normal(_SAMPLES)
        soundfile.write(path, 0.2 * np.cos(2 * np.pi * 413.1 * t) + noise, _RATE, subtype="FLOAT")
        _measure(path)


def _step(bench: Any) -> float:
    """One frame on, until it is drawn; s."""
    from PyQt6.QtCore import QEventLoop, QTimer

    loop = QEventLoop()

    def done(_: object) -> None:
        bench.stage.repaint()
        loop.quit()

    bench.context.moments.changed.connect(done)
    started = time.perf_counter()
    bench.context.moments.step(1)
    QTimer.singleShot(10_000, loop.quit)
    loop.exec()
    took = time.perf_counter() - started
    bench.context.moments.changed.disconnect(done)
    return took


def _measure(path: Path) -> None:
    from PyQt6.QtCore import QEventLoop, QTimer

    from tonecomb.desktop.app import make_application

    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.resize(1280, 800)
    bench.show()
    bench.opening.open_paths([path])

    def wait(ms: int) -> None:
        loop = QEventLoop()
        QTimer.singleShot(ms, loop.quit)
        loop.exec()

    def settle() -> None:
        wait(200)
        while bench.context.scheduler.busy:
            wait(20)

    settle()
    every: list[float] = []
    for name, there, back in _EDITS:
        took = []
        for i in range(2 * _ROUNDS):
            if name != "scaling":  # which only shows what is known in another way
                bench.context.scheduler.cache.clear()
            settle()
            shown: list[float] = []
            loop = QEventLoop()

            def done(analysis: object, shown: list[float] = shown, loop: Any = loop) -> None:
                if analysis is not None and not shown:
                    bench.stage.spectrum.repaint()
                    shown.append(time.perf_counter())
                    loop.quit()

            bench.context.results.analysis_changed.connect(done)
            started = time.perf_counter()
            bench.store.edit_method(name, **(there if i % 2 == 0 else back))
            QTimer.singleShot(10_000, loop.quit)
            loop.exec()
            took.append(shown[0] - started)
            bench.context.results.analysis_changed.disconnect(done)
            settle()
        every += took
        print(f"| {name} | {1000 * statistics.median(took):.0f} ms | {1000 * max(took):.0f} ms |")
    print(f"| all | {1000 * statistics.median(every):.0f} ms | {1000 * max(every):.0f} ms |")
    for pane in (None, "spectrogram"):
        if pane is not None:
            bench.stage.toggle_pane(pane)
            settle()
        took = [_step(bench) for _ in range(_STEPS)]
        beside = "" if pane is None else ", spectrogram beside"
        rate = 1 / statistics.median(took)
        print(
            f"\nStepping{beside}: {rate:.0f} frames a second in the median, slowest step "
            f"{1000 * max(took):.0f} ms"
        )
    bench.store.mark_saved(path, bench.store.document)
    bench.close()
    del app
