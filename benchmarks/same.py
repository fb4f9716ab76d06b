"""Whether a change leaves every figure as it was.

``python -m benchmarks.same write FILE`` runs some seventy commands on the demo, on files of other
formats and on made signals, and keeps what they say; ``… against FILE``, with the program as it is
now, runs them again and lists each figure that is another. Only the command line is used, so that
the program may be turned inside out between the two.
"""

from __future__ import annotations

import json
import math
import os
import re
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

# What may differ between two runs of one program: times of day.
_PASSING = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?)?( UTC|Z|\+00:00)?")
_LISTED = 40

OPTIONS = (
    (),
    ("--window", "flat-top"),
    ("--frame", "4096", "--overlap", "75"),
    ("--pad", "4"),
    ("--average", "median"),
    ("--average", "exponential"),
    ("--average", "single"),
    ("--average", "max"),
    ("--as", "velocity", "--draw", "octave:3"),
    ("--as", "displacement", "--scaling", "psd"),
    ("--octaves", "3"),
    ("--slices", "4"),
    ("--track", "5:30:1,2,17", "--frame", "8192"),
    ("--step", "decimate:4"),
    ("--step", "low-pass:1000"),
    ("--step", "envelope:1000:3000"),
    ("--step", "integral"),
    ("--detrend", "line", "--stretch", "5:25"),
    ("--fit", "55:70"),
    ("--peaks-above", "80"),
    ("--shaft", "24.3"),
    ("--strike", "3:4", "--leave-clipped"),
)
"""What one recording of a machine is analysed with."""


def commands(demo: Path, work: Path) -> Iterator[tuple[str, list[str]]]:
    """A name for each command and its words."""
    drive, runs = demo / "drive-steady.h5", demo / "run-up.flac"
    for i, options in enumerate(OPTIONS):
        yield (
            f"drive {' '.join(options)}",
            ["analyse", str(drive), "--channel", str(i % 3 + 1), *options, "--json"],
        )
    for path in sorted(demo.iterdir()):
        if path.suffix != ".json":
            yield f"describe {path.name}", ["describe", str(path), "--json"]
            yield f"analyse {path.name}", ["analyse", str(path), "--json"]
    yield "power sum", ["analyse", str(drive), "--power-sum", "--json"]
    yield (
        "run-up",
        [
            "analyse",
            str(runs),
            "--channel",
            "2",
            "--frame",
            "4096",
            "--run-up",
            "4.5:30:1,2,17",
            "--speed-from",
            "Motor DE",
            "--json",
        ],
    )
    yield (
        "taps",
        [
            "analyse",
            str(demo / "bracket-taps.uff"),
            "--reference",
            "1",
            "--taps",
            "--modes",
            "20:1200",
            "--json",
        ],
    )
    yield (
        "compare",
        ["compare", str(drive), str(demo / "undersampled.wav"), "--channel", "1", "--json"],
    )
    for suffix in ("wav", "flac", "csv", "uff", "parquet", "feather"):
        target = work / f"drive.{suffix}"
        yield f"convert {suffix}", ["convert", str(drive), str(target), "--force"]
        yield f"read {suffix}", ["analyse", str(target), "--channel", "1", "--json"]
    for path in foreign(work):
        yield f"foreign {path.name}", ["analyse", str(path), "--rate", "2000", "--json"]
    for name in ("two-tones", "sweep", "hits", "gear"):
        yield f"make {name}", ["make", name, str(work / f"{name}.h5")]
        yield f"made {name}", ["analyse", str(work / f"{name}.h5"), "--json"]
    plan = work / "plan.json"
    plan.write_text(
        json.dumps(
            {
                "format": "tone-comb plan",
                "version": 1,
                "rules": [],
                "limits": [
                    {"name": "most", "kind": "overall", "zones": [{"name": "A", "to": 0.5}]}
                ],
            }
        )
    )
    yield (
        "batch",
        [
            "batch",
            str(plan),
            str(drive),
            str(runs),
            "--out",
            str(work / "batch"),
            "--no-reports",
            "--json",
        ],
    )
    yield "steps", ["steps"]
    yield "manual", ["manual"]


def foreign(work: Path) -> Iterator[Path]:
    """Files as other programs write them, 20 s of 2 kHz."""
    t, chance = np.arange(40_000) / 2000, np.random.default_rng(36)
    noise = 0.05 * chance.standard_normal(len(t))
    hum = np.cos(2 * np.pi * 50 * t) + 0.3 * np.cos(2 * np.pi * 150 * t) + noise
    swing = np.cos(2 * np.pi * 88 * t + 3 * np.sin(2 * np.pi * 0.5 * t)) + noise
    hits = np.zeros(len(t))
    hits[::200] = 1.0
    rung = np.convolve(hits, np.exp(-np.arange(300) / 40) * np.sin(np.arange(300)))[: len(t)]
    for name, x in (("hum", hum), ("swing", swing), ("rung", rung + noise)):
        np.savetxt(work / f"{name}.txt", np.column_stack([t, x]), fmt="%.6f", delimiter="\t")
        yield work / f"{name}.txt"
        np.save(work / f"{name}.npy", x.astype(np.float32))
        yield work / f"{name}.npy"


def said(words: list[str], work: Path) -> Any:
    """What a command answers, without what passes and where it works."""
    done = subprocess.run(
        [sys.executable, "-P", "-m", "tonecomb", *words],
        capture_output=True,
        text=True,
        check=False,
        env=os.environ,
    )
    text, wrong = (
        _PASSING.sub("…", one.replace(str(work), "…")) for one in (done.stdout, done.stderr)
    )
    try:
        return [done.returncode, json.loads(text)]
    except ValueError:
        return [done.returncode, text, wrong]


def differences(before: Any, now: Any, place: str = "") -> Iterator[str]:
    """Where two answers differ, figure by figure."""
    if isinstance(before, dict) and isinstance(now, dict):
        for key in sorted({*before, *now}):
            yield from differences(before.get(key), now.get(key), f"{place}.{key}")
    elif isinstance(before, list) and isinstance(now, list) and len(before) == len(now):
        for i, (one, other) in enumerate(zip(before, now, strict=True)):
            yield from differences(one, other, f"{place}[{i}]")
    elif before != now and not _both_nan(before, now):
        yield f"{place}: {str(before)[:80]} → {str(now)[:80]}"


def _both_nan(one: Any, other: Any) -> bool:
    return all(isinstance(value, float) and math.isnan(value) for value in (one, other))


def main() -> None:
    """Write, or hold against, the file that is named."""
    way, file = sys.argv[1], Path(sys.argv[2])
    with tempfile.TemporaryDirectory() as folder:
        work = Path(folder)
        said(["demo-data", str(work / "demo")], work)
        answers = {name: said(words, work) for name, words in commands(work / "demo", work)}
    if way == "write":
        file.write_text(json.dumps(answers))
        print(f"{len(answers)} answers")
        return
    before = json.loads(file.read_text())
    every = [
        f"{name}{line}" for name in before for line in differences(before[name], answers.get(name))
    ]
    print("\n".join(every[:_LISTED]))
    print(f"{len(answers)} answers, {len(every)} figures are others")


if __name__ == "__main__":
    main()
