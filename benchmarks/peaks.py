"""Refinement of many tones, against one transform of each frame."""

from __future__ import annotations

from functools import partial

import numpy as np
import scipy.fft

from benchmarks.timing import medians
from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.find.tones import fit_tones
from tonecomb.core.record.windows import window


def main() -> None:
    print(
        "Tones fitted jointly, Hann, 50 % overlap (goals: one ≤ 1.5 ms, over 200 frames "
        "≤ 6 ms, of thirty ≤ 0.5 ms each)\n"
    )
    print("| frame | frames | tones | fit / transforms | ms a peak |")
    print("|--:|--:|--:|--:|--:|")
    rng = np.random.default_rng(0)
    for frame, frames in ((4096, 1), (4096, 200), (32768, 30)):
        for count in (1, 30):
            x, bins = _tones(frame, frames, count, rng)
            seconds = medians(
                {
                    "fit": partial(_fit, x, frame, bins),
                    "transforms": partial(_transforms, x, frame),
                }
            )
            print(
                f"| {frame} | {frames} | {count} | {seconds['fit'] / seconds['transforms']:.1f} "
                f"| {1000 * seconds['fit'] / count:.2f} |"
            )


def _tones(
    frame: int, frames: int, count: int, rng: np.random.Generator
) -> tuple[np.ndarray, np.ndarray]:
    """Tones of amplitude 1 evenly over the axis in noise 17 dB below each, and their bins."""
    length = frame + (frames - 1) * frame // 2
    bins = 20.3 + np.arange(count) * (frame / 2 - 60) / count
    t = np.arange(length)
    x = sum((np.cos(2 * np.pi * b / frame * t) for b in bins), start=np.zeros(length))
    return x + 0.1 * rng.standard_normal(length), bins


def _fit(x: np.ndarray, frame: int, bins: np.ndarray) -> None:
    framing = make_framing(len(x), frame, 50, 1.0)
    floor = np.full(len(bins), 2 * 0.01 * 1.5 / frame)
    start = (bins + 0.03) / frame
    fit_tones(lambda a, b: x[a:b], framing, 1.0, window("hann"), start, floor)


def _transforms(x: np.ndarray, frame: int) -> None:
    for row in np.lib.stride_tricks.sliding_window_view(x, frame)[:: frame // 2]:
        scipy.fft.rfft(row)
