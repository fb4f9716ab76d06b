"""``tone-comb batch``: the same over any number of recordings."""

from __future__ import annotations

from pathlib import Path

import click

from tonecomb.batches.one import Outcome, counted
from tonecomb.cli.common import as_json, say, shown_progress
from tonecomb.formats import output

FOUND = 1


@click.command()
@click.argument("plan", metavar="PLAN", type=click.Path(path_type=Path))
@click.argument("paths", nargs=-1, required=True, metavar="FILES…", type=click.Path(path_type=Path))
@click.option(
    "--out",
    required=True,
    metavar="DIR",
    type=click.Path(path_type=Path),
    help="Where tables, reports and the overview go.",
)
@click.option(
    "--workers",
    type=click.IntRange(1, 256),
    default=1,
    metavar="N",
    help="So many processes of this machine.",
)
@click.option(
    "--scheduler",
    default="",
    metavar="ADDRESS",
    help="The workers of a Dask cluster, like tcp://10.0.0.1:8786; they see all files "
    "under the same paths.",
)
@click.option("--reports/--no-reports", default=True, help="A report of each channel, or none.")
@as_json
def batch(
    plan: Path,
    paths: tuple[Path, ...],
    out: Path,
    workers: int,
    scheduler: str,
    reports: bool,
    as_json: bool,
) -> int:
    """Analyse all FILES, and those in folders, by PLAN: a plan, a session or a report.

    Stopped and started again it goes on where it was. Ends with 1 where a limit is exceeded or
    judged nothing, or a file could not be used.
    """
    from tonecomb.batches.plan import load
    from tonecomb.batches.run import run
    from tonecomb.batches.sources import recordings_in

    wanted = load(plan)
    found = recordings_in(paths)

    def outcome(one: Outcome) -> None:
        if one.failed:
            say(f"{one.path}: {one.failed}", err=True)

    with shown_progress(f"Analysing {len(found)} recordings") as progress:
        done = run(
            wanted,
            found,
            out,
            workers=workers,
            scheduler=scheduler,
            reports=reports,
            progress=progress,
            told=outcome,
            notice=lambda text: say(text, err=True),
        )
    code = FOUND if done.exceeded or done.failed or done.idle else 0
    if as_json:
        say(
            output.dumps(
                {
                    "recordings": len(done.outcomes),
                    "kept": done.kept,
                    "exceeded": [
                        {"file": one.path, "channel": outcome.channel, "limits": outcome.exceeded}
                        for one in done.exceeded
                        for outcome in one.channels
                        if outcome.exceeded
                    ],
                    "not_judged": [
                        {"file": one.path, "channel": outcome.channel, "limits": outcome.not_judged}
                        for one in done.outcomes
                        for outcome in one.channels
                        if outcome.not_judged
                    ],
                    "judged_nothing": done.idle,
                    "failed": [{"file": one.path, "why": one.failed} for one in done.failed],
                    "written": [str(path) for path in done.written],
                }
            )
        )
        return code
    for one in done.exceeded:
        for channel in one.channels:
            for words in channel.exceeded:
                say(f"{one.name} · {channel.channel}: {words}")
    earlier = f", {done.kept} of them earlier" if done.kept else ""
    for name in done.idle:
        why = next(
            words
            for one in done.outcomes
            for outcome in one.channels
            for words in outcome.not_judged
            if words.startswith(f"{name}: ")
        )
        say(f"{why}: this limit judged nothing")
    say(f"{len(done.outcomes)} recordings{earlier}; {counted(done.outcomes)}")
    say(f"wrote {out / 'overview.html'}")
    return code
