"""``tone-comb make``: a made recording as a file."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click

from tonecomb.cli.common import forcing, say, shown_progress
from tonecomb.core.synthesis.starters import STARTERS, starter
from tonecomb.formats import guard, made_json
from tonecomb.formats.registry import write_recording


@click.command(epilog="Starters: " + ", ".join(one.key for one in STARTERS) + ".")
@click.argument("description", metavar="DESCRIPTION.json|STARTER")
@click.argument("target", metavar="OUT", type=click.Path(path_type=Path))
@click.option("--seed", type=int, metavar="NUMBER", help="Another chance for all that is random.")
@forcing
def make(description: str, target: Path, seed: int | None, force: bool) -> None:
    """Make a recording of known content and write it to OUT, in the format that its name ends in;
    its description where that is .json."""
    path = Path(description)
    guard.refuse_existing(target, force)
    named = path.suffix == made_json.SUFFIX or path.exists()
    made = made_json.load(path) if named else starter(description)
    if seed is not None:
        made = replace(made, seed=seed)
    recording = made.recording("")
    if target.suffix == made_json.SUFFIX:
        made_json.save(target, made)
    else:
        with shown_progress("Making") as progress:
            write_recording(target, recording, progress)
    say(str(target))
    if made.clips:
        say(made.clips, err=True)
