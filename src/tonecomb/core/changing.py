"""What changes in time, all that a method asks for: slices, tracks and levels, a run-up."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from tonecomb.core.estimate.slices import Slices, Slicing, run_slices
from tonecomb.core.estimate.trend import Trend, run_trend
from tonecomb.core.method import Method
from tonecomb.core.progress import Progress, part, silent
from tonecomb.core.record.recording import Recording

if TYPE_CHECKING:
    from tonecomb.core.find.run_up import RunUp


@dataclass(frozen=True, eq=False)
class Changing:
    """What was computed; nothing of it is false."""

    trend: Trend | None = None
    slices: Slices | None = None
    run_up: RunUp | None = None

    def __bool__(self) -> bool:
        return any(one is not None for one in (self.trend, self.slices, self.run_up))


def run_changing(
    method: Method, recording: Recording, slicing: Slicing | None = None,
    progress: Progress = silent,
) -> Changing:  # fmt: skip
    """Slices where they are asked for, the trend where the method follows something, the run-up
    where it names a shaft."""
    found = Changing()
    if slicing is not None:
        slices = run_slices(method, recording, slicing, part(progress, 0, 0.2))
        found = replace(found, slices=slices)
    if method.tracks:
        trend = run_trend(method, recording, method.tracks, part(progress, 0.2, 0.5))
        found = replace(found, trend=trend)
    if method.shaft is not None:
        # It brings SciPy's interpolation, which the others do without.
        from tonecomb.core.find.run_up import analyse_run_up

        found = replace(found, run_up=analyse_run_up(method, recording, part(progress, 0.5, 1)))
    return found
