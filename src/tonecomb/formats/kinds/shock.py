"""The shock response spectrum of the stretch."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.method.method import Method, frame_plan
from tonecomb.core.modal.shock import MOST_SAMPLES, ShockSpectrum, shock_spectrum
from tonecomb.core.record.recording import Recording
from tonecomb.formats.columns import Table, series
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext
from tonecomb.formats.report.figures import Panel

USUAL = (10.0, 12)
"""Q and oscillators an octave."""


class ShockKind(Kind[ShockSpectrum]):
    """``asked`` is Q and the number of oscillators an octave."""

    key: ClassVar[str] = "shock"
    doing: ClassVar[str] = "Working out the shock response"
    in_time: ClassVar[bool] = False

    def parts(self, method: Method) -> Method:
        return Method(method.source)

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> ShockSpectrum:
        q, fraction = asked if isinstance(asked, tuple) else USUAL
        source = method.source
        signal = frame_plan(Method(source), recording, frame=2).signal
        first, stop = source.span(signal)
        if stop - first > MOST_SAMPLES:
            raise UserError(
                f"A stretch of {(stop - first) / signal.rate:.4g} s is too long for one shock",
                remedy=f"choose one of at most {MOST_SAMPLES / signal.rate:.4g} s",
            )
        samples = signal.samples.read(source.channel, first, stop)
        return shock_spectrum(samples, signal.rate, q=q, fraction=fraction, progress=progress)

    def values(self, result: ShockSpectrum, context: ResultContext) -> dict[str, Any]:
        return {
            "shock_response": {
                "q": result.q,
                "rest": result.rest,
                "unit": context.analysis.channel.unit,
                "frequency_hz": result.frequency.tolist(),
                "primary": result.primary.tolist(),
                "residual": result.residual.tolist(),
                "maximax": result.maximax.tolist(),
            }
        }

    def lines(self, result: ShockSpectrum, context: ResultContext) -> list[str]:
        return [words(result, context.analysis.channel.unit)]

    def tables(self, result: ShockSpectrum, context: ResultContext) -> Sequence[Table[Any]]:
        a, unit = context.analysis, context.analysis.channel.unit
        return (
            series(
                "shock-response",
                a.recording_name,
                f"{a.channel.name}, Q {result.q:g}",
                (
                    ("frequency_hz", "frequency [Hz]", result.frequency),
                    ("primary", f"primary [{unit}]", result.primary),
                    ("residual", f"residual [{unit}]", result.residual),
                    ("maximax", f"maxi-max [{unit}]", result.maximax),
                ),
            ),
        )

    def pictures(self, result: ShockSpectrum, context: ResultContext) -> Sequence[Picture]:
        unit = context.analysis.channel.unit
        return [Picture("shock-response", shock_panel(result, unit), words(result, unit))]


def words(result: ShockSpectrum, unit: str) -> str:
    """The spectrum in one line."""
    at = int(np.argmax(result.maximax))
    rest = (
        "the stretch begins with the shock, and no level of rest was taken off"
        if result.rest is None
        else f"a rest of {result.rest:.3g} {unit} taken off"
    )
    return (
        f"shock response, Q {result.q:g}: at most {result.maximax[at]:.4g} {unit} at "
        f"{result.frequency[at]:.4g} Hz; {rest}"
    )


def shock_panel(result: ShockSpectrum, unit: str) -> Panel:
    """Its curves on paper."""

    def draw(part: Any) -> None:
        from tonecomb.formats.palette import TRACES

        axes = part.subplots()
        for values, name, colour in (
            (result.maximax, "maxi-max", TRACES[0]),
            (result.primary, "primary", TRACES[1]),
            (result.residual, "residual", TRACES[2]),
        ):
            axes.loglog(
                result.frequency,
                np.maximum(values, 1e-300),
                color=colour,
                label=name,
                linewidth=1.2 if name == "maxi-max" else 0.7,
            )
        axes.set_xlabel("Natural frequency, Hz")
        axes.set_ylabel(f"Greatest answer, {unit}, Q {result.q:g}")
        axes.legend(fontsize=7)

    return Panel(3.4, draw)
