"""Made recordings and slower loggers on the command line."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from tests.cli.test_cli import call
from tests.support import read_all

import tonecomb
from tonecomb.core.synthesis.starters import STARTERS, starter


@pytest.mark.parametrize("suffix", [".wav", ".h5", ".csv"])
def test_make_writes_a_starter(tmp_path: Path, suffix: str) -> None:
    target = tmp_path / f"gear{suffix}"
    done = call("make", "gear", target)
    assert (done.returncode, done.stdout.strip()) == (0, str(target))
    found, made = tonecomb.open(target), starter("gear").recording("a")
    assert (found.rate, found.length) == (2048.0, 20480)
    assert read_all(found) == pytest.approx(read_all(made), abs=1e-6)


def test_a_description_is_written_mended_and_analysed(tmp_path: Path) -> None:
    for one in STARTERS:
        assert call("make", one.key, tmp_path / f"{one.key}.json").returncode == 0
    file = tmp_path / "above-nyquist.json"
    body = json.loads(file.read_text())
    body["sampling"]["rate"] = 1000
    file.write_text(json.dumps(body))
    done = call("analyse", file, "--json", "--out", tmp_path / "out")
    (told,) = json.loads(done.stdout)["analyses"]
    mesh = next(one for one in told["truth"] if one["put_in_hz"] == 413.1)
    assert mesh["shows_hz"] == 413.1 and abs(mesh["off_std"]) < 4
    assert (tmp_path / "out" / "truth.csv").read_text().count("\n") == 3 + 3
    report = (tmp_path / "out" / "report.html").read_text()
    assert "What was put in" in report and "a tone of 413.1 Hz, 1 m/s² peak, phase 30°" in report
    again = call("make", file, tmp_path / "a.wav", "--seed", 5)
    assert again.returncode == 0
    body["sampling"]["full-scale"] = 1
    file.write_text(json.dumps(body))
    assert "what is beyond is clipped" in call("make", file, tmp_path / "b.wav").stderr
    for wrong, word in ((tmp_path / "no.json", "does not exist"), ("drum", "There is no starter")):
        refused = call("make", wrong, tmp_path / "c.wav")
        assert refused.returncode == 2 and word in refused.stderr and not refused.stdout


def test_what_a_slower_logger_would_have_shown(demo: Path, tmp_path: Path) -> None:
    """The drive without a filter shows what the recording made too slowly does."""
    drive = ("analyse", demo / "drive-steady.h5", "--channel", 2, "--stretch", "0:30")
    done = call(
        *drive, "--json", "--as-sampled", "500:8:no-filter", "--write-signal", tmp_path / "slow.wav"
    )
    (told,) = json.loads(done.stdout)["analyses"]
    assert "as sampled at 500 Hz without a filter, 8 bits" in told["steps"]
    slow = {round(p["frequency_hz"], 1): p["amplitude"] for p in told["peaks"]}
    truth = json.loads((demo / "truth.json").read_text())["recordings"]["undersampled"]
    strong = [one for one in truth["channels"][0]["tones"] if one["rms"] > 0.1]
    assert len(strong) > 5
    for tone in strong:
        assert slow[round(tone["apparent_hz"], 1)] == pytest.approx(tone["rms"], rel=0.02)
    assert tonecomb.open(tmp_path / "slow.wav").rate == 500.0
    kept = call(*drive, "--as-sampled", "500")
    assert "86.9" not in kept.stdout and "24.3" in kept.stdout
    refused = call("analyse", demo / "run-up.flac", "--as-sampled", "0")
    assert refused.returncode == 2 and "A rate of 0 Hz" in refused.stderr
