"""``tone-comb demo-data``: the demo recordings as files."""

from __future__ import annotations

from pathlib import Path

import click

from tonecomb.cli.common import forcing, say, shown_progress
from tonecomb.formats import guard


@click.command("demo-data")
@click.argument("folder", metavar="DIR", type=click.Path(path_type=Path))
@forcing
def demo_data(folder: Path, force: bool) -> None:
    """Write the demo recordings and truth.json to DIR."""
    from tonecomb.demo import ropeway

    for name in (*ropeway.FILES, "truth.json"):
        guard.refuse_existing(folder / name, force)
    with shown_progress("Making the demo") as progress:
        paths = ropeway.write(folder, progress)
    for path in [*paths, folder / "truth.json"]:
        say(str(path))
