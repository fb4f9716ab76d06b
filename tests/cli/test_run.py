"""The script that starts everything."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

RUN = Path(__file__).parents[2] / "run"


def call(*words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run([RUN, *words], capture_output=True, text=True, check=False, timeout=60)


def test_alone_it_lists_its_words() -> None:
    done = call()
    assert done.returncode == 0
    for word in ("demo", "test", "tone-comb", "bench", "screenshots"):
        assert f"\n  {word}" in done.stdout


def test_unknown_words_are_refused() -> None:
    done = call("dance")
    assert (done.returncode, done.stdout.count("usage")) == (2, 0)
    assert "does not know the word 'dance'" in done.stderr


@pytest.mark.parametrize("packages", [["bash"], ["bash", "no-such-package-here"]])
def test_lacking_packages_are_named(tmp_path: Path, packages: list[str]) -> None:
    """As a user who may not install anything: the one line to type, and nothing else happens."""
    script = RUN.read_text().split("\nword=")[0].replace("$(id -u)", "1000")
    (tmp_path / "run.sh").write_text(script + '\nneed_packages "$@"; echo ready\n')
    (tmp_path / "sudo").write_text("#!/bin/sh\nexit 1\n")
    (tmp_path / "sudo").chmod(0o755)
    environment = os.environ | {"PATH": f"{tmp_path}:{os.environ['PATH']}"}
    done = subprocess.run(
        ["bash", tmp_path / "run.sh", *packages],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    if len(packages) == 1:
        assert (done.returncode, done.stdout) == (0, "ready\n")
    else:
        assert done.returncode == 1
        assert "sudo apt-get install no-such-package-here\n" in done.stderr
