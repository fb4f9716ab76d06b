"""What a file holds, before it is decided what is time and what is data.

Every reader makes :class:`Contents`; :mod:`tonecomb.formats.assemble` makes a recording of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.core.method.given import Role
from tonecomb.core.record.recording import Array, Problem, Samples

_RATE_NAME = re.compile(
    r"^(fs|f_s|sr|rate|sample_?rate|sampling_?rate|sample_?freq\w*|sampling_?freq\w*)(_?hz)?$", re.I
)
_STEP_NAME = re.compile(r"^(dt|delta_?t|time_?step|sampl\w*_?(interval|period))(_?s)?$", re.I)
MOST_COLUMNS = 4096


def bracketed(name: str) -> tuple[str, str] | None:
    """A name and the unit that stands behind it in brackets, None where none does."""
    body, close = name.rstrip()[:-1], name.rstrip()[-1:]
    last = body[max(body.rfind("]"), body.rfind(")")) + 1 :]
    opens = [at for at in (last.find("["), last.find("(")) if at >= 0]
    if close not in ("]", ")") or not opens:
        return None
    start = len(body) - len(last) + min(opens)
    return body[:start].rstrip(), body[start + 1 :]


@dataclass(frozen=True)
class FileColumn:
    """A series of numbers in a file.

    ``name`` and ``unit`` are "" where the file does not tell; ``rate`` is in Hz. ``role`` is
    what the reader knows it to be, None to find out; ``note`` says why one is left out.
    """

    name: str
    unit: str
    length: int
    rate: float | None = None
    role: Role | None = None
    note: str = ""
    integer: bool = False


@dataclass(frozen=True, eq=False)
class Contents:
    """A file's columns and where their samples lie: ``samples.read(column, start, stop)``.

    ``row`` is what a row is called in sentences and ``first_row`` the number of the first.
    ``rate_found`` says where the columns' rate stands; ``rate`` in Hz is one that the file states
    and that holds where no column tells the time. ``start`` is ISO 8601 or "".
    ``guesses`` are sentences about what may have been understood wrongly. ``delimiter`` and
    ``decimal`` are those of a text table; ``problems`` are what its readings should take into
    account. ``missing`` counts each column's missing values, where
    that is known.
    """

    format: str
    columns: tuple[FileColumn, ...]
    samples: Samples
    row: str = "row"
    first_row: int = 1
    rate_found: str = "from the file's header"
    start: str = ""
    comment: str = ""
    guesses: tuple[str, ...] = ()
    delimiter: str | None = None
    decimal: str | None = None
    missing: tuple[int, ...] = ()
    rate: float | None = None
    problems: tuple[Problem, ...] = ()


def damaged(path: Path, kind: str, why: str = "", remedy: str = "") -> UserError:
    """The error for a file that is not what it seems."""
    return UserError(
        f"{path.name} is damaged or of a kind of {kind} that cannot be read",
        why,
        remedy or "copy or export it again",
    )


@contextmanager
def foreign(path: Path, kind: str) -> Iterator[None]:
    """Around calls of a library that reads ``kind``: what it raises over a damaged file may be
    anything, and becomes a :class:`UserError`."""
    try:
        yield
    except (UserError, Cancelled):
        raise
    except FileNotFoundError as error:
        raise UserError(
            f"{path} can no longer be read",
            "it was moved or removed since it was opened",
            "put it back or open it again",
        ) from error
    except MemoryError as error:
        raise damaged(path, kind, "it asks for more memory than there is") from error
    except Exception as error:
        words = " ".join(str(error).split())[:120]
        raise damaged(path, kind, words[:1].lower() + words[1:]) from error


def rate_of(values: Mapping[str, object]) -> float | None:
    """The sample rate in Hz among named values: ``fs``, ``sample_rate`` … or a step ``dt``."""
    for names, invert in ((_RATE_NAME, False), (_STEP_NAME, True)):
        for name, value in values.items():
            number = scalar(value) if names.match(name.strip()) else None
            if number is not None and 1e-9 < number < 1e12:
                return 1 / number if invert else number
    return None


def scalar(value: object) -> float | None:
    """The one number that ``value`` holds, or None."""
    try:
        array = np.asarray(value)
        if array.size == 1 and array.dtype.kind in "iuf":
            number = float(array.reshape(-1)[0])
            return number if np.isfinite(number) else None
    except (ValueError, TypeError):
        pass
    return None


def words(value: object) -> str:
    """The text that ``value`` holds, bytes included, or ""."""
    if isinstance(value, np.ndarray) and value.size == 1:
        value = value.reshape(-1)[0]
    if isinstance(value, bytes):
        value = value.decode("utf-8", errors="replace")
    return " ".join(value.split())[:200] if isinstance(value, str) else ""


def plain(array: np.ndarray) -> Array:
    """Numbers of any type as float64, in the machine's byte order and side by side."""
    return np.ascontiguousarray(array, dtype=np.float64)


def series(name: str, shape: tuple[int, ...]) -> tuple[str, ...] | None:
    """Names of the series in an array: one, or one for each row or column of a table, whichever
    there are fewer of; None where there is no series."""
    if len(shape) == 1 and shape[0] > 0:
        return (name,)
    if len(shape) == 2 and min(shape) > 0:
        count = min(shape)
        if count > MOST_COLUMNS:
            return None
        return tuple(f"{name} {i + 1}".strip() for i in range(count)) if count > 1 else (name,)
    return None
