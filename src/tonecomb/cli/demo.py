"""``tone-comb demo-data``: the demo recordings as files."""

from __future__ import annotations

from pathlib import Path

import click

from tonecomb.cli.common import shown_progress


@click.command("demo-data")
@click.argument("folder", metavar="DIR", type=click.Path(path_type=Path))
def demo_data(folder: Path) -> None:
    """Write the demo recordings and truth.json to DIR."""
    from tonecomb.demo import ropeway

    with shown_progress("Making the demo") as progress:
        paths = ropeway.write(folder, progress)
    for path in [*paths, folder / "truth.json"]:
        click.echo(str(path))
