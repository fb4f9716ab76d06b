"""What a caution is, and what its detectors look at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from tonecomb.core.estimate.spectrum import Spectrum
from tonecomb.core.find.hits import RepeatedHits
from tonecomb.core.method.method import Method
from tonecomb.core.record.survey import Survey
from tonecomb.core.results.analysis import Analysis

Edit = Callable[[Method], Method]
"""What a remedy does to a method."""


def setting(**settings: Any) -> Edit:
    """The edit that gives these settings new values."""
    return lambda method: method.having(**settings)


@dataclass(frozen=True)
class Caution:
    """``text`` is one sentence with the actual figures. ``remedy`` names the button that edits
    the method so that this need not be said; both are empty where no edit would help."""

    code: str
    text: str
    remedy: str = ""
    edit: Edit | None = None


@dataclass(frozen=True, eq=False)
class Seen:
    """What the detectors need besides the analysis: a look over the stretch, and its spectrum
    with a frame four times as long, None where the stretch is too short for one, and hits that
    repeat in its middle, the surest first; ``period`` (s) is that of samples which are one block
    over and over."""

    survey: Survey
    finer: Spectrum | None
    hits: tuple[RepeatedHits, ...] = ()
    period: float | None = None


Detector = Callable[[Analysis, Seen], "Caution | None"]
