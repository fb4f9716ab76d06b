"""Listening on the bench: without a device, and with a real sound server."""

from __future__ import annotations

import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tonecomb.core.base.errors import UserError
from tonecomb.core.method import document as edits
from tonecomb.core.results.sound import Heard
from tonecomb.core.steps.filters import LowPass
from tonecomb.desktop.acts import listening
from tonecomb.desktop.bench import Bench
from tonecomb.desktop.state.speaker import no_device

Settle = Callable[[], None]
FS = 12_800


@pytest.fixture
def tone(bench: Bench, settle: Settle, tmp_path: Path) -> Bench:
    """A tone of 1 kHz, 20 s, with another that a low-pass takes out."""
    t = np.arange(20 * FS) / FS
    x = 0.1 * np.cos(2 * np.pi * 1000 * t) + 1e-4 * np.cos(2 * np.pi * 5000 * t)
    soundfile.write(tmp_path / "tone.wav", np.stack([x, x], axis=1), FS, subtype="FLOAT")
    bench.opening.open_paths([tmp_path / "tone.wav"])
    settle()
    ref = bench.store.ref
    assert ref is not None
    bench.store.apply("Steps", edits.set_steps(bench.store.document, ref, (LowPass(3000.0),)))
    settle()
    return bench


@pytest.fixture
def device(monkeypatch: pytest.MonkeyPatch) -> list[Heard]:
    """A device that only remembers what it was given."""
    given: list[Heard] = []

    class Remembering(listening.Speaker):
        @property
        def playing(self) -> bool:
            return bool(given)

        def play(self, heard: Heard) -> None:
            given.append(heard)

        def stop(self) -> None:
            given.clear()

    monkeypatch.setattr(listening, "Speaker", Remembering)
    monkeypatch.setattr(listening, "preferred_rate", lambda: 48_000)
    return given


def test_what_is_heard_is_what_is_analysed(
    device: list[Heard], tone: Bench, settle: Settle
) -> None:
    QTest.keyClick(tone, Qt.Key.Key_Space)
    settle()
    (heard,) = device
    after, before = heard.sounds
    assert len(after.signal.words) == 1 and before.signal.words == ()
    bar = tone.stage.listen_bar
    assert (bar.play.text(), bar.swap.text()) == ("Stop", "heard: after")
    QTest.keyClick(tone, Qt.Key.Key_Z)
    assert (heard.number, bar.swap.text()) == (1, "heard: before")
    tone.listening.speaker.moved.emit(96_000)
    assert tone.stage.waveform.time_line.isVisible()
    assert tone.stage.waveform.time_line.value() == pytest.approx(2.0, abs=0.02)
    assert bar.told.text().startswith("2.0 s of 0.0–20.0 s")
    bar.speed.choose(8)
    bar.speed.picked.emit(8)
    settle()
    assert device[-1].sounds[0].way.speed == 8
    tone.listening.speaker.moved.emit(0)
    assert bar.told.text().startswith("1000 Hz sounds as 8000 Hz")
    bar.second.choose(1)
    bar.second.picked.emit(1)
    settle()
    assert device[-1].sounds[0].channels == (0, 1)
    QTest.keyClick(tone, Qt.Key.Key_Space)
    settle()
    assert not device
    assert not tone.stage.waveform.time_line.isVisible()


def test_the_visible_frequencies_alone(device: list[Heard], tone: Bench, settle: Settle) -> None:
    tone.stage.spectrum.set_limits(400, 800)
    QTest.keyClick(tone, Qt.Key.Key_Space, Qt.KeyboardModifier.ControlModifier)
    settle()
    (heard,) = device
    assert heard.sounds[0].signal.words[-1].startswith("band-pass 400–800 Hz")
    steps = tone.store.method
    assert steps is not None and len(steps.source.steps) == 1, "the method is as it was"
    tone.store.undo()
    settle()
    assert len(device[-1].sounds) == 1, "what is heard follows the document"


@pytest.fixture
def server(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A sound server with a device that leads nowhere."""
    program = shutil.which("pulseaudio")
    if program is None or shutil.which("parec") is None:
        pytest.skip("no sound server is installed")
    socket = tmp_path / "socket"
    environment = {"HOME": str(tmp_path), "XDG_RUNTIME_DIR": str(tmp_path), "PATH": "/usr/bin:/bin"}
    process = subprocess.Popen(
        [
            program,
            "-n",
            "--daemonize=no",
            "--exit-idle-time=-1",
            "--use-pid-file=no",
            "-L",
            "module-null-sink sink_name=out rate=48000 format=float32le",
            "-L",
            f"module-native-protocol-unix socket={socket} auth-anonymous=1",
        ],
        env=environment,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    for _ in range(100):
        if socket.exists():
            break
        time.sleep(0.05)
    monkeypatch.setenv("PULSE_SERVER", f"unix:{socket}")
    yield f"unix:{socket}"
    process.terminate()
    process.wait(10)


def test_a_tone_comes_back_from_a_sound_server(
    server: str, tone: Bench, settle: Settle, tmp_path: Path
) -> None:
    """Within 0.1 % in frequency and level, without a gap, through three switches."""
    from tonecomb.desktop.state.speaker import preferred_rate

    try:
        preferred_rate()
    except UserError:  # the library asks for a server once in a process
        pytest.skip("another test has found no server in this process")
    raw = tmp_path / "heard.raw"
    with raw.open("wb") as file:
        recorder = subprocess.Popen(
            [
                "parec",
                f"--server={server}",
                "-d",
                "out.monitor",
                "--format=float32le",
                "--rate=48000",
                "--channels=2",
                "--raw",
                "--latency-msec=20",
            ],
            stdout=file,
        )
        time.sleep(0.3)
        QTest.keyClick(tone, Qt.Key.Key_Space)
        settle()
        switches = 0
        while tone.listening.speaker.playing and switches < 5:
            until = time.monotonic() + 0.5
            while time.monotonic() < until:
                QApplication.processEvents()
                time.sleep(0.01)
            QTest.keyClick(tone, Qt.Key.Key_Z)
            switches += 1
        QTest.keyClick(tone, Qt.Key.Key_Space)
        settle()
        assert switches == 5
        assert not tone.listening.playing
        time.sleep(0.3)
        recorder.terminate()
        recorder.wait(10)
    x = np.fromfile(raw, "<f4")[: raw.stat().st_size // 8 * 2].reshape(-1, 2)[:, 0]
    on = np.flatnonzero(np.abs(x) > 1e-4)
    y = x[on[0] + 4800 : on[-1] - 4800].astype(float)
    assert len(y) > 24_000
    turned = y * np.exp(-2j * np.pi * 1000 * np.arange(len(y)) / 48_000)
    blocks = 2 * turned[: len(y) // 480 * 480].reshape(-1, 480).mean(axis=1)
    level = np.abs(blocks)
    # A server without real-time rights falls silent now and then while all else is busy.
    loud = level > 0.07
    usual = np.median(level[loud])
    assert usual == pytest.approx(0.1413, rel=1e-3), "-20 LKFS"
    even = np.abs(level / usual - 1) < 1e-3
    heard, whole = loud[1:] & loud[:-1], even[1:] & even[:-1]
    assert whole.sum() > max(20, 0.7 * heard.sum())
    slope = np.median(np.angle(blocks[1:][whole] / blocks[:-1][whole])) * 100 / (2 * np.pi)
    assert abs(slope) < 1.0, "0.1 % of 1 kHz"


def test_without_a_device_one_sentence_says_so(
    tone: Bench, settle: Settle, monkeypatch: pytest.MonkeyPatch
) -> None:
    def none() -> int:
        raise no_device()

    monkeypatch.setattr(listening, "preferred_rate", none)
    QTest.keyClick(tone, Qt.Key.Key_Space)
    settle()
    assert tone.context.notices.text.startswith("There is no sound device, so nothing can be heard")
    assert not tone.listening.playing
    assert tone.stage.listen_bar.play.text() == "Listen"


def test_no_sound_server_is_no_device() -> None:
    """In a process of its own: the library looks for a server once."""
    text = (
        "from PyQt6.QtCore import QCoreApplication as A; a = A([]);"
        "from tonecomb.desktop.state.speaker import preferred_rate; preferred_rate()"
    )
    environment = {"PULSE_SERVER": "unix:/nowhere", "QT_QPA_PLATFORM": "offscreen", "HOME": "/"}
    done = subprocess.run(
        [sys.executable, "-c", text], env=environment, capture_output=True, text=True, check=False
    )
    assert "There is no sound device" in done.stderr
