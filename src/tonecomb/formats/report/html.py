"""A report as one self-contained HTML file."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.base.progress import part as share
from tonecomb.formats.report import sealed, terms
from tonecomb.formats.report.layout import USUAL, WHOLE, Layout
from tonecomb.formats.report.part import HAS, ReportPart, values
from tonecomb.formats.report.words import Words, words
from tonecomb.version import __version__

_MOST = 200  # parts of one report


@dataclass(frozen=True)
class FigureMark:
    """How a part's elements are told from those of other parts: the ``anchor`` that ids begin with,
    and what the names of its figures begin with."""

    number: int
    several: bool

    @property
    def anchor(self) -> str:
        """For ids."""
        return f"p{self.number}-" if self.several else ""

    @property
    def before(self) -> str:
        """For names of figures."""
        return f"{self.number} · " if self.several else ""


def report(
    parts: Sequence[ReportPart],
    layout: Layout = USUAL,
    *,
    folder: Path | None = None,
    made: datetime | None = None,
    progress: Progress = silent,
) -> str:
    """The report's HTML: its parts one after the other, to lie in ``folder``, as ``layout`` says.
    The session from which it can be made again is inside.

    Raises :class:`UserError` where the layout cannot be, or there are too many parts.
    """
    layout.check()
    if not 1 <= len(parts) <= _MOST:
        raise UserError(
            f"A report is of 1 to {_MOST} channels, and this would be of {len(parts)}",
            remedy="choose fewer, or analyse them as a batch",
        )
    said, several = words(layout.language), len(parts) > 1
    told = []
    for i, one in enumerate(parts):
        mark = FigureMark(i + 1, several)
        doing = share(progress, 0.95 * i / len(parts), 0.95 * (i + 1) / len(parts))
        told.append(values(one, said, mark.anchor, doing) | {"mark": mark})
    for shown in told:
        shown["sections"] = [
            name
            for name in layout.sections
            if name not in WHOLE and (name not in HAS or shown[HAS[name]])
        ]
    page: dict[str, Any] = dict(
        w=said,
        title=layout.cover.title or (_of_several(parts, said) if several else parts[0].name),
        made=said(
            "page",
            "made",
            what=_subject(parts, layout, said),
            version=__version__,
            when=(made or datetime.now().astimezone()).strftime("%Y-%m-%d %H:%M %Z"),
        ),
        cover=layout.cover,
        cover_lines=[(said("cover", name), text) for name, text in layout.cover.lines],
        parts=told,
        several=several,
        contents="contents" in layout.sections,
        terms=(),
        sealed=sealed.seal(parts, folder, layout),
    )
    if "terms" in layout.sections:
        page["terms"] = terms.used(_said_on(told, layout), said)
    progress(1.0)
    return str(_template().render(page))


def _subject(parts: Sequence[ReportPart], layout: Layout, said: Words) -> str:
    if not layout.cover.title:  # it is the title that says what of
        return said("page", "of one")
    if len(parts) > 1:
        return _of_several(parts, said)
    one = parts[0]
    name = f"{one.recording.name}, {one.analysis.channel.name}"
    return said("page", "of one, named", name=name)


def _of_several(parts: Sequence[ReportPart], said: Words) -> str:
    return said("page", "of several", count=len(parts))


def _said_on(told: Sequence[dict[str, Any]], layout: Layout) -> str:
    """All that people will read on the page, where its terms are looked for."""
    page = _template().render(
        w=words(layout.language),
        title="",
        made="",
        cover=layout.cover,
        cover_lines=(),
        parts=told,
        several=False,
        contents=False,
        terms=(),
        sealed={},
    )
    return sealed.words_in(page)


@cache
def _template() -> Any:
    import jinja2

    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("tonecomb.formats", "report"),
        autoescape=True,
        undefined=jinja2.StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    return environment.get_template("report.html")
