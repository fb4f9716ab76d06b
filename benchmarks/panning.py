"""Redraws a second while panning and zooming: a waveform of 250 million samples alone (goal: 60,
the slowest within 50 ms), and all views of the bench together (goal: 45).

A step is one new range, and is over when each view that it moves was painted. How many pictures a
step took is told: a view that is painted twice is slow for nothing; and the processor time of the
interface thread, which other programs do not lengthen.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from benchmarks.home import offscreen_home

_SAMPLES, _SHORTER = 250_000_000, 12_000_000
_RATE = 51_200
_FRAMES = 120
_REPEATS = 3
_HEAD = """| views | redraws a second | slowest | pictures a step | its own work a step |
|--|--:|--:|--:|--:|"""


def main() -> None:
    with offscreen_home() as folder:
        path = folder / "long.wav"
        bench, app = _bench()
        bench.resize(1960, 900)
        _show(bench, app, _written(path, _SAMPLES))
        print("Pan and zoom over 250 M samples, 1900 pixels wide\n")
        print(_HEAD)
        _alone(bench, app)
        bench.resize(1280, 800)
        _show(bench, app, _written(path.with_name("short.wav"), _SHORTER))
        print("\nAll views together, 12 M samples, 1280 × 800\n")
        print(_HEAD)
        _together(bench, app)
        bench.store.mark_saved(path, bench.store.document)
        bench.close()


def _written(path: Path, samples: int) -> Path:
    noise = (3000 * np.random.default_rng(0).standard_normal(1 << 20)).astype(np.int16)
    with soundfile.SoundFile(path, "w", _RATE, 1, subtype="PCM_16") as file:
        written = 0
        while written < samples:
            block = noise[: samples - written]
            file.write(block)
            written += len(block)
    return path


def _bench() -> tuple[Any, Any]:
    from tonecomb.desktop.app import make_application

    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    bench = Bench()
    bench.show()
    return bench, app


def _show(bench: Any, app: Any, path: Path) -> None:
    bench.opening.open_paths([path])
    _wait(app, 0.5)
    _rest(bench, app)


def _rest(bench: Any, app: Any) -> None:
    while bench.context.scheduler.busy:
        _wait(app, 0.05)
    _wait(app, 0.2)


def _wait(app: Any, seconds: float) -> None:
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        app.processEvents()
        time.sleep(0.005)


def _alone(bench: Any, app: Any) -> None:
    bench.stage.show_view(0)
    _rest(bench, app)
    view = bench.stage.waveform
    for name, spans in (
        ("pan, an hour wide", [(i * 5.0, i * 5.0 + 3600) for i in range(_FRAMES)]),
        ("zoom from all to a second", _zoom(bench.store.current.duration, 1.0)),
        ("pan, a second wide", [(100 + i * 0.05, 101 + i * 0.05) for i in range(_FRAMES)]),
    ):
        _tell(name, app, [view], [partial(view.set_limits, *one) for one in spans])


def _together(bench: Any, app: Any) -> None:
    """A hand drags the spectrum, whose frequencies the spectrogram follows and is computed for
    anew; the waveform is moved along."""
    from PyQt6.QtCore import QPoint, Qt
    from PyQt6.QtTest import QTest

    mouse: Any = QTest  # whose signatures are not as its stubs have them
    stage, shown = bench.stage, "waveform, spectrum"
    views = [stage.waveform, stage.spectrum]
    stage.toggle_second()
    port = stage.spectrum.viewport()
    middle, plain = Qt.MouseButton.MiddleButton, Qt.KeyboardModifier.NoModifier
    for pane in (None, "spectrogram"):
        if pane is not None:
            stage.show_pane(pane)
            shown += f", {pane}"
            views.append(stage.panes[pane].plots[0])
        stage.spectrum.set_limits(2000, 6000)
        _rest(bench, app)

        def move(i: int) -> None:
            stage.waveform.set_limits(20 + 0.2 * i, 80 + 0.2 * i)
            mouse.mouseMove(port, QPoint(500 - 3 * i, 60))

        mouse.mousePress(port, middle, plain, QPoint(510, 60))
        _tell(shown, app, views, [partial(move, i) for i in range(_FRAMES)])
        mouse.mouseRelease(port, middle, plain, QPoint(140, 60))


def _tell(name: str, app: Any, views: Sequence[Any], steps: Sequence[Callable[[], None]]) -> None:
    """Take the steps, and print the row."""
    from PyQt6.QtCore import QEvent, QObject

    class Watch(QObject):
        """Counts the paintings of each view."""

        def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
            if event is not None and event.type() == QEvent.Type.Paint:
                painted[watched] += 1
            return False

    watch = Watch()
    painted: dict[Any, int] = {view.viewport(): 0 for view in views}
    for view in views:
        view.viewport().installEventFilter(watch)
    rates, slowest, pictures, own = [], 0.0, 0, time.thread_time()
    for _ in range(_REPEATS):
        taken = []
        for step in steps:
            before = dict(painted)
            begin = time.perf_counter()
            while any(painted[one] == before[one] for one in painted):
                step()  # again, where the library had too many
                app.processEvents()
                if time.perf_counter() - begin > 5:
                    raise RuntimeError(f"{name}: a view was not painted")
            taken.append(time.perf_counter() - begin)
            pictures += sum(painted[one] - before[one] for one in painted)
        rates.append(len(taken) / sum(taken))
        slowest = max(slowest, *taken)
    for view in views:
        view.viewport().removeEventFilter(watch)
    took = _REPEATS * len(steps)
    print(
        f"| {name} | {min(rates):.0f}–{max(rates):.0f} | {1000 * slowest:.0f} ms "
        f"| {pictures / (took * len(views)):.2f} "
        f"| {1000 * (time.thread_time() - own) / took:.1f} ms |",
        flush=True,
    )


def _zoom(duration: float, last: float) -> list[tuple[float, float]]:
    middle = duration / 2
    widths = np.geomspace(duration, last, _FRAMES)
    return [(middle - w / 2, middle + w / 2) for w in widths]
