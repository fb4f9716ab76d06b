"""A real window: opened, worked with and closed under Xvfb."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

import tonecomb
from tonecomb.demo import ropeway

pytestmark = pytest.mark.window


@pytest.fixture
def display() -> Iterator[str]:
    """A display of our own with a window manager on it."""
    for tool in ("Xvfb", "openbox", "xdotool"):
        assert shutil.which(tool), f"{tool} is missing; ./run test installs it"
    reading, writing = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(writing), "-screen", "0", "1400x900x24", "-nolisten", "tcp"],
        pass_fds=(writing,),
        stderr=subprocess.DEVNULL,
    )
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


def windows(display: str, title: str, patience: float = 20.0) -> list[str]:
    """Ids of the windows whose title matches, as soon as there is one."""
    end = time.monotonic() + patience
    while True:
        search = ["xdotool", "search", "--onlyvisible", "--name", title]
        done = subprocess.run(
            search, env=environment(display), capture_output=True, text=True, check=False
        )
        if done.stdout or time.monotonic() > end:
            return done.stdout.split()
        time.sleep(0.1)


def press_until(display: str, window: str, key: str, seen: Callable[[], object]) -> None:
    for _ in range(40):  # other work may fill the machine
        subprocess.run(
            # Both ways: the window manager's, which may be late, and the server's own.
            ["xdotool", "windowactivate", window, "windowfocus", window, "key", key],
            env=environment(display),
            timeout=30,
            check=False,
        )
        time.sleep(0.5)
        if seen():
            return


def test_from_the_demo_to_a_report(display: str, tmp_path: Path) -> None:
    report = tmp_path / "found.html"
    done = subprocess.run(
        [sys.executable, Path(__file__).with_name("drive_window.py"), report],
        env=environment(display),
        capture_output=True,
        text=True,
        timeout=150,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    seen = json.loads(done.stdout.splitlines()[-1])
    assert seen["platform"] == "xcb"
    assert seen["opened"] == [Path(file).stem for file in ropeway.FILES]
    assert seen["stretch"] == pytest.approx([10, 30], abs=0.3)
    assert "· Blackman, " in seen["sentence"]
    assert "averaged, without 1 stretch struck out · amplitude" in seen["struck"]["sentence"]
    frequency, amplitude, *_ = seen["first_peak"]
    assert float(frequency) == pytest.approx(24.3, abs=0.001)
    assert float(amplitude) == pytest.approx(0.36, abs=0.001)
    assert seen["limits"][0] < 24.3 < seen["limits"][1]
    assert seen["notice"] == f"Saved {report}."
    assert (seen["log"]["rate"], seen["log"]["periods"]) == (200.0, 8)
    assert seen["log"]["mean"].startswith("periods of 125 ms")
    html = report.read_text()
    assert seen["sentence"] in html
    assert html.count("<svg") == 2


def test_the_program_itself_starts_and_is_closed(display: str, demo: Path) -> None:
    """As a user starts it, with a file as its argument; the window manager closes it."""
    process = subprocess.Popen(
        [sys.executable, "-m", "tonecomb", demo / "undersampled.wav"],
        env=environment(display),
        stderr=subprocess.PIPE,
        text=True,
    )
    try:
        opened = windows(display, "unsaved session – Tone Comb")
        # The window manager may hand over the keyboard a moment late: a key is sent again
        # until it shows. Undo takes the opening back, so that closing asks nothing.
        press_until(display, opened[0], "ctrl+z", lambda: windows(display, "^Tone Comb$", 0.3))
        press_until(display, opened[0], "ctrl+q", lambda: process.poll() is not None)
        assert process.wait(30) == 0
        assert process.stderr is not None
        assert "Traceback" not in process.stderr.read()
    finally:
        process.kill()
        process.wait()
        assert process.stderr is not None
        process.stderr.close()


def test_live_from_the_node_to_a_report(display: str, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, Path(__file__).with_name("drive_live.py"), tmp_path],
        env=environment(display),
        capture_output=True,
        text=True,
        timeout=150,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    seen = json.loads(done.stdout.splitlines()[-1])
    assert seen["comb"] == pytest.approx(24.3, abs=0.05)
    assert seen["turned"] > 27.0 and seen["step"] == "LowPass"
    kept = tonecomb.open(tmp_path / "kept.wav")
    assert kept.length == seen["length"] and [c.unit for c in kept.channels] == ["m/s²"] * 3
    assert "kept" in (tmp_path / "live.html").read_text()
