"""Filters and regions against the bare transforms and recursions that they cannot do without.

Goals: a causal filter ≤ 1.3 × ``scipy.signal.sosfilt`` over the whole, regions ≤ 2 × one forward
and one inverse transform a frame.
"""

from __future__ import annotations

import numpy as np
import scipy.fft
from scipy import signal

from benchmarks.timing import medians
from tonecomb.core.record.recording import ArraySamples, Channel, Recording
from tonecomb.core.steps.comb_notch import CombNotch
from tonecomb.core.steps.filters import HighPass, LowPass, Notch
from tonecomb.core.steps.isolate import Isolate
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.regions import Region, RegionBox, RegionTooth
from tonecomb.core.steps.step import Step

FS, N = 51_200.0, 4_000_000
BLOCK = 1 << 18


def _through(x: np.ndarray, step: Step) -> None:
    """Read all of a record after a step, block by block, nothing kept from before."""
    made = Recording(
        id="r",
        name="made",
        format="made",
        sample_rate=FS,
        rate_source="given",
        rate_found="given",
        length=len(x),
        channels=(Channel("x", "V"),),
        samples=ArraySamples.of(x),
    )
    samples = prepare(made, (step,)).samples
    for start in range(0, len(x), BLOCK):
        samples.read(0, start, min(start + BLOCK, len(x)))


def main() -> None:
    x = np.random.default_rng(0).normal(size=N)
    sos = signal.butter(4, 1000, fs=FS, output="sos")
    notch = Notch(50.0, 1.0, True)
    works = {
        "sosfilt": lambda: signal.sosfilt(sos, x),
        "low-pass, causal": lambda: _through(x, LowPass(1000.0, causal=True)),
        "low-pass": lambda: _through(x, LowPass(1000.0)),
        "sosfilt, one section": lambda: signal.sosfilt(notch.sections(FS).sos, x),
        "notch of 1 Hz, causal": lambda: _through(x, notch),
        "notch of 1 Hz": lambda: _through(x, Notch(50.0, 1.0)),
        "high-pass of 1 Hz": lambda: _through(x, HighPass(1.0)),
    }
    took = medians(works, 5)
    print(f"{N / 1e6:.0f} million samples, filters read block by block, over sosfilt at once\n")
    print("| filter | time / sosfilt |")
    print("|:--|--:|")
    for name in ("low-pass, causal", "low-pass", "high-pass of 1 Hz"):
        print(f"| {name} | {took[name] / took['sosfilt']:.2f} |")
    for name in ("notch of 1 Hz, causal", "notch of 1 Hz"):
        print(f"| {name} | {took[name] / took['sosfilt, one section']:.2f} |")
    _regions(x)


def _regions(x: np.ndarray) -> None:
    frame, hop = 8192, 2048

    def bare() -> None:
        frames = np.lib.stride_tricks.sliding_window_view(x, frame)[::hop]
        for first in range(0, len(frames), 16):
            scipy.fft.irfft(scipy.fft.rfft(frames[first : first + 16], axis=1), axis=1)

    span = N / FS
    boxes: tuple[Region, ...] = (
        RegionBox(0.1 * span, 0.9 * span, 1000, 5000),
        RegionBox(-1, 2 * span, 0, 1e5),
    )
    took = medians(
        {
            "bare": bare,
            "two boxes": lambda: _through(x, Isolate(boxes, frame=frame)),
            "a tooth": lambda: _through(x, Isolate((RegionTooth(7, 0.0, ((0.0, 60.0),)),))),
            "comb notch": lambda: _through(x, CombNotch(50.0)),
        },
        3,
    )
    print(
        "\nRegions and teeth, over one forward and one inverse transform a frame of 8192 / 2048\n"
    )
    print("| what | time / bare | s a million samples |")
    print("|:--|--:|--:|")
    for name in ("two boxes", "a tooth", "comb notch"):
        print(f"| {name} | {took[name] / took['bare']:.2f} | {took[name] / N * 1e6:.2f} |")
