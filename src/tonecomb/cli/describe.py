"""``tone-comb describe``: what a file holds."""

from __future__ import annotations

from pathlib import Path

import click

import tonecomb
from tonecomb.cli.common import ReadingOptions, as_json, importing, say, shown_progress
from tonecomb.core.base.progress import part
from tonecomb.formats import output


@click.command()
@click.argument("path", type=click.Path(path_type=Path))
@importing
@as_json
def describe(path: Path, reading: ReadingOptions, as_json: bool) -> None:
    """What the file at PATH holds."""
    with shown_progress("Reading") as progress:
        recording = tonecomb.open(path, given=reading.of(path), progress=part(progress, 0, 0.5))
        description = output.description(recording, part(progress, 0.5, 1))
    say(output.dumps(description) if as_json else output.describe_text(description))
