"""``./run bench [NAME …]``: print each benchmark, or the named ones, as Markdown tables."""

from __future__ import annotations

import os
import platform
import sys

from benchmarks import (
    accuracy,
    dragging,
    editing,
    filtering,
    growth,
    holding,
    live,
    memory,
    panning,
    peaks,
    reading,
    scaling,
    spectrogram,
    spectrum,
    start,
    statements,
    truth,
    waterfall,
)

BENCHMARKS = {
    "spectrum": spectrum.main,
    "spectrogram": spectrogram.main,
    "peaks": peaks.main,
    "start": start.main,
    "memory": memory.main,
    "reading": reading.main,
    "panning": panning.main,
    "editing": editing.main,
    "accuracy": accuracy.main,
    "truth": truth.main,
    "statements": statements.main,
    "waterfall": waterfall.main,
    "filtering": filtering.main,
    "dragging": dragging.main,
    "live": live.main,
    "scaling": scaling.main,
    "growth": growth.main,
    "holding": holding.main,
}


def main() -> None:
    wanted = sys.argv[1:] or list(BENCHMARKS)
    unknown = [name for name in wanted if name not in BENCHMARKS]
    if unknown:
        sys.exit(f"There is no benchmark {unknown[0]}; choose from {', '.join(BENCHMARKS)}.")
    print(f"{os.cpu_count()} cores, Python {platform.python_version()}, {platform.system()}\n")
    for name in wanted:
        BENCHMARKS[name]()
        print(flush=True)


if __name__ == "__main__":
    main()
