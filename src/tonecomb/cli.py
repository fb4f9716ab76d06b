"""The command line: describe, analyse, demo-data; anything else opens the bench.

Nothing here needs a display, and Qt is imported only to open the bench.
"""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from functools import wraps
from pathlib import Path
from typing import Any, get_args

import click

from tonecomb import __version__
from tonecomb.cli_method import (
    Pair,
    channel_of,
    method_of,
    method_options,
    slicing_of,
)
from tonecomb.core.analysis import Analysis, run
from tonecomb.core.changing import Changing, run_changing
from tonecomb.core.errors import Cancelled, UserError
from tonecomb.core.find.knowledge import NOTHING, Knowledge, knowledge
from tonecomb.core.method import Method
from tonecomb.core.progress import Progress, part
from tonecomb.core.record.evenly import excerpt
from tonecomb.core.record.given import Given, Import, MissingChoice, TimeChoice
from tonecomb.core.record.recording import Recording, Stretch
from tonecomb.core.say.cautions import Caution, cautions
from tonecomb.formats import atomic, changes, output
from tonecomb.formats.registry import open_recording, write_recording


@dataclass(frozen=True, eq=False)
class Told:
    """All that is told of one channel."""

    analysis: Analysis
    cautions: tuple[Caution, ...]
    said: Knowledge
    changing: Changing


_Result = tuple[Recording, list[Told]]

STOPPED = 130
UNUSABLE = 2
_DISPLAYS = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")


class _Commands(click.Group):
    """Words that are no command are files for the bench."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands:
            return "open", self.commands["open"], args
        return super().resolve_command(ctx, args)


def entry(arguments: list[str] | None = None) -> None:
    """Run a command and leave with its exit code; problems are one sentence on stderr."""
    try:
        result = commands.main(
            args=arguments, prog_name="tone-comb", standalone_mode=False, obj=None
        )
        sys.exit(result if isinstance(result, int) else 0)
    except UserError as error:
        _leave(error.text)
    except click.ClickException as error:
        _leave(error.format_message())
    except (click.Abort, KeyboardInterrupt, Cancelled):
        click.echo("Stopped.", err=True)
        sys.exit(STOPPED)
    except BrokenPipeError:
        sys.exit(0)


def _leave(text: str) -> None:
    click.echo(f"tone-comb: {' '.join(text.split())}", err=True)
    sys.exit(UNUSABLE)


@contextmanager
def _progress(what: str) -> Iterator[Progress]:
    """A bar on stderr for people; nothing where stderr is not a terminal."""
    if not sys.stderr.isatty():
        yield lambda fraction: None
        return
    from rich.console import Console
    from rich.progress import Progress as Bar

    with Bar(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=1.0)
        yield lambda fraction: bar.update(task, completed=fraction)


def _importing(command: Callable[..., Any]) -> Callable[..., Any]:
    """How a file is to be read; the command is handed a ``Given``."""

    @wraps(command)
    def call(
        rate: float | None,
        unit: str | None,
        time_base: TimeChoice,
        missing: MissingChoice,
        piece: int | None,
        **rest: Any,
    ) -> Any:
        kept = None if piece is None else piece - 1
        how = Import(time_base=time_base, missing=missing, piece=kept)
        return command(given=Given(rate, unit, how), **rest)

    for option in (
        click.option(
            "--piece", type=click.IntRange(1), metavar="NUMBER",
            help="The piece to keep where the recording is cut; the longest if none is named.",
        ),
        click.option(
            "--missing", type=click.Choice(get_args(MissingChoice)), default="refuse",
            help="What becomes of samples that are no numbers.", show_default=True,
        ),
        click.option(
            "--time-base", type=click.Choice(get_args(TimeChoice)), default="nominal",
            help="What becomes of gaps and uneven steps.", show_default=True,
        ),
        click.option("--unit", metavar="UNIT", help="Unit of the channels, such as m/s² or g."),
        click.option("--rate", type=float, metavar="HZ", help="Sample rate, over the file's."),
    ):  # fmt: skip
        call = option(call)
    return call


_as_json = click.option("--json", "as_json", is_flag=True, help="Print JSON.")
_only = click.option(
    "--channel",
    "channels",
    multiple=True,
    metavar="NAME|NUMBER",
    help="A channel by its name or its number from 1; repeatable.",
)
_stretch = click.option(
    "--stretch", type=Pair(), metavar="START:END", help="Part of the recording, in s."
)


@click.group(cls=_Commands, invoke_without_command=True)
@click.version_option(__version__, prog_name="tone-comb")
@click.pass_context
def commands(ctx: click.Context) -> int | None:
    """Frequency analysis of vibration recordings.

    With files, or without a command, the bench opens.
    """
    if ctx.invoked_subcommand is None:
        return _bench([], demo=False)
    return None


def _bench(paths: list[Path], demo: bool) -> int:
    if not any(os.environ.get(name) for name in _DISPLAYS):
        raise UserError(
            "There is no display to open the bench on",
            "neither DISPLAY nor WAYLAND_DISPLAY is set",
            "start it from a desktop session, or use describe and analyse",
        )
    from tonecomb.desktop.app import main

    return main(paths, demo=demo)


@commands.command("open", hidden=True)
@click.argument("paths", nargs=-1, type=click.Path(path_type=Path))
def open_bench(paths: tuple[Path, ...]) -> int:
    """Open the bench with files."""
    return _bench(list(paths), demo=False)


@commands.command()
def demo() -> int:
    """Open the bench on the demo recordings."""
    return _bench([], demo=True)


@commands.command("demo-data")
@click.argument("folder", metavar="DIR", type=click.Path(path_type=Path))
def demo_data(folder: Path) -> None:
    """Write the demo recordings and truth.json to DIR."""
    from tonecomb.demo import ropeway

    with _progress("Making the demo") as progress:
        paths = ropeway.write(folder, progress)
    for path in [*paths, folder / "truth.json"]:
        click.echo(str(path))


@commands.command()
@click.argument("path", type=click.Path(path_type=Path))
@_importing
@_as_json
def describe(path: Path, given: Given, as_json: bool) -> None:
    """What the file at PATH holds."""
    with _progress("Reading") as progress:
        recording = open_recording(path, given, part(progress, 0, 0.5))
        description = output.description(recording, part(progress, 0.5, 1))
    click.echo(output.dumps(description) if as_json else output.describe_text(description))


@commands.command()
@click.argument("path", type=click.Path(path_type=Path))
@click.argument("target", type=click.Path(path_type=Path))
@_importing
@_only
@_stretch
def convert(
    path: Path,
    target: Path,
    given: Given,
    channels: tuple[str, ...],
    stretch: tuple[float, float] | None,
) -> None:
    """Write the recording at PATH to TARGET, in the format that its name ends in."""
    with _progress("Writing") as progress:
        recording = open_recording(path, given, part(progress, 0, 0.3))
        limits = Stretch(*stretch) if stretch else None
        chosen = excerpt(recording, _channels(recording, channels, None), limits)
        write_recording(target, chosen, part(progress, 0.3, 1))
    click.echo(str(target))


@commands.command()
@click.argument("paths", nargs=-1, metavar="PATH…", type=click.Path(path_type=Path))
@_importing
@_as_json
@_only
@_stretch
@method_options
@click.option("--shaft", type=float, metavar="HZ", help="The shaft's speed: peaks get orders.")
@click.option(
    "--machine",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="A CSV table of known frequencies that name peaks: name, frequency [Hz] or times "
    "shaft, tolerance [%].",
)
@click.option(
    "--session",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Take the method, and without PATH the recording, of a saved session.",
)
@click.option(
    "--out",
    type=click.Path(path_type=Path),
    metavar="DIR",
    help="Write tables as CSV, pictures as PNG, and report.html, there.",
)
def analyse(
    paths: tuple[Path, ...],
    given: Given,
    as_json: bool,
    channels: tuple[str, ...],
    session: Path | None,
    out: Path | None,
    **settings: Any,
) -> None:
    """Spectrum and peaks of the recordings at PATH…, all channels unless some are named."""
    base: Method | None = None
    said = NOTHING
    if session is not None:
        paths, given, base, said = _from_session(session, paths, given)
    said = _known(said, settings.pop("machine"), settings.pop("shaft"))
    slicing = slicing_of(settings)
    if not paths:
        raise click.UsageError("Name a recording to analyse, or a session with --session.")
    results: list[_Result] = []
    with _progress("Analysing") as progress:
        for i, path in enumerate(paths):
            share = part(progress, i / len(paths), (i + 1) / len(paths))
            recording = open_recording(path, given, part(share, 0, 0.2))
            wanted = _channels(recording, channels, base)
            analyses = []
            for j, channel in enumerate(wanted):
                method = method_of(recording, channel, base, settings)
                step = part(share, 0.2 + 0.8 * j / len(wanted), 0.2 + 0.8 * (j + 1) / len(wanted))
                analysis = run(method, recording, part(step, 0, 0.6))
                told = cautions(analysis, recording, part(step, 0.6, 0.7))
                changing = run_changing(method, recording, slicing, part(step, 0.7, 1))
                analyses.append(Told(analysis, told, said, changing))
            results.append((recording, analyses))
        described = [
            {
                "recording": output.description(recording),
                "analyses": [
                    output.analysis(one.analysis, one.cautions, one.said)
                    | changes.values(one.changing)
                    for one in analyses
                ],
            }
            for recording, analyses in results
        ] if as_json else []  # fmt: skip
    written = _write(out, results) if out is not None else []
    if as_json:
        click.echo(output.dumps(described[0] if len(described) == 1 else described))
        return
    for _, analyses in results:
        for one in analyses:
            click.echo(
                output.analysis_text(one.analysis, one.cautions, one.said)
                + changes.text(one.changing)
            )
    for path in written:
        click.echo(f"wrote {path}")


def _from_session(
    file: Path, paths: tuple[Path, ...], given: Given
) -> tuple[tuple[Path, ...], Given, Method, Knowledge]:
    from tonecomb.formats.session import load

    document = load(file)
    ref = document.current_ref
    if ref is None:
        raise UserError(f"{file.name} has no recording", remedy="name one, without --session")
    if paths:
        return paths, given, ref.method, knowledge(ref)
    filled = replace(
        ref.given if given.how == Import() else given,
        rate=given.rate or ref.given.rate,
        unit=given.unit or ref.given.unit,
    )
    return (Path(ref.path),), filled, ref.method, knowledge(ref)


def _known(said: Knowledge, machine: Path | None, shaft: float | None) -> Knowledge:
    """What a session says, and over it what the call says, of the machine."""
    from tonecomb.formats import machines

    if machine is not None:
        said = replace(said, known=machines.read(machine))
    if shaft is not None:
        if not shaft > 0:
            raise UserError("--shaft takes a frequency above 0, in Hz")
        said = replace(said, shaft=shaft)
    return said


def _channels(recording: Recording, wanted: tuple[str, ...], base: Method | None) -> list[int]:
    if not wanted:
        return [base.channel] if base is not None else list(range(len(recording.channels)))
    return [channel_of(recording, text) for text in wanted]


def _write(out: Path, results: list[_Result]) -> list[Path]:
    """Tables, pictures and a report for each analysis; in folders of their own where there are
    several."""
    from tonecomb.formats.report.folder import files_of

    written: list[Path] = []
    several = sum(len(analyses) for _, analyses in results) > 1
    with _progress("Writing") as progress:
        for recording, analyses in results:
            for told in analyses:
                analysis, folder = told.analysis, out
                if len(results) > 1:
                    folder = folder / _file_name(recording.name)
                if several:
                    folder = folder / _file_name(analysis.channel.name)
                atomic.make_folder(folder)
                files = files_of(recording, analysis, told.said, told.changing, progress)
                for name, content in files:
                    atomic.write_bytes(folder / name, content)
                    written.append(folder / name)
    return written


def _file_name(text: str) -> str:
    return re.sub(r"[^\w.-]+", "-", text).strip("-.") or "unnamed"
