"""``tone-comb desktop-entry`` and ``tone-comb completion``: the program among the others."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from importlib.resources import files
from pathlib import Path

import click

from tonecomb.cli import manual
from tonecomb.cli.common import all_commands, say
from tonecomb.core.base.errors import UserError
from tonecomb.core.results.itself import PYTHON
from tonecomb.formats import atomic

# The asset, and its place under the user's data folder.
PLACES = (
    ("tone-comb.desktop", "applications/tone-comb.desktop"),
    ("tone-comb.svg", "icons/hicolor/scalable/apps/tone-comb.svg"),
    ("tone-comb.xml", "mime/packages/tone-comb.xml"),
    ("tone-comb.metainfo.xml", "metainfo/tone-comb.metainfo.xml"),
)
MANUAL = "man/man1/tone-comb.1"
# What makes a desktop look at them, where it is there.
_TOLD = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


@click.command("desktop-entry")
@click.option("--remove", is_flag=True, help="Take it away again.")
def desktop_entry(remove: bool) -> None:
    """Put Tone Comb into the menu of the desktop, with its icon, the type of its sessions and its
    manual page."""
    base = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
    for name, place in PLACES:
        target = base / place
        if remove:
            try:
                target.unlink(missing_ok=True)
            except OSError as error:
                raise UserError(
                    f"{target} could not be removed", atomic.reason(error), "remove it by hand"
                ) from error
            continue
        text = (files("tonecomb") / "assets" / "desktop" / name).read_text("utf-8")
        atomic.make_folder(target.parent)
        atomic.write_text(target, text.replace("@PROGRAM@", _program()))
        say(str(target))
    page = base / MANUAL
    if remove:
        page.unlink(missing_ok=True)
    else:
        atomic.make_folder(page.parent)
        atomic.write_text(page, manual.page(all_commands()))
        say(str(page))
    for program, folder in _TOLD:
        if (found := shutil.which(program)) and (base / folder).is_dir():
            subprocess.run([found, str(base / folder)], check=False, capture_output=True)
    if remove:
        say(f"nothing of Tone Comb is left in {base}")


def _program() -> str:
    """How this program is started, quoted as desktop entries want it."""
    called = Path(sys.argv[0])
    if called.name == "tone-comb" and called.is_file():
        words = [str(called.absolute())]
    else:
        words = [*PYTHON, "-m", "tonecomb"]
    return " ".join(f'"{word}"' if " " in word else word for word in words).replace("%", "%%")


@click.command()
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
def completion(shell: str) -> None:
    """Print what makes SHELL complete the program's words, for its start-up file."""
    from click.shell_completion import get_completion_class

    kind = get_completion_class(shell)
    assert kind is not None
    say(kind(all_commands(), {}, "tone-comb", "_TONE_COMB_COMPLETE").source())
