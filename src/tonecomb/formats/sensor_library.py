"""The user's own sensors, kept as JSON beside the settings."""

from __future__ import annotations

import json
from pathlib import Path

import cattrs

from tonecomb.core.record.sensors import Sensor
from tonecomb.formats import atomic
from tonecomb.formats.json_text import json_text

_CONVERTER = cattrs.Converter(forbid_extra_keys=True)


def load(file: Path) -> tuple[Sensor, ...]:
    """The sensors by name; none where the file is missing or cannot be understood."""
    try:
        return _CONVERTER.structure(json.loads(file.read_text("utf-8")), tuple[Sensor, ...])
    except (OSError, ValueError, TypeError, cattrs.BaseValidationError):
        return ()


def keep(file: Path, sensor: Sensor) -> None:
    """Put a sensor into the library, over one of the same name."""
    sensors = {known.name: known for known in load(file)} | {sensor.name: sensor}
    _write(file, sorted(sensors.values(), key=lambda one: one.name.lower()))


def forget(file: Path, name: str) -> None:
    """Take a sensor out of the library."""
    _write(file, [known for known in load(file) if known.name != name])


def _write(file: Path, sensors: list[Sensor]) -> None:
    atomic.make_folder(file.parent)
    text = json_text(_CONVERTER.unstructure(sensors))
    atomic.write_text(file, text + "\n")
