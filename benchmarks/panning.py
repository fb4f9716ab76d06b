"""Redraws a second while panning and zooming over 250 million samples (goal: 20 or more)."""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np
import soundfile
from PyQt6.QtWidgets import QApplication

from benchmarks.home import offscreen_home

_SAMPLES = 250_000_000
_RATE = 51_200
_FRAMES = 120


def main() -> None:
    print("Pan and zoom over 250 M samples, 1600 pixels wide, waiting for each redraw\n")
    print("| view | redraws a second | slowest |")
    print("|--|--:|--:|")
    with offscreen_home() as folder:
        path = folder / "long.wav"
        _write(path)
        _measure(path)


def _write(path: Path) -> None:
    noise = (3000 * np.random.default_rng(0).standard_normal(1 << 20)).astype(np.int16)
    with soundfile.SoundFile(path, "w", _RATE, 1, subtype="PCM_16") as file:
        written = 0
        while written < _SAMPLES:
            block = noise[: _SAMPLES - written]
            file.write(block)
            written += len(block)


def _measure(path: Path) -> None:
    from tonecomb.desktop.app import make_application

    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.resize(1960, 900)
    bench.show()
    bench.opening.open_paths([path])
    _wait(app, 0.5)
    while bench.context.scheduler.busy:
        _wait(app, 0.05)
    bench.stage.show_view(0)
    _wait(app, 0.2)
    view = bench.stage.waveform
    duration = bench.store.current.duration  # type: ignore[union-attr]
    for name, spans in (
        ("pan, an hour wide", [(i * 5.0, i * 5.0 + 3600) for i in range(_FRAMES)]),
        ("zoom from all to a second", _zoom(duration, 1.0)),
        ("pan, a second wide", [(100 + i * 0.05, 101 + i * 0.05) for i in range(_FRAMES)]),
    ):
        taken = []
        for low, high in spans:
            begin = time.perf_counter()
            view.set_limits(low, high)
            app.processEvents()
            view.viewport().repaint()
            taken.append(time.perf_counter() - begin)
        print(f"| {name} | {len(taken) / sum(taken):.0f} | {max(taken) * 1e3:.0f} ms |")
    bench.store.mark_saved(Path("x"), bench.store.document)
    bench.close()


def _wait(app: QApplication, seconds: float) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        app.processEvents()
        time.sleep(0.005)


def _zoom(duration: float, last: float) -> list[tuple[float, float]]:
    middle = duration / 2
    widths = np.geomspace(duration, last, _FRAMES)
    return [(middle - w / 2, middle + w / 2) for w in widths]
