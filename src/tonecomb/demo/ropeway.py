"""Writes the demo recordings and ``truth.json``."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np
import platformdirs

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.recording import Array, ArraySamples, Channel, Recording
from tonecomb.demo import signals, structures
from tonecomb.demo.signals import ChannelTruth
from tonecomb.formats import atomic
from tonecomb.formats.columnar import write_parquet
from tonecomb.formats.hdf5 import write_hdf5
from tonecomb.formats.sound import write_flac, write_wav
from tonecomb.formats.universal import write_binary

VERSION = 3  # raised whenever the files change
FILES = (
    "drive-steady.h5",
    "run-up.flac",
    "bracket-taps.uff",
    "station-log.csv",
    "tower-sway.parquet",
    "undersampled.wav",
)
STARTS = {
    "drive-steady": "2026-03-04T09:12:00",
    "run-up": "2026-03-04T09:31:30",
    "bracket-taps": "2026-03-05T14:05:10",
    "tower-sway": "2026-03-06T02:00:00",
    "undersampled": "2026-03-04T09:20:00",
}
REMARK = "Quillbeck ropeway"


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
    entries = truth()
    makers = (_drive_steady, _run_up, _bracket_taps, _station_log, _tower_sway, _undersampled)
    for i, (file, make) in enumerate(zip(FILES, makers, strict=True)):
        columns = make(target / file)
        entry = entries["recordings"][Path(file).stem]
        for channel, column in zip(entry["channels"], columns, strict=True):
            channel["figures"] = _figures(column)
        progress((i + 1) / len(FILES))
    text = json.dumps(entries, indent=1, ensure_ascii=False) + "\n"
    atomic.write_text(target / "truth.json", text)
    return [target / name for name in FILES]


def _figures(column: Array) -> dict[str, float]:
    """Plain figures of what was made, missing values left out."""
    known = column[np.isfinite(column)]
    figures = {
        "min": known.min(),
        "max": known.max(),
        "mean": known.mean(),
        "rms": np.sqrt(np.mean(known**2)),
    }
    return {name: float(f"{value:.9g}") for name, value in figures.items()}


def _recording(
    name: str, rate: float, names: tuple[str, ...], units: tuple[str, ...], columns: list[Array]
) -> Recording:
    return Recording(
        id="",
        name=name,
        format="made",
        sample_rate=rate,
        rate_source="given",
        rate_found="given",
        length=len(columns[0]),
        channels=tuple(map(Channel, names, units)),
        samples=ArraySamples.of(*columns),
        start=STARTS[name],
        comment=REMARK,
    )


def _made(channels: tuple[ChannelTruth, ...], fs: float, seconds: float, seed: int) -> list[Array]:
    return [signals.make(channel, fs, seconds, (seed, i)) for i, channel in enumerate(channels)]


def _drive_steady(path: Path) -> list[Array]:
    s = signals
    columns = _made(s.DRIVE_STEADY, s.DRIVE_RATE, s.DRIVE_SECONDS, 0)
    names = tuple(c.name for c in s.DRIVE_STEADY)
    recording = _recording("drive-steady", s.DRIVE_RATE, names, ("m/s²",) * 3, columns)
    write_hdf5(path, recording, silent)
    return columns


def _run_up(path: Path) -> list[Array]:
    s, columns = structures, structures.run_up()
    units = ("m/s²", "m/s²")
    write_flac(path, _recording("run-up", s.RUN_UP_RATE, s.RUN_UP_CHANNELS, units, columns), silent)
    return columns


def _bracket_taps(path: Path) -> list[Array]:
    s, columns = structures, structures.taps()
    units = ("N", *("m/s²",) * 3)
    recording = _recording("bracket-taps", s.TAPS_RATE, s.TAPS_CHANNELS, units, columns)
    write_binary(path, recording, silent)
    return columns


def _tower_sway(path: Path) -> list[Array]:
    s, columns = structures, structures.sway()
    units = ("m/s²",) * 3
    recording = _recording("tower-sway", s.SWAY_RATE, s.SWAY_CHANNELS, units, columns)
    write_parquet(path, recording, silent)
    return columns


def _undersampled(path: Path) -> list[Array]:
    s = signals
    columns = _made(s.UNDERSAMPLED, s.UNDERSAMPLED_RATE, s.UNDERSAMPLED_SECONDS, 2)
    names = (s.UNDERSAMPLED[0].name,)
    recording = _recording("undersampled", s.UNDERSAMPLED_RATE, names, ("m/s²",), columns)
    write_wav(path, recording, silent)
    return columns


def _station_log(path: Path) -> list[Array]:
    """As its logger exports it: semicolons, decimal commas, comments, a unit row, time in ms,
    and a while in which it wrote nothing."""
    rate = signals.STATION_RATE
    columns = _made(signals.STATION_LOG, rate, signals.STATION_SECONDS, 1)
    for channel, row in signals.STATION_MISSING:
        columns[channel][row] = np.nan
    first, count = signals.STATION_GAP
    kept = np.delete(np.arange(len(columns[0])), slice(first, first + count))
    columns = [column[kept] for column in columns]
    lines = [
        "# Quillbeck ropeway, drive station hut",
        "# logger 2, two accelerometers",
        ";".join(["time", *(c.name for c in signals.STATION_LOG)]),
        ";".join(["ms", *("m/s²" for _ in signals.STATION_LOG)]),
    ]
    for i, sample in zip(kept, zip(*columns, strict=True), strict=True):
        values = ("" if np.isnan(value) else f"{value:.6f}" for value in sample)
        lines.append(";".join([f"{i * 1000 / rate:.1f}", *values]).replace(".", ","))
    atomic.write_text(path, "\n".join(lines) + "\n")
    return columns


def truth() -> dict[str, Any]:
    """What is in each recording, as it stands in ``truth.json`` but for the channels' figures."""
    s, t = signals, structures
    station = round(s.STATION_SECONDS * s.STATION_RATE) - s.STATION_GAP[1]
    recordings = {
        "drive-steady": _entry(s.DRIVE_RATE, s.DRIVE_SECONDS, _tones(s.DRIVE_STEADY, s.DRIVE_RATE)),
        "run-up": _entry(
            t.RUN_UP_RATE,
            t.RUN_UP_SECONDS,
            [{"name": name, "unit": "m/s²"} for name in t.RUN_UP_CHANNELS],
            speed_hz=[t.RUN_UP_FROM, t.RUN_UP_TO],
            orders=list(t.RUN_UP_ORDERS),
            modes=[asdict(mode) for mode in t.RUN_UP_MODES],
        ),
        "bracket-taps": _entry(
            t.TAPS_RATE,
            t.TAPS_SECONDS,
            [{"name": n, "unit": "m/s²" if i else "N"} for i, n in enumerate(t.TAPS_CHANNELS)],
            modes=[asdict(mode) for mode in t.TAPS_MODES],
            taps_s=[t.TAPS_FIRST + t.TAPS_SPACING * i for i in range(len(t.TAPS_PEAKS))],
            peaks_n=list(t.TAPS_PEAKS),
            double_hit=t.TAPS_DOUBLE + 1,
            overload=1 + max(range(len(t.TAPS_PEAKS)), key=lambda i: t.TAPS_PEAKS[i]),
            full_scale_n=t.TAPS_FULL_SCALE,
        ),
        "station-log": _entry(
            s.STATION_RATE,
            station / s.STATION_RATE,
            _tones(s.STATION_LOG, s.STATION_RATE),
            problems=["gaps", "nan", "nan"],
            gap={
                "after_s": (s.STATION_GAP[0] - 1) / s.STATION_RATE,
                "lost_s": s.STATION_GAP[1] / s.STATION_RATE,
            },
            missing=[
                {"channel": c + 1, "at_s": row / s.STATION_RATE} for c, row in s.STATION_MISSING
            ],
        ),
        "tower-sway": _entry(
            t.SWAY_RATE,
            t.SWAY_SECONDS,
            [{"name": name, "unit": "m/s²"} for name in t.SWAY_CHANNELS],
            modes=[asdict(mode) for mode in t.SWAY_MODES],
            tilt=list(t.SWAY_TILT),
        ),
        "undersampled": _entry(
            s.UNDERSAMPLED_RATE,
            s.UNDERSAMPLED_SECONDS,
            _tones(s.UNDERSAMPLED, s.UNDERSAMPLED_RATE),
        ),
    }
    for file in FILES:
        recordings[Path(file).stem] = {"file": file, **recordings[Path(file).stem]}
    return {
        "version": VERSION,
        "seed": s.SEED,
        "note": "All invented. rms in m/s²; noise_density in m/s²/√Hz; phases of a cosine at "
        "the start; apparent_hz is where the tone shows up at this sample rate; residues in 1/kg; "
        "figures leave missing values out.",
        "recordings": recordings,
    }


def _entry(
    fs: float, seconds: float, channels: list[dict[str, Any]], **more: Any
) -> dict[str, Any]:
    entry = {"sample_rate_hz": fs, "samples": round(seconds * fs), "duration_s": seconds}
    return entry | {"problems": []} | more | {"channels": channels}


def _tones(channels: tuple[ChannelTruth, ...], fs: float) -> list[dict[str, Any]]:
    described = []
    for channel in channels:
        entry = asdict(channel) | {"unit": "m/s²"}
        del entry["bearing_peak"]
        for tone in entry["tones"]:
            tone["apparent_hz"] = round(signals.alias(tone["frequency_hz"], fs), 6)
        if channel.bearing_peak:
            entry["bearing"] = {
                "hits_hz": signals.BEARING,
                "slip": signals.SLIP,
                "resonance_hz": signals.RINGING,
                "damping_ratio": signals.RINGING_DAMPING,
                "peak": channel.bearing_peak,
            }
        described.append(entry)
    return described
