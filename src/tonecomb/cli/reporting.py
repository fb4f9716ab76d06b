"""What is written of an analysis and what its report holds, as options of a command."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

import tonecomb
from tonecomb.api import Analysed
from tonecomb.cli.common import shown_progress
from tonecomb.core.base.errors import UserError
from tonecomb.core.record.recording import Recording
from tonecomb.formats import guard, output
from tonecomb.formats.report.folder import ALSO, PICTURES
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

if TYPE_CHECKING:
    from tonecomb.formats.report.pdf import Paper


@dataclass(frozen=True)
class Writing:
    """Files that are wanted in the folder ``out``, None for none: reports by a ``layout``, as PDF
    as well where there is a ``paper``, or one of all ``together``; what is written ``also``; and
    what ``pictures`` are."""

    out: Path | None
    layout: Layout
    paper: Paper | None
    together: bool
    also: tuple[str, ...]
    pictures: str

    def check(self) -> None:
        """Raise :class:`click.UsageError` where something is wanted in no folder."""
        wanted = {
            "--pdf": self.paper is not None,
            "--together": self.together,
            "--also": bool(self.also),
            "--pictures": self.pictures != "png",
        }
        for option, given in wanted.items():
            if given and self.out is None:
                raise click.UsageError(f"{option} goes with --out.")

    def write(self, results: Sequence[tuple[Recording, list[Analysed]]], force: bool) -> list[Path]:
        """Tables, pictures and a report for each analysis; in folders of their own where there are
        several. The files."""
        if self.out is None:
            return []
        written: list[Path] = []
        every = [one for _, analyses in results for one in analyses]
        names = output.FileNames("report.html", "report.pdf")  # of all together
        with shown_progress("Writing") as progress:
            for recording, analyses in results:
                own, beside = self.out, names
                if len(results) > 1:
                    own, beside = self.out / names.of(recording.name), output.FileNames()
                for one in analyses:
                    folder = own
                    if len(every) > 1:
                        folder = own / beside.of(one.analysis.channel.name)
                    written += one.write(
                        folder,
                        progress,
                        force=force,
                        layout=self.layout,
                        report=not self.together,
                        also=self.also,
                        pictures=self.pictures,
                    )
                    if self.paper is not None and not self.together:
                        written.append(self._report([one], folder / "report.pdf", force))
        if self.together:
            wanted = ["report.html", *(["report.pdf"] if self.paper is not None else [])]
            written += [self._report(every, self.out / name, force) for name in wanted]
        return written

    def _report(self, of: list[Analysed], path: Path, force: bool) -> Path:
        refuse = guard.refuse_others if path.suffix == ".html" else guard.refuse_existing
        refuse(path, force)
        with shown_progress("Making the report") as progress:
            return tonecomb.report(of, path, progress, self.paper or "A4", self.layout)


def reporting(command: Callable[..., Any]) -> Callable[..., Any]:
    """The command is handed what is wanted in files as ``writing``."""

    @wraps(command)
    def call(
        pdf: str | None,
        audience: str,
        sections: str | None,
        cover: tuple[str, ...],
        remark: tuple[str, ...],
        logo: Path | None,
        language: str,
        out: Path | None,
        together: bool,
        also: tuple[str, ...],
        pictures: str,
        **rest: Any,
    ) -> Any:
        chosen = AUDIENCES[audience]
        if sections is not None:
            chosen = tuple(name.strip() for name in sections.split(","))
        layout = Layout(chosen, _cover(cover, remark, logo), language)
        layout.check()
        paper: Paper | None = None if pdf is None else "A4" if pdf.upper() == "A4" else "Letter"
        suffixes = tuple(f".{one}" for one in also)
        writing = Writing(out, layout, paper, together, suffixes, pictures)
        writing.check()
        return command(writing=writing, **rest)

    for option in (
        click.option(
            "--language",
            default=ENGLISH,
            metavar="CODE",
            help=f"Of the report's page: {', '.join(languages())}.",
        ),
        click.option(
            "--logo",
            type=click.Path(path_type=Path),
            metavar="FILE",
            help="A PNG or JPEG for the report's cover.",
        ),
        click.option(
            "--remark",
            multiple=True,
            metavar="[SECTION:]TEXT",
            help="A remark in the report, at its head or at a section (2 peaks is that of "
            "the second channel); repeatable.",
        ),
        click.option(
            "--cover",
            multiple=True,
            metavar="NAME=TEXT",
            help=f"A line of the report's cover: {', '.join(COVER)}; repeatable.",
        ),
        click.option(
            "--sections",
            metavar="A,B,…",
            help=f"The report's sections in this order, of {', '.join(SECTIONS)}.",
        ),
        click.option(
            "--audience",
            type=click.Choice(list(AUDIENCES)),
            default="full",
            help="Who the report is for: all of it, or what fits one page.",
        ),
        click.option(
            "--pdf",
            type=click.Choice(["A4", "Letter"], case_sensitive=False),
            metavar="PAPER",
            help="With --out, the report as PDF as well.",
        ),
        click.option(
            "--together",
            is_flag=True,
            help="With --out, one report of all channels and recordings instead of one each.",
        ),
        click.option(
            "--pictures",
            type=click.Choice(PICTURES),
            default="png",
            help="With --out, what pictures are.",
        ),
        click.option(
            "--also",
            multiple=True,
            type=click.Choice([one[1:] for one in ALSO]),
            help="With --out, all tables in one xlsx or h5 as well, or the spectrum as "
            "uff; repeatable.",
        ),
        click.option(
            "--out",
            type=click.Path(path_type=Path),
            metavar="DIR",
            help="Write tables as CSV, pictures, and report.html, there.",
        ),
    ):
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
