"""The power cepstrum of the averaged spectrum."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import Any, ClassVar

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.cepstrum import Cepstrum, Rahmonic, cepstrum
from tonecomb.core.results.estimate import run_spectrum
from tonecomb.core.say.numbers import with_std
from tonecomb.formats.columns import Column, Table
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext
from tonecomb.formats.report.figures import Panel

Cut = tuple[float, float]


class CepstrumKind(Kind[Cepstrum]):
    """``asked`` is the range of quefrencies (s) that is taken out, or True for none."""

    key: ClassVar[str] = "cepstrum"
    doing: ClassVar[str] = "Working out the cepstrum"
    in_time: ClassVar[bool] = False

    def parts(self, method: Method) -> Method:
        return method.estimate()

    def run(
        self,
        method: Method,
        recording: Recording,
        asked: Hashable = None,
        progress: Progress = silent,
    ) -> Cepstrum:
        cut = asked if isinstance(asked, tuple) else None
        return cepstrum(run_spectrum(method.estimate(), recording, progress), cut)

    def values(self, result: Cepstrum, context: ResultContext) -> dict[str, Any]:
        return {"rahmonics": rahmonics(result, context).values()}

    def lines(self, result: Cepstrum, context: ResultContext) -> list[str]:
        return [rahmonic_words(one) for one in result.rahmonics] or ["no rahmonics"]

    def tables(self, result: Cepstrum, context: ResultContext) -> Sequence[Table[Any]]:
        return (rahmonics(result, context),)

    def pictures(self, result: Cepstrum, context: ResultContext) -> Sequence[Picture]:
        return [Picture("cepstrum", _panel(result), "; ".join(self.lines(result, context)[:3]))]


def rahmonic_words(one: Rahmonic) -> str:
    """A value that stands out, in one line."""
    spacing = with_std(one.frequency, one.frequency_std)
    return (
        f"rahmonic at {with_std(1e3 * one.quefrency, 1e3 * one.std)} ms: lines {spacing} Hz apart, "
        f"{one.stands:.0f} times the scatter"
    )


def rahmonics(result: Cepstrum, context: ResultContext) -> Table[Rahmonic]:
    """What stands out in a cepstrum."""
    a = context.analysis
    return Table(
        "rahmonics",
        a.recording_name,
        a.sentence,
        (
            Column("quefrency_s", "quefrency", lambda one: one.quefrency, "s"),
            Column("frequency_hz", "lines apart", lambda one: one.frequency, "Hz"),
            Column("frequency_std_hz", "±", lambda one: one.frequency_std, "Hz", ".2g"),
            Column("level_db", "level", lambda one: one.level, "dB", ".4g"),
            Column("stands", "over scatter", lambda one: one.stands, "", ".3g"),
        ),
        result.rahmonics,
    )


def _panel(result: Cepstrum) -> Panel:
    def draw(part: Any) -> None:
        from tonecomb.formats.palette import ACCENT, TRACE

        axes = part.subplots()
        axes.plot(1e3 * result.quefrency[1:], result.values[1:], color=TRACE, linewidth=0.7)
        for one in result.rahmonics[:5]:
            axes.plot(1e3 * one.quefrency, one.level, "o", color=ACCENT, markersize=3)
        high = max((one.level for one in result.rahmonics), default=1.0)
        axes.set_ylim(-high, 1.2 * high)
        axes.set_xlabel("Quefrency, ms")
        axes.set_ylabel("Power cepstrum, dB")

    return Panel(3.0, draw)
