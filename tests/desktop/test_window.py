"""A real window: opened, worked with and closed under Xvfb."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

pytestmark = pytest.mark.window


@pytest.fixture
def display() -> Iterator[str]:
    """A display of our own with a window manager on it."""
    for tool in ("Xvfb", "openbox", "xdotool"):
        assert shutil.which(tool), f"{tool} is missing; ./run test installs it"
    reading, writing = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(writing), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
        pass_fds=(writing,), stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(writing)
    with os.fdopen(reading) as answer:
        name = f":{answer.readline().strip()}"
    manager = subprocess.Popen(
        ["openbox"], env=os.environ | {"DISPLAY": name}, stderr=subprocess.DEVNULL
    )
    yield name
    for process in (manager, server):
        process.terminate()
        process.wait(10)


def environment(display: str) -> dict[str, str]:
    return os.environ | {"DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}


def test_from_the_demo_to_a_report(display: str, tmp_path: Path) -> None:
    report = tmp_path / "found.html"
    done = subprocess.run(
        [sys.executable, Path(__file__).with_name("drive_window.py"), report],
        env=environment(display), capture_output=True, text=True, timeout=150, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    seen = json.loads(done.stdout.splitlines()[-1])
    assert seen["platform"] == "xcb"
    assert seen["opened"] == ["drive-steady", "station-log", "undersampled"]
    assert seen["stretch"] == pytest.approx([10, 30], abs=0.3)
    assert "Blackman–Harris" in seen["sentence"]
    frequency, amplitude, *_ = seen["first_peak"]
    assert float(frequency) == pytest.approx(24.3, abs=0.001)
    assert float(amplitude) == pytest.approx(0.36, abs=0.001)
    assert seen["limits"][0] < 24.3 < seen["limits"][1]
    assert seen["notice"] == f"Saved {report}."
    html = report.read_text()
    assert seen["sentence"] in html
    assert html.count("<svg") == 2


def test_the_program_itself_starts_and_is_closed(display: str, demo: Path) -> None:
    """As a user starts it, with a file as its argument; the window manager closes it."""
    process = subprocess.Popen(
        [sys.executable, "-m", "tonecomb", demo / "undersampled.wav"],
        env=environment(display), stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        find = [
            "xdotool",
            "search",
            "--sync",
            "--onlyvisible",
            "--name",
            "unsaved session – Tone Comb",
        ]
        found = subprocess.run(
            find, env=environment(display), capture_output=True, text=True, timeout=60, check=True
        )
        window = found.stdout.split()[0]
        subprocess.run(
            ["xdotool", "windowactivate", "--sync", window, "key", "ctrl+z", "key", "ctrl+q"],
            env=environment(display), timeout=30, check=True,
        )  # fmt: skip
        assert process.wait(30) == 0
        assert process.stderr is not None
        assert "Traceback" not in process.stderr.read()
    finally:
        process.kill()
        process.wait()
        assert process.stderr is not None
        process.stderr.close()
