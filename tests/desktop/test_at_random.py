"""Whatever is done in whatever order: no defect, no source touched, and the window answers."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

DRIVE = Path(__file__).with_name("drive_at_random.py")
MOST_HELD_MS = 5_000
"""Far more than is wanted: other tests run beside, and what is held longer hangs."""


def driven(demo: Path, folder: Path, seed: int, steps: int, timeout: float) -> dict[str, Any]:
    environment = os.environ | {
        "QT_QPA_PLATFORM": "offscreen",
        "XDG_DATA_HOME": str(folder / "home"),
        "XDG_CONFIG_HOME": str(folder / "home"),
    }
    made = subprocess.run(
        [sys.executable, str(DRIVE), str(demo), str(folder / "work"), str(seed), str(steps)],
        env=environment,
        capture_output=True,
        text=True,
        timeout=timeout,
        check=False,
    )
    assert made.returncode == 0, f"seed {seed}: {made.stderr[-3000:]}"
    found = json.loads(made.stdout)
    assert isinstance(found, dict)
    return found


def check(found: dict[str, Any], seed: int) -> None:
    assert not found["faults"], f"seed {seed}: {found['faults'][0]}"
    assert not found["touched"], f"seed {seed}: a source was written to"
    assert found["longest_ms"][0] < MOST_HELD_MS, f"seed {seed}: {found['told'][:2]}"


def test_some_things_at_random(demo: Path, tmp_path: Path) -> None:
    seed = 7
    check(driven(demo, tmp_path, seed, 8, 180), seed)
