"""The program held to the demo's known content."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
from tests.support import FEW, read_all

from tonecomb.core.method.given import Given, Import
from tonecomb.core.method.method import Method
from tonecomb.core.results.search import run
from tonecomb.demo import ropeway
from tonecomb.formats.output import description
from tonecomb.formats.registry import open_recording

# A frame that tells 48.6 from 50 Hz with each of the windows, the flat-top included.
FRAMES = {"drive-steady": 65536, "station-log": 2048, "undersampled": 4096}
CASES = [
    (name, channel, window)
    for window in FEW
    for name, channel in (
        ("drive-steady", 1),
        ("station-log", 0),
        ("station-log", 1),
        ("undersampled", 0),
    )
]
CASES += [("drive-steady", 0, "hann"), ("drive-steady", 2, "hann")]


@pytest.mark.parametrize(("name", "channel", "window"), CASES)
def test_tones(demo: Path, name: str, channel: int, window: str) -> None:
    """Frequency within 1e-3 Hz and amplitude within 0.2 %, or three standard deviations."""
    entry = json.loads((demo / "truth.json").read_text())["recordings"][name]
    tones = entry["channels"][channel]["tones"]
    # The log has a gap and missing values: the piece before the gap is whole.
    given = Given(how=Import(time_base="cut", missing="interpolate"))
    recording = open_recording(demo / entry["file"], given)
    analysis = run(Method.of(channel=channel, window=window, frame=FRAMES[name]), recording)
    peaks = analysis.peaks or ()
    for tone in tones:
        peak = min(peaks, key=lambda p: abs(p.tone.frequency - tone["apparent_hz"]))
        amplitude, std = analysis.amplitude(peak)
        error = abs(peak.tone.frequency - tone["apparent_hz"])
        assert error < max(1e-3, 3 * peak.tone.frequency_std), tone
        assert abs(amplitude - tone["rms"]) < max(0.002 * tone["rms"], 3 * std), tone
        assert peak.tone.steady
        folded = tone["apparent_hz"] != tone["frequency_hz"]
        # A tone that folds once runs backward in phase.
        f, fs = tone["frequency_hz"], entry["sample_rate_hz"]
        sign = -1 if folded and (f % fs) > fs / 2 else 1
        turned = np.radians(peak.tone.phase_deg - sign * tone["phase_deg"])
        assert abs(np.degrees(np.angle(np.exp(1j * turned)))) < max(
            0.2, 4 * peak.tone.phase_std_deg
        )
    if name != "drive-steady" or channel != 2:  # the bearing has lines of its own
        assert len(peaks) == len(tones), "nothing is invented"


@pytest.mark.parametrize("file", ropeway.FILES)
def test_every_recording_is_as_its_truth_says(demo: Path, file: str) -> None:
    """What ``describe --json`` tells of each, held to what was made."""
    entry = json.loads((demo / "truth.json").read_text())["recordings"][Path(file).stem]
    told = description(open_recording(demo / file))
    assert told["sample_rate_hz"] == entry["sample_rate_hz"]
    assert (told["samples"], told["duration_s"]) == (entry["samples"], entry["duration_s"])
    assert [problem["code"] for problem in told["problems"]] == entry["problems"]
    assert len(told["channels"]) == len(entry["channels"])
    for channel, made in zip(told["channels"], entry["channels"], strict=True):
        assert (channel["name"], channel["unit"]) == (made["name"], made["unit"])
        for name, value in made["figures"].items():
            # 24 bits in FLAC, six digits after the point in the log.
            assert channel[name] == pytest.approx(value, rel=2e-6, abs=6e-7), name


def test_the_gap_is_where_the_truth_says(demo: Path) -> None:
    entry = json.loads((demo / "truth.json").read_text())["recordings"]["station-log"]
    given = Given(how=Import(time_base="resample"))
    log = open_recording(demo / entry["file"], given)
    assert log.length == entry["samples"] + round(entry["gap"]["lost_s"] * log.rate)
    for channel in range(2):
        holes = np.flatnonzero(np.isnan(read_all(log, channel))) / log.rate
        wanted = [m["at_s"] for m in entry["missing"] if m["channel"] == channel + 1]
        first, lost = entry["gap"]["after_s"] + 1 / log.rate, entry["gap"]["lost_s"]
        wanted += [first + i / log.rate for i in range(round(lost * log.rate))]
        np.testing.assert_allclose(holes, sorted(wanted), atol=1e-9)


def test_taps_ring_with_their_modes(demo: Path) -> None:
    """The free decay after a tap, by an independent estimate: the envelope of each mode."""
    entry = json.loads((demo / "truth.json").read_text())["recordings"]["bracket-taps"]
    taps = open_recording(demo / entry["file"])
    force, answer = read_all(taps, 0), read_all(taps, 1)
    hits = np.flatnonzero((force[1:] > 60) & (force[:-1] <= 60)) / taps.rate
    assert len(hits) == len(entry["taps_s"]) + 1, "one of them bounces"
    assert force.max() == entry["full_scale_n"]
    for mode in entry["modes"]:
        f, damping = mode["frequency_hz"], mode["damping_ratio"]
        first, count = round((entry["taps_s"][1] + 0.05) * taps.rate), round(0.35 * taps.rate)
        t = np.arange(count) / taps.rate
        turned = answer[first : first + count] * np.exp(-2j * np.pi * f * t)
        smooth = np.convolve(turned, np.hanning(1200), mode="valid")
        steps = np.arange(0, len(smooth) // 3, 40)
        slope = np.polyfit(steps / taps.rate, np.log(np.abs(smooth[steps])), 1)[0]
        if f < 300:  # the third dies too soon for so coarse a look
            assert -slope / (2 * np.pi * f) == pytest.approx(damping, rel=0.1)


def test_the_demo_is_written_once_and_mended(demo: Path, tmp_path: Path) -> None:
    shutil.copytree(demo, tmp_path, dirs_exist_ok=True)
    paths = ropeway.ensure(tmp_path)
    written = paths[0].stat().st_mtime_ns
    assert ropeway.ensure(tmp_path)[0].stat().st_mtime_ns == written
    paths[2].unlink()
    (tmp_path / "truth.json").write_text("{")
    seen: list[float] = []
    ropeway.ensure(tmp_path, seen.append)
    assert paths[2].exists()
    assert seen[-1] == 1.0
    assert len(seen) > 3
    assert json.loads((tmp_path / "truth.json").read_text())["version"] == ropeway.VERSION
