"""Files of our own that lie: whole JSON, tables and packets in which one thing after the other is
something else. Each gives what it says, or one sentence."""

from __future__ import annotations

import json
import random
import time
from collections.abc import Callable
from copy import deepcopy
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tonecomb.core.base.errors import UserError
from tonecomb.core.synthesis.starters import STARTERS
from tonecomb.formats import machines, made_json
from tonecomb.formats.session import presets, session
from tonecomb.live import rtp, sdp

KEPT = Path(__file__).with_name("kept")
LIES: tuple[Any, ...] = (
    None,
    True,
    -1,
    0,
    10**9,
    10**30,
    -1e300,
    1e-300,
    0.5,
    "",
    "x" * 300,
    "1e9",
    "../../etc",
    "\0",
    "nan",
    [],
    {},
    [[]] * 50,
    [0] * 3000,
    {"kind": "mean"},
    "\u202e",
    "=1+1",
)
SECONDS = 5.0


def places(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Ways to everything inside."""
    inside = (
        value.items()
        if isinstance(value, dict)
        else enumerate(value if isinstance(value, list) else ())
    )
    found = [path] if path else []
    for key, one in inside:
        found += places(one, (*path, key))
    return found


def told_otherwise(body: Any, chance: random.Random) -> Any:
    """One to three things of it are others, are gone, or stand there twice."""
    body = deepcopy(body)
    for _ in range(chance.choice((1, 1, 2, 3))):
        where = places(body)
        if not where:
            break
        path = chance.choice(where)
        holder = body
        for key in path[:-1]:
            holder = holder[key]
        what, last = chance.random(), path[-1]
        if what < 0.7:
            holder[last] = deepcopy(chance.choice(LIES))
        elif what < 0.8:
            del holder[last]
        elif isinstance(holder, list):
            holder.extend(deepcopy([holder[last]] * chance.choice((1, 40))))
        else:
            holder[chance.choice(("unknown", "class", "__reduce__", "name"))] = deepcopy(
                holder[last]
            )
    return body


def written(path: Path, body: Any) -> None:
    path.write_text(json.dumps(body))


def check(load: Callable[[Path], Any], path: Path, what: object) -> Any:
    before = time.monotonic()
    try:
        found = load(path)
    except UserError as error:
        assert len(str(error)) < 900, f"{what}: it quotes too much"
        found = None
    except Exception as error:
        raise AssertionError(f"{what}: {path.read_text()[:2000]}") from error
    assert time.monotonic() - before < SECONDS, what
    return found


def lie(cases: int, tmp_path: Path) -> int:
    """How many of the lies were taken for what they say."""
    believed = 0
    ours: list[tuple[Callable[[Path], Any], Any, str]] = [
        (session.load, json.loads((KEPT / f"session-v{i}.tcomb").read_text()), "a.tcomb")
        for i in (1, 5, 6, 7, 8)
    ]
    ours += [
        (presets.load, json.loads((KEPT / f"presets-v{i}.json").read_text()), "a.json")
        for i in (1, 2)
    ]
    ours += [(made_json.load, made_json.written(one.made), "b.json") for one in STARTERS]
    for number, (load, body, name) in enumerate(ours):
        for case in range(cases):
            written(tmp_path / name, told_otherwise(body, random.Random(1000 * number + case)))
            found = check(load, tmp_path / name, (number, case))
            believed += found is not None
            if load is session.load and found is not None:
                session.save(tmp_path / "again.tcomb", found)  # what is read can be saved
    return believed


def test_some_lies_in_files_of_our_own(tmp_path: Path) -> None:
    assert lie(30, tmp_path) > 20, "not all of them matter"


@pytest.mark.slow
def test_many_lies_in_files_of_our_own(tmp_path: Path) -> None:
    lie(1000, tmp_path)


def test_machine_tables_and_descriptions_of_streams(tmp_path: Path) -> None:
    chance = random.Random(5)
    table = "name,frequency [Hz],times shaft,tolerance [%]\nmesh,413.1,,1\nfan,,7,0.5\n"
    stream = sdp.Session("a", sdp.LOOPBACK, 5004, 97, "L16", 48_000, 2).text()
    for text, load, name in ((table, machines.read, "m.csv"), (stream, sdp.load, "s.sdp")):
        (tmp_path / name).write_text(text)
        assert check(load, tmp_path / name, name) is not None
        for case in range(150):
            cells = list(text)
            for _ in range(chance.choice((1, 3, 10))):
                at = chance.randrange(len(cells))
                cells[at] = chance.choice(
                    (
                        "",
                        ",",
                        ";",
                        '"',
                        "\n",
                        "9" * 40,
                        "-",
                        "é",
                        "=",
                        " ",
                        "nan",
                        "\t",
                        "1e400",
                        "x" * 5000,
                    )
                )
            (tmp_path / name).write_text("".join(cells))
            check(load, tmp_path / name, (name, case))


def test_packets_of_strangers() -> None:
    random_ = np.random.default_rng(0)
    good = rtp.built(rtp.Packet(97, 65_535, 2**32 - 1, 7, rtp.encoded(np.zeros((40, 2)), "L16")))
    assert rtp.parse(good) is not None
    for case in range(3000):
        data = bytearray(good[: random_.integers(0, len(good) + 1)])
        for _ in range(int(random_.integers(0, 6))):
            if data:
                data[random_.integers(0, min(len(data), 24))] = random_.integers(0, 256)
        packet = rtp.parse(bytes(data))
        if packet is None:
            continue
        for encoding in ("L16", "L24"):
            frames = rtp.decoded(packet.payload, encoding, int(random_.integers(1, 33)))
            assert frames is None or np.isfinite(frames).all(), case
