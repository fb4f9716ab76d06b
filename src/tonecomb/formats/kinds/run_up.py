"""A run-up by its shaft's angle: orders over speed, and the resonances that they meet."""

from __future__ import annotations

import math
from collections.abc import Hashable
from dataclasses import replace
from typing import TYPE_CHECKING, Any, ClassVar

import numpy as np

from tonecomb.core.base.errors import UserError
from tonecomb.core.base.progress import Progress, silent
from tonecomb.core.estimate.spectrum import LEVEL_FACTORS
from tonecomb.core.method.method import Method, Shown
from tonecomb.core.record.recording import Recording
from tonecomb.core.say.numbers import with_std
from tonecomb.formats.columns import Table, series
from tonecomb.formats.kinds.kind import Kind, Picture, ResultContext

if TYPE_CHECKING:  # they bring SciPy's interpolation
    from tonecomb.core.find.crossings import Crossing
    from tonecomb.core.results.run_up import RunUp


class RunUps(Kind["RunUp"]):
    key: ClassVar[str] = "run-up"
    doing: ClassVar[str] = "Turning with the shaft"
    lacks: ClassVar[tuple[str, str]] = ("No shaft is named", "choose one with Shift+F")

    def parts(self, method: Method) -> Method:
        return replace(method.run_up_key(), shown=Shown(level=method.shown.level))

    def possible(self, method: Method, asked: Hashable) -> bool:
        return method.shaft is not None

    def called_for(self, method: Method, asked: Hashable) -> bool:
        return method.shaft is not None

    def run(
        self, method: Method, recording: Recording, asked: Any = None, progress: Progress = silent
    ) -> RunUp:
        from tonecomb.core.results.run_up import analyse_run_up

        if method.shaft is None:
            raise UserError("No shaft is named", remedy="choose one (on the bench with Shift+F)")
        return analyse_run_up(method, recording, progress)

    def values(self, result: RunUp, context: ResultContext) -> dict[str, Any]:
        levels, spectrum = result.levels, result.spectrum
        factor = LEVEL_FACTORS[spectrum.method.shown.level]
        return {
            "run_up": {
                "method": result.sentence,
                "time_s": levels.time.tolist(),
                "speed_hz": levels.speed.tolist(),
                "orders": [
                    {"order": order, "amplitude": (np.abs(row) * factor).tolist()}
                    for order, row in zip(levels.orders, levels.amplitude, strict=True)
                ],
                "order_spectrum": [
                    {"order": peak.tone.frequency, "amplitude": spectrum.amplitude(peak)[0]}
                    for peak in result.orders
                ],
                "resonances": [
                    {
                        "natural_frequency_hz": one.frequency,
                        "natural_frequency_std_hz": one.frequency_std,
                        "damping_ratio": one.damping,
                        "damping_ratio_std": one.damping_std,
                        "order": one.order,
                        "speed_hz": one.speed,
                    }
                    for one in result.crossings
                ],
            }
        }

    def lines(self, result: RunUp, context: ResultContext) -> list[str]:
        levels, spectrum = result.levels, result.spectrum
        lines = [
            result.sentence,
            f"from {levels.speed.min():.5g} to {levels.speed.max():.5g} Hz, "
            f"{len(levels.speed)} frames of {levels.turns} turns",
        ]
        lines += [
            f"order {peak.tone.frequency:.4f}: {spectrum.amplitude(peak)[0]:.5g} "
            f"{spectrum.amplitude_unit}"
            for peak in result.orders
        ]
        return lines + [crossing_words(one, result) for one in result.crossings]

    def tables(self, result: RunUp, context: ResultContext) -> list[Table[Any]]:
        """A row a frame: time, speed, and each order's amplitude and phase."""
        levels, spectrum = result.levels, result.spectrum
        factor = LEVEL_FACTORS[spectrum.method.shown.level]
        columns: list[tuple[str, str, Any]] = [
            ("time_s", "time [s]", levels.time),
            ("speed_hz", "speed [Hz]", levels.speed),
        ]
        for order, row in zip(levels.orders, levels.amplitude, strict=True):
            name = f"order {order:g}"
            columns.append((name, f"{name} [{spectrum.amplitude_unit}]", np.abs(row) * factor))
            columns.append((f"{name} phase", f"{name} phase lead [°]", np.degrees(np.angle(row))))
        return [series("orders", context.analysis.recording_name, result.sentence, columns)]

    def pictures(self, result: RunUp, context: ResultContext) -> list[Picture]:
        from tonecomb.formats.report.figures_in_time import run_up_panel

        words = "Orders over time, and their levels over the shaft's speed; dashed: resonances."
        panel = run_up_panel(result, context.decibels)
        return [Picture("run-up", panel, words, result.sentence)]


def crossing_words(one: Crossing, found: RunUp) -> str:
    """A resonance that a run-up showed, in one line."""
    damping = (
        ""
        if math.isnan(one.damping)
        else (f", damping {with_std(100 * one.damping, 100 * one.damping_std)} %")
    )
    met = "met" if one.speed <= found.levels.speed.max() else "would be met"
    return (
        f"resonance at {with_std(one.frequency, one.frequency_std)} Hz{damping}: {met} by order "
        f"{one.order:g} at {one.speed:.4g} Hz"
    )
