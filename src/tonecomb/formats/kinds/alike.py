"""Modes and curves held against those of another recording by the same method, or another's."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any, ClassVar

from tonecomb.core.base.progress import Progress, part, silent
from tonecomb.core.method.method import Method
from tonecomb.core.method.sketch import Sketch
from tonecomb.core.record.recording import Recording
from tonecomb.core.say.numbers import with_std
from tonecomb.formats.columns import Column, Table
from tonecomb.formats.kinds.kind import Kind, ResultContext

if TYPE_CHECKING:
    from tonecomb.core.results.mac import Alike, ModePair


@dataclass(frozen=True)
class OtherRecording:
    """``recording`` analysed by ``method`` is the other; ``key`` tells it from others, "" for the
    same result once more. ``own`` and ``sketch`` say where the channels of both sit."""

    key: str = ""
    recording: Recording | None = field(default=None, compare=False)
    method: Method = field(default_factory=Method)
    own: Sketch = field(default_factory=Sketch)
    sketch: Sketch = field(default_factory=Sketch)


class AlikeKind(Kind["Alike"]):
    """``asked`` is the :class:`OtherRecording`."""

    key: ClassVar[str] = "alike"
    doing: ClassVar[str] = "Comparing modes"
    in_time: ClassVar[bool] = False
    lacks: ClassVar[tuple[str, str]] = ("No modes are looked for", "name their range with Shift+G")

    def parts(self, method: Method) -> Method:
        return method.frf_key()

    def possible(self, method: Method, asked: Hashable) -> bool:
        between = method.between
        return between is not None and between.reference is not None and between.high > 0

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> Alike:
        from tonecomb.core.results.mac import alike
        from tonecomb.core.results.transfer import run_transfer

        other: OtherRecording = asked
        a = run_transfer(method.frf_key(), recording, part(progress, 0, 0.5))
        if other.recording is None:
            return alike(a, a)
        theirs = other.method.frf_key()
        if theirs.between is None or not theirs.between.high:
            theirs = replace(theirs, between=method.between)
        b = run_transfer(theirs, other.recording, part(progress, 0.5, 1))
        return alike(a, b, other.own, other.sketch)

    def values(self, result: Alike, context: ResultContext) -> dict[str, Any]:
        return {
            "alike": {
                "with": result.name_b,
                "frequencies_hz": [
                    [one.frequency for one in some] for some in (result.a, result.b)
                ],
                "mac": result.mac.tolist(),
                "pairs": [
                    {
                        "frequency_hz": result.a[one.a].frequency,
                        "other_frequency_hz": result.b[one.b].frequency,
                        "mac": one.mac,
                        "frequency_change_std_hz": one.frequency_std,
                        "damping_change": one.damping,
                        "damping_change_std": one.damping_std,
                    }
                    for one in result.pairs
                ],
                "reciprocity": [
                    {
                        "reference": one.reference,
                        "answer": one.answer,
                        "median_db": one.db,
                        "within_95": one.within,
                        "bins": one.bins,
                    }
                    for one in result.turned
                ],
            }
        }

    def lines(self, result: Alike, context: ResultContext) -> list[str]:
        lines = [f"modes of {result.name_a} against those of {result.name_b}:"]
        lines += [pair_words(one, result) for one in result.pairs]
        for name, modes, number in ((result.name_a, result.a, 0), (result.name_b, result.b, 1)):
            paired = {(one.a, one.b)[number] for one in result.pairs}
            alone = [f"{one.frequency:.5g}" for i, one in enumerate(modes) if i not in paired]
            if alone:
                lines.append(f"only in {name}: {', '.join(alone)} Hz")
        return lines + [one.words for one in result.turned]

    def tables(self, result: Alike, context: ResultContext) -> Sequence[Table[Any]]:
        def one_row(i: int) -> list[float]:
            return [result.a[i].frequency, *result.mac[i].tolist()]

        def column(j: int) -> Column[list[float]]:
            name = f"{result.b[j].frequency:.5g} Hz"
            return Column(f"mac_{j + 1}", name, lambda row: row[1 + j], "", ".4f")

        columns = tuple(column(j) for j in range(len(result.b)))
        rows = [one_row(i) for i in range(len(result.a))]
        title = f"MAC of {result.name_a} down against {result.name_b} across"
        return [
            Table(
                "mac",
                result.name_a,
                title,
                (Column("frequency_hz", "frequency", lambda row: row[0], "Hz"), *columns),
                rows,
            )
        ]


def pair_words(pair: ModePair, result: Alike) -> str:
    """Two modes that are one, in a line."""
    a, b = result.a[pair.a], result.b[pair.b]
    moved = f"moved by {with_std(pair.frequency, pair.frequency_std)} Hz"
    change = moved if pair.moved else "unchanged within the intervals"
    return (
        f"{with_std(a.frequency, a.frequency_std)} Hz is {with_std(b.frequency, b.frequency_std)} "
        f"Hz there (MAC {pair.mac:.3f}, {change})"
    )
