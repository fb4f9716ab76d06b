"""What changed since another recording, or another method, by both lists of findings."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.analysis import Analysis
from tonecomb.core.results.differences import Differences, SpectrumDifference, differences
from tonecomb.core.results.knowledge import NOTHING, Knowledge
from tonecomb.core.results.search import run
from tonecomb.core.say import changed
from tonecomb.formats.columns import Column, Table
from tonecomb.formats.kinds.kind import Kind, ResultContext


@dataclass(frozen=True, eq=False)
class Before:
    """What there was: an analysis, and what was said about it; changes of less than ``least_db``
    are not told."""

    analysis: Analysis
    said: Knowledge = NOTHING
    least_db: float = 0.5

    def against(self, context: ResultContext) -> Differences:
        """What changed since."""
        return differences(self.analysis, context.analysis, self.said, context.said, self.least_db)


@dataclass(frozen=True, eq=False)
class Earlier:
    """What is asked: ``recording`` analysed by ``method``."""

    recording: Recording
    method: Method


class ChangesKind(Kind[Before]):
    """``asked`` is the :class:`Earlier`."""

    key: ClassVar[str] = "changes"
    doing: ClassVar[str] = "Analysing what there was"
    in_time: ClassVar[bool] = False
    lacks: ClassVar[tuple[str, str]] = ("There is nothing to compare with", "hold a trace with H")

    def parts(self, method: Method) -> Method:
        return Method()

    def possible(self, method: Method, asked: Hashable) -> bool:
        return asked is not None

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> Before:
        earlier: Earlier = asked
        return Before(run(earlier.method, earlier.recording, progress))

    def values(self, result: Before, context: ResultContext) -> dict[str, Any]:
        found = result.against(context)
        return {
            "changes": {
                "since": result.analysis.recording_name,
                "summary": changed.summary(found),
                "compared": found.compared,
                "smaller": found.smaller,
                "told": table(found).values(),
            }
        }

    def lines(self, result: Before, context: ResultContext) -> list[str]:
        found, before = result.against(context), result.analysis
        unit = context.analysis.amplitude_unit
        return [
            f"since {before.recording_name} · {before.sentence}",
            changed.summary(found),
            *(changed.words(one, unit) for one in found.told),
        ]

    def tables(self, result: Before, context: ResultContext) -> Sequence[Table[Any]]:
        return [table(result.against(context))]


def table(found: Differences) -> Table[SpectrumDifference]:
    """What changed, a row each."""
    unit = found.now.amplitude_unit
    of = f"{found.before.recording_name} → {found.now.recording_name}"
    return Table(
        "changes",
        of,
        found.now.sentence,
        (
            Column("kind", "kind", lambda one: one.kind),
            Column("name", "name", lambda one: one.name),
            Column("verdicts", "what it did", lambda one: ", ".join(one.verdicts)),
            Column("low_hz", "from", lambda one: one.low, "Hz", rarely=True),
            Column("high_hz", "to", lambda one: one.high, "Hz", rarely=True),
            Column(
                "frequency_before_hz", "frequency before", lambda one: one.before.frequency, "Hz"
            ),
            Column(
                "frequency_before_std_hz", "±", lambda one: one.before.frequency_std, "Hz", ".3g"
            ),
            Column("frequency_hz", "frequency now", lambda one: one.now.frequency, "Hz"),
            Column("frequency_std_hz", "±", lambda one: one.now.frequency_std, "Hz", ".3g"),
            Column("level_before", "level before", lambda one: one.before.level, unit, ".8g"),
            Column("level_before_std", "±", lambda one: one.before.level_std, unit, ".3g"),
            Column("level", "level now", lambda one: one.now.level, unit, ".8g"),
            Column("level_std", "±", lambda one: one.now.level_std, unit, ".3g"),
            Column("change_db", "change", lambda one: one.change_db, "dB", ".4g"),
            Column("change_db_std", "±", lambda one: one.change_db_std, "dB", ".2g"),
        ),
        found.told,
    )
