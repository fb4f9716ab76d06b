"""Writing a file so that it is either wholly there or as it was before."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tonecomb.core.errors import UserError
from tonecomb.formats import guard


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary file beside ``path`` to write to; it is moved there in one step at the end,
    or removed when an exception passes.

    Raises :class:`UserError` when the folder cannot be written.
    """
    name = None
    guard.check_target(path)
    try:
        handle, text = tempfile.mkstemp(
            prefix=f".{path.name}.", suffix=path.suffix, dir=path.parent
        )
        os.close(handle)
        name = Path(text)
        yield name
        with name.open("rb+") as file:
            os.fsync(file.fileno())
        # mkstemp makes files private; a saved file gets the usual rights.
        mask = os.umask(0)
        os.umask(mask)
        name.chmod(0o666 & ~mask)
        name.replace(path)
    except OSError as error:
        raise UserError(
            f"{path} could not be written", reason(error), "choose another place"
        ) from error
    finally:
        if name is not None:
            name.unlink(missing_ok=True)


def write_bytes(path: Path, content: bytes) -> None:
    """Write ``content`` to ``path``, wholly or not at all; see :func:`replacing`."""
    with replacing(path) as partial:
        partial.write_bytes(content)


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
