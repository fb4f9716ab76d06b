"""Drives a real window on the simulated node, with the X server's mouse and keys; run by
test_window.py. Prints what it saw as JSON."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np
from drive_window import click, popup, until, xdo
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from tonecomb.desktop.app import make_application
from tonecomb.desktop.stage.bars.live_bar import Last


def main(folder: Path) -> None:
    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.show()
    bench.move(0, 0)
    until(bench.isActiveWindow, "the window to become active")
    seen: dict[str, object] = {}
    xdo("key", "ctrl+k")
    until(popup, "the actions")
    xdo("type", "ropeway's node")
    xdo("key", "Return")
    bench.stage.live_bar.choice.choose(Last(2.0))

    def peaks() -> Any:
        analysis = bench.context.results.analysis
        return () if analysis is None else analysis.peaks or ()

    until(peaks, "peaks of the live signal")
    motor = min(peaks(), key=lambda one: abs(one.tone.frequency - 24.3))
    bench.context.combs.drop(motor.tone.frequency)
    seen["comb"] = bench.context.combs.shown[0].comb.spacing
    xdo("key", "ctrl+shift+Up", "ctrl+shift+Up", "ctrl+shift+Up")
    until(lambda: bench.context.combs.shown[0].comb.spacing > 27.0, "the comb to follow the motor")
    seen["turned"] = bench.context.combs.shown[0].comb.spacing
    before = rough(bench)
    xdo("key", "c")
    until(popup, "the steps")
    click(popup().kind)
    QTest.qWait(300)
    xdo("type", "low-pass")
    xdo("key", "Return")
    until(lambda: steps(bench), "the low-pass")
    while popup() is not None:
        xdo("key", "Escape")
    seen["step"] = type(steps(bench)[0]).__name__
    until(lambda: rough(bench) < 0.3 * before, "waveform and spectrum without what is above it")
    xdo("key", "ctrl+f")
    until(bench.stage.live_bar.freeze.isChecked, "the pictures to stand still")
    until(lambda: not bench.context.scheduler.busy, "what waits")
    kept = folder / "kept.wav"
    QFileDialog.getSaveFileName = lambda *a, **k: (str(kept), "")  # type: ignore[method-assign]
    xdo("key", "ctrl+shift+k")
    until(lambda: kept.exists() and len(bench.store.document.recordings) == 2, "what was kept")
    until(
        lambda: (
            bench.context.results.analysis is not None
            and bench.store.current is not None
            and bench.store.current.name == "kept"
            and not bench.context.scheduler.busy
        ),
        "its analysis",
    )
    report = folder / "live.html"
    QFileDialog.getSaveFileName = lambda *a, **k: (str(report), "")  # type: ignore[method-assign]
    xdo("key", "ctrl+r")
    until(report.exists, "the report")
    seen["length"] = bench.store.current.length  # type: ignore[union-attr]
    bench.live.end()
    bench.store.mark_saved(folder / "x", bench.store.document)
    bench.close()
    app.processEvents()
    print(json.dumps(seen))


def steps(bench: Any) -> tuple[Any, ...]:
    method = bench.store.method
    return () if method is None else method.source.steps


def rough(bench: Any) -> float:
    """The mean square above 5 kHz in the spectrum that is shown."""
    QTest.qWait(30)
    analysis = bench.context.results.analysis
    if analysis is None:
        return float("inf")
    spectrum = analysis.spectrum
    return float(np.sum(spectrum.mean_square[spectrum.frequency > 5000]))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
    QApplication.quit()
