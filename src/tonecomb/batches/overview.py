"""All recordings of a batch on one page, the worst first."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from tonecomb.batches.one import ChannelOutcome, Outcome, counted
from tonecomb.batches.plan import Plan
from tonecomb.batches.trends import drawn, trends
from tonecomb.core.say.numbers import significant
from tonecomb.formats import atomic
from tonecomb.version import __version__

LISTED = 2_000
"""Channels on the page, the worst; the tables have all."""


def sorted_channels(outcomes: Sequence[Outcome]) -> list[tuple[Outcome, ChannelOutcome]]:
    """Every channel of every recording: what exceeds most limits first, then by falling level
    within each unit."""
    every = [(one, outcome) for one in outcomes for outcome in one.channels]
    return sorted(every, key=lambda pair: (-len(pair[1].exceeded), pair[1].unit, -pair[1].rms))


def write(out: Path, outcomes: Sequence[Outcome], plan: Plan) -> Path:
    """Write ``overview.html`` into a folder."""
    import jinja2

    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("tonecomb.batches", "."),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    channels = sorted_channels(outcomes)
    failed = [one for one in outcomes if one.failed]
    said = [f"{counted(outcomes)}."] + ([] if plan.limits else ["No limits were given."])
    page = environment.get_template("overview.html").render(
        total=len(outcomes),
        version=__version__,
        made=datetime.now().astimezone().strftime("%Y-%m-%d %H:%M %Z"),
        said=" ".join(said),
        failed=failed,
        channels=channels[:LISTED],
        more=max(0, len(channels) - LISTED),
        trends=drawn(trends(outcomes)),
        level=significant,
    )
    atomic.write_text(out / "overview.html", page)
    return out / "overview.html"
