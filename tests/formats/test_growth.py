"""Hostile text costs no more than its length: tried at two lengths, never by seconds."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import NamedTemporaryFile

import pytest

from tonecomb.core.base.errors import UserError
from tonecomb.formats import contents, sound
from tonecomb.formats.registry import open_recording
from tonecomb.formats.report import sealed

NEARLY = (
    "# sampl___",
    "sampl",
    "sample_rate ",
    "fs ",
    "rate",
    "dt ",
    "sampling period",
    "sensitivity ",
    "sensitivity 1",
    "1.1,",
    "a(",
    "a [",
    "[",
    "(",
    ") ",
    " ",
    "time ",
    "time/",
    "/",
    "_-",
)


def header(text: str) -> None:
    """As lines of remarks above a table, as names of its columns, and in a sound file."""
    rows = "\n".join(f"{i};{i % 7}" for i in range(50))
    for head in (f"{text}\n# {text}\na;b", f"{text};{text}"):
        with NamedTemporaryFile("w", suffix=".csv") as file:
            file.write(f"{head}\n{rows}\n")
            file.flush()
            with contextlib.suppress(UserError):
                open_recording(Path(file.name))
    contents.bracketed(text)
    sound.parse_channels(f"channels: {text}", 1)


def page(text: str) -> None:
    try:
        sealed.figures_in(text)
    except ValueError as error:
        assert "too deep" in str(error)
    sealed.words_in(text)


def spent(work: Callable[[str], None], text: str) -> float:
    best = 1e9
    for _ in range(3):
        began = time.process_time()
        work(text)
        best = min(best, time.process_time() - began)
    return best


def grows(work: Callable[[str], None], unit: str, length: int) -> float:
    """How many times as long it takes for eight times the text; 1 where that is as good as
    nothing."""
    short, long = (unit * (size // len(unit)) for size in (length, 8 * length))
    whole = spent(work, long)
    return 1.0 if whole < 0.02 else whole / max(spent(work, short), 1e-3)


@pytest.mark.parametrize("unit", NEARLY)
def test_a_header_is_read_in_time(unit: str) -> None:
    """Eight times as long: up to some twenty times as much, where a square would be 64."""
    assert grows(header, unit, 4_000) < 24


PAGES = ('<b data-figure="a">x', "<i>", "<b", "<!--", "<!", "&#1", "&", "</", "<a b=", "<script>")


@pytest.mark.parametrize("unit", PAGES)
def test_a_page_is_read_in_time(unit: str) -> None:
    assert grows(page, unit, 20_000) < 24


def test_a_unit_in_brackets() -> None:
    assert contents.bracketed("acc (DE) [m/s²] ") == ("acc (DE)", "m/s²")
    assert contents.bracketed("x" * 300 + " [g]") == ("x" * 300, "g")
    for name in ("acc", "acc [g", "g]", "a [g] b", ""):
        assert contents.bracketed(name) is None
