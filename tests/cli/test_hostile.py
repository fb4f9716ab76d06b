"""Every option and argument of every command with values that nobody means: a sentence or a
result, never a traceback, a hang or a heap of memory. Made from the parsers: a new option is in by
itself."""

from __future__ import annotations

import json
import os
import resource
import signal
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click
import numpy as np
import pytest
import soundfile
from tests.cli.test_cli import Done, call

from tonecomb.cli.main import commands

VALUES = (
    "",
    "²",
    "٣",
    "nan",
    "inf",
    "1e308",
    "1e-300",
    "-1",
    "0",
    "1000000000",
    "9" * 23,
    "1:2:3",
    ":",
    "a=b",
    "every:…",
    "w.wav@1.2.3",
    "octave:1e9",
    "x\udcff",
    "zero",
    "pipe",
)
SAVED = 16  # values that are not tried of an option that another command has, or that writes much
BASE: dict[str, list[str]] = {
    "describe": ["w.wav"],
    "analyse": ["w.wav"],
    "compare": ["w.wav", "w.wav"],
    "convert": ["w.wav", "o.csv", "--force"],
    "check": ["w.wav"],
    "make": ["m.json", "o.wav"],
    "batch": ["plan.json", "w.wav", "--out", "b", "--no-reports"],
    "demo-data": ["d"],
    "node": ["--duration", "0.05"],
    "record": ["w.wav", "r.wav", "--duration", "0.05"],
}
ELSEWHERE = {"open", "demo", "desktop-entry", "completion", "manual", "steps"}
"""Those that open a window, write into the home, or take nothing."""
ALONE = {("batch", "workers"), ("batch", "scheduler"), ("demo-data", "folder")}
"""What starts processes or waits for a network has tests of its own."""


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.chdir(tmp_path)
    t = np.arange(600) / 1000
    two = np.stack([np.sin(300 * t), np.cos(700 * t)], axis=1)
    soundfile.write("w.wav", two + 0.01 * np.random.default_rng(1).normal(size=two.shape), 1000)
    Path("zero").symlink_to("/dev/zero")
    os.mkfifo("pipe")
    Path("plan.json").write_text(json.dumps({"format": "tone-comb plan", "version": 1}))
    return tmp_path


@pytest.fixture
def in_time() -> Iterator[None]:
    """What takes longer than ten seconds is interrupted, and no sentence."""

    def late(*_: object) -> None:
        raise TimeoutError

    before = signal.signal(signal.SIGALRM, late)
    yield
    signal.alarm(0)
    signal.signal(signal.SIGALRM, before)


def tried(arguments: list[str]) -> Done:
    signal.alarm(10)
    done = call(*arguments)
    signal.alarm(0)
    assert done.returncode in (0, 1, 2), (arguments, done.stderr)
    assert "Traceback" not in done.stderr, (arguments, done.stderr)
    if done.returncode == 2:
        assert len(done.stderr.strip().splitlines()) == 1, (arguments, done.stderr)
    return done


def given(name: str, one: click.Parameter, value: str) -> list[str]:
    if isinstance(one, click.Option):
        return [name, *BASE[name], f"{one.opts[-1]}={value}"]
    at = [p for p in commands.commands[name].params if isinstance(p, click.Argument)].index(one)
    return [name, *(value if i == at else old for i, old in enumerate(BASE[name]))]


def asks() -> list[Any]:
    seen: set[str] = set()
    found = []
    for name in BASE:
        for one in commands.commands[name].params:
            plain = isinstance(one, click.Option) and one.is_flag
            if plain or (name, one.name) in ALONE:
                continue
            again = one.name == "out" or (isinstance(one, click.Option) and one.name in seen)
            seen.add(str(one.name))
            found.append(pytest.param(name, one, again, id=f"{name} {one.name}"))
    return found


@pytest.mark.usefixtures("folder", "in_time")
@pytest.mark.parametrize(("name", "one", "again"), asks())
def test_a_sentence_or_a_result(name: str, one: click.Parameter, again: bool) -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    for value in VALUES[SAVED if again else 0 :]:
        tried(given(name, one, value))
        Path("r.wav").unlink(missing_ok=True)
    grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
    assert grown < 500 << 10, f"{grown >> 10} MB"


def test_every_command_is_tried() -> None:
    assert set(commands.commands) == set(BASE) | ELSEWHERE
