"""``tone-comb record``: what a live source sends, into files, without a display."""

from __future__ import annotations

import signal
import threading
from pathlib import Path

import click

from tonecomb.cli.common import shown_progress
from tonecomb.core.errors import UserError


@click.command()
@click.argument("source", metavar="SOURCE")
@click.argument("target", metavar="OUT", type=click.Path(path_type=Path))
@click.option("--duration", type=float, metavar="S", help="For so long; until it is stopped else.")
@click.option("--split", type=float, metavar="S", help="A new file, OUT-0001 and on, every S s.")
def record(source: str, target: Path, duration: float | None, split: float | None) -> None:
    """Record what SOURCE sends into OUT: a .sdp file, rtp://127.0.0.1:PORT/L24/RATE/CHANNELS, or a
    recording played as live (FILE@2 for twice as fast). Ctrl+C ends it in order; what was lost on
    the way is missing in the file, at its place and as long as it was."""
    from tonecomb.live.opening import open_source
    from tonecomb.live.recorder import Recorder

    made = open_source(source)
    stop = threading.Event()
    try:
        recorder = Recorder(made, target, duration, split)
    except UserError:
        made.close()
        raise
    before = {one: signal.signal(one, lambda *_: stop.set())
              for one in (signal.SIGINT, signal.SIGTERM)}  # fmt: skip
    try:
        with shown_progress("Recording") as progress:
            recorder.run(stop.is_set, progress)
    finally:
        for one, handler in before.items():
            signal.signal(one, handler)
    for path in recorder.written:
        click.echo(str(path))
    seconds = recorder.samples / made.described.rate
    told = f": {words}" if (words := made.counts.words()) else ""
    click.echo(f"{seconds:.3f} s, {recorder.samples} samples{told}", err=True)
    if recorder.told:
        raise UserError(recorder.told.rstrip("."))
    if not recorder.samples:
        raise UserError(f"Nothing came from {source}", remedy="start what sends, and try again")
