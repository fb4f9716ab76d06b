"""``tone-comb check``: whether a report still holds."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import click

from tonecomb.cli.common import as_json, say, shown_progress
from tonecomb.formats import output

DIFFERS = 1


@click.command()
@click.argument("path", metavar="REPORT", type=click.Path(path_type=Path))
@click.option(
    "--source",
    "folders",
    multiple=True,
    metavar="DIR",
    type=click.Path(path_type=Path),
    help="A folder in which the recording is looked for by its fingerprint; repeatable.",
)
@as_json
def check(path: Path, folders: tuple[Path, ...], as_json: bool) -> int:
    """Make REPORT again from the session inside it, and say which figures still hold.

    Ends with 1 where one does not, or where the recording is not the one of the report.
    """
    from tonecomb.formats.report.check import check as checked

    with shown_progress("Checking") as progress:
        found = checked(path, folders, progress)
    if as_json:
        told = asdict(found) | {"report": str(path), "same": found.same, "holds": found.holds}
        say(output.dumps(told))
        return 0 if found.holds else DIFFERS
    for source in found.others:
        say(f"{source} is not the file that {path.name} is of: it was changed since.")
    for one in found.findings:
        say(one.words)
    if found.unchecked:
        say(f"{len(found.unchecked)} figures need more than the recording and were not checked.")
    count = len(found.findings)
    figures = "figure" if count == 1 else "figures"
    say(
        f"{found.held} figures hold."
        if not count
        else f"{count} {figures} of {path.name} do not hold, {found.held} do."
    )
    return 0 if found.holds else DIFFERS
