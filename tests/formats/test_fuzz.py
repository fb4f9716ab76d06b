"""Every reader under fire from damaged files."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
CONTRACTS = [
    "TestWav",
    "TestRf64",
    "TestW64",
    "TestAiff",
    "TestFlac",
    "TestCaf",
    "TestAu",
    "TestVorbis",
    "TestOpus",
    "TestMp3",
    "TestTelephone",
    "TestHdf5",
    "TestMatlab73",
    "TestMatlab5",
    "TestUffText",
    "TestUffBinary",
    "TestNpy",
    "TestNpz",
    "TestParquet",
    "TestFeather",
    "TestCommaTable",
    "TestSemicolonTable",
]
SECONDS, MEGABYTES = 5.0, 1000.0


def attack(contracts: Sequence[str], cases: int) -> None:
    done = subprocess.run(
        [sys.executable, "-X", "faulthandler", "-m", "tests.formats.fuzz", str(cases), *contracts],
        capture_output=True,
        text=True,
        cwd=ROOT,
        timeout=3600,
        check=False,
    )
    assert done.returncode == 0, done.stderr[-3000:]
    assert not done.stderr, "libraries are silent"
    slowest, memory = map(float, done.stdout.split())
    assert slowest < SECONDS
    assert memory < MEGABYTES


@pytest.mark.parametrize("group", range(4))
def test_a_share_of_damaged_files(group: int) -> None:
    attack(CONTRACTS[group::4], 20)


def test_every_contract_is_attacked() -> None:
    from tests.formats import test_readers

    contracts = {
        name
        for name, kind in vars(test_readers).items()
        if isinstance(kind, type) and hasattr(kind, "make") and name.startswith("Test")
    }
    assert contracts == set(CONTRACTS)
