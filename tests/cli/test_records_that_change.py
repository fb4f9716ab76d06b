"""Records that change, made another way than the demo, through the command line."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from scipy.signal import lfilter
from tests.cli.test_cli import call

from tonecomb.core.record.recording import Array


def analysed(*arguments: object) -> dict[str, Any]:
    done = call("analyse", *arguments, "--json")
    assert done.returncode == 0, done.stderr
    (one,) = json.loads(done.stdout)["analyses"]
    assert isinstance(one, dict)
    return one


def spoken(fs: int, seconds: float) -> tuple[Array, float]:
    """Words: pulses of a gliding pitch through three formants, with pauses; and the mean pitch
    while there is a voice."""
    rng = np.random.default_rng(21)
    t = np.arange(round(fs * seconds)) / fs
    pitch = 110 * (1 + 0.12 * np.sin(2 * np.pi * 0.7 * t) + 0.05 * np.sin(2 * np.pi * 2.1 * t + 1))
    pulses = np.diff(np.floor(np.cumsum(pitch) / fs), prepend=0)
    source = lfilter([1], [1, -0.96], pulses - pulses.mean()) + 0.02 * rng.standard_normal(len(t))
    y = np.zeros(len(t))
    for formant, width, gain in ((600, 80, 1.0), (1200, 100, 0.6), (2500, 150, 0.35)):
        r = np.exp(-np.pi * width / fs)
        turn = -2 * r * np.cos(2 * np.pi * formant / fs)
        y += gain * lfilter([1 - r], [1, turn, r * r], source)
    envelope, at = np.zeros(len(t)), 0.3
    while at < seconds - 0.7:
        a, b = round(at * fs), round((at + rng.uniform(0.3, 0.6)) * fs)
        envelope[a:b] = np.hanning(b - a) ** 0.3
        at = b / fs + rng.uniform(0.08, 0.25)
    y = 0.5 * y * envelope / np.abs(y).max() + 0.0008 * rng.standard_normal(len(t))
    return y, float(np.mean(pitch[envelope > 0.3]))


def test_spoken_words_are_one_voice(tmp_path: Path) -> None:
    """One family that moves, no resonance of the voice's harmonics, nothing precise that is not."""
    words, pitch = spoken(16_000, 12.0)
    soundfile.write(tmp_path / "words.flac", words, 16_000)
    told = analysed(tmp_path / "words.flac", "--out", tmp_path)
    (comb,) = told["combs"]
    assert comb["fundamental_hz"] == pytest.approx(pitch, rel=0.02)
    assert 20 < comb["moved_hz"] < 50
    assert comb["inharmonicity"] is None
    assert told["resonances"] == []
    assert "moving" in {one["code"] for one in told["cautions"]}
    kinds = {peak["behaviour"] for peak in told["peaks"]}
    assert not kinds & {None}
    assert "steady" not in kinds, "nothing stands still here"
    report = next(tmp_path.glob("*report.html")).read_text()
    assert "Over the stretch" in report
    assert "moves from" in report
    with next(tmp_path.glob("*peaks.csv")).open() as file:
        rows = list(csv.reader(line for line in file if not line.startswith("#")))
    assert rows[0][5:9] == [
        "behaviour",
        "share of the frames",
        "amplitude while it stands [FS rms]",
        "moves by [Hz]",
    ]
    assert {row[5] for row in rows[1:]} == kinds


def test_a_box_that_is_tapped_between_loud_noises(tmp_path: Path) -> None:
    """From a table with decimal commas and no header: both modes, and nothing else."""
    fs, rng = 4000, np.random.default_rng(22)
    x = 0.003 * rng.standard_normal(20 * fs)
    for k in range(15):
        start = round((0.6 + 1.25 * k + rng.uniform(0, 0.15)) * fs)
        t = np.arange(len(x) - start) / fs
        for f, damping, gain in ((182.0, 0.012, 1.0), (437.0, 0.009, 0.6)):
            x[start:] += gain * np.exp(-2 * np.pi * f * damping * t) * np.sin(2 * np.pi * f * t)
    for start in (5000, 21_000, 64_000):
        x[start : start + 1200] += 0.5 * rng.standard_normal(1200)
    lines = (f"{i / fs:.5f};{value:.6f}".replace(".", ",") for i, value in enumerate(x))
    (tmp_path / "box.txt").write_text("\n".join(lines))
    told = analysed(tmp_path / "box.txt")
    modes = [(one["natural_frequency_hz"], one["damping_ratio"]) for one in told["resonances"]]
    assert [f for f, _ in modes] == pytest.approx([182.0, 437.0], rel=0.003)
    assert [damping for _, damping in modes] == pytest.approx([0.012, 0.009], rel=0.25)
    assert len(told["peaks"]) <= 3
    assert told["combs"] == []
    assert "nonstationary" in {one["code"] for one in told["cautions"]}


def test_a_long_run_whose_speed_swings_has_no_comb(tmp_path: Path) -> None:
    """Twenty minutes between 13 and 31 Hz, with half orders; what stands still is the mains."""
    fs, rng = 1000, np.random.default_rng(23)
    t = np.arange(1200 * fs) / fs
    speed = 22 + 9 * np.sin(2 * np.pi * t / 170 + 0.6 * np.sin(2 * np.pi * t / 61))
    turns = np.cumsum(speed) / fs
    x = 0.05 * rng.standard_normal(len(t)) + 0.1 * np.cos(2 * np.pi * 50 * t)
    for order, gain in ((0.5, 0.1), (1, 0.3), (2, 0.5), (3, 0.15), (4, 0.25), (6, 0.1)):
        x += gain * np.cos(2 * np.pi * order * turns + order)
    soundfile.write(tmp_path / "engine.wav", (0.5 * x).astype(np.float32), fs, subtype="FLOAT")
    told = analysed(tmp_path / "engine.wav")
    assert told["combs"] == []
    assert told["resonances"] == []
    (mains,) = [peak for peak in told["peaks"] if peak["behaviour"] == "steady"]
    assert mains["frequency_hz"] == pytest.approx(50.0, abs=4 * mains["frequency_std_hz"])
    assert mains["amplitude"] == pytest.approx(0.05 / 2**0.5, rel=0.05)
    (caution,) = [one for one in told["cautions"] if one["code"] == "moving"]
    assert "runs from about" in caution["text"]


def test_the_list_for_people_says_that_there_is_more(tmp_path: Path) -> None:
    t = np.arange(60_000) / 5000
    x = sum(0.02 * np.cos(2 * np.pi * 61.7 * n * t + n * n) for n in range(1, 38))
    x = x + 0.01 * np.random.default_rng(24).standard_normal(len(t))
    soundfile.write(tmp_path / "many.wav", x, 5000, subtype="FLOAT")
    done = call("analyse", tmp_path / "many.wav")
    assert "7 lower peaks more" in done.stdout
    told = analysed(tmp_path / "many.wav")
    assert len(told["peaks"]) == 37
    assert told["unlisted_peaks"] == 0
    assert sum(tooth["found"] for tooth in told["combs"][0]["teeth"]) == 37
