"""What the command line prints: the values behind its JSON, and the same as text."""

from __future__ import annotations

import json
import math
import re
from dataclasses import asdict
from typing import Any

from tonecomb.core.progress import Progress, silent
from tonecomb.core.record.recording import Recording
from tonecomb.core.record.statistics import channel_figures, sample_problem


def dumps(value: Any) -> str:
    """Strict JSON: what is not a finite number becomes null."""
    return json.dumps(_finite(value), indent=1, ensure_ascii=False, allow_nan=False)


def _finite(value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: _finite(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [_finite(item) for item in value]
    return value


def description(recording: Recording, progress: Progress = silent) -> dict[str, Any]:
    """What a recording holds. Reads every channel once."""
    channels, problems = [], [asdict(problem) for problem in recording.problems]
    every = channel_figures(recording, range(len(recording.channels)), progress)
    for channel, figures in zip(recording.channels, every, strict=True):
        channels.append(
            {
                "name": channel.name,
                "unit": channel.unit,
                "min": figures.min,
                "max": figures.max,
                "mean": figures.mean,
                "rms": figures.rms,
            }
        )
        if problem := sample_problem(channel, figures.missing, figures.infinite):
            problems.append(asdict(problem))
    rate = recording.sample_rate
    return {
        "name": recording.name,
        "format": recording.format,
        "sample_rate_hz": rate,
        "sample_rate_source": recording.rate_source,
        "sample_rate_found": recording.rate_found,
        "samples": recording.length,
        "duration_s": recording.length / rate if rate else None,
        "channels": channels,
        "problems": problems,
        "assumed": list(recording.assumed),
    }


def describe_text(d: dict[str, Any]) -> str:
    """A description for reading."""
    rate = f"{d['sample_rate_hz']:g} Hz" if d["sample_rate_hz"] else "sample rate unknown"
    duration = f", {d['duration_s']:.6g} s" if d["duration_s"] else ""
    lines = [
        f"{d['name']}: {d['format']}, {rate}{duration}, {d['samples']} samples",
        f"  sample rate {d['sample_rate_found']}",
    ]
    width = max(len(channel["name"]) for channel in d["channels"])
    for number, c in enumerate(d["channels"], start=1):
        lines.append(
            f"  {number:>2} {c['name']:<{width}}  {c['unit']:<6} min {c['min']:>12.5g}  "
            f"max {c['max']:>12.5g}  mean {c['mean']:>12.5g}  rms {c['rms']:>12.5g}"
        )
    lines += [f"  {text}" for text in d["assumed"]]
    lines += [f"  {problem['code']}: {problem['text']}" for problem in d["problems"]]
    return "\n".join(lines)


def file_name(text: str) -> str:
    """A name as one of a file or folder: without what would be understood otherwise."""
    return re.sub(r"[^\w.-]+", "-", text).strip("-.") or "unnamed"
