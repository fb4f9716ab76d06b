"""Against programs of others, where they are installed: an ordinary media program as a sender, and
a real sound server with a sink that nobody hears and a source that hears it."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray
from tests.support import read_all

import tonecomb
from tonecomb.live import sdp

RECORD = [sys.executable, "-m", "tonecomb", "record"]


@pytest.mark.skipif(shutil.which("ffmpeg") is None, reason="ffmpeg is not installed")
@pytest.mark.parametrize(
    "encoding, codec, bits", [("L16", "pcm_s16be", 16), ("L24", "pcm_s24be", 24)]
)
def test_a_media_program_as_sender(tmp_path: Path, encoding: str, codec: str, bits: int) -> None:
    rate, port = 48_000, 5890 + bits
    noise = np.random.default_rng(bits).uniform(-0.5, 0.5, (3 * rate, 2))
    sent = np.round(noise * 2 ** (bits - 1)) / 2 ** (bits - 1)
    soundfile.write(tmp_path / "sent.wav", sent, rate, subtype=f"PCM_{bits}")
    described = sdp.Session("media", sdp.LOOPBACK, port, 97, encoding, rate, 2).text()
    (tmp_path / "media.sdp").write_text(described)
    out = tmp_path / "came.wav"
    recording = subprocess.Popen([*RECORD, str(tmp_path / "media.sdp"), str(out)])
    try:
        _until(lambda: _listening(port))
        subprocess.run(
            [
                "ffmpeg",
                "-loglevel",
                "error",
                "-re",
                "-i",
                str(tmp_path / "sent.wav"),
                "-c:a",
                codec,
                "-payload_type",
                "97",
                "-f",
                "rtp",
                f"rtp://127.0.0.1:{port}",
            ],
            check=True,
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            timeout=60,
        )
        time.sleep(0.5)
    finally:
        recording.terminate()
        assert recording.wait(20) == 0
    came = tonecomb.open(out)
    assert came.rate == rate and came.length == len(sent)
    for i in range(2):
        assert np.array_equal(read_all(came, i), sent[:, i].astype(np.float32)), "sample for sample"


def _listening(port: int) -> bool:
    table = Path("/proc/net/udp").read_text()
    return f":{port:04X} " in table


@pytest.fixture
def heard(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """A sound server of its own."""
    if shutil.which("pulseaudio") is None or shutil.which("paplay") is None:
        pytest.skip("pulseaudio is not installed")
    runtime = tmp_path / "run"
    runtime.mkdir(mode=0o700)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(runtime))
    monkeypatch.setenv("HOME", str(tmp_path))
    for name in ("PULSE_SERVER", "DBUS_SESSION_BUS_ADDRESS"):
        monkeypatch.delenv(name, raising=False)
    modules = (
        f"module-native-protocol-unix socket={runtime}/pulse.socket auth-anonymous=1",
        "module-null-sink sink_name=bench rate=48000 channels=2",
        "module-remap-source source_name=ear master=bench.monitor "
        "source_properties=device.description=Ear",
    )
    server = subprocess.Popen(
        [
            "pulseaudio",
            "-n",
            "--daemonize=no",
            "--exit-idle-time=-1",
            "--use-pid-file=no",
            *(f"--load={module}" for module in modules),
        ],
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )
    monkeypatch.setenv("PULSE_SERVER", f"unix:{runtime}/pulse.socket")
    try:
        for _ in range(100):
            told = subprocess.run(["pactl", "info"], capture_output=True, check=False)
            if told.returncode == 0:
                break
            time.sleep(0.1)
        else:
            pytest.skip("pulseaudio does not start here")
        yield tmp_path
    finally:
        server.terminate()
        server.wait()


def test_a_sound_device_is_heard(heard: Path) -> None:
    rate, piece = 48_000, 960
    random = np.random.default_rng(3)
    sent = (random.uniform(-0.5, 0.5, (2 * rate, 2)) * 32767).astype(np.int16)
    soundfile.write(heard / "sent.wav", sent, rate, subtype="PCM_16")
    # Where a busy machine keeps the player or the server waiting, the server drops samples or
    # puts silence between two: so each piece is looked for by itself, and three times at most.
    for attempt in range(3):
        wave = _heard_while_playing(heard, heard / f"came-{attempt}.wav", rate)
        size = 1 << int(len(wave) + piece).bit_length()
        line = np.fft.rfft(wave[:, 0], size)
        exact = 0
        for part in np.split(sent, len(sent) // piece):
            like = np.fft.irfft(line * np.fft.rfft(part[:, 0], size).conj(), size)
            start = int(np.argmax(like))
            exact += np.array_equal(wave[start : start + piece], part)
        if exact >= 40:
            return
    raise AssertionError(f"{exact} of 100 pieces came sample for sample")


def _heard_while_playing(folder: Path, out: Path, rate: int) -> NDArray[np.float64]:
    """What the device hears while the file is played, in steps of 16 bits."""
    recording = subprocess.Popen([*RECORD, "sound:ear", str(out)], env=dict(os.environ))
    try:
        _until(_somebody_listens)
        subprocess.run(
            ["paplay", "--device=bench", str(folder / "sent.wav")], check=True, timeout=60
        )
        time.sleep(1.0)
    finally:
        recording.terminate()
        assert recording.wait(30) == 0
    came = tonecomb.open(out)
    assert came.rate == rate and [c.name for c in came.channels] == ["left", "right"]
    return np.round(np.stack([read_all(came, i) for i in range(2)], axis=1) * 32768)


def _until(done: Callable[[], bool]) -> None:
    for _ in range(300):
        if done():
            return
        time.sleep(0.1)
    raise AssertionError("waited for 30 s")


def _somebody_listens() -> bool:
    told = subprocess.run(
        ["pactl", "list", "short", "source-outputs"], capture_output=True, text=True, check=True
    )
    return "protocol-native" in told.stdout  # the server's own remapping is an output, too


def test_without_a_sound_server_there_is_a_sentence(tmp_path: Path) -> None:
    environment = dict(os.environ, XDG_RUNTIME_DIR=str(tmp_path), PULSE_SERVER="unix:/nowhere")
    made = subprocess.run(
        [*RECORD, "sound:Microphone", str(tmp_path / "a.wav")],
        env=environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert made.returncode == 2 and not made.stdout
    assert made.stderr.startswith("tone-comb: There is no sound input Microphone")
    assert made.stderr.count("\n") == 1, "and nothing of libraries"
