"""What a report holds and in which order, and what stands on its cover."""

from __future__ import annotations

import base64
from dataclasses import dataclass
from pathlib import Path

from tonecomb.core.base.errors import UserError
from tonecomb.formats import files
from tonecomb.formats.report.words import ENGLISH, words

SECTIONS = words().groups["sections"]
"""Every section by its key, in the usual order."""
WHOLE = ("contents", "terms")
"""Sections of a report as a whole: they stand before and after those of its channels."""
AUDIENCES = {
    "full": tuple(SECTIONS),
    "one page": ("in short", "levels", "cautions", "spectrum", "source"),
}
COVER = ("title", "client", "machine", "place", "author")
"""Lines of a cover, in their order."""
_MOST_TEXT, _MOST_LOGO = 4_000, 1 << 20
_KINDS = {b"\x89PNG\r\n\x1a\n": "image/png", b"\xff\xd8\xff": "image/jpeg"}


@dataclass(frozen=True)
class Cover:
    """What the head of a report says besides: "" for what it does not. ``logo`` is a picture as a
    ``data:`` address; ``remarks`` are paragraphs, ``notes`` remarks at a section, by its key, of
    the first channel, or like ``2 peaks`` of another."""

    title: str = ""
    client: str = ""
    machine: str = ""
    place: str = ""
    author: str = ""
    remarks: str = ""
    logo: str = ""
    notes: tuple[tuple[str, str], ...] = ()

    @property
    def lines(self) -> list[tuple[str, str]]:
        """What is said, but for the title, by its name in :data:`COVER`."""
        pairs = ((name, str(getattr(self, name))) for name in COVER if name != "title")
        return [(name, text) for name, text in pairs if text]


@dataclass(frozen=True)
class Layout:
    """The sections that a report has, in their order, under a cover, in a language."""

    sections: tuple[str, ...] = AUDIENCES["full"]
    cover: Cover = Cover()
    language: str = ENGLISH

    def check(self) -> None:
        """Raise :class:`UserError` where there is no such section, or a text is too long."""
        words(self.language)
        for name in (*self.sections, *(section_of(name) for name, _ in self.cover.notes)):
            if name not in SECTIONS:
                raise UserError(
                    f"A report has no section ‘{name[:60]}’",
                    remedy=f"choose from {', '.join(SECTIONS)}",
                )
        if len(set(self.sections)) < len(self.sections):
            raise UserError("A section is named twice", remedy="name each once")
        texts = (
            *(text for _, text in self.cover.lines),
            self.cover.title,
            self.cover.remarks,
            *(text for _, text in self.cover.notes),
        )
        if any(len(text) > _MOST_TEXT for text in texts):
            raise UserError(
                f"A text on the cover has more than {_MOST_TEXT} letters",
                remedy="put it into a file of its own",
            )
        logo = self.cover.logo
        kinds = tuple(f"data:{kind};base64," for kind in _KINDS.values())
        if logo and (len(logo) > 2 * _MOST_LOGO or not logo.startswith(kinds)):
            raise UserError("The logo is no picture that a report takes")


def section_of(place: str) -> str:
    """The section at which a note stands, without the number of its channel."""
    number, _, name = place.partition(" ")
    return name if number.isdecimal() and int(number) > 0 else place


def logo_of(path: Path) -> str:
    """A picture in a file as a ``data:`` address. Raises :class:`UserError` where it is none."""
    with files.opened(path) as file:
        content = file.read(_MOST_LOGO + 1)
    kind = next((kind for start, kind in _KINDS.items() if content.startswith(start)), None)
    if kind is None or len(content) > _MOST_LOGO:
        raise UserError(
            f"{path.name} is no logo",
            "it takes a PNG or JPEG of 1 MB at most",
            "save it as one, smaller",
        )
    return f"data:{kind};base64,{base64.b64encode(content).decode()}"


USUAL = Layout()
"""All sections that have something to say, under no cover."""
