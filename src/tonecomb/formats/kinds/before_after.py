"""What filters took out: before, after and the difference."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any, ClassVar

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.before_after import BeforeAfter, Change, compare, taken_by
from tonecomb.formats.columns import Column, Table
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext
from tonecomb.formats.palette import TRACES
from tonecomb.formats.report.figures import DrawnSpectrum, OtherTrace, spectrum_panel

_LISTED = 12


def changes(result: BeforeAfter) -> Table[Change]:
    """The peaks of before whose level changed."""
    a = result.before
    return Table(
        "changed",
        a.recording_name,
        result.after.sentence,
        (
            Column("frequency_hz", "frequency", lambda one: one.frequency, "Hz"),
            Column("before", "before", lambda one: one.before, a.amplitude_unit),
            Column("change_db", "change", lambda one: one.change_db, "dB", ".4g"),
            Column("gone", "gone", lambda one: "below the noise" if one.gone else "", rarely=True),
            Column("comb", "comb", lambda one: one.name, rarely=True),
        ),
        result.changed,
    )


def change_words(one: Change) -> str:
    """By how much a peak changed: "−12.3 dB", or "≤ −40 dB" where it is gone in the noise."""
    if one.gone:
        return f"≤ −{-one.change_db:.0f} dB"
    return f"{one.change_db:+.1f} dB".replace("-", "−")


class BeforesAfters(Kind[BeforeAfter]):
    key: ClassVar[str] = "before-after"
    doing: ClassVar[str] = "Comparing before and after"
    in_time: ClassVar[bool] = False
    lacks: ClassVar[tuple[str, str]] = ("No step takes anything out", "add a filter with C")

    def parts(self, method: Method) -> Method:
        return Method(
            method.source, method.frames, method.averaging, method.shown, search=method.search
        )

    def possible(self, method: Method, asked: Hashable) -> bool:
        return bool(taken_by(method.source.steps))

    def called_for(self, method: Method, asked: Hashable) -> bool:
        return self.possible(method, asked)

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> BeforeAfter:
        return compare(method, recording, progress)

    def values(self, result: BeforeAfter, context: ResultContext) -> dict[str, Any]:
        before, after, removed = result.rms
        return {
            "before_after": {
                "rms_before": before,
                "rms_after": after,
                "rms_removed": removed,
                "changed": changes(result).values(),
            }
        }

    def lines(self, result: BeforeAfter, context: ResultContext) -> list[str]:
        before, after, removed = result.rms
        unit, changed = context.analysis.channel.unit, result.changed
        lines = [
            f"rms {before:.5g} {unit} before, {after:.5g} after, {removed:.5g} taken out; "
            f"{len(changed)} of {len(result.changes)} peaks changed by more than 0.1 dB"
        ]
        strongest = sorted(changed, key=lambda one: -one.before)[:_LISTED]
        for one in sorted(strongest, key=lambda one: one.frequency):
            lines.append(f"  {one.frequency:>14.5f} Hz {change_words(one)} {one.name}".rstrip())
        return lines

    def tables(self, result: BeforeAfter, context: ResultContext) -> Sequence[Table[Any]]:
        return (changes(result),)

    def pictures(self, result: BeforeAfter, context: ResultContext) -> Sequence[Picture]:
        others = (
            OtherTrace("before", result.before, TRACES[2]),
            OtherTrace("taken out", result.removed, TRACES[3]),
        )
        view = DrawnSpectrum(decibels=context.decibels, others=others)
        return [
            Picture(
                "before-after",
                spectrum_panel(context.analysis, view),
                self.lines(result, context)[0],
            )
        ]
