"""Half an hour of eight channels at 51.2 kHz (``-m slow``; SOAK_MINUTES for another time)."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from statistics import median
from typing import Any

import pytest

from tonecomb.desktop.bench import Bench
from tonecomb.desktop.stage.bars.live_bar import Last
from tonecomb.desktop.state.memory import resident

_GROWS = 40 << 20  # bytes that memory may grow by, once all views were there
_PEAK = 150 << 20  # more than then that it may need for a moment


@pytest.fixture(scope="session")
def qapp_cls() -> Callable[[list[str]], Any]:
    from tonecomb.desktop.app import give_memory_back, make_application

    give_memory_back()  # as the program does
    return make_application


@pytest.mark.slow
def test_nothing_is_lost_and_memory_stays(qtbot: Any, tmp_path: Path) -> None:
    bench = Bench()  # without what other tests remember
    bench.resize(1280, 800)
    bench.show()
    described = tmp_path / "node.sdp"
    node = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "tonecomb",
            "node",
            "--channels",
            "8",
            "--rate",
            "51200",
            "--port",
            "5899",
            "--encoding",
            "L16",
            "--sdp",
            str(described),
        ],
        stdout=subprocess.DEVNULL,
        stdin=subprocess.DEVNULL,
    )
    minutes = float(os.environ.get("SOAK_MINUTES", "30"))
    sizes = []
    try:
        qtbot.waitUntil(described.exists, timeout=10_000)
        bench.stage.live_bar.choice.choose(Last(1.0))
        bench.live.go(str(described))
        bench.stage.show_pane("spectrogram")
        end = time.monotonic() + 60 * minutes
        while time.monotonic() < end:
            qtbot.wait(20_000)
            time.sleep(1.0)  # the interface is held
            sizes.append(resident())
            progressed = bench.live.progressed
            assert progressed is not None and progressed.age < 1.0
            assert progressed.counts.lost_samples == 0, f"after {len(sizes)} looks"
        print(f"{minutes:g} min, memory in MB:", *(size >> 20 for size in sizes))
        quarter = len(sizes) // 4
        settled, late = median(sizes[quarter : 2 * quarter]), median(sizes[-quarter:])
        assert late - settled < _GROWS  # a leak, not what a moment needs
        assert max(sizes[quarter:]) - settled < _PEAK
    finally:
        bench.live.end()
        bench.store.mark_saved(tmp_path / "saved", bench.store.document)
        bench.close()
        node.kill()
        node.wait()
