"""Writes the demo recordings and ``truth.json``."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

import platformdirs

from tonecomb.core.progress import Progress, silent
from tonecomb.core.recording import Channel
from tonecomb.demo import signals
from tonecomb.demo.signals import ChannelTruth
from tonecomb.formats import atomic
from tonecomb.formats.sound import write_wav

VERSION = 1  # raised whenever the files change
FILES = ("drive-steady.wav", "station-log.csv", "undersampled.wav")


def folder() -> Path:
    """Where the bench keeps its copy of the demo."""
    return Path(platformdirs.user_data_path("tone-comb")) / "demo"


def ensure(target: Path, progress: Progress = silent) -> list[Path]:
    """The demo's recordings in ``target``, written now unless they are there already."""
    paths = [target / name for name in FILES]
    truth = target / "truth.json"
    try:
        present = json.loads(truth.read_text())["version"] == VERSION
    except (OSError, ValueError, KeyError, TypeError):
        present = False
    if not present or not all(path.exists() for path in paths):
        write(target, progress)
    return paths


def write(target: Path, progress: Progress = silent) -> list[Path]:
    """Write all recordings and, last, ``truth.json``; raises ``UserError`` where it cannot."""
    atomic.make_folder(target)
    columns = []
    for i, channel in enumerate(signals.DRIVE_STEADY):
        seed = (0, i)
        columns.append(signals.make(channel, signals.DRIVE_RATE, signals.DRIVE_SECONDS, seed))
        progress(0.2 * (i + 1))
    write_wav(
        target / FILES[0],
        signals.DRIVE_RATE,
        tuple(Channel(c.name, "m/s²") for c in signals.DRIVE_STEADY),
        columns,
    )
    progress(0.7)
    _write_station_log(target / FILES[1])
    progress(0.9)
    under = signals.UNDERSAMPLED[0]
    samples = signals.make(under, signals.UNDERSAMPLED_RATE, signals.UNDERSAMPLED_SECONDS, (2, 0))
    write_wav(
        target / FILES[2], signals.UNDERSAMPLED_RATE, (Channel(under.name, "m/s²"),), [samples]
    )
    atomic.write_text(
        target / "truth.json", json.dumps(truth(), indent=1, ensure_ascii=False) + "\n"
    )
    progress(1.0)
    return [target / name for name in FILES]


def _write_station_log(path: Path) -> None:
    """As its logger exports it: semicolons, decimal commas, comments, a unit row, time in ms."""
    rate, seconds = signals.STATION_RATE, signals.STATION_SECONDS
    columns = [
        signals.make(channel, rate, seconds, (1, i))
        for i, channel in enumerate(signals.STATION_LOG)
    ]
    lines = [
        "# Quillbeck ropeway, drive station hut",
        "# logger 2, two accelerometers",
        ";".join(["time", *(c.name for c in signals.STATION_LOG)]),
        ";".join(["ms", *("m/s²" for _ in signals.STATION_LOG)]),
    ]
    step = 1000 / rate
    for i, row in enumerate(zip(*columns, strict=True)):
        cells = [f"{i * step:.1f}", *(f"{value:.6f}" for value in row)]
        lines.append(";".join(cells).replace(".", ","))
    atomic.write_text(path, "\n".join(lines) + "\n")


def truth() -> dict[str, Any]:
    """What is in each recording, as it stands in ``truth.json``."""
    bearing = {
        "hits_hz": signals.BEARING,
        "slip": signals.SLIP,
        "resonance_hz": signals.RINGING,
        "damping_ratio": signals.RINGING_DAMPING,
    }

    def describe(channel: ChannelTruth, fs: float) -> dict[str, Any]:
        entry = asdict(channel)
        del entry["bearing_peak"]
        for tone in entry["tones"]:
            tone["apparent_hz"] = round(signals.alias(tone["frequency_hz"], fs), 6)
        if channel.bearing_peak:
            entry["bearing"] = bearing | {"peak": channel.bearing_peak}
        return entry

    def recording(
        file: str, fs: float, seconds: float, channels: tuple[ChannelTruth, ...]
    ) -> dict[str, Any]:
        return {
            "file": file,
            "sample_rate_hz": fs,
            "duration_s": seconds,
            "unit": "m/s²",
            "channels": [describe(channel, fs) for channel in channels],
        }

    s = signals
    return {
        "version": VERSION,
        "seed": s.SEED,
        "note": "All invented. rms in m/s²; noise_density in m/s²/√Hz; phases of a cosine at "
        "the start; apparent_hz is where the tone shows up at this sample rate.",
        "recordings": {
            "drive-steady": recording(FILES[0], s.DRIVE_RATE, s.DRIVE_SECONDS, s.DRIVE_STEADY),
            "station-log": recording(FILES[1], s.STATION_RATE, s.STATION_SECONDS, s.STATION_LOG),
            "undersampled": recording(
                FILES[2], s.UNDERSAMPLED_RATE, s.UNDERSAMPLED_SECONDS, s.UNDERSAMPLED
            ),
        },
    }
