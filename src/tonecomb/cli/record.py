"""``tone-comb record``: what a live source sends, into files, without a display."""

from __future__ import annotations

import re
import signal
import threading
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from tonecomb.cli.common import Seconds, say, shown_progress
from tonecomb.core.base.errors import UserError

if TYPE_CHECKING:
    from tonecomb.core.record.recording import Channel
    from tonecomb.live.source import Described
    from tonecomb.live.watching import Alarm, Event, Trigger


@click.command()
@click.argument("source", metavar="SOURCE")
@click.argument("target", metavar="OUT", type=click.Path(path_type=Path))
@click.option("--duration", type=Seconds(), help="For so long; until it is stopped else.")
@click.option("--split", type=Seconds(), help="A new file, OUT-0001 and on, every S s.")
@click.option(
    "--trigger",
    metavar="CHANNEL:LEVEL[:falling|beyond]|every:S",
    help="Only captures, OUT-0001 and on: where a channel rises through a level, falls "
    "through it, or goes beyond ± it; or one every S s.",
)
@click.option(
    "--before", type=float, default=0.1, metavar="S", help="Of a capture, before its trigger: 0.1."
)
@click.option("--length", type=float, default=1.0, metavar="S", help="Of a capture: 1.")
@click.option(
    "--alarm",
    "alarms",
    multiple=True,
    metavar="CHANNEL:LOW:HIGH:LEVEL",
    help="Tell, and list in OUT-alarms.csv, when the rms between two frequencies (Hz) is "
    "above a level in the channel's unit. Repeatable.",
)
def record(
    source: str,
    target: Path,
    duration: float | None,
    split: float | None,
    trigger: str | None,
    before: float,
    length: float,
    alarms: tuple[str, ...],
) -> None:
    """Record what SOURCE sends into OUT: a .sdp file, rtp://127.0.0.1:PORT/L24/RATE/CHANNELS,
    sound:NAME, or a recording played as live (FILE@2 for twice as fast). Ctrl+C ends it in order;
    what was lost on the way is missing in the file, at its place and as long as it was."""
    from tonecomb.live.opening import open_source
    from tonecomb.live.recorder import Recorder

    made = open_source(source)
    stop = threading.Event()
    described = made.described
    try:
        recorder = Recorder(
            made,
            target,
            duration,
            split,
            None if trigger is None else _trigger(trigger, before, length, described.channels),
            tuple(_alarm(text, described.channels) for text in alarms),
            notice=lambda event: say(_told(event, described), err=True),
        )
    except UserError:
        made.close()
        raise
    handlers = {
        one: signal.signal(one, lambda *_: stop.set()) for one in (signal.SIGINT, signal.SIGTERM)
    }
    try:
        with shown_progress("Recording") as progress:
            recorder.run(stop.is_set, progress)
    finally:
        for one, handler in handlers.items():
            signal.signal(one, handler)
    for path in (*recorder.written, *([recorder.list_] if recorder.alarms else [])):
        say(str(path))
    seconds = recorder.samples / made.described.rate
    told = f": {words}" if (words := made.counts.words()) else ""
    say(f"{seconds:.3f} s, {recorder.samples} samples{told}", err=True)
    if recorder.told:
        raise UserError(recorder.told.rstrip("."))
    if not recorder.samples:
        raise UserError(f"Nothing came from {source}", remedy="start what sends, and try again")


def _trigger(text: str, before: float, length: float, channels: Sequence[Channel]) -> Trigger:
    from tonecomb.live.watching import Trigger

    if (timed := re.fullmatch(r"every:([\d.]+)", text)) is not None:
        return Trigger(every=float(timed[1]), before=0.0, length=length)
    name, _, rest = text.partition(":")
    match = re.fullmatch(r"([-+.\deE]+)(?::(rising|falling|beyond))?", rest)
    try:
        if match is None:
            raise ValueError
        level = float(match[1])
    except ValueError as error:
        raise UserError(
            f"{text[:80]} is no trigger", remedy="give CHANNEL:LEVEL, like 2:4 or 2:-4:falling"
        ) from error
    slope = match[2] or "rising"
    return Trigger(_channel(name, channels), level, slope, before, length)  # type: ignore[arg-type]


def _alarm(text: str, channels: Sequence[Channel]) -> Alarm:
    from tonecomb.live.watching import Alarm

    name, *figures = text.rsplit(":", 3)
    try:
        low, high, level = (float(one) for one in figures)
    except ValueError as error:
        raise UserError(
            f"{text[:80]} is no alarm", remedy="give CHANNEL:LOW:HIGH:LEVEL, like 2:400:490:0.5"
        ) from error
    return Alarm(_channel(name, channels), low, high, level)


def _channel(name: str, channels: Sequence[Channel]) -> int:
    """A channel by its name or number (from 1)."""
    names = [channel.name for channel in channels]
    if name in names:
        return names.index(name)
    if name.isdecimal() and 1 <= int(name) <= len(names):
        return int(name) - 1
    raise UserError(
        f"There is no channel {name[:80]}", f"there are {', '.join(names)}", "choose another"
    )


def _told(event: Event, described: Described) -> str:
    one, at = described.channels[event.channel], event.at / described.rate
    if event.kind == "capture":
        value = "" if event.value != event.value else f" at {event.value:.4g} {one.unit}"
        return f"{at:.3f} s: capture {event.number}, {one.name}{value}"
    return (
        f"{at:.3f} s: alarm {event.number}, {one.name} {event.value:.4g} {one.unit} rms, "
        f"{event.over:.3g} times its level"
    )
