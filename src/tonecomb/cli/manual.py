"""The manual page, from what the commands say of themselves."""

from __future__ import annotations

import re
from collections.abc import Iterator

import click

from tonecomb.cli.common import all_commands, say
from tonecomb.core.say.glossary import GLOSSARY
from tonecomb.version import __version__

_FOOT = """.SH EXIT STATUS
0 where all is well; 1 where
.B check
finds a figure that does not hold, or
.B batch
a limit that is exceeded or a file that cannot be used; 2 where something could not be done, with
one sentence on standard error; 130 where it was stopped.
.SH ENVIRONMENT
.B XDG_CONFIG_HOME
and
.B XDG_DATA_HOME
say where settings and sessions are kept.
"""


def page(commands: click.Group) -> str:
    """The page of all commands, in roff."""
    context = click.Context(commands, info_name="tone-comb")
    lines = [
        f'.TH TONE-COMB 1 "" "Tone Comb {__version__}" "User Commands"',
        ".SH NAME",
        r"tone\-comb \- frequency analysis of vibration recordings",
        ".SH SYNOPSIS",
        r".B tone\-comb",
        r"[\fIFILE\fR]…",
        ".br",
        r".B tone\-comb",
        r"\fICOMMAND\fR [\fIOPTION\fR]… [\fIARGUMENT\fR]…",
        ".SH DESCRIPTION",
        _escaped(commands.help or ""),
        ".SH COMMANDS",
    ]
    for name in commands.list_commands(context):
        command = commands.commands[name]
        if command.hidden:
            continue
        lines += _command(command, click.Context(command, parent=context, info_name=name))
    lines.append(".SH WORDS")
    for word, text in GLOSSARY.items():
        lines += [".TP", f".B {_escaped(word)}", _escaped(text)]
    return "\n".join(lines) + "\n" + _FOOT


def _command(command: click.Command, context: click.Context) -> Iterator[str]:
    pieces = " ".join(command.collect_usage_pieces(context))
    yield f".SS {_escaped(str(context.info_name))} {_escaped(pieces)}"
    yield _escaped(re.sub(r"\n(?!\n)", " ", command.help or ""))
    for one in command.get_params(context):
        if (record := one.get_help_record(context)) is not None:
            yield ".TP"
            yield f".B {_escaped(record[0])}"
            yield _escaped(record[1])


def _escaped(text: str) -> str:
    """Words that roff takes as they are."""
    text = text.replace("\\", r"\e").replace("-", r"\-")
    lines = (line.strip() for line in text.strip().splitlines())
    return "\n".join(rf"\&{line}" if line[:1] in (".", "'") else line or ".PP" for line in lines)


@click.command()
def manual() -> None:
    """Print the manual page, in roff: man -l takes it."""
    say(page(all_commands()).rstrip("\n"))
