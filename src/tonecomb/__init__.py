"""Tone Comb: frequency analysis of vibration recordings.

import tonecomb

recording = tonecomb.open("drive-station.flac")
result = tonecomb.analyse(recording, tonecomb.Method.of(channel=1, frame=16384))
for peak in result.peaks:
    print(peak.tone.frequency, peak.tone.frequency_std)
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from tonecomb.version import __version__ as __version__

if TYPE_CHECKING:
    from tonecomb.api import (
        Analysed,
        Analysis,
        Band,
        Batch,
        Caution,
        Checked,
        Comb,
        Display,
        Fit,
        Given,
        Knowledge,
        Limit,
        Made,
        Method,
        Peak,
        PeakSearch,
        Plan,
        Recording,
        Resonance,
        Rule,
        Shaft,
        Signal,
        Slicing,
        Spectrum,
        Step,
        Stretch,
        Table,
        UserError,
        Wanted,
        Zone,
        analyse,
        averages,
        batch,
        check,
        default_method,
        make,
        of_comb,
        open,
        prepare,
        report,
        step,
    )

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
    "step",
]


def __getattr__(name: str) -> Any:
    """What the face offers, brought in when it is first asked for: the command line starts
    without it."""
    if name in __all__:
        from tonecomb import api

        return getattr(api, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def __dir__() -> list[str]:
    return [*globals(), *__all__]
