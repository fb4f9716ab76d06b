"""``./run endure [NAME …]``: hours of kills, damaged files, random actions and live input.

Every trial that is done is kept in ``build/endure/done.json`` with its figures, so that it goes on
where it was after Ctrl+C; ``--anew`` begins from the start. Prints a table for
``docs/reliability.md``; ends with 1 where a trial failed.
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tests.desktop.test_at_random import driven
from tests.endure.killed import KILLS
from tests.formats.test_fuzz import CONTRACTS

from tonecomb.formats import atomic

ROOT = Path(__file__).parents[2]
_KEPT = ROOT / "build" / "endure"
_KILLS = {"editing": 5, "saving": 20, "exporting": 15, "batch": 15, "live": 10, "record": 15}
_MUTATIONS, _ACTIONS, _MINUTES = 2500, 1000, 60.0
Figures = dict[str, Any]


@dataclass(frozen=True)
class Trial:
    """One trial, by its key; ``run`` gets an empty folder and gives its figures."""

    key: str
    run: Callable[[Path], Figures]

    @property
    def group(self) -> str:
        return self.key.rpartition(" ")[0]


def _kill(kind: str, seed: int) -> Trial:
    def run(folder: Path) -> Figures:
        KILLS[kind](folder, seed)
        return {"kills": 5 if kind == "editing" else 1}

    return Trial(f"kill while {kind} {seed}", run)


def _mutations(contract: str) -> Trial:
    def run(folder: Path) -> Figures:
        done = subprocess.run(
            [
                sys.executable,
                "-X",
                "faulthandler",
                "-m",
                "tests.formats.fuzz",
                f"{_MUTATIONS}",
                contract,
            ],
            capture_output=True,
            text=True,
            cwd=ROOT,
            check=False,
        )
        assert done.returncode == 0 and not done.stderr, done.stderr[-3000:]
        slowest, memory = map(float, done.stdout.split())
        assert slowest < 5 and memory < 1000, (slowest, memory)
        return {"slowest s": round(slowest, 2), "memory MB": round(memory)}

    return Trial(f"damaged files {contract.removeprefix('Test')}", run)


def _random(seed: int) -> Trial:
    def run(folder: Path) -> Figures:
        from tonecomb.demo import ropeway

        demo = folder / "demo"
        ropeway.write(demo)
        found = driven(demo, folder, seed, _ACTIONS, 6 * 3600)
        assert not found["faults"], found["faults"][0]
        assert not found["touched"], found["touched"]
        return {
            "own ms": found["own_ms"][0],
            "over 250 ms": sum(one > 250 for one in found["own_ms"]),
            "memory MB": found["memory_mb"][1],
            "emptied MB": found["memory_mb"][2],
        }

    return Trial(f"random actions {seed}", run)


def _live(minutes: float) -> Trial:
    def run(folder: Path) -> Figures:
        done = subprocess.run(
            [sys.executable, "-m", "tests.endure.live", f"{minutes}", str(folder)],
            capture_output=True,
            text=True,
            cwd=ROOT,
            check=False,
        )
        assert done.returncode == 0, done.stderr[-3000:]
        found = json.loads(done.stdout)
        share = found["lost"] / (found["lost"] + found["taken"])
        assert 0.007 < share < 0.013, found
        settled, most, last = found["memory MB"]
        assert last - settled < 40 and most - settled < 150, found
        assert found["seconds behind"] < 1.5, found
        return dict(found)

    return Trial(f"live minutes {minutes:g}", run)


def trials(minutes: float) -> list[Trial]:
    """All of them, the quick ones first."""
    return [
        *(_kill(kind, seed) for kind, count in _KILLS.items() for seed in range(count)),
        *map(_mutations, CONTRACTS),
        *map(_random, (1, 2, 3)),
        _live(minutes),
    ]


def main() -> int:
    asked = argparse.ArgumentParser(prog="./run endure", description=(__doc__ or "").split("\n")[0])
    asked.add_argument("names", nargs="*", help="only trials with these words in their names")
    asked.add_argument("--anew", action="store_true", help="forget what was done")
    asked.add_argument("--minutes", type=float, default=_MINUTES, help="of live input")
    wanted = asked.parse_args()
    _KEPT.mkdir(parents=True, exist_ok=True)
    path = _KEPT / "done.json"
    done: dict[str, Figures] = {}
    if path.exists() and not wanted.anew:
        done = json.loads(path.read_text())
    every = [
        one
        for one in trials(wanted.minutes)
        if not wanted.names or any(name in one.key for name in wanted.names)
    ]
    for one in every:
        if one.key in done and "failed" not in done[one.key]:
            continue
        folder, begun = Path(tempfile.mkdtemp(prefix="endure-")), time.monotonic()
        try:
            figures = one.run(folder)
        except Exception as error:
            traceback.print_exc()
            figures = {"failed": f"{type(error).__name__}: {error}"[:500]}
        shutil.rmtree(folder, ignore_errors=True)
        done[one.key] = figures | {"seconds": round(time.monotonic() - begun, 1)}
        atomic.write_text(path, json.dumps(done, indent=1))
        print(one.key, done[one.key], flush=True)
    return _told([one for one in every if one.key in done], done)


def _told(every: list[Trial], done: dict[str, Figures]) -> int:
    print(f"\n{os.cpu_count()} cores\n")
    print("| trial | done | failed | figures at worst |\n|--|--:|--:|--|")
    groups: dict[str, list[Figures]] = {}
    for one in every:
        groups.setdefault(one.group, []).append(done[one.key])
    failed = 0
    for group, all_of_it in groups.items():
        wrong = sum("failed" in one for one in all_of_it)
        failed += wrong
        worst: dict[str, Any] = {}
        for one in all_of_it:
            for name, value in one.items():
                if name == "kills":
                    worst[name] = worst.get(name, 0) + value
                elif name not in ("failed", "seconds"):
                    worst[name] = max(worst[name], value) if name in worst else value
        told = ", ".join(f"{name} {value}" for name, value in worst.items())
        print(f"| {group} | {len(all_of_it)} | {wrong} | {told} |")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
