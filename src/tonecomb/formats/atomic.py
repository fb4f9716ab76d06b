"""Writing a file so that it is either wholly there or as it was before."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from tonecomb.core.errors import UserError


def write_bytes(path: Path, content: bytes) -> None:
    """Write ``content`` to a temporary file beside ``path`` and move it there in one step.

    Raises :class:`UserError` when the folder cannot be written.
    """
    name = None
    try:
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        # mkstemp makes files private; a saved file gets the usual rights.
        mask = os.umask(0)
        os.umask(mask)
        Path(name).chmod(0o666 & ~mask)
        Path(name).replace(path)
    except OSError as error:
        if name is not None:
            Path(name).unlink(missing_ok=True)
        raise UserError(
            f"{path} could not be written", reason(error), "choose another place"
        ) from error


def write_text(path: Path, text: str) -> None:
    """As :func:`write_bytes`, in UTF-8."""
    write_bytes(path, text.encode())


def make_folder(path: Path) -> None:
    """Make a folder and those above it; :class:`UserError` when that cannot be done."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UserError(
            f"The folder {path} could not be made", reason(error), "choose another place"
        ) from error


def reason(error: OSError) -> str:
    """The system's words for what went wrong, in lower case."""
    return (error.strerror or str(error)).lower()
