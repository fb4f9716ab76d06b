"""Which frequencies and levels are shown when another channel is chosen, or the view is moved."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile

from tonecomb.core.document import select
from tonecomb.desktop.bench import Bench

FS = 6400


def test_what_there_is_to_see_is_in_view(
    bench: Bench, settle: Callable[[], None], tmp_path: Path
) -> None:
    t = np.arange(30 * FS) / FS
    noise = 0.001 * np.random.default_rng(0).standard_normal((len(t), 2))
    tones = 0.2 * np.cos(2 * np.pi * np.outer(t, [100.0, 392.0]))
    soundfile.write(tmp_path / "two.wav", tones + noise, FS, subtype="FLOAT")
    bench.opening.open_paths([tmp_path / "two.wav"])
    settle()
    spectrum, ref = bench.stage.spectrum, bench.store.document.recordings[0]

    def choose(channel: int) -> None:
        bench.store.apply("Choose", select(bench.store.document, ref.id, channel))
        settle()

    low = spectrum.limits()[1]
    assert 100 < low < 200
    choose(1)
    assert 392 < spectrum.limits()[1] < 700, "nobody chose the first channel's limits"
    spectrum.set_limits(20, 150)
    choose(0)
    choose(1)
    assert np.allclose(spectrum.limits(), (20, 150)), "who zoomed keeps what was chosen"
    assert spectrum.level_limits()[1] < -40, "noise alone is in view"
    spectrum.set_limits(20, 500)
    assert spectrum.level_limits()[1] > -17, "nothing that comes into view is cut off"
    spectrum.set_level_limits(-90, -60)
    spectrum.set_limits(10, 600)
    assert np.allclose(spectrum.level_limits(), (-90, -60)), "but levels that were chosen stay"
