"""What a report holds, as options of commands that write one."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Any

import click

from tonecomb.core.errors import UserError
from tonecomb.formats.report.layout import (
    AUDIENCES,
    COVER,
    SECTIONS,
    Cover,
    Layout,
    logo_of,
    section_of,
)
from tonecomb.formats.report.words import ENGLISH, languages


def reporting(command: Callable[..., Any]) -> Callable[..., Any]:
    """The command is handed a ``layout`` and a ``paper``, None for no PDF."""

    @wraps(command)
    def call(
        pdf: str | None, audience: str, sections: str | None, cover: tuple[str, ...],
        remark: tuple[str, ...], logo: Path | None, language: str, **rest: Any,
    ) -> Any:  # fmt: skip
        chosen = AUDIENCES[audience]
        if sections is not None:
            chosen = tuple(name.strip() for name in sections.split(","))
        layout = Layout(chosen, _cover(cover, remark, logo), language)
        layout.check()
        return command(layout=layout, paper=pdf, **rest)

    for option in (
        click.option("--language", default=ENGLISH, metavar="CODE",
                     help=f"Of the report's page: {', '.join(languages())}."),
        click.option("--logo", type=click.Path(path_type=Path), metavar="FILE",
                     help="A PNG or JPEG for the report's cover."),
        click.option("--remark", multiple=True, metavar="[SECTION:]TEXT",
                     help="A remark in the report, at its head or at a section (2 peaks is that of "
                     "the second channel); repeatable."),
        click.option("--cover", multiple=True, metavar="NAME=TEXT",
                     help=f"A line of the report's cover: {', '.join(COVER)}; repeatable."),
        click.option("--sections", metavar="A,B,…",
                     help=f"The report's sections in this order, of {', '.join(SECTIONS)}."),
        click.option("--audience", type=click.Choice(list(AUDIENCES)), default="full",
                     help="Who the report is for: all of it, or what fits one page."),
        click.option("--pdf", type=click.Choice(["A4", "Letter"], case_sensitive=False),
                     metavar="PAPER", help="With --out, the report as PDF as well."),
    ):  # fmt: skip
        call = option(call)
    return call


def _cover(lines: tuple[str, ...], remarks: tuple[str, ...], logo: Path | None) -> Cover:
    said: dict[str, str] = {}
    for line in lines:
        name, sign, text = line.partition("=")
        if not sign or name not in COVER:
            raise UserError(
                f"‘{line[:80]}’ is no line of a cover", remedy=f"NAME=TEXT with {', '.join(COVER)}"
            )
        said[name] = text
    notes: list[tuple[str, str]] = []
    paragraphs: list[str] = []
    for remark in remarks:
        place, sign, text = remark.partition(":")
        if sign and section_of(place) in SECTIONS:
            notes.append((place, text.strip()))
        else:
            paragraphs.append(remark)
    picture = "" if logo is None else logo_of(logo)
    return Cover(**said, remarks="\n".join(paragraphs), logo=picture, notes=tuple(notes))
