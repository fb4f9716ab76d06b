"""``tone-comb convert``: a recording in another format."""

from __future__ import annotations

from pathlib import Path

import click

import tonecomb
from tonecomb.cli.common import (
    ReadingOptions,
    channels_of,
    forcing,
    importing,
    only,
    say,
    shown_progress,
    stretch,
)
from tonecomb.core.base.progress import part
from tonecomb.core.record.recording import Stretch
from tonecomb.core.record.resampling import excerpt
from tonecomb.formats import guard
from tonecomb.formats.registry import write_recording


@click.command()
@click.argument("path", type=click.Path(path_type=Path))
@click.argument("target", type=click.Path(path_type=Path))
@importing
@only
@stretch
@forcing
def convert(
    path: Path,
    target: Path,
    reading: ReadingOptions,
    channels: tuple[str, ...],
    stretch: tuple[float, float] | None,
    force: bool,
) -> None:
    """Write the recording at PATH to TARGET, in the format that its name ends in."""
    with shown_progress("Writing") as progress:
        recording = tonecomb.open(path, given=reading.of(path), progress=part(progress, 0, 0.3))
        guard.refuse_existing(target, force)
        limits = Stretch(*stretch) if stretch else None
        every = list(range(len(recording.channels)))
        wanted = channels_of(recording.name, recording.channels, channels, every)
        write_recording(target, excerpt(recording, wanted, limits), part(progress, 0.3, 1))
    say(str(target))
