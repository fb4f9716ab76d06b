"""All files about one channel: tables, pictures, and the report."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path

from tonecomb.core.progress import Progress
from tonecomb.core.record.recording import Recording
from tonecomb.formats.kinds.kind import Context, Told
from tonecomb.formats.report import figures
from tonecomb.formats.report.figures import SpectrumView
from tonecomb.formats.report.html import report
from tonecomb.formats.report.layout import USUAL, Layout
from tonecomb.formats.report.part import Part


def files_of(
    recording: Recording,
    told: Sequence[Told],
    context: Context,
    progress: Progress,
    folder: Path | None = None,
    layout: Layout | None = USUAL,
) -> Iterator[tuple[str, bytes]]:
    """Names and contents: tables as CSV, pictures as PNG, the report as HTML, to lie in ``folder``,
    unless its ``layout`` is None.    The first of what is told is the spectrum."""
    a = context.analysis
    for one in told:
        for table in one.kind.tables(one.result, context):
            yield f"{table.name}.csv", table.csv().encode()
        for picture in one.kind.pictures(one.result, context):
            heading = f"{a.recording_name} · {picture.sentence or a.sentence}"
            yield f"{picture.name}.png", figures.stacked([picture.panel], "png", heading)
        yield from one.kind.files(one.result, context)
    view = SpectrumView(decibels=context.decibels)
    if layout is None:
        return
    part = Part(recording, a, view, context.said, tuple(told[1:]))
    page = report([part], layout, folder=folder, progress=progress)
    yield "report.html", page.encode()
