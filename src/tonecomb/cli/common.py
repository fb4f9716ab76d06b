"""What commands share: progress, how a file is to be read, a choice of channels."""

from __future__ import annotations

import math
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import wraps
from pathlib import Path
from typing import Any, get_args

import click

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress
from tonecomb.core.base.units import FULL_SCALE, unit
from tonecomb.core.method.given import NOTHING_GIVEN, Given, MissingChoice
from tonecomb.core.record.recording import Channel
from tonecomb.core.record.sensors import EVERY, Calibration, ChannelGiven
from tonecomb.core.record.sensors import say as also
from tonecomb.core.record.timebase import TimeChoice
from tonecomb.core.say.plain import printable
from tonecomb.formats.registry import with_time


class RangeOption(click.ParamType):
    """Two numbers with a colon between them."""

    name = "LOW:HIGH"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[float, float]:
        if isinstance(value, tuple):
            return value
        try:
            low, high = (float(text) for text in value.split(":"))
        except ValueError:
            self.fail(f"‘{value}’ is not two numbers with a colon between them, like 10:1000")
        if not low < high:
            self.fail(f"‘{value}’ does not rise from its first number to its second")
        return low, high


class Seconds(click.ParamType):
    """A time that something takes, up to thirty years."""

    name = "S"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        try:
            found = float(value)
        except ValueError:
            found = math.nan
        if not 0 < found < 1e9:
            self.fail(f"‘{value}’ is no number of seconds above 0")
        return found


class OfChannel(click.ParamType):
    """Something said of the channel before a = sign, or of all."""

    name = "[NAME=]VALUE"

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> tuple[str, Any]:
        if isinstance(value, tuple):
            return value
        name, equals, text = value.rpartition("=")
        if equals and not name.strip():
            self.fail(f"‘{value}’ names no channel before its = sign")
        return name.strip() or EVERY, self.said(text.strip())

    def said(self, text: str) -> Any:
        """What stands after it."""
        try:
            return unit(text).symbol
        except UserError as error:
            self.fail(error.text)


class ScaleOption(OfChannel):
    """A sensitivity, or what full scale stands for."""

    def __init__(self, raw: str = "") -> None:
        self._raw = raw

    def said(self, text: str) -> Calibration:
        number, _, rest = text.partition(" ")
        raw, _, symbol = (self._raw, "", rest) if self._raw else rest.partition("/")
        try:
            value = float(number)
            if not symbol.strip():
                raise ValueError
            scale = Calibration(symbol.strip(" ()"), value, raw.strip())
            scale.check()
            return replace(scale, sensitivity=1 / value) if self._raw else scale
        except ValueError:
            like = "32 m/s²" if self._raw else "100 mV/g"
            self.fail(f"‘{text}’ is no value with its unit, like {like}")
        except UserError as error:
            self.fail(error.text)


@contextmanager
def shown_progress(what: str) -> Iterator[Progress]:
    """A bar on stderr for people; nothing where stderr is not a terminal."""
    if not sys.stderr.isatty():
        yield lambda fraction: None
        return
    from rich.console import Console
    from rich.progress import Progress as Bar

    with Bar(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=1.0)
        yield lambda fraction: bar.update(task, completed=fraction)


@dataclass(frozen=True)
class ReadingOptions:
    """What the call says about how a file is read: of the ``file`` and of how it is ``imported``,
    over what is said already, and where its time stands."""

    file: dict[str, Any]
    channels: tuple[ChannelGiven, ...]
    imported: dict[str, Any]
    time_column: str | None
    time_unit: str | None

    def of(self, path: Path, given: Given = NOTHING_GIVEN) -> Given:
        """All that is said of the file at ``path``, over what is ``given`` already."""
        how, channels = replace(given.how, **self.imported), given.channels
        for one in self.channels:
            channels = also(channels, one)
        given = replace(given, how=how, channels=channels, **self.file)
        return with_time(path, given, self.time_column, self.time_unit)


def importing(command: Callable[..., Any]) -> Callable[..., Any]:
    """How a file is to be read; the command is handed a ``reading``."""

    @wraps(command)
    def call(
        rate: float | None,
        units: tuple[tuple[str, str], ...],
        sensitivities: tuple[tuple[str, Calibration], ...],
        full_scales: tuple[tuple[str, Calibration], ...],
        time_base: TimeChoice | None,
        missing: MissingChoice | None,
        piece: int | None,
        time_column: str | None,
        time_unit: str | None,
        **rest: Any,
    ) -> Any:
        kept = None if piece is None else piece - 1
        how = {"time_base": time_base, "missing": missing, "piece": kept}
        plain = [symbol for name, symbol in units if name == EVERY]
        if len(plain) > 1:
            raise click.UsageError("--unit stands there twice without a channel; name them.")
        channels = [ChannelGiven(name, unit=symbol) for name, symbol in units if name != EVERY]
        scales = (*sensitivities, *full_scales)
        channels += [ChannelGiven(name, calibration=scale) for name, scale in scales]
        if len({one.channel for one in channels}) < len(channels):
            raise click.UsageError("A channel is given a unit or a scale twice; say it once.")
        file = _said({"rate": rate, "unit": plain[0] if plain else None})
        reading = ReadingOptions(file, tuple(channels), _said(how), time_column, time_unit)
        return command(reading=reading, **rest)

    for option in (
        click.option(
            "--piece",
            type=click.IntRange(1),
            metavar="NUMBER",
            help="The piece to keep where the recording is cut; the longest if none is named.",
        ),
        click.option(
            "--missing",
            type=click.Choice(get_args(MissingChoice)),
            help="What becomes of samples that are no numbers: refuse them if nothing is said.",
        ),
        click.option(
            "--time-base",
            type=click.Choice(get_args(TimeChoice)),
            help="What becomes of gaps and uneven steps: nominal if nothing is said.",
        ),
        click.option(
            "--time-unit", metavar="UNIT", help="What the time column counts in, such as s or ms."
        ),
        click.option(
            "--time-column",
            metavar="NAME|NUMBER",
            help="The column with the time, by its name or its number from 1; none for none.",
        ),
        click.option(
            "--full-scale",
            "full_scales",
            type=ScaleOption(FULL_SCALE),
            multiple=True,
            metavar="[NAME=]VALUE UNIT",
            help="What full scale stands for, such as '32 m/s²' or 'DE=32 m/s²'; repeatable.",
        ),
        click.option(
            "--sensitivity",
            "sensitivities",
            type=ScaleOption(),
            multiple=True,
            metavar="[NAME=]VALUE RAW/UNIT",
            help="Of a channel's sensor, such as '100 mV/g' or 'DE=100 mV/g'; repeatable.",
        ),
        click.option(
            "--unit",
            "units",
            type=OfChannel(),
            multiple=True,
            metavar="[NAME=]UNIT",
            help="Unit of channels of which the file says none, such as m/s² or 'DE=g'; "
            "repeatable.",
        ),
        click.option("--rate", type=float, metavar="HZ", help="Sample rate, over the file's."),
    ):
        call = option(call)
    return call


def _said(options: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in options.items() if value is not None}


as_json = click.option("--json", "as_json", is_flag=True, help="Print JSON.")
only = click.option(
    "--channel",
    "channels",
    multiple=True,
    metavar="NAME|NUMBER",
    help="A channel by its name or its number from 1; repeatable.",
)
stretch = click.option(
    "--stretch", type=RangeOption(), metavar="START:END", help="Part of the recording, in s."
)


def channel_of(name: str, channels: tuple[Channel, ...], text: str) -> int:
    """The channel (from 0) of the recording ``name`` that a name, or a number from 1, stands
    for."""
    names = [channel.name for channel in channels]
    if text in names:
        return names.index(text)
    if text.isdecimal() and 1 <= int(text) <= len(names):
        return int(text) - 1
    listed = ", ".join(f"{i} {one}" for i, one in enumerate(names, start=1))
    raise UserError(f"{name} has no channel ‘{text}’", remedy=f"choose from: {listed}")


def channels_of(
    name: str, channels: tuple[Channel, ...], wanted: tuple[str, ...], usual: list[int]
) -> list[int]:
    """The channels that are wanted, the ``usual`` ones where none is named."""
    return [channel_of(name, channels, text) for text in wanted] if wanted else usual


forcing = click.option(
    "--force", is_flag=True, help="Replace files that are there already; never a source."
)
"""The option of commands that write."""


def say(text: str, *, err: bool = False, nl: bool = True) -> None:
    """Print, with nothing in it that a terminal would act on: names come from files."""
    click.echo(printable(text), err=err, nl=nl)


def all_commands() -> click.Group:
    """The program's commands, of which the running one is."""
    root = click.get_current_context().find_root().command
    assert isinstance(root, click.Group)
    return root
