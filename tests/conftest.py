"""What all tests share: no trace of the user's own settings, no display, no stray logs."""

from __future__ import annotations

import os
import threading
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, settings

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
settings.register_profile(
    "tests",
    deadline=None,
    max_examples=30,
    suppress_health_check=list(HealthCheck),
    derandomize=True,
)
settings.load_profile("tests")


@pytest.fixture(scope="session", autouse=True)
def own_folders(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """Data and settings folders that belong to this run alone."""
    base = tmp_path_factory.mktemp("home")
    with pytest.MonkeyPatch.context() as patch:
        for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
            patch.setenv(name, str(base / name.lower()))
        yield base


@pytest.fixture(autouse=True)
def no_thread_survives() -> Iterator[None]:
    """A test that leaves a thread of ours running fails."""
    yield
    left = [t.name for t in threading.enumerate() if t.name.startswith(("job", "spectrum"))]
    assert not left, f"threads left behind: {left}"


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo recordings, made once."""
    from tonecomb.demo import ropeway

    folder = tmp_path_factory.mktemp("demo")
    ropeway.write(folder)
    return folder


@pytest.fixture
def rng() -> np.random.Generator:
    return np.random.default_rng(7)
