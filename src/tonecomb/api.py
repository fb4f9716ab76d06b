"""The public face: recordings in, results out. ``import tonecomb`` offers what is here; the
command line is its first caller. ``docs/api.md`` shows it on one page.

A mistake of the caller's is a :class:`UserError`, one sentence that says what to do; the source
file is never written to.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from tonecomb.batches.plan import Plan, Rule, load
from tonecomb.batches.run import Batch, run
from tonecomb.batches.sources import recordings_in
from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate import averages
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.shaft import Shaft, of_comb
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.peaks import Peak
from tonecomb.core.method.given import NOTHING_GIVEN, Given
from tonecomb.core.method.method import Method, default_method
from tonecomb.core.method.searches import Fit, PeakSearch
from tonecomb.core.record.recording import Recording, Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import Knowledge
from tonecomb.core.results.machine_time import steadied
from tonecomb.core.results.slices import Slicing
from tonecomb.core.results.zones import Limit, Zone
from tonecomb.core.say.caution import Caution
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step
from tonecomb.core.synthesis.made import Made
from tonecomb.core.synthesis.starters import starter
from tonecomb.formats import made_json
from tonecomb.formats.analysed import Analysed, analyse, report
from tonecomb.formats.columns import Table
from tonecomb.formats.registry import open_recording
from tonecomb.formats.report.check import Checked, check
from tonecomb.formats.step_text import parse as step

__all__ = [
    "Analysed",
    "Analysis",
    "Band",
    "Batch",
    "Caution",
    "Checked",
    "Comb",
    "Display",
    "Fit",
    "Given",
    "Knowledge",
    "Limit",
    "Made",
    "Method",
    "Peak",
    "PeakSearch",
    "Plan",
    "Recording",
    "Resonance",
    "Rule",
    "Shaft",
    "Signal",
    "Slicing",
    "Spectrum",
    "Step",
    "Stretch",
    "Table",
    "UserError",
    "Wanted",
    "Zone",
    "analyse",
    "averages",
    "batch",
    "check",
    "default_method",
    "make",
    "of_comb",
    "open",
    "prepare",
    "report",
    "steady",
    "step",
]


def open(
    path: Path | str,
    *,
    rate: float | None = None,
    unit: str | None = None,
    given: Given = NOTHING_GIVEN,
    progress: Progress = silent,
) -> Recording:
    """The recording in a file, whose samples are read when they are needed.

    ``rate`` in Hz goes before what the file says, ``unit`` is that of channels of which it says
    none; ``given`` holds all that can be said about how it is read. Raises :class:`UserError` for a
    file that cannot be understood, and for a unit where the file says another.
    """
    said = {name: value for name, value in (("rate", rate), ("unit", unit)) if value is not None}
    given = replace(given, **said)  # type: ignore[arg-type]
    return open_recording(path, given, progress, strict=True)


def make(description: Made | Path | str) -> Recording:
    """The recording that a description makes: a value, a file of one, or the name of one to begin
    with, like ``"two-tones"``. What was put in is told beside what is read of it."""
    if not isinstance(description, Made):
        path = Path(description)
        named = path.suffix == made_json.SUFFIX or path.exists()
        description = made_json.load(path) if named else starter(str(description))
    return description.recording("")


def steady(recording: Recording, method: Method | None = None) -> Step:
    """The step that steadies the speed of a machine by which tones of a method's channel breathe
    together; put it behind the method's own. :class:`UserError` where nothing breathes together."""
    return steadied((method or Method()).resolved(recording), recording)


def batch(
    plan: Plan | Path | str,
    paths: Sequence[Path | str],
    out: Path | str,
    *,
    workers: int = 1,
    scheduler: str = "",
    reports: bool = True,
    progress: Progress = silent,
) -> Batch:
    """The same over any number of recordings, and those in folders: tables, reports and an
    overview in the folder ``out``. ``plan`` is a value, or a file that holds a plan, a session or
    a report.

    By so many ``workers`` of this machine, or by the Dask ``scheduler`` at an address; a recording
    of 512 MB or more is shared by all of them. What an earlier call did of the same files by the
    same plan stands, so that one that was stopped goes on. Scripts that ask for several ``workers``
    do so under ``if __name__ == "__main__":``.
    """
    wanted = plan if isinstance(plan, Plan) else load(Path(plan))
    wanted.check()
    found = recordings_in([Path(path) for path in paths])
    return run(
        wanted,
        found,
        Path(out),
        workers=workers,
        scheduler=scheduler,
        reports=reports,
        progress=progress,
    )
