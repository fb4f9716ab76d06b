"""``tone-comb steps``: what can be done to samples before they are analysed."""

from __future__ import annotations

import click

from tonecomb.cli.common import say
from tonecomb.formats import step_text


@click.command()
def steps() -> None:
    """List the steps that --step of analyse takes."""
    say(step_text.listed())
