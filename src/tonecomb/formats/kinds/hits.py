"""Hits that repeat, and the bands in which they ring."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.find.hits import HitEnvelopes, RepeatedHits, find_hits
from tonecomb.core.method.machine import named
from tonecomb.core.method.method import Method, Source
from tonecomb.core.record.recording import Recording
from tonecomb.core.results.knowledge import Knowledge
from tonecomb.core.say.numbers import with_std
from tonecomb.core.steps.envelope import Envelope
from tonecomb.core.steps.prepare import prepare
from tonecomb.formats.columns import Column, Table
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext
from tonecomb.formats.report.figures import Panel

_SURE = 3.0  # standard deviations that a rate may be off a known frequency


def name_of(hits: RepeatedHits, said: Knowledge) -> str:
    """What is known to hit so often; "" for nothing."""
    return named(said.known, said.shaft, hits.frequency, _SURE * hits.std)


def hits_words(one: RepeatedHits, said: Knowledge) -> str:
    """A sequence of hits in one line."""
    name = name_of(one, said)
    of_shaft = f", {one.frequency / said.shaft:.4g} × shaft" if said.shaft else ""
    return (
        f"hits at {with_std(one.frequency, one.std)} Hz{of_shaft}, clearest from "
        f"{one.band.low:.5g} to {one.band.high:.5g} Hz{': ' if name else ''}{name}"
    )


def without_envelope(source: Source) -> Source:
    """The source without the step that takes an envelope itself."""
    return replace(
        source, steps=tuple(one for one in source.steps if not isinstance(one, Envelope))
    )


class HitKind(Kind[HitEnvelopes]):
    key: ClassVar[str] = "hits"
    doing: ClassVar[str] = "Looking for hits"
    in_time: ClassVar[bool] = False

    def parts(self, method: Method) -> Method:
        return Method(without_envelope(method.source))

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> HitEnvelopes:
        source = without_envelope(method.source)
        signal = prepare(recording, source.steps)
        first, stop = source.span(signal)

        def read(start: int, end: int) -> Any:
            return signal.samples.read(source.channel, first + start, first + end)

        return find_hits(read, stop - first, signal.rate, progress)

    def values(self, result: HitEnvelopes, context: ResultContext) -> dict[str, Any]:
        return {"hits": hits_table(result, context).values()}

    def lines(self, result: HitEnvelopes, context: ResultContext) -> list[str]:
        texts = [hits_words(one, context.said) for one in result.hits]
        return texts or ["no hits that repeat"]

    def tables(self, result: HitEnvelopes, context: ResultContext) -> Sequence[Table[Any]]:
        return (hits_table(result, context),)

    def pictures(self, result: HitEnvelopes, context: ResultContext) -> Sequence[Picture]:
        words = "; ".join(self.lines(result, context))
        return [Picture("envelope", _panel(result), words)]


def hits_table(result: HitEnvelopes, context: ResultContext) -> Table[RepeatedHits]:
    """The sequences of hits that were found."""
    a = context.analysis
    return Table(
        "hits",
        a.recording_name,
        a.sentence,
        (
            Column("frequency_hz", "hits", lambda one: one.frequency, "Hz"),
            Column("frequency_std_hz", "±", lambda one: one.std, "Hz", ".2g"),
            Column("band_low_hz", "band from", lambda one: one.band.low, "Hz"),
            Column("band_high_hz", "to", lambda one: one.band.high, "Hz"),
            Column("kurtosis", "kurtosis", lambda one: one.band.kurtosis, "", ".4g"),
            Column("name", "name", lambda one: name_of(one, context.said), rarely=True),
        ),
        result.hits,
    )


def _panel(result: HitEnvelopes) -> Panel:
    def draw(part: Any) -> None:
        from tonecomb.formats.palette import ACCENT, TRACE

        axes = part.subplots()
        axes.plot(result.frequency, result.over_db, color=TRACE, linewidth=0.7)
        for one in result.hits[:1]:
            for n in np.arange(1, 6):
                axes.axvline(n * one.frequency, color=ACCENT, linewidth=0.7, linestyle="--")
        band = result.shown
        axes.set_xlabel("Frequency, Hz")
        axes.set_ylabel(f"Squared envelope of {band.low:.0f}–{band.high:.0f} Hz, dB over noise")
        axes.set_xlim(0, float(result.frequency[-1]))

    return Panel(3.4, draw)
