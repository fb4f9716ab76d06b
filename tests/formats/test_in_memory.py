"""What an open file holds in memory: a shelf may have a thousand of them."""

from __future__ import annotations

import gc
import subprocess
import sys
import tracemalloc
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from tests.support import read_all, recording

from tonecomb.core.record.blocks import BLOCKS
from tonecomb.formats.registry import WRITERS, open_recording, write_recording
from tonecomb.formats.report import figures
from tonecomb.formats.report.figures import Panel

_SUFFIXES = sorted({one.suffix for one in WRITERS})
_SAMPLES = 60_000


@pytest.mark.parametrize("suffix", _SUFFIXES)
def test_an_open_file_holds_none_of_its_samples(tmp_path: Path, suffix: str) -> None:
    x, y = np.random.default_rng(0).uniform(-0.5, 0.5, (2, _SAMPLES))
    path = tmp_path / f"a{suffix}"
    write_recording(path, recording(x, y, fs=8000.0, unit="V"))
    open_recording(path)  # what is loaded once for all
    gc.collect()
    tracemalloc.start()
    try:
        opened = open_recording(path)
        found = read_all(opened, 1).copy()
        read_all(opened, 0)
        BLOCKS.shrink(0)
        gc.collect()
        held = tracemalloc.get_traced_memory()[0] - found.nbytes
    finally:
        tracemalloc.stop()
    assert np.abs(found - y).max() < 1e-4  # 16 bit, at worst
    assert np.array_equal(read_all(opened, 1), found)  # read again
    assert held < x.nbytes / 4, f"{held >> 10} kB"


_PLANS = """
import numpy as np, scipy.fft
from tonecomb.core.estimate.transform import forget_plans
from tonecomb.desktop.app import give_memory_back
from tonecomb.desktop.state.memory import resident
give_memory_back()
scipy.fft.rfft(np.ones(1000))
before = resident()
for n in range(3):
    scipy.fft.rfft(np.ones(1_000_003 + 2 * n))
    scipy.fft.fft(np.ones(500_001 + n, np.complex64))
kept = resident()
forget_plans()
print((kept - before) >> 20, (resident() - before) >> 20)
"""


def test_plans_of_long_transforms_are_let_go_of() -> None:
    made = subprocess.run(
        [sys.executable, "-c", _PLANS], capture_output=True, text=True, check=True, timeout=120
    )
    kept, after = map(int, made.stdout.split())
    assert kept > 30, "the library keeps them"
    assert after < 20


def test_pictures_are_drawn_by_several_threads_at_once() -> None:
    """Powers of ten are set by a parser that all threads share."""

    def draw(part: Any) -> None:
        axes = part.subplots()
        axes.loglog([1, 10, 1e5], [1e-6, 1, 1e3])

    def picture(_: int) -> bytes:
        return figures.stacked([Panel(1.5, draw)], "svg")

    with ThreadPoolExecutor(3) as pool:
        every = list(pool.map(picture, range(6)))
    assert len(every) == 6 and all(one.endswith(b"</svg>\n") for one in every)
