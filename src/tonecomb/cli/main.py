"""The program as it is called: which command it is, and with which code it ends.

Nothing here needs a display, and Qt is imported only to open the bench.
"""

from __future__ import annotations

import contextlib
import os
import sys

import click

from tonecomb.cli.analyse import analyse
from tonecomb.cli.batch import batch
from tonecomb.cli.bench import demo, open_bench, run_bench
from tonecomb.cli.check import check
from tonecomb.cli.common import say
from tonecomb.cli.compare import compare
from tonecomb.cli.convert import convert
from tonecomb.cli.demo import demo_data
from tonecomb.cli.describe import describe
from tonecomb.cli.entry import completion, desktop_entry
from tonecomb.cli.make import make
from tonecomb.cli.manual import manual
from tonecomb.cli.node import node
from tonecomb.cli.record import record
from tonecomb.cli.steps import steps
from tonecomb.core.base.errors import Cancelled, UserError
from tonecomb.formats.atomic import reason
from tonecomb.version import __version__

STOPPED = 130
UNUSABLE = 2


class _Commands(click.Group):
    """Words that are no command are files for the bench."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands:
            return "open", self.commands["open"], args
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, invoke_without_command=True)
@click.version_option(__version__, prog_name="tone-comb")
@click.pass_context
def commands(ctx: click.Context) -> int | None:
    """Frequency analysis of vibration recordings.

    With files, or without a command, the bench opens.
    """
    if ctx.invoked_subcommand is None:
        return run_bench([], demo=False)
    return None


for one in (
    open_bench,
    demo,
    demo_data,
    describe,
    convert,
    make,
    analyse,
    compare,
    check,
    batch,
    steps,
    node,
    record,
    desktop_entry,
    completion,
    manual,
):
    commands.add_command(one)


def entry(arguments: list[str] | None = None) -> None:
    """Run a command and leave with its exit code; problems are one sentence on stderr."""
    try:
        result = commands.main(
            args=arguments, prog_name="tone-comb", standalone_mode=False, obj=None
        )
        sys.stdout.flush()  # what a full disk does not take is told here, not at the very end
        sys.exit(result if isinstance(result, int) else 0)
    except UserError as error:
        _leave(error.text)
    except click.ClickException as error:
        _leave(error.format_message())
    except (click.Abort, KeyboardInterrupt, Cancelled):
        say("Stopped.", err=True)
        sys.exit(STOPPED)
    except BrokenPipeError:
        _close_output()
        sys.exit(0)
    except OSError as error:
        _close_output()
        _leave(f"The output could not be written: {reason(error)}; make room, or write elsewhere.")


def _close_output() -> None:
    """Let nothing that is still held be written when the program ends: it would fail again."""
    with contextlib.suppress(OSError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _leave(text: str) -> None:
    say(f"tone-comb: {' '.join(text.split())}", err=True)
    sys.exit(UNUSABLE)
