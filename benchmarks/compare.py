"""``python -m benchmarks.compare COMMIT [NAME …]``: benchmarks of a commit and of what is here, in
turn, so that a slow spell of the machine hits both alike."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
TURNS = 3


def main() -> None:
    """Print both, three times."""
    if len(sys.argv) < 2:
        sys.exit("Name a commit, and benchmarks if not all are wanted.")
    commit, names = sys.argv[1], sys.argv[2:]
    with tempfile.TemporaryDirectory() as name:
        before = Path(name) / "before"
        subprocess.run(
            ["git", "worktree", "add", "--detach", "--quiet", str(before), commit],
            cwd=ROOT,
            check=True,
        )
        try:
            for turn in range(1, TURNS + 1):
                for told, place in ((commit, before), ("here", ROOT)):
                    print(f"## {told}, {turn} of {TURNS}\n", flush=True)
                    subprocess.run(
                        [sys.executable, "-m", "benchmarks", *names],
                        cwd=place,
                        check=False,
                        env=os.environ | {"PYTHONPATH": str(place / "src")},
                    )
        finally:
            subprocess.run(
                ["git", "worktree", "remove", "--force", str(before)], cwd=ROOT, check=True
            )


if __name__ == "__main__":
    main()
