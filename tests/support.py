"""Recordings made for a test."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import ArraySamples, Channel, Recording
from tonecomb.core.record.windows import WINDOWS
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.estimate import run_spectrum

SUMS = [name for name, one in WINDOWS.items() if one.terms]
"""Windows that are sums of cosines: exact on the bins."""
FEW = ["rectangular", "hann", "hamming", "blackman-harris", "flat-top"]
"""Windows for tests that take their time."""


def recording(*columns: np.ndarray, fs: float = 1000.0, unit: str = "m/s²") -> Recording:
    """A recording in memory."""
    return Recording(
        id="r",
        name="made",
        format="made",
        sample_rate=fs,
        rate_source="given",
        rate_found="given",
        length=len(columns[0]),
        channels=tuple(Channel(f"c{i + 1}", unit) for i in range(len(columns))),
        samples=ArraySamples.of(*columns),
    )


def tone(n: int, bins: float, size: int, amplitude: float = 1.0, phase: float = 0.3) -> np.ndarray:
    """A cosine of ``bins`` cycles in ``size`` samples, ``n`` samples long."""
    return amplitude * np.cos(2 * np.pi * bins / size * np.arange(n) + phase)


def write_csv(
    path: Path, rows: int = 400, step: float = 5.0, header: str = "time [ms];x [g]"
) -> Path:
    """A table with a time column and one channel."""
    lines = [header, *(f"{i * step:.3f};{np.sin(i / 3):.6f}" for i in range(rows))]
    path.write_text("\n".join(lines) + "\n")
    return path


def read_all(recorded: Any, channel: int = 0) -> np.ndarray:
    """All samples of a channel."""
    return np.asarray(recorded.samples.read(channel, 0, recorded.length))


def estimated(method: Method, recorded: Recording) -> Analysis:
    """The spectrum of a recording as the method shows it, without looking for peaks."""
    return Analysis.of(run_spectrum(method, recorded), None, method, recorded)
