"""What the command line prints: the values behind its JSON, and the same as text."""

from __future__ import annotations

import math
import re
import unicodedata
from dataclasses import asdict
from typing import Any

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.record.recording import Recording
from tonecomb.core.record.statistics import channel_figures, sample_problem
from tonecomb.formats.json_text import json_text


def dumps(value: Any) -> str:
    """Strict JSON: what is not a finite number becomes null."""
    return json_text(_finite(value))


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


_LONGEST = 120  # bytes of a name, of which a file system takes 255


class FileNames:
    """Names of files or folders beside each other, one for each text and no two alike, not even
    where letters of both cases are one: what would be another's gets a number."""

    def __init__(self, *taken: str) -> None:
        self._taken = {_alike(one) for one in taken}

    def of(self, text: str) -> str:
        """The next text as a name."""
        plain = file_name(text)
        name, number = plain, 1
        while _alike(name) in self._taken:
            number += 1
            name = f"{plain}-{number}"
        self._taken.add(_alike(name))
        return name


def _alike(name: str) -> str:
    return unicodedata.normalize("NFKC", name).casefold()


def file_name(text: str) -> str:
    """A text as the name of a file or folder: without what would be understood otherwise. Others
    may have the same, see :class:`FileNames`."""
    plain = re.sub(r"[^\w.-]+", "-", text).strip("-.")
    return plain.encode()[:_LONGEST].decode(errors="ignore").strip("-.") or "unnamed"
