"""All files about one channel: tables, pictures, and the report."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from tonecomb.core.base.progress import Progress
from tonecomb.core.record.recording import Recording
from tonecomb.formats import atomic, functions, tables_as
from tonecomb.formats.kinds.kind import ResultContext, ResultEntry
from tonecomb.formats.report import figures
from tonecomb.formats.report.figures import DrawnSpectrum
from tonecomb.formats.report.html import report
from tonecomb.formats.report.layout import USUAL, Layout
from tonecomb.formats.report.part import ReportPart

UFF = ".uff"
ALSO = (*(suffix for suffix in tables_as.AS if suffix != ".csv"), UFF)
"""Suffixes of files that are written where they are asked for: all tables in one, and the spectrum
as UFF 58."""
PICTURES = ("png", "svg", "pdf")


def files_of(
    recording: Recording,
    told: Sequence[ResultEntry],
    context: ResultContext,
    progress: Progress,
    folder: Path | None = None,
    layout: Layout | None = USUAL,
    also: Sequence[str] = (),
    pictures: str = "png",
) -> Iterator[tuple[str, bytes]]:
    """Names and contents: tables as CSV, pictures as PNG, the report as HTML, to lie in ``folder``,
    unless its ``layout`` is None. ``also`` names more files of :data:`ALSO`; ``pictures`` is what
    those are, png, svg or pdf.    The first of what is told is the spectrum."""
    a = context.analysis
    every = [table for one in told for table in one.kind.tables(one.result, context)]
    for suffix in also:
        if suffix == UFF:
            yield f"spectrum{suffix}", functions.spectrum_as_uff(a)
        else:
            yield f"tables{suffix}", tables_as.written(every, suffix)
    for one in told:
        for table in one.kind.tables(one.result, context):
            yield f"{table.name}.csv", atomic.utf8(table.csv())
        for picture in one.kind.pictures(one.result, context):
            heading = f"{a.recording_name} · {picture.sentence or a.sentence}"
            drawn = figures.stacked([picture.panel], pictures, heading)
            yield f"{picture.name}.{pictures}", drawn
        yield from one.kind.files(one.result, context)
    view = DrawnSpectrum(decibels=context.decibels)
    if layout is None:
        return
    part = ReportPart(recording, a, view, context.said, tuple(told[1:]))
    page = report([part], layout, folder=folder, progress=progress)
    yield "report.html", atomic.utf8(page)
