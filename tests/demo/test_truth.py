"""The program held to the demo's known content."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from tonecomb.core.analysis import run
from tonecomb.core.method import Method
from tonecomb.core.windows import WINDOWS
from tonecomb.demo import ropeway
from tonecomb.formats.registry import open_recording

# A frame that tells 48.6 from 50 Hz with each of the windows, the flat-top included.
FRAMES = {"drive-steady": 65536, "station-log": 2048, "undersampled": 4096}
CASES = [("drive-steady", 0), ("drive-steady", 1), ("drive-steady", 2), ("station-log", 0),
         ("station-log", 1), ("undersampled", 0)]  # fmt: skip


@pytest.mark.parametrize("window", WINDOWS)
@pytest.mark.parametrize(("name", "channel"), CASES)
def test_tones(demo: Path, name: str, channel: int, window: str) -> None:
    """Frequency within 1e-3 Hz and amplitude within 0.2 %, or three standard deviations."""
    entry = json.loads((demo / "truth.json").read_text())["recordings"][name]
    tones = entry["channels"][channel]["tones"]
    recording = open_recording(demo / entry["file"])
    analysis = run(Method(channel=channel, window=window, frame=FRAMES[name]), recording)
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


def test_the_demo_is_the_same_every_time(demo: Path, tmp_path: Path) -> None:
    ropeway.write(tmp_path)
    for file in (*ropeway.FILES, "truth.json"):
        assert (tmp_path / file).read_bytes() == (demo / file).read_bytes()


def test_the_demo_is_written_once_and_mended(tmp_path: Path) -> None:
    paths = ropeway.ensure(tmp_path)
    written = paths[0].stat().st_mtime_ns
    assert ropeway.ensure(tmp_path)[0].stat().st_mtime_ns == written
    paths[2].unlink()
    ropeway.ensure(tmp_path)
    assert paths[2].exists()
    (tmp_path / "truth.json").write_text("{")
    seen: list[float] = []
    ropeway.ensure(tmp_path, seen.append)
    assert seen[-1] == 1.0
    assert len(seen) > 3
    assert json.loads((tmp_path / "truth.json").read_text())["version"] == ropeway.VERSION
