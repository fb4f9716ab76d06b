"""A kind of result: what it hangs on, how it is computed, and how it is told everywhere.

Bench, command line, report, exports and the Python face go through this; none of them knows what
kinds there are.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar, Generic, TypeVar

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.say.caution import Caution
from tonecomb.formats.columns import Table
from tonecomb.formats.report.figures import Panel

R = TypeVar("R")


@dataclass(frozen=True)
class ResultContext:
    """What telling a result may draw on besides it: the ``analysis`` it goes with, its
    ``cautions``, what is ``said`` about the recording, and whether levels are in ``decibels``."""

    analysis: Analysis
    cautions: tuple[Caution, ...] = ()
    said: Knowledge = NOTHING
    decibels: bool = True


@dataclass(frozen=True)
class Picture:
    """A panel under a ``name``, with the ``words`` below it; ``sentence`` where the method is
    another than the analysis's."""

    name: str
    panel: Panel
    words: str = ""
    sentence: str = ""


class Kind(ABC, Generic[R]):
    """``key`` names it, ``doing`` says what is being done while it is computed."""

    key: ClassVar[str]
    doing: ClassVar[str]
    in_time: ClassVar[bool] = True
    """Whether it tells what changes over the stretch, so that a spectrogram goes with it."""

    lacks: ClassVar[tuple[str, str]] = ("There is nothing to compute", "")
    """What is lacking where it is not possible, and what to do."""

    @abstractmethod
    def parts(self, method: Method) -> Method:
        """The parts of a method that the result hangs on, the rest set back."""

    def possible(self, method: Method, asked: Hashable) -> bool:
        """Whether there is something to compute."""
        return True

    def called_for(self, method: Method, asked: Hashable) -> bool:
        """Whether a method, or what is asked besides, calls for it by itself."""
        return asked is not None

    @abstractmethod
    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> R:
        """The result. ``asked`` is what a view wants of it besides the method."""

    def values(self, result: R, context: ResultContext) -> dict[str, Any]:
        """For JSON, under its own keys."""
        return {}

    def lines(self, result: R, context: ResultContext) -> list[str]:
        """For reading."""
        return []

    def tables(self, result: R, context: ResultContext) -> Sequence[Table[Any]]:
        """For spreadsheets."""
        return ()

    def pictures(self, result: R, context: ResultContext) -> Sequence[Picture]:
        """For report and exports."""
        return ()

    def files(self, result: R, context: ResultContext) -> Sequence[tuple[str, bytes]]:
        """Names and contents of what else belongs beside the tables, for other programs."""
        return ()


@dataclass(frozen=True, eq=False)
class ResultEntry:
    """A result with its kind, and what was ``asked`` of that besides the method."""

    kind: Kind[Any]
    result: Any
    asked: Hashable = None
