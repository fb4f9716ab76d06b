"""What all tests share: no trace of the user's own settings, no display, no stray logs."""

from __future__ import annotations

import gc
import os
import shutil
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import fields, is_dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, settings

from tonecomb.core.base.progress import silent

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
gc.set_threshold(30_000, 20, 50)  # what the tests keep is looked through seldom: a tenth faster
settings.register_profile(
    "tests",
    deadline=None,
    max_examples=12,
    suppress_health_check=list(HealthCheck),
    derandomize=True,
)
settings.load_profile("tests")


_LONG = ("test_window.py", "test_api.py", "test_split.py", "test_kill.py", "test_outside.py")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes long, or waits, begins first: at the end no process waits for another's."""
    items.sort(key=lambda item: item.path.name not in _LONG)


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


@pytest.fixture(scope="session", autouse=True)
def coarse_pictures() -> Iterator[None]:
    """What a picture shows does not hang on how fine it is."""
    from tonecomb.formats.report import figures

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(figures, "DPI", 70)
        yield


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Path:
    """The demo recordings, made once, and copied for each process of the tests."""
    from tonecomb.demo import ropeway

    folder = tmp_path_factory.mktemp("demo")
    if worker_id == "master":
        ropeway.write(folder)
        return folder
    shared = tmp_path_factory.getbasetemp().parent / "made"
    try:
        shared.mkdir()
    except FileExistsError:  # another process makes them
        for _ in range(1200):
            if (shared / "whole").exists():
                break
            time.sleep(0.05)
    else:
        ropeway.write(shared)
        (shared / "whole").touch()
    for name in (*ropeway.FILES, "truth.json"):
        shutil.copy2(shared / name, folder / name)
    return folder


@pytest.fixture(scope="session", autouse=True)
def demo_computed_once() -> Iterator[None]:
    """Results are pure: what one test had computed of a file of the demo, another need not compute
    again, whichever kind it is."""
    from tonecomb.core.results.analysis import Analysis
    from tonecomb.core.say import cautions
    from tonecomb.demo import ropeway
    from tonecomb.formats.kinds.table import KINDS

    kept: dict[object, Any] = {}
    names = set(ropeway.FILES)

    def remembering(kind: Any) -> Callable[..., Any]:
        run = type(kind).run

        def running(
            self: Any, method: Any, recording: Any, asked: Any = None, progress: Any = silent
        ) -> Any:
            path = recording.path
            if path is None or path.name not in names or not path.parent.name.startswith("demo"):
                return run(self, method, recording, asked, progress)
            there = recording.samples.read_many(range(len(recording.channels)), 0, 512)
            key = (
                self.key,
                path,
                path.stat().st_mtime_ns,
                recording.length,
                recording.sample_rate,
                recording.rate_found,
                recording.channels,
                recording.name,
                recording.problems,
                tuple(one.tobytes() for one in there),
                method,
                asked,
            )
            if key not in kept:
                kept[key] = run(self, method, recording, asked, progress)
            progress(1.0)
            found = kept[key]
            if isinstance(found, Analysis):
                estimate = replace(found.estimate, recording_id=recording.id)
                return replace(found, estimate=estimate)
            known = is_dataclass(found) and any(f.name == "recording_id" for f in fields(found))
            return replace(found, recording_id=recording.id) if known else found

        return running

    look, seen = cautions.look, dict[object, Any]()

    def looking(analysis: Any, recording: Any, progress: Any = silent, heard: Any = None) -> Any:
        path = recording.path
        if path is None or path.name not in names or not path.parent.name.startswith("demo"):
            return look(analysis, recording, progress, heard)
        there = recording.samples.read_many(range(len(recording.channels)), 0, 512)
        key = (
            path,
            path.stat().st_mtime_ns,
            recording.length,
            recording.sample_rate,
            recording.channels,
            tuple(one.tobytes() for one in there),
        )
        known = seen.setdefault(key, {})
        if analysis.method not in known:  # the whole of it: what hangs on more shows
            same = (one for method, one in known.items() if method.source == analysis.method.source)
            heard = next((one.hits for one in same), heard)
            known[analysis.method] = look(analysis, recording, progress, heard)
        return known[analysis.method]

    with pytest.MonkeyPatch.context() as patch:
        for kind in KINDS:
            if kind.key != "spectrogram":  # large, and quick
                patch.setattr(type(kind), "run", remembering(kind))
        patch.setattr(cautions, "look", looking)
        yield


@pytest.fixture(scope="session")
def qapp_cls() -> Callable[[list[str]], Any]:
    """pytest-qt calls this to make the application: ours, with its font and what follows the focus,
    whichever test of a process is the first to need one."""
    from tonecomb.desktop.app import make_application

    return make_application


@pytest.fixture
def rng() -> np.random.Generator:
    return np.random.default_rng(7)
