"""Damaged files thrown at one reader: ``python -m tests.formats.fuzz CASES READER…``.

Runs in a process of its own, so that a crash, a hang or a hunger for memory is seen from outside.
Prints the slowest case in s and the most memory in MB; ends with a traceback at the first case
that raises anything but ``UserError``, or that is read wrongly.
"""

from __future__ import annotations

import sys
import tempfile
import time
import warnings
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tonecomb.core.base.errors import UserError
from tonecomb.formats.registry import understand

_HEADER = 1500  # bytes at the start that are hit more often than the rest
_MOST_READ = 200_000
_OTHER = (
    b"RIFF\x24\0\0\0WAVEfmt \x89HDF\r\n\x1a\nPAR1ARROW1\0\0PK\x03\x04\x93NUMPY fLaC    -1\n    58\n"
)

_bytes = st.sampled_from(
    [
        b"\0",
        b"\xff",
        b"\x7f",
        b"\x80",
        b"\xff" * 4,
        b"\xff" * 8,
        b"\0" * 8,
        b"9" * 9,
        b"-1",
        b"nan",
        b"\n",
        b";",
        b"1e999",
    ]
) | st.binary(min_size=1, max_size=9)
_place = st.floats(0, 1, exclude_max=True)
_edit = st.tuples(st.sampled_from(["header", "tail", "any"]), _place, _bytes, st.booleans())


def damage(
    content: bytes,
    cut: float | None,
    edits: list[tuple[str, float, bytes, bool]],
    spliced: int | None,
) -> bytes:
    """The content with bytes written over or put in, cut off, or begun like another format."""
    damaged = bytearray(content)
    for where, share, change, insert in edits:
        size = len(damaged)
        low, high = {
            "header": (0, min(size, _HEADER)),
            "tail": (max(0, size - _HEADER), size),
            "any": (0, size),
        }[where]
        at = low + int(share * (high - low))
        damaged[at : at + (0 if insert else len(change))] = change
    if spliced is not None:
        damaged[: len(_OTHER) - spliced] = _OTHER[spliced:]
    return bytes(damaged if cut is None else damaged[: int(cut * len(damaged))])


def open_and_read(path: Path) -> None:
    """What the program does with a file that is opened; a damaged one may be refused."""
    try:
        opened = understand(path).recording
        assert opened.length > 0
        for channel in range(min(len(opened.channels), 4)):
            block = opened.samples.read(channel, 0, min(opened.length, _MOST_READ))
            assert len(block) == min(opened.length, _MOST_READ)
            assert block.dtype == float
            last = opened.samples.read(channel, opened.length - 1, opened.length)
            assert len(last) == 1
    except UserError as error:
        assert error.text.endswith(".")
        assert "\n" not in error.text
        assert len(error.text) < 2000


def main(cases: int, *names: str) -> None:
    """Try so many damaged files of each reader whose contract test has one of the names."""
    warnings.simplefilter("error")
    slowest = max(attacked(name, cases) for name in names)
    # Of this program alone: the system's own count has that of the one that started it in it.
    status = Path("/proc/self/status").read_text().splitlines()
    (peak,) = [line for line in status if line.startswith("VmHWM")]
    print(slowest, int(peak.split()[1]) / 1024)


def attacked(name: str, cases: int) -> float:
    """Try ``cases`` damaged files of one reader; the slowest in s."""
    from tests.formats import test_readers

    slowest = 0.0
    with tempfile.TemporaryDirectory() as folder:
        made, _ = getattr(test_readers, name)().make(Path(folder))
        content = made.read_bytes()
        path = made.with_name(f"damaged{made.suffix}")

        @settings(
            max_examples=cases,
            derandomize=True,
            database=None,
            deadline=None,
            suppress_health_check=list(HealthCheck),
        )
        @given(
            st.none() | _place,
            st.lists(_edit, max_size=6),
            st.none() | st.none() | st.integers(0, len(_OTHER) - 8),
        )
        def attack(
            cut: float | None, edits: list[tuple[str, float, bytes, bool]], spliced: int | None
        ) -> None:
            nonlocal slowest
            path.write_bytes(damage(content, cut, edits, spliced))
            begun = time.monotonic()
            open_and_read(path)
            slowest = max(slowest, time.monotonic() - begun)

        attack()
    return slowest


if __name__ == "__main__":
    main(int(sys.argv[1]), *sys.argv[2:])
