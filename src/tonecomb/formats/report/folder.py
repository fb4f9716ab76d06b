"""All files about one analysis: tables, pictures, and the report."""

from __future__ import annotations

from collections.abc import Iterator

from tonecomb.core.analysis import Analysis
from tonecomb.core.changing import Changing
from tonecomb.core.find.knowledge import Knowledge
from tonecomb.core.progress import Progress
from tonecomb.core.record.recording import Recording
from tonecomb.formats import changes, tables
from tonecomb.formats.report import figures
from tonecomb.formats.report.figures import SpectrumView
from tonecomb.formats.report.html import changing_panels, report


def files_of(
    recording: Recording, analysis: Analysis, said: Knowledge, changing: Changing,
    progress: Progress,
) -> Iterator[tuple[str, bytes]]:  # fmt: skip
    """Names and contents: tables as CSV, pictures as PNG, the report as HTML."""
    heading, view = figures.heading_of(analysis), SpectrumView()
    tables_of = {
        "spectrum.csv": tables.spectrum_csv(analysis),
        "peaks.csv": tables.peaks_csv(analysis, said),
        "combs.csv": tables.combs_csv(analysis, said),
        "resonances.csv": tables.resonances_csv(analysis),
        "bands.csv": tables.bands_csv(analysis),
    }
    if changing.trend is not None:
        tables_of["trend.csv"] = changes.trend_csv(changing.trend)
    if changing.slices is not None:
        tables_of["slices.csv"] = changes.slices_csv(changing.slices)
    if changing.run_up is not None:
        tables_of["orders.csv"] = changes.orders_csv(changing.run_up)
    for name, text in tables_of.items():
        yield name, text.encode()
    yield "spectrum.png", figures.stacked([figures.spectrum_panel(analysis, view)], "png", heading)
    if changing:
        for name, (panel, _) in changing_panels(recording, analysis, changing).items():
            above = heading
            if name == "run-up" and changing.run_up is not None:
                above = f"{analysis.recording_name} · {changing.run_up.sentence}"
            yield f"{name}.png", figures.stacked([panel], "png", above)
    page = report(recording, analysis, view, progress, said=said, changing=changing)
    yield "report.html", page.encode()
