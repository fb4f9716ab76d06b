"""The public face: recordings in, results out. ``import tonecomb`` offers what is here; the
command line is its first caller. ``docs/api.md`` shows it on one page.

A mistake of the caller's is a :class:`UserError`, one sentence that says what to do; the source
file is never written to.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from tonecomb.core.analysis import Analysis
from tonecomb.core.errors import UserError
from tonecomb.core.estimate import averages
from tonecomb.core.estimate.bands import Band
from tonecomb.core.estimate.display import Display
from tonecomb.core.estimate.shaft import Shaft, of_comb
from tonecomb.core.estimate.slices import Slicing
from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.estimate.tracks import Wanted
from tonecomb.core.find.comb import Comb
from tonecomb.core.find.damping import Fit
from tonecomb.core.find.knowledge import Knowledge
from tonecomb.core.find.mode import Resonance
from tonecomb.core.find.peaks import Peak, PeakSearch
from tonecomb.core.method import Method, default_method
from tonecomb.core.progress import Progress, silent
from tonecomb.core.record.given import NOTHING_GIVEN, Given
from tonecomb.core.record.recording import Recording, Stretch
from tonecomb.core.record.signal import Signal
from tonecomb.core.say.caution import Caution
from tonecomb.core.steps.prepare import prepare
from tonecomb.core.steps.step import Step
from tonecomb.formats.analysed import Analysed, analyse
from tonecomb.formats.columns import Table
from tonecomb.formats.registry import open_recording
from tonecomb.formats.step_text import parse as step

__all__ = [
    "Analysed",
    "Analysis",
    "Band",
    "Caution",
    "Comb",
    "Display",
    "Fit",
    "Given",
    "Knowledge",
    "Method",
    "Peak",
    "PeakSearch",
    "Recording",
    "Resonance",
    "Shaft",
    "Signal",
    "Slicing",
    "Spectrum",
    "Step",
    "Stretch",
    "Table",
    "UserError",
    "Wanted",
    "analyse",
    "averages",
    "default_method",
    "of_comb",
    "open",
    "prepare",
    "step",
]  # fmt: skip


def open(
    path: Path | str, *, rate: float | None = None, unit: str | None = None,
    given: Given = NOTHING_GIVEN, progress: Progress = silent,
) -> Recording:  # fmt: skip
    """The recording in a file, whose samples are read when they are needed.

    ``rate`` in Hz and the channels' ``unit`` go before what the file says; ``given`` holds all
    that can be said about how it is read. Raises :class:`UserError` for a file that cannot be
    understood.
    """
    said = {name: value for name, value in (("rate", rate), ("unit", unit)) if value is not None}
    return open_recording(path, replace(given, **said), progress)  # type: ignore[arg-type]
