"""Presets: methods that the user named, apart from any recording, as versioned JSON."""

from __future__ import annotations

from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.core.method.method import Preset
from tonecomb.core.record.windows import window
from tonecomb.formats import atomic
from tonecomb.formats.json_text import json_text
from tonecomb.formats.session import limits, migrations, schema, strict

FORMAT = "tone-comb presets"
VERSION = 4


def load(file: Path) -> tuple[Preset, ...]:
    """The presets in a file, by name.

    Raises :class:`UserError` for a file that holds none, or is from a newer program.
    """
    body = strict.read_body(file, FORMAT, tuple(range(1, VERSION + 1)), "a list of presets")
    try:
        content = body.get("presets")
        if body["version"] < 3:
            content = migrations.presets_3(content or [])
        if body["version"] < 4:
            content = migrations.presets_4(content or [])
        presets = schema.converter().structure(content, tuple[Preset, ...])
        limits.check(presets)
        for preset in presets:
            window(preset.method.frames.window)
    except Exception as error:  # cattrs raises groups of whatever went wrong inside
        raise UserError(
            f"{file.name} is damaged", strict.first_cause(error), "export it again"
        ) from error
    return tuple(sorted(presets, key=lambda preset: preset.name.lower()))


def save(file: Path, presets: tuple[Preset, ...]) -> None:
    """Write presets; the file is either wholly written or the old one stays."""
    atomic.make_folder(file.parent)
    body = {
        "format": FORMAT,
        "version": VERSION,
        "presets": [schema.written(one) for one in presets],
    }
    atomic.write_text(file, json_text(body) + "\n")


def library(file: Path) -> tuple[Preset, ...]:
    """The user's own presets; none where there is no file yet. Raises as :func:`load` does."""
    return load(file) if file.exists() else ()


def keep(file: Path, *presets: Preset) -> None:
    """Put presets into the library, over those of the same names."""
    named = {one.name: one for one in library(file)} | {one.name: one for one in presets}
    save(file, tuple(named.values()))


def forget(file: Path, name: str) -> None:
    """Take a preset out of the library."""
    save(file, tuple(one for one in library(file) if one.name != name))
