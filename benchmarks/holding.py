"""How long the interface thread is held by what a user does (goal: under 50 ms each time).

Nothing is painted then and no key is heard. Processor time of that thread is told as well, which
other programs and the worker threads do not lengthen.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

from benchmarks.home import offscreen_home

_SAMPLES, _RATE = 12_000_000, 51_200
_STEPS = 12
_BEAT_MS = 2


def main() -> None:
    print("Longest hold of the interface thread, 12 M samples (goal: under 50 ms)\n")
    print("| what is done | held | of its own work |")
    print("|--|--:|--:|")
    with offscreen_home() as folder:
        path = folder / "a.wav"
        t = np.arange(_SAMPLES) / _RATE
        noise = 0.05 * np.random.default_rng(0).standard_normal(_SAMPLES)
        tones = sum(0.2 / h * np.cos(2 * np.pi * 24.7 * h * t) for h in range(1, 9))
        soundfile.write(path, 0.3 * tones + noise, _RATE, subtype="FLOAT")
        _measure(path)


class _Beats:
    """Notes the longest time between two beats of the event loop beyond the beat itself, and what
    its thread worked meanwhile."""

    def __init__(self) -> None:
        from PyQt6.QtCore import Qt, QTimer

        self.longest = self.own = self._last = self._last_own = 0.0
        self._timer = QTimer()
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.timeout.connect(self._beat)
        self._timer.start(_BEAT_MS)
        self.anew()

    def _beat(self) -> None:
        now, own = time.perf_counter(), time.thread_time()
        self.longest = max(self.longest, now - self._last - _BEAT_MS / 1000)
        self.own = max(self.own, own - self._last_own)
        self._last, self._last_own = now, own

    def anew(self) -> None:
        self.longest = self.own = 0.0
        self._last, self._last_own = time.perf_counter(), time.thread_time()


def _measure(path: Path) -> None:
    from PyQt6.QtCore import QEventLoop, QTimer

    from tonecomb.desktop.app import make_application

    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench
    from tonecomb.desktop.kit import gesture

    bench: Any = Bench()
    bench.resize(1280, 800)
    bench.show()
    beats = _Beats()

    def wait(ms: int) -> None:
        inner = QEventLoop()
        QTimer.singleShot(ms, inner.quit)
        inner.exec()

    def settle() -> None:
        wait(150)
        while bench.context.scheduler.busy:
            wait(20)
        wait(50)

    every: list[tuple[str, float, float]] = []

    def done(name: str, *acts: Callable[[], object]) -> None:
        settle()
        beats.anew()
        for act in acts:
            QTimer.singleShot(0, act)
            wait(30)
        settle()
        every.append((name, beats.longest, beats.own))
        print(f"| {name} | {1000 * beats.longest:.0f} ms | {1000 * beats.own:.0f} ms |", flush=True)

    stage, edit = bench.stage, bench.store.edit_method
    done("open", lambda: bench.opening.open_paths([path]))

    def by_hand(plot: Any, low: float, high: float) -> None:
        gesture.moves()
        plot.set_limits(low, high)

    def moves(plot: Any, first: tuple[float, float], by: float) -> list[Callable[[], object]]:
        low, high = first
        return [partial(by_hand, plot, low + k * by, high + k * by) for k in range(_STEPS)]

    def zooms(plot: Any, middle: float, wide: float) -> list[Callable[[], object]]:
        widths = np.geomspace(wide, wide / 100, _STEPS).tolist()
        return [partial(by_hand, plot, middle - w, middle + w) for w in widths]

    for extra in (None, *stage.specs):
        if extra is not None:
            done(f"show {extra}", partial(stage.show_pane, extra))
        if extra in (None, "spectrogram", "waterfall"):
            beside = f", {extra} beside" if extra else ""
            done(f"pan the spectrum{beside}", *moves(stage.spectrum, (100, 2100), 150))
            done(f"zoom the spectrum{beside}", *zooms(stage.spectrum, 12000, 12000))
            done(f"pan the waveform{beside}", *moves(stage.waveform, (20, 80), 5))
            done(f"zoom the waveform{beside}", *zooms(stage.waveform, 100, 100))
            done(
                f"another window{beside}",
                lambda: edit("Window", window="blackman-harris"),
                lambda: edit("Window", window="hann"),
            )
            done(f"a long frame{beside}", lambda: edit("Frame", frame=1 << 20))
            done(f"pan its spectrum{beside}", *moves(stage.spectrum, (100, 20100), 150))
            done(f"a short frame{beside}", lambda: edit("Frame", frame=8192))
            done(
                f"density{beside}",
                lambda: edit("Scaling", scaling="psd"),
                lambda: edit("Scaling", scaling="amplitude"),
            )
            done(
                f"step through frames{beside}",
                *[lambda: bench.context.moments.step(1) for _ in range(_STEPS)],
            )
        if extra is not None and extra not in ("spectrogram", "waterfall"):
            done(f"hide {extra}", partial(stage.toggle_pane, extra))
    done("by night", lambda: bench.action("Night theme").trigger())
    worst = max(every, key=lambda one: one[2])
    print(
        f"\nLongest: {worst[0]}, {1000 * worst[1]:.0f} ms, {1000 * worst[2]:.0f} ms of it its own"
    )
    bench.store.mark_saved(path, bench.store.document)
    bench.close()
    del app
