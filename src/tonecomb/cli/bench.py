"""The bench: with files, with the demo, or empty."""

from __future__ import annotations

import os
from pathlib import Path

import click

from tonecomb.core.base.errors import UserError

_DISPLAYS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")


def run_bench(paths: list[Path], *, demo: bool) -> int:
    """Open the bench and wait until it closes."""
    if not any(os.environ.get(name) for name in _DISPLAYS):
        raise UserError(
            "There is no display to open the bench on",
            "neither DISPLAY nor WAYLAND_DISPLAY is set",
            "start it from a desktop session, or use describe and analyse",
        )
    from tonecomb.desktop.app import main

    return main(paths, demo=demo)


@click.command("open", hidden=True)
@click.argument("paths", nargs=-1, type=click.Path(path_type=Path))
def open_bench(paths: tuple[Path, ...]) -> int:
    """Open the bench with files."""
    return run_bench(list(paths), demo=False)


@click.command()
def demo() -> int:
    """Open the bench on the demo recordings."""
    return run_bench([], demo=True)
