"""Dragging the rate of a made signal of ten tones (goal: 25 pictures a second at 1280 × 800), over
what painting its two plots takes alone.
"""

from __future__ import annotations

import math
import os
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

_SECONDS, _LENGTHS = 5.0, (256, 4096)


def main() -> None:
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    with tempfile.TemporaryDirectory() as folder:
        for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
            os.environ[name] = folder
        print("| samples | pictures a second | painting both plots alone, a second |")
        print("|--:|--:|--:|")
        _measure()


def _measure() -> None:
    from tonecomb.desktop.app import make_application

    app = make_application(["tone-comb"])
    from tonecomb.core.synthesis.made import Made
    from tonecomb.core.synthesis.sampling import Sampling
    from tonecomb.core.synthesis.tones import Tone
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.resize(1280, 800)
    bench.show()

    def settle() -> None:
        end = time.monotonic() + 0.3
        while bench.context.scheduler.busy or time.monotonic() < end:
            app.processEvents()
            time.sleep(0.002)

    tones = tuple(Tone(20.0 + 13.7 * i, 1.0 + 0.1 * i, phase=20.0 * i) for i in range(10))
    for length in _LENGTHS:
        bench.making.begin(Made("ten", parts=tones, sampling=Sampling(512.0, length)))
        settle()
        pictures = _drag(bench, app)
        print(f"| {length} | {pictures:.1f} | {_alone(bench):.1f} |", flush=True)
    bench.store.mark_saved(Path(__file__), bench.store.document)
    bench.close()


def _drag(bench: Any, app: Any) -> float:
    """Rates that were seen in the spectrum, a second."""
    from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
    from PyQt6.QtTest import QTest

    mouse: Any = QTest  # whose signatures are not as its stubs have them

    popover = bench.stage.maker.sampling.edit("rate")
    dial, painted = popover.dials["rate"], [0]
    middle, wide = dial.height() // 2, dial.width()

    class Watch(QObject):
        """Counts a painting of the spectrum for each rate."""

        rate = 0.0

        def eventFilter(self, _: QObject | None, event: QEvent | None) -> bool:
            analysis = bench.context.results.analysis
            paints = event is not None and event.type() == QEvent.Type.Paint
            if paints and analysis is not None and analysis.fs != self.rate:
                self.rate = analysis.fs
                painted[0] += 1
            return False

    watch = Watch()
    bench.stage.spectrum.viewport().installEventFilter(watch)
    plain = Qt.KeyboardModifier.NoModifier
    mouse.mousePress(dial, Qt.MouseButton.LeftButton, plain, QPoint(wide // 2, middle))
    start, i = time.perf_counter(), 0
    while time.perf_counter() - start < _SECONDS:
        i += 1
        x = round(20 + (wide - 40) * (0.5 + 0.5 * math.sin(0.05 * i)))
        mouse.mouseMove(dial, QPoint(x, middle))
        app.processEvents()
    took = time.perf_counter() - start
    mouse.mouseRelease(dial, Qt.MouseButton.LeftButton, plain, QPoint(x, middle))
    bench.stage.spectrum.viewport().removeEventFilter(watch)
    popover.close()
    return painted[0] / took


def _alone(bench: Any) -> float:
    """How often both plots can be painted in a second."""
    took = []
    for _ in range(40):
        start = time.perf_counter()
        for view in (bench.stage.waveform, bench.stage.spectrum):
            view.viewport().repaint()
        took.append(time.perf_counter() - start)
    return 1 / statistics.median(took)
