"""``tone-comb compare``: what changed from one recording to another."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from tonecomb.api import Analysed
from tonecomb.cli.analyse import Call
from tonecomb.cli.common import (
    ReadingOptions,
    as_json,
    forcing,
    importing,
    only,
    say,
    shown_progress,
)
from tonecomb.cli.common import stretch as stretch_option
from tonecomb.cli.method import method_options
from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import part
from tonecomb.formats import output
from tonecomb.formats.kinds.changes import Before, ChangesKind
from tonecomb.formats.kinds.kind import ResultEntry


@click.command()
@click.argument("before", type=click.Path(path_type=Path))
@click.argument("now", type=click.Path(path_type=Path))
@importing
@as_json
@only
@stretch_option
@method_options
@click.option(
    "--least-db",
    type=click.FloatRange(0),
    default=0.5,
    show_default=True,
    metavar="DB",
    help="Changes of level that are smaller are counted, not listed.",
)
@click.option(
    "--out",
    type=click.Path(path_type=Path),
    metavar="DIR",
    help="Write what analyse writes of NOW there, with the changes.",
)
@forcing
def compare(
    before: Path,
    now: Path,
    reading: ReadingOptions,
    as_json: bool,
    channels: tuple[str, ...],
    least_db: float,
    out: Path | None,
    force: bool,
    **settings: Any,
) -> None:
    """What came, went, moved, grew and fell from the recording BEFORE to NOW, beyond what both
    leave open. Channels are those of the same name, or else of the same number."""
    call = Call(reading, settings=settings, channels=channels)
    with shown_progress("Comparing") as progress:
        _, earlier = call.of(before, part(progress, 0, 0.5))
        recording, later = call.of(now, part(progress, 0.5, 1))
        analyseds = [
            _with_changes(one, _same(earlier, later, i), least_db) for i, one in enumerate(later)
        ]
        written: list[Path] = []
        if out is not None:
            names = output.FileNames()
            for one in analyseds:
                folder = out if len(analyseds) == 1 else out / names.of(one.analysis.channel.name)
                written += one.write(folder, force=force)
    if as_json:
        say(
            output.dumps(
                [
                    {
                        "channel": one.analysis.channel.name,
                        "now": recording.name,
                        "method": one.sentence,
                    }
                    | one.told[-1].kind.values(one.told[-1].result, one.context)
                    for one in analyseds
                ]
            )
        )
        return
    for one in analyseds:
        lines = one.told[-1].kind.lines(one.told[-1].result, one.context)
        say(f"{recording.name} · {one.sentence}")
        say("".join(f"  {line}\n" for line in lines))
    for path in written:
        say(f"wrote {path}")


def _same(earlier: list[Analysed], later: list[Analysed], number: int) -> Analysed:
    """What there was of a channel: that of its name, the second where it is the second so named,
    or else that of its number."""
    name = later[number].analysis.channel.name
    before = sum(one.analysis.channel.name == name for one in later[:number])
    named = [one for one in earlier if one.analysis.channel.name == name]
    if len(named) > before:
        return named[before]
    if number < len(earlier):
        return earlier[number]
    raise UserError(
        f"There is nothing to compare {name} with",
        f"the recording before has {len(earlier)} channels, and none of that name",
        "name those that both have with --channel",
    )


def _with_changes(now: Analysed, before: Analysed, least_db: float) -> Analysed:
    entry = ResultEntry(ChangesKind(), Before(before.analysis, before.context.said, least_db))
    return Analysed(now.recording, now.context, (*now.told, entry))
