"""A signal that is still coming, from the node in a second process: pictures a second, how much of
one core the bench takes for them, how old what is painted is, and what was lost.

How old: from when the newest sample shown was handed to the spool until its picture was painted.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

_SECONDS = 12.0
_PORT = 5790


@dataclass(frozen=True)
class Case:
    """What is sent, and which views are open."""

    called: str
    channels: int
    rate: int
    seconds: float = 1.0
    frame: int = 8192
    panes: tuple[str, ...] = ()


CASES = (
    Case("one channel, waveform over spectrum, frames of 2048", 1, 48_000, 0.5, 2048),
    Case("one channel, waveform over spectrum, frames of 4096", 1, 48_000, 0.5, 4096),
    Case("8 channels, waveform over spectrum", 8, 51_200),
    Case("8 channels, with the spectrogram", 8, 51_200, panes=("spectrogram",)),
    Case("32 channels, one shown", 32, 51_200),
)


@dataclass
class Seen:
    """Of one view: when each new picture was painted, and how old what it shows was then (s)."""

    painted: int = 0
    ages: list[float] = field(default_factory=list)


def main() -> None:
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as the program has it
    with tempfile.TemporaryDirectory() as folder:
        for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
            os.environ[name] = folder
        print(
            "| what is sent and shown | pictures a second | of one core | waveform is old, "
            "median and 95 % | spectrum is old, median and 95 % | lost, held 1 s |"
        )
        print("|---|--:|--:|--:|--:|--:|")
        _measure(Path(folder))


def _measure(folder: Path) -> None:
    from tonecomb.desktop.app import make_application

    app = make_application(["tone-comb"])
    from tonecomb.desktop.bench import Bench

    for i, case in enumerate(CASES):
        described = folder / f"{i}.sdp"
        sender = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "tonecomb",
                "node",
                "--channels",
                str(case.channels),
                "--rate",
                str(case.rate),
                "--port",
                str(_PORT + i),
                "--encoding",
                "L16",
                "--sdp",
                str(described),
            ],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
        )
        bench = Bench()
        try:
            bench.resize(1280, 800)
            bench.show()
            while not described.exists():
                time.sleep(0.05)
            print(_of(case, bench, app, str(described)), flush=True)
        finally:
            bench.live.end()
            bench.store.mark_saved(Path(__file__), bench.store.document)
            bench.close()
            sender.kill()
            sender.wait()


def _of(case: Case, bench: Any, app: Any, source: str) -> str:
    from tonecomb.desktop.stage.bars.live_bar import Last

    bench.stage.live_bar.choice.choose(Last(case.seconds))
    bench.live.go(source)
    _until(app, lambda: bench.context.results.analysis is not None)
    for pane in case.panes:
        bench.stage.show_pane(pane)
    bench.store.edit_method("Frames", frame=case.frame)
    _for(app, 3.0)
    waves, spectra = Seen(), Seen()
    watches = (
        _watch(bench, bench.stage.waveform, waves, lambda: bench.stage.waveform.envelope),
        _watch(bench, bench.stage.spectrum, spectra, lambda: bench.context.results.analysis),
    )
    start, used = time.perf_counter(), time.process_time()
    _for(app, _SECONDS)
    took, used = time.perf_counter() - start, time.process_time() - used
    del watches
    time.sleep(1.0)  # the interface is held
    _for(app, 1.0)
    lost = bench.live.progressed.counts.lost_samples
    return (
        f"| {case.called} | {min(waves.painted, spectra.painted) / took:.1f} | "
        f"{100 * used / took:.0f} % | {_told(waves)} | {_told(spectra)} | {lost} |"
    )


def _told(seen: Seen) -> str:
    ages = sorted(seen.ages)
    if not ages:
        return "–"
    return f"{1000 * statistics.median(ages):.0f}, {1000 * ages[int(0.95 * len(ages))]:.0f} ms"


def _watch(bench: Any, view: Any, seen: Seen, shows: Any) -> Any:
    from PyQt6.QtCore import QEvent, QObject

    class Watch(QObject):
        """Counts a painting for each new thing that is shown."""

        last: Any = None

        def eventFilter(self, _: QObject | None, event: QEvent | None) -> bool:
            if event is not None and event.type() == QEvent.Type.Paint and shows() is not self.last:
                self.last = shows()
                seen.painted += 1
                seen.ages.append(time.monotonic() - bench.live.heard)
            return False

    watch = Watch()
    view.viewport().installEventFilter(watch)
    return watch


def _until(app: Any, there: Any) -> None:
    end = time.monotonic() + 20
    while not there() and time.monotonic() < end:
        app.processEvents()
        time.sleep(0.002)


def _for(app: Any, seconds: float) -> None:
    """Let the bench run as it does, without burning time between events."""
    from PyQt6.QtCore import QEventLoop, QTimer

    loop = QEventLoop()
    QTimer.singleShot(round(1000 * seconds), loop.quit)
    loop.exec()
