"""One kill of each kind; ``./run endure`` does a hundred."""

from __future__ import annotations

from pathlib import Path

import pytest
from tests.endure.killed import KILLS


@pytest.mark.parametrize("kind", [name for name in KILLS if name != "editing"])
def test_nothing_is_lost_by_a_kill(kind: str, tmp_path: Path) -> None:
    (tmp_path / "work").mkdir()
    KILLS[kind](tmp_path / "work", 1)
