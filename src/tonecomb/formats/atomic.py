"""Writing a file so that it is either wholly there or as it was before."""

from __future__ import annotations

import errno
import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.formats import guard

_NUMBER = re.compile(r"errno\D{0,4}(\d+)", re.I)
_NOTHING, _WORDS = 1 << 16, 200  # bytes that are as good as none; letters that are told


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """A temporary file beside ``path`` to write to; it is moved there in one step at the end,
    or removed when an exception passes.

    Raises :class:`UserError` when the folder cannot be written.
    """
    name = None
    guard.check_target(path)
    guard.regular(path)  # whoever may would put a file in a device's place
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
            f"{path} could not be written", reason(error, path), "choose another place"
        ) from error
    finally:
        if name is not None:
            name.unlink(missing_ok=True)


def need(path: Path, size: int) -> None:
    """:class:`OSError` where the disk of a path has no room for so many bytes: for libraries that
    do not bear to be stopped in the middle."""
    if shutil.disk_usage(path.parent).free < size:
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))


@contextmanager
def unpacking() -> Iterator[None]:
    """Using a temporary folder of the system's; a :class:`UserError` says what failed there."""
    try:
        yield
    except OSError as error:
        folder = Path(tempfile.gettempdir())
        raise UserError(
            f"Nothing could be put aside in {folder}",
            reason(error, folder / "x"),
            "make room there, or set TMPDIR to a folder on another disk",
        ) from error


def write_bytes(path: Path, content: bytes) -> None:
    """Write ``content`` to ``path``, wholly or not at all; see :func:`replacing`."""
    with replacing(path) as partial:
        partial.write_bytes(content)


def write_text(path: Path, text: str) -> None:
    """As :func:`write_bytes`, in UTF-8."""
    write_bytes(path, utf8(text))


def utf8(text: str) -> bytes:
    """In UTF-8; what is no letter, as bytes in a file's name may be none, is replaced."""
    return text.encode("utf-16", "surrogatepass").decode("utf-16", "replace").encode()


def make_folder(path: Path) -> None:
    """Make a folder and those above it; :class:`UserError` when that cannot be done."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UserError(
            f"The folder {path} could not be made", reason(error), "choose another place"
        ) from error


def reason(error: BaseException, path: Path | None = None) -> str:
    """The system's words for what went wrong, in lower case. Libraries hide its number in texts of
    their own, or forget it; where nothing is left on the disk of ``path``, that was it."""
    number = getattr(error, "errno", None)
    if number is None and (found := _NUMBER.search(str(error))):
        number = int(found[1])
    if number is None and path is not None:
        with suppress(OSError):
            if shutil.disk_usage(path.parent).free < _NOTHING:
                number = errno.ENOSPC
    if number is not None and number in errno.errorcode:
        return os.strerror(number).lower()
    text = str(getattr(error, "strerror", None) or error) or type(error).__name__
    return text.splitlines()[0][:_WORDS].lower()
