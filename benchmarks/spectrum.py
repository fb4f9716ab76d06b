"""Averaged spectrum of 12 million samples: Hann, 50 % overlap, mean removed.

The floor is a bare ``ducc0.fft.r2c`` over the same frames (copied, no window) into memory that is
there, one thread, in float64. Samples come as float64 and as float32; they are transformed in
float64 either way.
"""

from __future__ import annotations

import ducc0
import numpy as np
import scipy.signal

from benchmarks.timing import medians
from tonecomb.core.estimate.framing import make_framing
from tonecomb.core.estimate.spectrum import averaged_spectrum
from tonecomb.core.record.windows import window

SAMPLES = 12_000_000
BATCH, ROWS = (
    1 << 15,
    4,
)  # samples, and rows at least, with which the bare transform is fastest here
GOALS = {1024: 8.0, 4096: 5.0, 65536: 2.5}


def main() -> None:
    x = np.random.default_rng(0).standard_normal(SAMPLES)
    short = x.astype(np.float32)
    print("Averaged spectrum, 12 M samples (goals: ≤ 1.35 one thread, ≤ 0.75 two)\n")
    print(
        "| frame | one thread / floor | two threads / floor | the same, float32 samples | "
        "| library / one thread (goal) "
        "| floor | worst difference from the library |"
    )
    print("|--:|--:|--:|--:|--:|--:|--:|--:|")
    for frame, goal in GOALS.items():
        framing = make_framing(SAMPLES, frame, 50, 1.0)
        hann = window("hann")
        weights = hann.samples(frame)

        def floor(frame: int = frame) -> None:
            frames = np.lib.stride_tricks.sliding_window_view(x, frame)[:: frame // 2]
            rows = max(ROWS, BATCH // frame)
            copied = np.empty((rows, frame))
            out = np.empty((rows, frame // 2 + 1), dtype=np.complex128)
            for first in range(0, len(frames), rows):
                some = frames[first : first + rows]
                np.copyto(copied[: len(some)], some)
                ducc0.fft.r2c(copied[: len(some)], axes=(1,), out=out[: len(some)])

        def ours(threads: int, framing=framing, hann=hann, x=x):  # type: ignore[no-untyped-def]
            return averaged_spectrum(lambda a, b: x[a:b], framing, 1.0, hann, threads=threads)

        def library(frame: int = frame, weights: np.ndarray = weights) -> np.ndarray:
            return np.asarray(scipy.signal.welch(x, 1.0, weights, frame, scaling="spectrum")[1])

        seconds = medians(
            {
                "floor": floor,
                "one": lambda: ours(1),
                "two": lambda: ours(2),
                "one short": lambda: ours(1, x=short),
                "two short": lambda: ours(2, x=short),
                "library": library,
            }
        )
        expected = library()
        difference = np.abs(ours(2).mean_square / expected - 1)[2:].max()
        print(
            f"| {frame} | {seconds['one'] / seconds['floor']:.2f} "
            f"| {seconds['two'] / seconds['floor']:.2f} "
            f"| {seconds['one short'] / seconds['floor']:.2f} "
            f"| {seconds['two short'] / seconds['floor']:.2f} "
            f"| {seconds['library'] / seconds['one']:.1f} ({goal:g}) "
            f"| {1000 * seconds['floor']:.0f} ms | {difference:.1e} |"
        )
