"""Filtering from the command line: the samples that are written, and what is told."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
import soundfile
from scipy import signal
from tests.cli.test_cli import call


@pytest.fixture(scope="module")
def sound(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("sound") / "two.flac"
    t = np.arange(30 * 8000) / 8000
    x = 0.3 * np.sin(2 * np.pi * 200 * t) + 0.2 * np.sin(2 * np.pi * 1500 * t)
    soundfile.write(path, np.stack([x, x[::-1]], axis=1), 8000, subtype="PCM_24")
    return path


def test_what_is_written_is_what_was_analysed(sound: Path, tmp_path: Path) -> None:
    target = tmp_path / "low.wav"
    done = call(
        "analyse",
        sound,
        "--step",
        "low-pass:800:causal",
        "--step",
        "high-pass:20:off",
        "--json",
        "--write-signal",
        target,
    )
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)["analyses"]
    assert [one["steps"] for one in told] == [["low-pass 800 Hz, causal"]] * 2
    assert told[0]["before_after"]["changed"][0]["frequency_hz"] == pytest.approx(1500)
    written, fs = soundfile.read(target)
    read, _ = soundfile.read(sound)
    expected = signal.sosfilt(signal.butter(4, 800, fs=8000, output="sos"), read, axis=0)
    assert fs == 8000
    np.testing.assert_allclose(written[2000:], expected[2000:], atol=1e-6)


@pytest.mark.parametrize(
    ("arguments", "sentence"),
    [
        (("--step", "band-pass:900:300"), "A band from 900 to 300 Hz cannot be"),
        (("--step", "low-pass:5000"), "An edge at 5000 Hz lies outside"),
        (("--step", "low-pass:500:order=-1"), "A filter of order -1 cannot be"),
        (("--step", "notch:50:width=0.01"), "too narrow for this record"),
        (("--write-signal", "SAME"), "is the recording's own file"),
        (("--write-signal", "x.doc"), "does not tell in which format to write"),
    ],
)
def test_what_cannot_be_is_one_sentence(
    sound: Path, arguments: tuple[str, ...], sentence: str
) -> None:
    before = sound.read_bytes()
    said = [str(sound) if one == "SAME" else one for one in arguments]
    done = call("analyse", sound, *said)
    assert (done.returncode, done.stdout) == (2, "")
    assert sentence in done.stderr and done.stderr.count("\n") == 1
    assert sound.read_bytes() == before


def test_the_report_shows_before_and_after(sound: Path, tmp_path: Path) -> None:
    done = call("analyse", sound, "--channel", "1", "--step", "low-pass:800", "--out", tmp_path)
    assert done.returncode == 0, done.stderr
    assert "taken out" in (tmp_path / "report.html").read_text()
    assert "below the noise" in (tmp_path / "changed.csv").read_text() or (
        "1500" in (tmp_path / "changed.csv").read_text()
    )
    assert (tmp_path / "before-after.png").stat().st_size > 10_000
