"""What the program remembers between starts: layout, theme, recent files."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import platformdirs
from PyQt6.QtCore import QSettings

if TYPE_CHECKING:  # colours and layout do not wait for the document
    from tonecomb.core.method.document import RecordingRef

APP = "tone-comb"
RECENT = 10


def data_folder() -> Path:
    """Where the program keeps what it made itself: the demo, autosaves, the log."""
    return Path(platformdirs.user_data_path(APP))


def settings() -> QSettings:
    """The settings file."""
    path = Path(platformdirs.user_config_path(APP)) / "settings.ini"
    return QSettings(str(path), QSettings.Format.IniFormat)


def larger_type() -> bool:
    """Whether everything is written as if the base type had 11 points."""
    return bool(settings().value("larger type", False, type=bool))


def imports_file() -> Path:
    """Where it is kept how files of each shape are read."""
    return Path(platformdirs.user_config_path(APP)) / "imports.json"


def sensors_file() -> Path:
    """Where the user's sensors are kept."""
    return Path(platformdirs.user_config_path(APP)) / "sensors.json"


def presets_file() -> Path:
    """Where the user's named methods are kept."""
    return Path(platformdirs.user_config_path(APP)) / "presets.json"


def machines_folder() -> Path:
    """Where the user's tables of known frequencies are kept."""
    return Path(platformdirs.user_config_path(APP)) / "machines"


def folder_of(ref: RecordingRef | None) -> Path:
    """Where a file dialog begins: beside the recording, but not in the demo's folder."""
    from tonecomb.demo import ropeway

    folder = Path(ref.path).parent if ref is not None and ref.path else None
    return Path.home() if folder is None or folder == ropeway.folder() else folder


def recent_files() -> list[str]:
    """Paths opened last, the newest first."""
    value = settings().value("recent", [])
    return [value] if isinstance(value, str) else [str(path) for path in value or []]


def add_recent(path: Path) -> None:
    """Put a path at the head of the recent files."""
    text = str(path.absolute())
    others = [other for other in recent_files() if other != text]
    settings().setValue("recent", [text, *others][:RECENT])
